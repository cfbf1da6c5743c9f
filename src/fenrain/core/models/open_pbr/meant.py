"""An OpenPBR material as its author may have meant it: energy conserved, a reflection with Fresnel, values that real surfaces have.

Legacy models add a diffuse and a specular colour without regard to energy, and their highlights do not grow towards grazing angles; their
colours are what a person typed for “the body” and “how much it shines”. Here the typed body is the base colour, and the facing strength
of the highlight its F0, both within published ranges. It looks different on purpose. NumPy, channels last.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.restated import (
    NEEDED,
    add_constant,
    base_as_seen,
    is_opaque,
    is_opaque_under_coat,
    usual_coat_of,
)
from fenrain.core.models.usual import BRIGHTEST_BODY, DARKEST_BODY, DULLEST_METAL, INDEX_OF_OPAQUE, ROUGHEST, SMOOTHEST
from fenrain.core.optics.fresnel import f0_from_ior, ior_from_f0
from fenrain.core.rules.fidelity import APPROXIMATED
from fenrain.core.rules.rule import RuleSet

AS_MEANT_DIELECTRIC = RuleSet("open_pbr.as_meant_dielectric", OpenPbr)
AS_MEANT_METAL = RuleSet("open_pbr.as_meant_metal", OpenPbr)
MEANT = (AS_MEANT_DIELECTRIC, AS_MEANT_METAL)

LEAST_F0, MOST_F0 = (float(f0_from_ior(index)) for index in INDEX_OF_OPAQUE)
BRIGHTEST_METAL = 0.98
"""Strongest channel of the brightest measured metal, silver (Johnson & Christy 1972)."""
ALBEDO_SOURCE = "albedo from coal 0.02 to fresh snow 0.9 (common practice); index tables: opaque dielectrics 1.3 to 2.0"


def _within(color: Any, least: float, most: float) -> Any:
    """The colour at its own hue with its strongest channel between these."""
    strongest = strongest_channel(color)
    return np.where(strongest > 0.0, color * np.clip(strongest, least, most) / np.maximum(strongest, 1e-6), least)


@AS_MEANT_DIELECTRIC.rule(
    "base_color",
    "specular_ior",
    id="base",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text="what {base_color} shows below {specular_ior}, {specular_color}, as the albedo that was meant, and the index of the facing "
    "reflectance, both within what is usual",
    source=ALBEDO_SOURCE,
    when=is_opaque,
)
def meant_dielectric(p: OpenPbr) -> Any:
    facing, body = base_as_seen(p)
    f0 = np.clip(facing.mean(axis=-1, keepdims=True), LEAST_F0, MOST_F0)
    return _within(body, DARKEST_BODY, BRIGHTEST_BODY), ior_from_f0(f0)


@AS_MEANT_METAL.rule(
    "base_color",
    id="base",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text="what {base_color}, {specular_ior} and {specular_color} send back when facing, as bright as measured metals",
    source="measured metals: Johnson & Christy 1972, 1974",
    when=is_opaque,
)
def meant_metal(p: OpenPbr) -> Any:
    facing, body = base_as_seen(p)
    return _within(facing + body, DULLEST_METAL, BRIGHTEST_METAL)


for _rules in MEANT:

    @_rules.rule(
        "specular_roughness",
        id="roughness",
        fidelity=APPROXIMATED,
        text="{specular_roughness}, within what surfaces have",
        source="common practice",
        when=is_opaque,
    )
    def meant_roughness(p: OpenPbr) -> Any:
        return np.clip(p.specular_roughness, SMOOTHEST, ROUGHEST)

    @_rules.rule(
        "coat_weight",
        "coat_ior",
        id="coat",
        fidelity=APPROXIMATED,
        text="the usual index, or share of it, that reflects as much when facing as {coat_weight} of coat ({coat_ior})",
        source="index tables",
        when=is_opaque_under_coat,
    )
    def meant_coat(p: OpenPbr) -> Any:
        return usual_coat_of(p)

    add_constant(_rules, "specular_color", (1.0, 1.0, 1.0), "untinted", is_opaque)
    add_constant(_rules, "specular_weight", 1.0, "all of it", is_opaque)
    add_constant(_rules, "base_weight", 1.0, "the base colour says it all", is_opaque)
add_constant(AS_MEANT_DIELECTRIC, "base_metalness", 0.0, "no metal", is_opaque)
add_constant(AS_MEANT_METAL, "base_metalness", 1.0, "all metal", is_opaque)
