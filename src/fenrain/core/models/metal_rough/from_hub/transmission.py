"""What goes through: clear bodies with their volume, and sheets."""

from typing import Any

import numpy as np

from fenrain.core.models.metal_rough.from_hub.allowed import (
    DIFFUSE_TRANSMISSION,
    DISPERSION,
    RULES,
    VOLUME,
    keeps_depth,
    keeps_transmission,
    keeps_transmissive_body,
)
from fenrain.core.models.open_pbr.cases import (
    has_interior,
    has_subsurface,
    is_translucent_thin_wall,
    is_transmissive,
)
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat


def has_volume(case: Case) -> bool:
    return keeps_transmissive_body(case) and not case.is_at("transmission_depth", 0.0)


def flattens_body(case: Case) -> bool:
    return keeps_transmission(case) and has_interior(case) and not case.allows(VOLUME)


TRANSMISSION_TEXT = (
    "how much of {transmission_weight} × {transmission_color} and of the body beside it, {base_color} × {base_weight}, goes through: one "
    "base colour is that of both"
)
TRANSMISSION_SOURCE = "KHR_materials_transmission: base colour × transmission goes through, base colour × (1 − transmission) comes back"


def tint_of_volume(p: OpenPbr) -> Any:
    """What tints at the surface where a depth is not: the volume tints elsewhere."""
    return np.where(p.transmission_depth > 0, 1.0, p.transmission_color)


def _part_clear(p: OpenPbr, tint: Any) -> Caveat:
    body = p.base_color * p.base_weight
    partly = (p.transmission_weight > 0.0) & (p.transmission_weight < 1.0)
    if np.any(partly & (np.abs(body / np.maximum(body.max(axis=-1, keepdims=True), 1e-6) - tint) > 0.02)):
        return APPROXIMATED, "What goes through and what comes back differ in colour; in glTF they share one."
    return None


def _share_through(p: OpenPbr, tint: Any) -> Any:
    clear = p.transmission_weight * tint * np.ones(3)
    opaque = (1.0 - p.transmission_weight) * p.base_color * p.base_weight
    through, whole = (part.sum(axis=-1, keepdims=True) for part in (clear, clear + opaque))
    return np.where(whole > 1e-6, through / np.maximum(whole, 1e-6), p.transmission_weight)


@RULES.rule(
    "transmission",
    id="transmission",
    fidelity=EQUIVALENT,
    text=TRANSMISSION_TEXT + " ({transmission_depth})",
    source=TRANSMISSION_SOURCE,
    when=lambda case: keeps_transmission(case) and keeps_depth(case),
    caveat=lambda p: _part_clear(p, tint_of_volume(p)),
)
def transmission(p: OpenPbr) -> Any:
    return _share_through(p, tint_of_volume(p))


@RULES.rule(
    "transmission",
    id="transmission_of_sheet",
    fidelity=EQUIVALENT,
    text=TRANSMISSION_TEXT,
    source=TRANSMISSION_SOURCE,
    when=lambda case: keeps_transmission(case) and not keeps_depth(case),
    caveat=lambda p: _part_clear(p, p.transmission_color),
)
def transmission_of_sheet(p: OpenPbr) -> Any:
    return _share_through(p, p.transmission_color)


@RULES.rule(
    "thickness",
    id="thickness",
    fidelity=EQUIVALENT,
    text="1: the body has an inside ({transmission_weight}, {geometry_thin_walled}); what traces light takes the mesh's own depth",
    source="KHR_materials_volume: a thickness above 0 makes the mesh the boundary of a volume",
    when=keeps_transmissive_body,
)
def thickness(p: OpenPbr) -> Any:
    return 1.0


RULES.copy("attenuation_color", "transmission_color", source="KHR_materials_volume: C^(x/D)", when=has_volume)
RULES.copy("attenuation_distance", "transmission_depth", source="KHR_materials_volume: C^(x/D)", when=has_volume)
RULES.drop("geometry_thin_walled", why="without KHR_materials_volume everything clear is a sheet.", nearest="a sheet", when=flattens_body)
RULES.drop("transmission_scatter", why="glTF's volume absorbs, it does not scatter.", nearest="absorption alone", when=is_transmissive)
RULES.drop("transmission_scatter_anisotropy", why="glTF's volume does not scatter.", nearest="left out", when=is_transmissive)


@RULES.rule(
    "dispersion",
    id="dispersion",
    fidelity=EXACT,
    text="20 ÷ {transmission_dispersion_abbe_number} × {transmission_dispersion_scale}",
    source="KHR_materials_dispersion: 20/V",
    when=lambda case: keeps_transmissive_body(case) and case.allows(DISPERSION),
)
def dispersion(p: OpenPbr) -> Any:
    return 20.0 * p.transmission_dispersion_scale / np.maximum(p.transmission_dispersion_abbe_number, 1e-3)


def keeps_sheet(case: Case) -> bool:
    return is_translucent_thin_wall(case) and case.allows(DIFFUSE_TRANSMISSION)


def loses_sheet(case: Case) -> bool:
    return is_translucent_thin_wall(case) and not case.allows(DIFFUSE_TRANSMISSION)


@RULES.rule(
    "diffuse_transmission",
    "diffuse_transmission_color",
    id="through_sheet",
    fidelity=EQUIVALENT,
    text="the share of {subsurface_weight} that goes through, (1 + {subsurface_scatter_anisotropy}) ÷ 2, and {subsurface_color} "
    "({geometry_thin_walled})",
    source="OpenPBR 1.1: thin-walled subsurface; KHR_materials_diffuse_transmission",
    when=keeps_sheet,
)
def through_sheet(p: OpenPbr) -> Any:
    return p.subsurface_weight * 0.5 * (1.0 + p.subsurface_scatter_anisotropy), p.subsurface_color


RULES.drop(
    "geometry_thin_walled",
    id="drop_geometry_thin_walled_in_core",
    why="core glTF lets no light through.",
    nearest="the front alone",
    when=loses_sheet,
)
RULES.drop("subsurface_radius", why="glTF has no subsurface scattering.", nearest="its colour as body", when=has_subsurface)
RULES.drop("subsurface_radius_scale", why="glTF has no subsurface scattering.", nearest="its colour as body", when=has_subsurface)
