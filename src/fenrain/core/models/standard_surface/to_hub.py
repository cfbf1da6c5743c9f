"""Standard Surface to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import relative_luminance, strongest_channel
from fenrain.core.models.additive import TYPICAL_FRESNEL
from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS
from fenrain.core.models.open_pbr.inverse import base_reflection_for, below_rough_coat, one_gives_way
from fenrain.core.models.standard_surface.parameters import StandardSurface
from fenrain.core.models.standard_surface.surface import roughness_below_coat
from fenrain.core.optics.diffuse import eon_of_oren_nayar, oren_nayar_albedo
from fenrain.core.optics.energy import average_coat, left_below_index
from fenrain.core.optics.fresnel import metal_of_colours, tint_of_conductor
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr, widths_materialx
from fenrain.core.optics.sheen import fuzz_of_sheen
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("standard_surface.to_hub", StandardSurface)
METAL_CURVE = "The metal's curve is matched facing and near 82°."
NODE = "MaterialX 1.39: node graph of standard_surface"
PAIR = "MaterialX 1.39 and OpenPBR 1.1: the same quantity"


# Body

RULES.copy("base_weight", "base", source=PAIR)
RULES.copy("base_metalness", "metalness", source=PAIR)


def _body_caveat(p: StandardSurface) -> Caveat:
    if np.any(p.metalness > 0) and np.any(p.metalness < 1) and np.any(p.specular < 1):
        return APPROXIMATED, "Body and metal share one colour; the body's correction is mixed in by its share."
    return (APPROXIMATED, METAL_CURVE) if np.any(p.metalness > 0) else None


@RULES.rule(
    "base_color",
    id="body",
    needs=(
        "specular_roughness",
        "specular_IOR",
        "coat_roughness",
        "coat_affect_roughness",
    ),
    fidelity=EQUIVALENT,
    text="{base_color}, deepened by the coat ({coat} × {coat_affect_color}), darkened by {diffuse_roughness}, and raised by what a "
    "reflection of {specular} takes less; of a metal ({metalness}) unchanged",
    source=f"{NODE}: Oren & Nayar 1994; OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    caveat=_body_caveat,
    cut=("base_color",),
    why_cut="The weaker reflection lets more light through than a colour of 1 can give back",
)
def body(p: StandardSurface) -> Any:
    alpha = np.square(roughness_below_coat(p, p.specular_roughness))
    below = left_below_index(p.specular_IOR, alpha)
    passes = (1.0 - p.specular * (1.0 - below)) / below
    deepened = np.power(np.maximum(p.base_color, 1e-7), 1.0 + np.clip(p.coat, 0, 1) * p.coat_affect_color)
    below_all = deepened * oren_nayar_albedo(p.diffuse_roughness) * passes
    return below_all * (1.0 - p.metalness) + p.base_color * p.metalness


@RULES.rule(
    "base_diffuse_roughness",
    id="diffuse_roughness",
    fidelity=APPROXIMATED,
    text="the roughness with the same share of the stretched term as {diffuse_roughness}",
    source="Oren & Nayar 1994: B/A; Portsmouth et al. 2024 (EON)",
)
def diffuse_roughness(p: StandardSurface) -> Any:
    return eon_of_oren_nayar(p.diffuse_roughness)


# Reflection


def _reflection_caveat(p: StandardSurface) -> Caveat:
    if np.any(p.metalness > 0) and np.any(p.metalness < 1):
        return (
            APPROXIMATED,
            "The tint of the body's reflection and that of the metal's edge share one colour; they are mixed by the metalness.",
        )
    if np.any(p.metalness > 0):
        return APPROXIMATED, METAL_CURVE
    return None


@RULES.rule(
    "specular_color",
    id="reflection",
    fidelity=EXACT,
    text="{specular_color} × {specular}; for a metal ({metalness}) the tint near 82° of the one with {base_color} × {base} and that edge",
    source=f"{NODE}: Gulbrandsen 2014; Kutz et al. 2021",
    caveat=_reflection_caveat,
)
def reflection(p: StandardSurface) -> Any:
    tint = p.specular_color * p.specular
    if not np.any(p.metalness):
        return tint
    edge = np.clip(tint_of_conductor(*metal_of_colours(p.base_color * p.base, tint)), 0.0, 1.0)
    return tint * (1.0 - p.metalness) + edge * p.metalness


@RULES.rule(
    "specular_ior",
    "specular_weight",
    id="index",
    needs=("metalness",),
    fidelity=EQUIVALENT,
    text="{specular_IOR}, times what a coat of {coat_IOR} takes from it where it lies on top ({coat})",
    source="OpenPBR 1.1: the index below a coat is relative to it; standard_surface: to air",
)
def index(p: StandardSurface) -> Any:
    ior, weight = base_reflection_for(p.specular_IOR, p.coat, p.coat_IOR)
    return ior, weight + (1.0 - weight) * p.metalness


def _two_roughnesses(p: StandardSurface) -> Caveat:
    if np.any(p.transmission * np.abs(p.transmission_extra_roughness) > 0):
        return APPROXIMATED, "OpenPBR has one roughness for what is reflected and what goes through; that of what sends more is taken."
    return None


def is_isotropic(case: Case) -> bool:
    return case.is_at("specular_anisotropy", 0.0)


def is_anisotropic(case: Case) -> bool:
    return not is_isotropic(case)


def is_coated(case: Case) -> bool:
    return not case.is_at("coat", 0.0)


ROUGHNESS_TEXT = "{specular_roughness} or, for what goes through ({transmission}), {transmission_extra_roughness} more"


def _wanted(p: StandardSurface) -> Any:
    """The roughness that the base has here, of what is reflected or of what goes through, whichever is more."""
    through = np.clip(p.specular_roughness + p.transmission_extra_roughness, 0.0, 1.0)
    return np.where(p.transmission > TYPICAL_FRESNEL, through, p.specular_roughness)


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=EXACT,
    text=ROUGHNESS_TEXT,
    source="MaterialX 1.39 and OpenPBR 1.1: α = r²",
    when=lambda case: is_isotropic(case) and not is_coated(case),
    caveat=_two_roughnesses,
)
def roughness(p: StandardSurface) -> Any:
    return _wanted(p)


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    id="widths",
    fidelity=EXACT,
    text=ROUGHNESS_TEXT + ", with the widths of {specular_anisotropy}",
    source="MaterialX 1.39: (r²/s, r² s), s = √(1 − a); OpenPBR 1.1",
    when=lambda case: is_anisotropic(case) and not is_coated(case),
    caveat=_two_roughnesses,
)
def widths(p: StandardSurface) -> Any:
    return roughness_from_widths_openpbr(*widths_materialx(_wanted(p), p.specular_anisotropy))


def _openpbr(roughness: Any, anisotropy: Any) -> Any:
    return roughness_from_widths_openpbr(*widths_materialx(roughness, anisotropy))


def _coated(p: StandardSurface) -> tuple[Any, Any, Any, Any]:
    """(roughness, anisotropy) of the base as it looks here, and of the coat."""
    return *_openpbr(roughness_below_coat(p, _wanted(p)), p.specular_anisotropy), *_openpbr(p.coat_roughness, p.coat_anisotropy)


@RULES.rule(
    "specular_roughness",
    "coat_roughness",
    "specular_roughness_anisotropy",
    "coat_roughness_anisotropy",
    id="widths_below_coat",
    needs=("base", "base_color", "metalness", "coat_IOR"),
    fidelity=EQUIVALENT,
    text=ROUGHNESS_TEXT + ", with the widths of {specular_anisotropy} below {coat} of coat ({coat_roughness}, {coat_anisotropy}, "
    "{coat_affect_roughness}), less what OpenPBR's coat spreads; that coat sharper where it would spread the base too much",
    source="MaterialX 1.39: (r²/s, r² s), s = √(1 − a); OpenPBR 1.1: (2 rc⁴ + r⁴)^¼ below a coat",
    when=is_coated,
    caveat=lambda p: one_gives_way(_coated(p)[0], p.coat, _coated(p)[2]) or _two_roughnesses(p),
)
def widths_below_coat(p: StandardSurface) -> Any:
    base, stretch, coat, coat_stretch = _coated(p)
    metal = (p.base * p.base_color).mean(axis=-1, keepdims=True)
    reflected = np.maximum((metal - TYPICAL_FRESNEL) * p.metalness + TYPICAL_FRESNEL, p.transmission)
    above = p.coat * average_coat(p.coat_IOR, p.coat_roughness)
    return *below_rough_coat(base, p.coat, coat, below=reflected, above=above), stretch, coat_stretch


@RULES.rule(
    "geometry_tangent_rotation",
    id="rotation",
    fidelity=EXACT,
    text="−2π × {specular_rotation}",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
    when=is_anisotropic,
)
def rotation(p: StandardSurface) -> Any:
    return -2.0 * np.pi * p.specular_rotation


# Transmission and volume

RULES.copy("transmission_weight", "transmission", source=PAIR)
RULES.copy("transmission_color", "transmission_color", source=PAIR)
RULES.copy("transmission_depth", "transmission_depth", source=PAIR)
RULES.copy("transmission_scatter", "transmission_scatter", source=PAIR)
RULES.copy("transmission_scatter_anisotropy", "transmission_scatter_anisotropy", source=PAIR)


def parts_colours(case: Case) -> bool:
    return not case.is_at("transmission_dispersion", 0.0)


@RULES.rule(
    "transmission_dispersion_scale",
    "transmission_dispersion_abbe_number",
    id="dispersion",
    fidelity=EXACT,
    text="the whole of Abbe number {transmission_dispersion}",
    source="MaterialX 1.39: transmission_dispersion is an Abbe number; OpenPBR 1.1: scale and Abbe number",
    when=parts_colours,
)
def dispersion(p: StandardSurface) -> Any:
    return 1.0, p.transmission_dispersion


RULES.copy("subsurface_weight", "subsurface", source=PAIR)


@RULES.rule(
    "subsurface_color",
    id="subsurface_colour",
    fidelity=EXACT,
    text="{subsurface_color}, deepened by the coat ({coat} × {coat_affect_color})",
    source=f"{NODE}: colour^(1 + coat · coat_affect_color)",
)
def subsurface_colour(p: StandardSurface) -> Any:
    return np.power(np.maximum(p.subsurface_color, 1e-7), 1.0 + np.clip(p.coat, 0, 1) * p.coat_affect_color)


def has_interior(case: Case) -> bool:
    return not case.is_at("thin_walled", True)


def is_thin_walled_and_scatters(case: Case) -> bool:
    return case.is_at("thin_walled", True) and not case.is_at("subsurface", 0.0)


@RULES.rule(
    "subsurface_radius",
    "subsurface_radius_scale",
    id="radius",
    fidelity=EXACT,
    text="longest of {subsurface_radius} × {subsurface_scale}, and its share in each channel",
    source=PAIR,
    when=has_interior,
)
def radius(p: StandardSurface) -> Any:
    longest = strongest_channel(p.subsurface_radius)
    return longest * p.subsurface_scale, p.subsurface_radius / np.maximum(longest, 1e-9)


RULES.copy("subsurface_scatter_anisotropy", "subsurface_anisotropy", source=PAIR, when=has_interior)


@RULES.rule(
    "subsurface_scatter_anisotropy",
    id="all_through",
    fidelity=EXACT,
    text="all of it forward, because a sheet ({thin_walled}) sends all of {subsurface} to the other side",
    source=f"{NODE}: translucent_bsdf alone; OpenPBR 1.1: 1 + g of it goes through",
    when=is_thin_walled_and_scatters,
)
def all_through(p: StandardSurface) -> Any:
    return 1.0


RULES.copy("geometry_thin_walled", "thin_walled", source=PAIR)


# Fuzz


@RULES.rule(
    "fuzz_weight",
    "fuzz_color",
    "fuzz_roughness",
    id="fuzz",
    fidelity=APPROXIMATED,
    text="the fuzz nearest to a sheen of {sheen} × {sheen_color} at {sheen_roughness}; it lies over the reflection, on what is neither "
    "metal ({metalness}) nor clear ({transmission})",
    source="Estevez & Kulla 2017 and Zeltner et al. 2022; fitted to each other",
)
def fuzz(p: StandardSurface) -> Any:
    nearest, strength = fuzz_of_sheen(p.sheen_roughness)
    weight = p.sheen * strength * (1.0 - p.metalness) * (1.0 - p.transmission)
    return np.clip(weight, 0.0, 1.0), np.clip(p.sheen_color * np.maximum(weight, 1.0), 0.0, 1.0), nearest


# Coat


RULES.copy("coat_weight", "coat", source=PAIR)
RULES.copy("coat_color", "coat_color", source=PAIR)
RULES.copy("coat_ior", "coat_IOR", source=PAIR, when=is_coated)
RULES.copy("geometry_coat_normal", "coat_normal", source=PAIR)


@RULES.rule(
    "coat_darkening",
    id="coat",
    fidelity=EXACT,
    text="none, because no light is reflected inside the coat ({coat})",
    source="MaterialX 1.39: node graph of standard_surface",
    when=is_coated,
)
def coat(p: StandardSurface) -> Any:
    return 0.0


@RULES.rule(
    "geometry_coat_tangent_rotation",
    id="coat_rotation",
    fidelity=EXACT,
    text="−2π × {coat_rotation}",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
)
def coat_rotation(p: StandardSurface) -> Any:
    return -2.0 * np.pi * p.coat_rotation


@RULES.rule(
    "thin_film_weight",
    "thin_film_thickness",
    "thin_film_ior",
    id="film",
    fidelity=EXACT,
    text="whole, {thin_film_thickness} nm in µm, {thin_film_IOR}",
    source=PAIR,
)
def film(p: StandardSurface) -> Any:
    return np.where(p.thin_film_thickness > 0, 1.0, 0.0), p.thin_film_thickness / 1000.0, p.thin_film_IOR


# Glow, cut-out, relief


def is_emissive(case: Case) -> bool:
    return not case.is_at("emission", 0.0)


@RULES.rule(
    "emission_color",
    "emission_luminance",
    id="emission",
    fidelity=EQUIVALENT,
    text="{emission_color} and {emission}",
    source=f"MaterialX 1.39: emission × emission_color; {IN_SCENE_UNITS}",
    when=is_emissive,
)
def emission(p: StandardSurface) -> Any:
    return p.emission_color, p.emission


@RULES.rule("geometry_opacity", id="opacity", fidelity=EXACT, text="luminance of {opacity}", source=f"{NODE}: luminance of opacity")
def opacity(p: StandardSurface) -> Any:
    return relative_luminance(p.opacity)


RULES.copy("geometry_normal", "normal", source=PAIR)
