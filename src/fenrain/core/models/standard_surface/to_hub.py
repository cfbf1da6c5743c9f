"""Standard Surface to OpenPBR."""

from types import SimpleNamespace

import numpy as np

from fenrain.core.colour import relative_luminance, strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.models.open_pbr.inverse import base_ior_for, base_roughness_for
from fenrain.core.models.standard_surface.lobes import roughness_below_coat
from fenrain.core.models.surface import WHITE_LUMINANCE
from fenrain.core.optics.diffuse import eon_of_oren_nayar, oren_nayar_albedo
from fenrain.core.optics.energy import left_below
from fenrain.core.optics.fresnel import f0_from_ior, metal_of_colours, tint_of_conductor
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr, widths_materialx
from fenrain.core.optics.sheen import fuzz_of_sheen

RULES = RuleSet("standard_surface.to_hub")
NODE = "MaterialX 1.39: node graph of standard_surface"
PAIR = "MaterialX 1.39 and OpenPBR 1.1: the same quantity"


# Body

RULES.copy("base_weight", "base", source=PAIR)
RULES.copy("base_metalness", "metalness", source=PAIR)


def _body_caveat(specular, metalness, **_) -> Caveat:
    if np.any(metalness > 0) and np.any(metalness < 1) and np.any(specular < 1):
        return APPROXIMATED, "Body and metal share one colour; the body's correction is mixed in by its share."
    return None


@RULES.rule(
    "base_color",
    fidelity=EQUIVALENT,
    text="{base_color}, deepened by the coat ({coat} × {coat_affect_color}), darkened by {diffuse_roughness}, and raised by what a "
    "reflection of {specular} takes less; of a metal ({metalness}) unchanged",
    source=f"{NODE}: Oren & Nayar 1994; OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    caveat=_body_caveat,
    cut=("base_color",),
    why_cut="The weaker reflection lets more light through than a colour of 1 can give back",
)
def body(
    specular,
    specular_roughness,
    specular_IOR,
    base_color,
    diffuse_roughness,
    metalness,
    coat,
    coat_roughness,
    coat_affect_color,
    coat_affect_roughness,
):
    alpha = np.square(roughness_below_coat(SimpleNamespace(**locals()), specular_roughness))
    below = left_below(f0_from_ior(specular_IOR), alpha)
    passes = (1.0 - specular * (1.0 - below)) / below
    deepened = np.power(np.maximum(base_color, 1e-7), 1.0 + np.clip(coat, 0, 1) * coat_affect_color)
    below_all = deepened * oren_nayar_albedo(diffuse_roughness) * passes
    return below_all * (1.0 - metalness) + base_color * metalness


@RULES.rule(
    "base_diffuse_roughness",
    fidelity=APPROXIMATED,
    text="the roughness with the same share of the stretched term as {diffuse_roughness}",
    source="Oren & Nayar 1994: B/A; Portsmouth et al. 2024 (EON)",
)
def diffuse_roughness(diffuse_roughness):
    return eon_of_oren_nayar(diffuse_roughness)


# Reflection


def _reflection_caveat(metalness, specular, **others) -> Caveat:
    if np.any(metalness > 0) and np.any(metalness < 1):
        return (
            APPROXIMATED,
            "The tint of the body's reflection and that of the metal's edge share one colour; they are mixed by the metalness.",
        )
    if np.any(metalness > 0):
        return APPROXIMATED, "The metal's curve is matched facing and near 82°."
    return None


@RULES.rule(
    "specular_color",
    fidelity=EXACT,
    text="{specular_color} × {specular}; for a metal ({metalness}) the tint near 82° of the one with {base_color} × {base} and that edge",
    source=f"{NODE}: Gulbrandsen 2014; Kutz et al. 2021",
    caveat=_reflection_caveat,
)
def reflection(metalness, specular, specular_color, base, base_color):
    tint = specular_color * specular
    if not np.any(metalness):
        return tint
    edge = np.clip(tint_of_conductor(*metal_of_colours(base_color * base, tint)), 0.0, 1.0)
    return tint * (1.0 - metalness) + edge * metalness


