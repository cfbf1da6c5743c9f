"""What several models say alike: own light relative to display white, opacity by alpha modes, and the roughness of a body."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from fenrain.core.models.open_pbr.inverse import emission_for
from fenrain.core.optics.arrays import Array, select
from fenrain.core.optics.diffuse import eon_of_oren_nayar
from fenrain.core.rules.case import Case, When
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT
from fenrain.core.rules.rule import RuleSet

IN_SCENE_UNITS = "own light as radiance, 1 is display white: how shader code and viewers take it (common practice)"

OPAQUE, CUT_OUT_MODE, BLENDED = 0, 1, 2
"""The alpha modes of glTF 2.0 §3.9.4, as the MaterialX node `gltf_pbr` numbers them."""


class Emissive(Protocol):
    """A view with an emission relative to display white."""

    emission: Array


class RoughBody(Protocol):
    """A view with a roughness of the body after Oren & Nayar."""

    diffuse_roughness: Array


def is_cut_out(case: Case) -> bool:
    """Whether opacity cuts the surface out, for models with glTF's alpha modes."""
    return case.is_at("alpha_mode", CUT_OUT_MODE)


def is_blended(case: Case) -> bool:
    return case.is_at("alpha_mode", BLENDED)


def shown_opacity(opacity: Array, mode: int, cutoff: Array) -> Array:
    """Opacity after the alpha mode (glTF 2.0 §3.9.4)."""
    if mode == OPAQUE:
        return 1.0
    return select(opacity >= cutoff, 1.0, 0.0) if mode == CUT_OUT_MODE else opacity


def add_opacity_rule(rules: RuleSet[Any]) -> None:
    """What every model with an `opacity` that takes the surface away says of it to OpenPBR."""
    rules.copy("geometry_opacity", "opacity", source="OpenPBR 1.1: geometry_opacity")


def add_emission_rule(rules: RuleSet[Any], is_bare: When = lambda case: True) -> None:
    """What every model with an `emission` relative to display white says of it to OpenPBR. is_bare: whether no coat comes to lie on it."""

    @rules.rule(
        "emission_color",
        "emission_luminance",
        id="emission",
        fidelity=EQUIVALENT,
        text="{emission}, once",
        source=IN_SCENE_UNITS,
        when=lambda case: case.is_set("emission") and is_bare(case),
    )
    def emission(p: Emissive) -> Any:
        return p.emission, 1.0


def add_coated_emission_rule(
    rules: RuleSet[Any],
    coat: Callable[[Any], tuple[Any, Any]],
    needs: tuple[str, ...],
    is_coated: When,
    *,
    emission: str = "emission",
    id: str = "emission_below_coat",
) -> None:
    """The same for materials whose conversion has a coat that their own light does not know of.

    coat: from the view to its weight and index; needs: the values that it reads; emission: what the model calls its own light.
    """

    @rules.rule(
        "emission_color",
        "emission_luminance",
        id=id,
        needs=needs,
        fidelity=EQUIVALENT,
        text=f"{{{emission}}}, divided by what the coat that lies over it lets through head-on",
        source=f"{IN_SCENE_UNITS}; OpenPBR 1.1: emission lies below the coat",
        when=lambda case: case.is_set(emission) and is_coated(case),
    )
    def emission_below_coat(p: Any) -> Any:
        return getattr(p, emission), emission_for(*coat(p))


def add_oren_nayar_rule(rules: RuleSet[Any]) -> None:
    """What every model with a `diffuse_roughness` after Oren & Nayar says of it to OpenPBR."""

    @rules.rule(
        "base_diffuse_roughness",
        id="diffuse_roughness",
        fidelity=APPROXIMATED,
        text="EON roughness nearest to Oren & Nayar's {diffuse_roughness}",
        source="Oren & Nayar 1994; Portsmouth et al. 2024",
    )
    def diffuse_roughness(p: RoughBody) -> Any:
        return eon_of_oren_nayar(p.diffuse_roughness)
