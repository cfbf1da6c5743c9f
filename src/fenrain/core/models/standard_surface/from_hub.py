"""OpenPBR to Standard Surface."""

from types import SimpleNamespace

import numpy as np

from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.models.open_pbr.cases import is_coated, is_fuzzy, is_solid, is_thin, is_translucent_sheet, shines
from fenrain.core.models.open_pbr.lobes import darkened_by_coat, ior_below_coat, roughness_below_coat
from fenrain.core.models.surface import WHITE_LUMINANCE
from fenrain.core.optics.diffuse import oren_nayar_albedo, oren_nayar_of_eon
from fenrain.core.optics.fresnel import edge_of_tint
from fenrain.core.optics.microfacet import roughness_from_widths_materialx, widths_openpbr
from fenrain.core.optics.sheen import sheen_of_fuzz

RULES = RuleSet("standard_surface.from_hub")
NODE = "MaterialX 1.39: node graph of standard_surface"
PAIR = "MaterialX 1.39 and OpenPBR 1.1: the same quantity"


# Body and metal


def _body_caveat(**values) -> Caveat:
    p = SimpleNamespace(**values)
    if np.any((p.base_metalness > 0) & (p.base_metalness < 1) & (p.specular_weight < 1)):
        return APPROXIMATED, "The weight of the metal's reflection can only go into the colour that it shares with the body."
    return None


@RULES.rule(
    "base_color",
    fidelity=EQUIVALENT,
    text="{base_color}, darkened inside the coat ({coat_weight}, {coat_ior}, {coat_darkening}), raised by what {base_diffuse_roughness} "
    "loses here; a metal ({base_metalness}) times {specular_weight}",
    source=f"OpenPBR 1.1: coat darkening; {NODE}: no reflections inside the coat, and a rough body that loses light",
    caveat=_body_caveat,
)
def body(
    base_color,
    base_diffuse_roughness,
    base_metalness,
    subsurface_weight,
    subsurface_color,
    specular_weight,
    coat_weight,
    coat_ior,
    coat_darkening,
):
    p = SimpleNamespace(**locals())
    rough = oren_nayar_albedo(oren_nayar_of_eon(base_diffuse_roughness))
    scale = (1.0 - base_metalness) / rough + base_metalness * specular_weight
    return np.clip(base_color * darkened_by_coat(p) * scale, 0.0, 1.0)


RULES.copy("base", "base_weight", source=PAIR)
RULES.copy("metalness", "base_metalness", source=PAIR)


@RULES.rule(
    "diffuse_roughness",
    fidelity=APPROXIMATED,
    text="the roughness with the same share of the stretched term as {base_diffuse_roughness}",
    source="Oren & Nayar 1994: B/A; Portsmouth et al. 2024 (EON)",
)
def diffuse_roughness(base_diffuse_roughness):
    return oren_nayar_of_eon(base_diffuse_roughness)


# Reflection


@RULES.rule(
    "specular_IOR",
    fidelity=EXACT,
    text="{specular_ior}, its F0 times {specular_weight}, relative to the coat ({coat_weight}, {coat_ior})",
    source="OpenPBR 1.1: specular_weight scales F0; the index below a coat is relative to it",
)
def index(specular_ior, specular_weight, coat_weight, coat_ior):
    return ior_below_coat(SimpleNamespace(**locals()))


def _tint_caveat(base_metalness, **others) -> Caveat:
    if np.any((base_metalness > 0) & (base_metalness < 1)):
        return (
            APPROXIMATED,
            "The tint of the body's reflection and the edge of the metal share one colour; they are mixed by the metalness.",
        )
    return (APPROXIMATED, "The metal's curve is matched facing and near 82°.") if np.any(base_metalness > 0) else None


@RULES.rule(
    "specular_color",
    fidelity=EXACT,
    text="{specular_color}; for a metal ({base_metalness}) the edge with which {base_color} × {base_weight} meets that tint near 82°",
    source=f"{NODE}: Gulbrandsen 2014; Kutz et al. 2021",
    caveat=_tint_caveat,
)
def tint(specular_color, base_metalness, base_color, base_weight):
    if not np.any(base_metalness):
        return specular_color
    edge = edge_of_tint(base_color * base_weight, specular_color)
    return specular_color * (1.0 - base_metalness) + edge * base_metalness


@RULES.rule(
    "specular_roughness",
    "specular_anisotropy",
    fidelity=EXACT,
    text="the pair with the widths of {specular_roughness}, {specular_roughness_anisotropy}, as {coat_roughness} of coat ({coat_weight}) "
    "spreads them",
    source="OpenPBR 1.1: (2 rc⁴ + r⁴)^¼; MaterialX 1.39: (r²/s, r² s), s = √(1 − a)",
)
def widths(specular_roughness, specular_roughness_anisotropy, coat_weight, coat_roughness):
    below = roughness_below_coat(SimpleNamespace(**locals()))
    return roughness_from_widths_materialx(*widths_openpbr(below, specular_roughness_anisotropy))


def _turns(angle):
    return np.mod(angle / (-2.0 * np.pi), 1.0)


@RULES.rule(
    "specular_rotation",
    fidelity=EXACT,
    text="−{geometry_tangent_rotation} in turns",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
)
def rotation(geometry_tangent_rotation):
    return _turns(geometry_tangent_rotation)


# Transmission and volume

for _target in ("transmission_color", "transmission_depth", "transmission_scatter", "transmission_scatter_anisotropy"):
    RULES.copy(_target, _target, source=PAIR)
RULES.copy("transmission", "transmission_weight", source=PAIR)


def parts_colours(case: Case) -> bool:
    return not case.is_at("transmission_dispersion_scale", 0.0)