@RULES.rule(
    "specular_ior",
    fidelity=EQUIVALENT,
    text="{specular_IOR}, times what a coat of {coat_IOR} takes from it where it lies on top ({coat})",
    source="OpenPBR 1.1: the index below a coat is relative to it; standard_surface: to air",
)
def index(specular_IOR, coat, coat_IOR):
    return base_ior_for(specular_IOR, coat, coat_IOR)


def _roughness_caveat(coat, coat_roughness, coat_affect_roughness, transmission, transmission_extra_roughness, **others):
    if np.any(transmission * np.abs(transmission_extra_roughness) > 0):
        return APPROXIMATED, "OpenPBR has one roughness for what is reflected and what goes through; the share of each decides."
    if np.any(coat * coat_roughness > 0):
        return APPROXIMATED, "OpenPBR spreads what lies below a rough coat by itself; the base is made as much sharper as it can be."
    return None


def is_isotropic(case: Case) -> bool:
    return case.is_at("specular_anisotropy", 0.0)


def is_anisotropic(case: Case) -> bool:
    return not is_isotropic(case)


ROUGHNESS_TEXT = "{specular_roughness} and, for what goes through ({transmission}), {transmission_extra_roughness}, below {coat} of coat"


def _roughness(values):
    p = SimpleNamespace(**values)
    through = np.clip(p.specular_roughness + p.transmission_extra_roughness, 0.0, 1.0)
    wanted = roughness_below_coat(p, p.specular_roughness + (through - p.specular_roughness) * p.transmission)
    return base_roughness_for(wanted, p.coat, p.coat_roughness)


@RULES.rule(
    "specular_roughness",
    fidelity=EXACT,
    text=ROUGHNESS_TEXT,
    source="MaterialX 1.39 and OpenPBR 1.1: α = r²; OpenPBR 1.1: (2 rc⁴ + r⁴)^¼ below a coat",
    when=is_isotropic,
    caveat=_roughness_caveat,
)
def roughness(specular_roughness, transmission, transmission_extra_roughness, coat, coat_roughness, coat_affect_roughness):
    return _roughness(locals())


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    fidelity=EXACT,
    text=ROUGHNESS_TEXT + ", with the widths of {specular_anisotropy}",
    source="MaterialX 1.39: (r²/s, r² s), s = √(1 − a); OpenPBR 1.1",
    when=is_anisotropic,
    caveat=_roughness_caveat,
)
def widths(
    specular_roughness, specular_anisotropy, transmission, transmission_extra_roughness, coat, coat_roughness, coat_affect_roughness
):
    return roughness_from_widths_openpbr(*widths_materialx(_roughness(locals()), specular_anisotropy))


@RULES.rule(
    "geometry_tangent_rotation",
    fidelity=EXACT,
    text="−2π × {specular_rotation}",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
    when=is_anisotropic,
)
def rotation(specular_rotation):
    return -2.0 * np.pi * specular_rotation


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
    fidelity=EXACT,
    text="the whole of Abbe number {transmission_dispersion}",
    source="MaterialX 1.39: transmission_dispersion is an Abbe number; OpenPBR 1.1: scale and Abbe number",
    when=parts_colours,
)
def dispersion(transmission_dispersion):
    return 1.0, transmission_dispersion


RULES.copy("subsurface_weight", "subsurface", source=PAIR)


@RULES.rule(
    "subsurface_color",
    fidelity=EXACT,
    text="{subsurface_color}, deepened by the coat ({coat} × {coat_affect_color})",
    source=f"{NODE}: colour^(1 + coat · coat_affect_color)",
)
def wandering_colour(subsurface_color, coat, coat_affect_color):
    return np.power(np.maximum(subsurface_color, 1e-7), 1.0 + np.clip(coat, 0, 1) * coat_affect_color)


def is_solid(case: Case) -> bool:
    return not case.is_at("thin_walled", True)


def is_thin_and_scatters(case: Case) -> bool:
    return case.is_at("thin_walled", True) and not case.is_at("subsurface", 0.0)


@RULES.rule(
    "subsurface_radius",
    "subsurface_radius_scale",
    fidelity=EXACT,
    text="longest of {subsurface_radius} × {subsurface_scale}, and its share in each channel",
    source=PAIR,
    when=is_solid,
)
def radius(subsurface_radius, subsurface_scale):
    longest = strongest_channel(subsurface_radius)
    return longest * subsurface_scale, subsurface_radius / np.maximum(longest, 1e-9)


