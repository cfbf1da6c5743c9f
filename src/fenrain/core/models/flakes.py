"""Flakes laid over a surface that has become OpenPBR: they lean its normal, and tint what it reflects there."""

from __future__ import annotations

from typing import Any

from fenrain.core.models.extras import flake_tint
from fenrain.core.models.parameter import Parameters
from fenrain.core.optics.arrays import Array, lerp
from fenrain.core.optics.bump import blend_normals
from fenrain.core.optics.fresnel import tint_of_dimmed_metal
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT
from fenrain.core.rules.rule import RuleSet

PRACTICE = "common practice: flakes tilt the normal of the surface below the coat"


class Flaked(Parameters):
    """What the rules of flakes take: values of OpenPBR, numbers of the original, and pictures of the pattern (`maps.flakes`)."""

    geometry_normal: Array
    base_color: Array
    base_metalness: Array
    specular_color: Array
    flake_color: Array
    flake_second_color: Array
    flake_spread: Array
    normals: Array
    mask: Array
    ids: Array


RULES = RuleSet("flakes", Flaked)


@RULES.rule(
    "geometry_normal",
    id="lean",
    needs=("geometry_normal", "normals"),
    fidelity=EQUIVALENT,
    text="over it lie flakes, drawn as a map that tiles",
    source=f"{PRACTICE}; reoriented normal mapping (Barré-Brisebois & Hill 2012)",
)
def lean(p: Flaked) -> Any:
    return blend_normals(p.geometry_normal, p.normals)


TINT = ("flake_color", "flake_second_color", "flake_spread", "mask", "ids")


def _tint(p: Flaked) -> Any:
    """What the reflection is multiplied by, at each place."""
    return lerp(1.0, flake_tint(p.flake_color, p.flake_second_color, p.flake_spread, p.ids), p.mask)


@RULES.rule(
    "specular_color",
    id="tint",
    needs=("specular_color", "base_color", "base_metalness", *TINT),
    fidelity=APPROXIMATED,
    text="times the colours of the flakes, where they lie; of a metal, the tint with which all of its reflection is nearest to that",
    source=f"{PRACTICE}; least squares on the tint of Kutz et al. 2021",
)
def tint(p: Flaked) -> Any:
    share = _tint(p)
    return p.specular_color * lerp(share, tint_of_dimmed_metal(share, p.base_color), p.base_metalness)


@RULES.rule(
    "base_color",
    id="tint_of_metal",
    needs=("base_color", "base_metalness", *TINT),
    fidelity=APPROXIMATED,
    text="times the colours of the flakes, where they lie and are metal",
    source=PRACTICE,
)
def tint_of_metal(p: Flaked) -> Any:
    return p.base_color * lerp(1.0, _tint(p), p.base_metalness)
