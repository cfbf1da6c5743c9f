"""OpenPBR to Standard Surface."""

from typing import Any

import numpy as np

from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS
from fenrain.core.models.open_pbr.cases import has_interior, is_coated, is_emissive, is_fuzzy, is_thin_walled, is_translucent_thin_wall
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import DARKENED_BY_COAT, darkened_by_coat, ior_below_coat, roughness_below_coat
from fenrain.core.optics.diffuse import oren_nayar_albedo, oren_nayar_of_eon
from fenrain.core.optics.fresnel import edge_of_tint
from fenrain.core.optics.microfacet import roughness_from_widths_materialx, widths_openpbr
from fenrain.core.optics.sheen import sheen_of_fuzz
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("standard_surface.from_hub", OpenPbr)
NODE = "MaterialX 1.39: node graph of standard_surface"
PAIR = "MaterialX 1.39 and OpenPBR 1.1: the same quantity"


# Body and metal


def _body_caveat(p: OpenPbr) -> Caveat:
    if np.any((p.base_metalness > 0) & (p.base_metalness < 1) & (p.specular_weight < 1)):
        return APPROXIMATED, "The weight of the metal's reflection can only go into the colour that it shares with the body."
    return None


@RULES.rule(
    "base_color",
    id="body",
    needs=DARKENED_BY_COAT,
    fidelity=EQUIVALENT,
    text="{base_color}, darkened inside the coat ({coat_weight}, {coat_ior}, {coat_darkening}), raised by what {base_diffuse_roughness} "
    "loses here; a metal ({base_metalness}) times {specular_weight}",
    source=f"OpenPBR 1.1: coat darkening; {NODE}: no reflections inside the coat, and a rough body that loses light",
    caveat=_body_caveat,
)
def body(p: OpenPbr) -> Any:
    rough = oren_nayar_albedo(oren_nayar_of_eon(p.base_diffuse_roughness))
    scale = (1.0 - p.base_metalness) / rough + p.base_metalness * p.specular_weight
    return np.clip(p.base_color * darkened_by_coat(p) * scale, 0.0, 1.0)


RULES.copy("base", "base_weight", source=PAIR)
RULES.copy("metalness", "base_metalness", source=PAIR)


@RULES.rule(
    "diffuse_roughness",
    id="diffuse_roughness",
    fidelity=APPROXIMATED,
    text="the roughness with the same share of the stretched term as {base_diffuse_roughness}",
    source="Oren & Nayar 1994: B/A; Portsmouth et al. 2024 (EON)",
)
def diffuse_roughness(p: OpenPbr) -> Any:
    return oren_nayar_of_eon(p.base_diffuse_roughness)


# Reflection


@RULES.rule(
    "specular_IOR",
    id="index",
    fidelity=EXACT,
    text="{specular_ior}, its F0 times {specular_weight}, relative to the coat ({coat_weight}, {coat_ior})",
    source="OpenPBR 1.1: specular_weight scales F0; the index below a coat is relative to it",
)
def index(p: OpenPbr) -> Any:
    return ior_below_coat(p)


def _tint_caveat(p: OpenPbr) -> Caveat:
    if np.any((p.base_metalness > 0) & (p.base_metalness < 1)):
        return (
            APPROXIMATED,
            "The tint of the body's reflection and the edge of the metal share one colour; they are mixed by the metalness.",
        )
    return (APPROXIMATED, "The metal's curve is matched facing and near 82°.") if np.any(p.base_metalness > 0) else None


@RULES.rule(
    "specular_color",
    id="tint",
    needs=DARKENED_BY_COAT,
    fidelity=EXACT,
    text="{specular_color}, darkened inside the coat ({coat_weight}, {coat_ior}, {coat_darkening}); for a metal ({base_metalness}) the "
    "edge with which {base_color} × {base_weight} meets that tint near 82°",
    source=f"{NODE}: Gulbrandsen 2014; Kutz et al. 2021",
    caveat=_tint_caveat,
)
def tint(p: OpenPbr) -> Any:
    seen = np.clip(p.specular_color * darkened_by_coat(p), 0.0, 1.0)
    if not np.any(p.base_metalness):
        return seen
    edge = edge_of_tint(p.base_color * p.base_weight, p.specular_color)
    return seen * (1.0 - p.base_metalness) + edge * p.base_metalness