RULES.copy("subsurface_scatter_anisotropy", "subsurface_anisotropy", source=PAIR, when=is_solid)


@RULES.rule(
    "subsurface_scatter_anisotropy",
    fidelity=EXACT,
    text="all of it forward, because a sheet ({thin_walled}) sends all of {subsurface} to the other side",
    source=f"{NODE}: translucent_bsdf alone; OpenPBR 1.1: 1 + g of it goes through",
    when=is_thin_and_scatters,
)
def all_through(thin_walled, subsurface):
    return 1.0


RULES.copy("geometry_thin_walled", "thin_walled", source=PAIR)


# Fuzz


@RULES.rule(
    "fuzz_weight",
    "fuzz_color",
    "fuzz_roughness",
    fidelity=APPROXIMATED,
    text="the fuzz nearest to a sheen of {sheen} × {sheen_color} at {sheen_roughness}; it lies over the reflection, on what is neither "
    "metal ({metalness}) nor clear ({transmission})",
    source="Estevez & Kulla 2017 and Zeltner et al. 2022; fitted to each other",
)
def fuzz(sheen, sheen_color, sheen_roughness, metalness, transmission):
    nearest, strength = fuzz_of_sheen(sheen_roughness)
    weight = sheen * strength * (1.0 - metalness) * (1.0 - transmission)
    return np.clip(weight, 0.0, 1.0), np.clip(sheen_color * np.maximum(weight, 1.0), 0.0, 1.0), nearest


# Coat


def is_coated(case: Case) -> bool:
    return not case.is_at("coat", 0.0)


RULES.copy("coat_weight", "coat", source=PAIR)
RULES.copy("coat_color", "coat_color", source=PAIR)
RULES.copy("coat_ior", "coat_IOR", source=PAIR, when=is_coated)
RULES.copy("geometry_coat_normal", "coat_normal", source=PAIR)


@RULES.rule(
    "coat_roughness",
    "coat_roughness_anisotropy",
    "coat_darkening",
    fidelity=EXACT,
    text="the widths of {coat_roughness}, {coat_anisotropy} ({coat}), without darkening",
    source="MaterialX 1.39: (r²/s, r² s), s = √(1 − a), and no reflections inside the coat; OpenPBR 1.1",
    when=is_coated,
)
def coat(coat, coat_roughness, coat_anisotropy):
    return *roughness_from_widths_openpbr(*widths_materialx(coat_roughness, coat_anisotropy)), 0.0


@RULES.rule(
    "geometry_coat_tangent_rotation",
    fidelity=EXACT,
    text="−2π × {coat_rotation}",
    source=f"{NODE}: the tangent is turned by −360° × rotation",
)
def coat_rotation(coat_rotation):
    return -2.0 * np.pi * coat_rotation


@RULES.rule(
    "thin_film_weight",
    "thin_film_thickness",
    "thin_film_ior",
    fidelity=EXACT,
    text="whole, {thin_film_thickness} nm in µm, {thin_film_IOR}",
    source=PAIR,
)
def film(thin_film_thickness, thin_film_IOR):
    return np.where(thin_film_thickness > 0, 1.0, 0.0), thin_film_thickness / 1000.0, thin_film_IOR


# Glow, cut-out, relief


def shines(case: Case) -> bool:
    return not case.is_at("emission", 0.0)


@RULES.rule(
    "emission_color",
    "emission_luminance",
    fidelity=EQUIVALENT,
    text=f"{{emission_color}} and {{emission}}, white at {WHITE_LUMINANCE:g} cd/m²",
    source="MaterialX 1.39: emission states no unit; relative to display white (common practice)",
    when=shines,
)
def glow(emission_color, emission):
    return emission_color, emission * WHITE_LUMINANCE


@RULES.rule("geometry_opacity", fidelity=EXACT, text="luminance of {opacity}", source=f"{NODE}: luminance of opacity")
def opacity(opacity):
    return relative_luminance(opacity)


RULES.copy("geometry_normal", "normal", source=PAIR)
