"""What a legacy model may carry besides its own parameters: bump, occlusion, secondary detail, flakes, a painted reflection."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, cast

import numpy as np

from fenrain.core.lobes.aspects import BODY, REFLECTION, RELIEF
from fenrain.core.lobes.lobe import GlossyLobe
from fenrain.core.lobes.surface import Part, Relief, mixed, weighted
from fenrain.core.models.parameter import Parameters, Role, choice, colour, normal_map, number
from fenrain.core.optics.arrays import Array, is_absent, lerp
from fenrain.core.optics.bump import bumped
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED
from fenrain.core.rules.rule import RuleSet

ROUND, CELLULAR = 0, 1


class BumpExtras(Parameters):
    """Occlusion, heights and normals."""

    occlusion: Array = number(
        default=1.0,
        high=1.0,
        group=BODY,
        says="how much of the sky a point sees; dims reflections in hollows too",
        role=Role.OCCLUSION,
    )
    bump: Array = number(default=0.0, low=-1000.0, group=RELIEF, says="height map, bright is high", role=Role.HEIGHT)
    bump_strength: Array = number(default=1.0, low=-100.0, high=100.0, group=RELIEF, under="bump", says="scales the height; below 0 sinks")
    normal: Array = normal_map(says="tangent-space normal map", role=Role.NORMAL, idle_at=("normal_strength", 0.0))
    normal_strength: Array = number(default=1.0, low=-10.0, high=10.0, group=RELIEF, under="normal", says="scales the slopes; 0 is flat")
    detail_normal: Array = normal_map(says="a second normal map, laid over the first")
    detail_mask: Array = number(default=1.0, high=1.0, group=RELIEF, under="detail_normal", says="where the second maps show")


class Extras(BumpExtras):
    """The same, a second colour, a painted reflection, and flakes."""

    detail_color: Array = colour(default=1.0, group=BODY, says="a second colour map that multiplies the body's colour")
    reflection_image: Array = colour(
        default=0.0, group=REFLECTION, says="painted surroundings, mirrored as they are", role=Role.PAINTED_REFLECTION
    )
    flake_amount: Array = number(
        default=0.0,
        high=1.0,
        group=REFLECTION,
        says="share of the surface that flakes cover; 0 is none",
        role=Role.FLAKES,
        idle_at=("flake_tilt", 0.0),
    )
    flake_color: Array = colour(default=1.0, high=1.0, group=REFLECTION, under="flake_amount", says="tints what flakes reflect")
    flake_second_color: Array = colour(
        default=1.0, high=1.0, group=REFLECTION, under="flake_amount", says="tints the flakes at the other end of the ramp"
    )
    flake_spread: Array = number(
        default=0.0,
        high=1.0,
        group=REFLECTION,
        under="flake_amount",
        says="how far the flakes are spread along the ramp between both colours; 0 leaves all at the first",
    )
    flake_tilt: Array = number(
        default=0.3,
        high=1.0,
        usual=(0.1, 0.8),
        group=REFLECTION,
        under="flake_amount",
        says="slope with which flakes lean; 0 is no flakes at all",
    )
    flake_size: Array = number(
        default=0.01, unit="tile widths", group=REFLECTION, under="flake_amount", says="size of a cell with one flake"
    )
    flake_size_variation: Array = number(
        default=0.0,
        high=1.0,
        group=REFLECTION,
        under="flake_amount",
        says="by which share the smallest flakes are smaller than the largest",
    )
    flake_seed: Array = number(default=0.0, high=1e6, group=REFLECTION, under="flake_amount", says="chooses among patterns of equal kind")
    flake_shape: int = choice(
        default=ROUND, options=((ROUND, "round"), (CELLULAR, "cellular")), group=REFLECTION, under="flake_amount", says="outline of a flake"
    )


MIDDLE_ID = 0.5
FLAKE_TINT = ("flake_color", "flake_second_color", "flake_spread")
FLAKE_PATTERN = ("flake_amount", "flake_tilt", "flake_size", "flake_size_variation", "flake_seed", "flake_shape")
"""What flakes are coloured by, and what their pattern is drawn from."""


def flake_tint(first: Array, second: Array, spread: Array, ids: Array) -> Array:
    """The colour of a flake by its id, 0…1, along the ramp."""
    return lerp(first, second, spread * ids)


def relief_of(p: BumpExtras) -> tuple[Relief, ...]:
    """The relief that heights and normals make together."""
    return (Relief(p.normal, p.normal_strength, p.bump * p.bump_strength, p.detail_normal, p.detail_mask),)


def with_painted(emission: Array, p: Extras) -> Array:
    """Own light and the painted surroundings, which a renderer adds as they are, whatever lights the surface (common practice)."""
    return emission if is_absent(p.reflection_image) else emission + p.reflection_image


def detailed(base: Array, detail_color: Array, detail_mask: Array) -> Array:
    """A body's colour with the second colour map over it; of lobes' operands and of texels alike."""
    return base * lerp(1.0, detail_color, detail_mask)


def flaked(parts: Sequence[Part], p: Extras) -> tuple[Part, ...]:
    """The parts with the mean of many flakes: where they lie, the normal of the same surface leans, so that its reflection is wider."""
    if is_absent(p.flake_amount) or is_absent(p.flake_tilt):
        return tuple(parts)
    ramp = not is_absent(p.flake_spread)
    tint = flake_tint(p.flake_color, p.flake_second_color, p.flake_spread, MIDDLE_ID) if ramp else p.flake_color
    found: tuple[Part, ...] = ()
    for part in parts:
        if part.aspect == REFLECTION:
            leaning = replace(part, lobe=cast(GlossyLobe, part.lobe).widened(p.flake_tilt))
            found += mixed((part,), weighted((leaning,), tint), p.flake_amount)
        else:
            found += (part,)
    return found


def has_plain_normal(case: Case) -> bool:
    plain = case.is_at("normal_strength", 1.0) and not case.has_map("bump") and not case.has_map("detail_normal")
    return case.has_map("normal") and plain


def has_bump(case: Case) -> bool:
    return any(case.has_map(name) for name in ("bump", "normal", "detail_normal")) and not has_plain_normal(case)


def has_no_pattern(case: Case) -> bool:
    """Whether flakes are set of which no pattern can be drawn."""
    flat = case.is_at("flake_tilt", 0.0)
    return not case.is_at("flake_amount", 0.0) and (flat or any(case.has_map(name) for name in FLAKE_PATTERN))


def add_bump_rules(rules: RuleSet[Any]) -> None:
    """What every model with `BumpExtras` says of them to OpenPBR."""
    rules.copy("occlusion", "occlusion", source="glTF 2.0 §3.9.3")
    rules.copy("geometry_normal", "normal", source="OpenPBR 1.1: geometry_normal", when=has_plain_normal)

    @rules.rule(
        "geometry_normal",
        id="bump",
        fidelity=APPROXIMATED,
        text="slopes of {bump} × {bump_strength}, bright is high, over {normal} × {normal_strength}, with {detail_normal} where "
        "{detail_mask}",
        source="Scharr derivatives; blended by reoriented normal mapping (Barré-Brisebois & Hill 2012)",
        when=has_bump,
        whole=True,
    )
    def bump(p: BumpExtras) -> np.ndarray:
        return bumped(p.normal, p.normal_strength, p.bump * p.bump_strength, p.detail_normal, p.detail_mask)

    rules.drop("bump", why="an even height moves nothing that can be seen.", nearest="left out", when=lambda case: not has_bump(case))


def add_extra_rules(rules: RuleSet[Any]) -> None:
    """What every model with `Extras` says of them to OpenPBR; its body rule takes `detail_color` and `detail_mask` itself."""
    add_bump_rules(rules)
    rules.drop("reflection_image", why="a painted reflection does not follow the light of the target.", nearest="left out")
    for name in (*FLAKE_PATTERN, *FLAKE_TINT):
        rules.drop(
            name,
            why="flakes whose number follows a map have no one pattern, and those that do not lean are none.",
            nearest="the surface without them",
            when=has_no_pattern,
        )