@RULES.rule(
    "transmission_dispersion",
    fidelity=EXACT,
    text="Abbe number {transmission_dispersion_abbe_number} ÷ {transmission_dispersion_scale}",
    source="OpenPBR 1.1: V/scale; MaterialX 1.39: an Abbe number",
    when=parts_colours,
)
def dispersion(transmission_dispersion_abbe_number, transmission_dispersion_scale):
    return transmission_dispersion_abbe_number / np.maximum(transmission_dispersion_scale, 1e-6)


RULES.copy("subsurface", "subsurface_weight", source=PAIR, when=is_solid)


@RULES.rule(
    "subsurface",
    fidelity=APPROXIMATED,
    text="the share of {subsurface_weight} that goes through the sheet, (1 + {subsurface_scatter_anisotropy}) ÷ 2; the rest is body",
    source=f"OpenPBR 1.1: thin-walled subsurface; {NODE}: translucent_bsdf alone",
    when=is_translucent_sheet,
)
def through_sheet(subsurface_weight, subsurface_scatter_anisotropy):
    return subsurface_weight * 0.5 * (1.0 + subsurface_scatter_anisotropy)


@RULES.rule(
    "subsurface_color",
    fidelity=EXACT,
    text="{subsurface_color}, darkened inside the coat ({coat_weight}, {coat_ior}, {coat_darkening})",
    source="OpenPBR 1.1: coat darkening",
)
def wandering_colour(
    subsurface_color, subsurface_weight, base_color, base_metalness, specular_weight, coat_weight, coat_ior, coat_darkening
):
    return np.clip(subsurface_color * darkened_by_coat(SimpleNamespace(**locals())), 0.0, 1.0)


RULES.copy("subsurface_scale", "subsurface_radius", source=PAIR, when=is_solid)
RULES.copy("subsurface_radius", "subsurface_radius_scale", source=PAIR, when=is_solid)
RULES.copy("subsurface_anisotropy", "subsurface_scatter_anisotropy", source=PAIR, when=is_solid)
RULES.drop("subsurface_radius", why="a sheet has no inside to wander in.", nearest="left out", when=is_thin)
RULES.drop("subsurface_radius_scale", why="a sheet has no inside to wander in.", nearest="left out", when=is_thin)
RULES.copy("thin_walled", "geometry_thin_walled", source=PAIR)


# Fuzz and coat


@RULES.rule(
    "sheen",
    "sheen_color",
    "sheen_roughness",
    fidelity=APPROXIMATED,
    text="the sheen nearest to {fuzz_weight} × {fuzz_color} of fuzz at {fuzz_roughness}; it lies below the reflection",
    source="Zeltner et al. 2022 and Estevez & Kulla 2017; fitted to each other",
    when=is_fuzzy,
)
def sheen(fuzz_weight, fuzz_color, fuzz_roughness):
    nearest, strength = sheen_of_fuzz(fuzz_roughness)
    weight = fuzz_weight * strength
    return np.clip(weight, 0.0, 1.0), np.clip(fuzz_color * np.maximum(weight, 1.0), 0.0, 1.0), nearest


RULES.copy("coat", "coat_weight", source=PAIR)
RULES.copy("coat_color", "coat_color", source=PAIR)
RULES.copy("coat_IOR", "coat_ior", source=PAIR, when=is_coated)
RULES.copy("coat_normal", "geometry_coat_normal", source=PAIR)


@RULES.rule(
    "coat_roughness",
    "coat_anisotropy",
    fidelity=EXACT,
    text="the pair with the widths of {coat_roughness}, {coat_roughness_anisotropy}",
    source="OpenPBR 1.1; MaterialX 1.39: (r²/s, r² s), s = √(1 − a)",
    when=is_coated,
)
def coat_widths(coat_roughness, coat_roughness_anisotropy):
    return roughness_from_widths_materialx(*widths_openpbr(coat_roughness, coat_roughness_anisotropy))


@RULES.rule(
    "coat_rotation",
    fidelity=EXACT,
    text="−{geometry_coat_tangent_rotation} in turns",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
)
def coat_rotation(geometry_coat_tangent_rotation):
    return _turns(geometry_coat_tangent_rotation)


def has_film(case: Case) -> bool:
    return not case.is_at("thin_film_weight", 0.0)


def _film_caveat(thin_film_weight, **others) -> Caveat:
    return (APPROXIMATED, "The film is there or not; a share of one is taken for a whole one.") if np.any(thin_film_weight < 1) else None


@RULES.rule(
    "thin_film_thickness",
    "thin_film_IOR",
    fidelity=EXACT,
    text="{thin_film_thickness} µm in nm and {thin_film_ior}, where there is a film ({thin_film_weight})",
    source=PAIR,
    when=has_film,
    caveat=_film_caveat,
)
def film(thin_film_weight, thin_film_thickness, thin_film_ior):
    return np.where(thin_film_weight > 0, thin_film_thickness * 1000.0, 0.0), thin_film_ior


# Glow, cut-out, relief


@RULES.rule(
    "emission",
    "emission_color",
    fidelity=EQUIVALENT,
    text=f"{{emission_luminance}} ÷ {WHITE_LUMINANCE:g} cd/m² and {{emission_color}}",
    source="MaterialX 1.39: emission states no unit; relative to display white (common practice)",
    when=shines,
)
def glow(emission_luminance, emission_color):
    return emission_luminance / WHITE_LUMINANCE, emission_color


@RULES.rule("opacity", fidelity=EXACT, text="{geometry_opacity} in every channel", source=f"{NODE}: luminance of opacity")
def opacity(geometry_opacity):
    return geometry_opacity * np.ones(3)


RULES.copy("normal", "geometry_normal", source=PAIR)
