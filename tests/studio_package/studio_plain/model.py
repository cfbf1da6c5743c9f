"""A body with a gloss, for engines that know no more."""

from __future__ import annotations

from typing import Any

from fenrain.core.lobes.aspects import BODY, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.surface import Part, Surface
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.parameter import Parameters, Role, colour, number
from fenrain.core.models.registry import Model
from fenrain.core.models.target import Profile, Target
from fenrain.core.optics.arrays import Array
from fenrain.core.rules.fidelity import EXACT
from fenrain.core.rules.rule import RuleSet


class Plain(Parameters):
    """A colour and how matt it is."""

    tone: Array = colour(role=Role.BASE_COLOR, default=0.5, high=1.0, group=BODY, says="colour of the body")
    matt: Array = number(role=Role.ROUGHNESS, default=0.5, high=1.0, group=REFLECTION, says="1 is matt", undrawn="a gloss is not drawn")


def surface(p: Plain) -> Surface:
    return Surface((Part(Lambert(p.tone), BODY),))


TO_HUB: RuleSet[Plain] = RuleSet("plain.to_hub", Plain)
TO_HUB.copy("base_color", "tone", source="the studio's own text")
TO_HUB.copy("specular_roughness", "matt", source="the studio's own text")

FROM_HUB: RuleSet[OpenPbr] = RuleSet("plain.from_hub", OpenPbr)
FROM_HUB.copy("matt", "specular_roughness", source="the studio's own text")


@FROM_HUB.rule("tone", id="tone", fidelity=EXACT, text="{base_color} × {base_weight}", source="the studio's own text")
def tone(p: OpenPbr) -> Any:
    return p.base_color * p.base_weight


MODEL = Model(
    "plain",
    "Studio plain",
    Plain,
    surface,
    "the studio's own text",
    to_hub=TO_HUB,
    from_hub=FROM_HUB,
    targets=(Target(Profile(), "Studio plain", "plain"),),
)