@RULES.rule(
    "specular_roughness",
    "specular_anisotropy",
    id="widths",
    fidelity=EXACT,
    text="the pair with the widths of {specular_roughness}, {specular_roughness_anisotropy}, as {coat_roughness} of coat ({coat_weight}) "
    "spreads them",
    source="OpenPBR 1.1: (2 rc⁴ + r⁴)^¼; MaterialX 1.39: (r²/s, r² s), s = √(1 − a)",
)
def widths(p: OpenPbr) -> Any:
    below = roughness_below_coat(p)
    return roughness_from_widths_materialx(*widths_openpbr(below, p.specular_roughness_anisotropy))


def _turns(angle: Any) -> Any:
    return np.mod(angle / (-2.0 * np.pi), 1.0)


@RULES.rule(
    "specular_rotation",
    id="rotation",
    fidelity=EXACT,
    text="−{geometry_tangent_rotation} in turns",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
)
def rotation(p: OpenPbr) -> Any:
    return _turns(p.geometry_tangent_rotation)


# Transmission and volume

for _target in ("transmission_depth", "transmission_scatter", "transmission_scatter_anisotropy"):
    RULES.copy(_target, _target, source=PAIR)


def is_darkened(case: Case) -> bool:
    return is_coated(case) and not case.is_at("coat_darkening", 0.0)


RULES.copy("transmission_color", "transmission_color", source=PAIR, when=lambda case: not is_darkened(case))


def _volume_caveat(p: OpenPbr) -> Caveat:
    if np.any((p.transmission_depth > 0.0) & (p.transmission_weight > 0.0)):
        return APPROXIMATED, "What reflections inside the coat take from a tint by depth has no place here."
    return None


@RULES.rule(
    "transmission_color",
    id="tint_below_coat",
    needs=DARKENED_BY_COAT,
    fidelity=EQUIVALENT,
    text="{transmission_color}, darkened inside the coat ({coat_weight}, {coat_ior}, {coat_darkening}) where it tints at the surface "
    "({transmission_depth}, {transmission_weight})",
    source="OpenPBR 1.1: coat darkening",
    when=is_darkened,
    caveat=_volume_caveat,
)
def tint_below_coat(p: OpenPbr) -> Any:
    return np.where(p.transmission_depth > 0.0, p.transmission_color, np.clip(p.transmission_color * darkened_by_coat(p), 0.0, 1.0))


RULES.copy("transmission", "transmission_weight", source=PAIR)


def parts_colours(case: Case) -> bool:
    return not case.is_at("transmission_dispersion_scale", 0.0)


@RULES.rule(
    "transmission_dispersion",
    id="dispersion",
    fidelity=EXACT,
    text="Abbe number {transmission_dispersion_abbe_number} ÷ {transmission_dispersion_scale}",
    source="OpenPBR 1.1: V/scale; MaterialX 1.39: an Abbe number",
    when=parts_colours,
)
def dispersion(p: OpenPbr) -> Any:
    return p.transmission_dispersion_abbe_number / np.maximum(p.transmission_dispersion_scale, 1e-6)


RULES.copy("subsurface", "subsurface_weight", source=PAIR, when=has_interior)


@RULES.rule(
    "subsurface",
    id="through_sheet",
    fidelity=APPROXIMATED,
    text="the share of {subsurface_weight} that goes through the sheet, (1 + {subsurface_scatter_anisotropy}) ÷ 2; the rest is body",
    source=f"OpenPBR 1.1: thin-walled subsurface; {NODE}: translucent_bsdf alone",
    when=is_translucent_thin_wall,
)
def through_sheet(p: OpenPbr) -> Any:
    return p.subsurface_weight * 0.5 * (1.0 + p.subsurface_scatter_anisotropy)


@RULES.rule(
    "subsurface_color",
    id="subsurface_colour",
    needs=DARKENED_BY_COAT,
    fidelity=EXACT,
    text="{subsurface_color}, darkened inside the coat ({coat_weight}, {coat_ior}, {coat_darkening})",
    source="OpenPBR 1.1: coat darkening",
)
def subsurface_colour(p: OpenPbr) -> Any:
    return np.clip(p.subsurface_color * darkened_by_coat(p), 0.0, 1.0)


RULES.copy("subsurface_scale", "subsurface_radius", source=PAIR, when=has_interior)
RULES.copy("subsurface_radius", "subsurface_radius_scale", source=PAIR, when=has_interior)
RULES.copy("subsurface_anisotropy", "subsurface_scatter_anisotropy", source=PAIR, when=has_interior)
RULES.drop("subsurface_radius", why="a sheet has no inside to scatter in.", nearest="left out", when=is_thin_walled)
RULES.drop("subsurface_radius_scale", why="a sheet has no inside to scatter in.", nearest="left out", when=is_thin_walled)
RULES.copy("thin_walled", "geometry_thin_walled", source=PAIR)


# Fuzz and coat


@RULES.rule(
    "sheen",
    "sheen_color",
    "sheen_roughness",
    id="sheen",
    fidelity=APPROXIMATED,
    text="the sheen nearest to {fuzz_weight} × {fuzz_color} of fuzz at {fuzz_roughness}; it lies below the reflection",
    source="Zeltner et al. 2022 and Estevez & Kulla 2017; fitted to each other",
    when=is_fuzzy,
)
def sheen(p: OpenPbr) -> Any:
    nearest, strength = sheen_of_fuzz(p.fuzz_roughness)
    weight = p.fuzz_weight * strength
    return np.clip(weight, 0.0, 1.0), np.clip(p.fuzz_color * np.maximum(weight, 1.0), 0.0, 1.0), nearest


RULES.copy("coat", "coat_weight", source=PAIR)
RULES.copy("coat_color", "coat_color", source=PAIR)
RULES.copy("coat_IOR", "coat_ior", source=PAIR, when=is_coated)
RULES.copy("coat_normal", "geometry_coat_normal", source=PAIR)


@RULES.rule(
    "coat_roughness",
    "coat_anisotropy",
    id="coat_widths",
    fidelity=EXACT,
    text="the pair with the widths of {coat_roughness}, {coat_roughness_anisotropy}",
    source="OpenPBR 1.1; MaterialX 1.39: (r²/s, r² s), s = √(1 − a)",
    when=is_coated,
)
def coat_widths(p: OpenPbr) -> Any:
    return roughness_from_widths_materialx(*widths_openpbr(p.coat_roughness, p.coat_roughness_anisotropy))


@RULES.rule(
    "coat_rotation",
    id="coat_rotation",
    fidelity=EXACT,
    text="−{geometry_coat_tangent_rotation} in turns",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
)
def coat_rotation(p: OpenPbr) -> Any:
    return _turns(p.geometry_coat_tangent_rotation)


def has_film(case: Case) -> bool:
    return not case.is_at("thin_film_weight", 0.0)


def _film_caveat(p: OpenPbr) -> Caveat:
    return (APPROXIMATED, "The film is there or not; a share of one is taken for a whole one.") if np.any(p.thin_film_weight < 1) else None


@RULES.rule(
    "thin_film_thickness",
    "thin_film_IOR",
    id="film",
    fidelity=EXACT,
    text="{thin_film_thickness} µm in nm and {thin_film_ior}, where there is a film ({thin_film_weight})",
    source=PAIR,
    when=has_film,
    caveat=_film_caveat,
)
def film(p: OpenPbr) -> Any:
    return np.where(p.thin_film_weight > 0, p.thin_film_thickness * 1000.0, 0.0), p.thin_film_ior


# Glow, cut-out, relief


@RULES.rule(
    "emission",
    "emission_color",
    id="emission",
    fidelity=EQUIVALENT,
    text="{emission_luminance} and {emission_color}",
    source=f"MaterialX 1.39: emission × emission_color; {IN_SCENE_UNITS}",
    when=is_emissive,
)
def emission(p: OpenPbr) -> Any:
    return p.emission_luminance, p.emission_color


@RULES.rule("opacity", id="opacity", fidelity=EXACT, text="{geometry_opacity} in every channel", source=f"{NODE}: luminance of opacity")
def opacity(p: OpenPbr) -> Any:
    return p.geometry_opacity * np.ones(3)


RULES.copy("normal", "geometry_normal", source=PAIR)
