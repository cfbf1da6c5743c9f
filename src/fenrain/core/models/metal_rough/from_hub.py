"""OpenPBR to glTF metallic-roughness, with whatever extensions the target allows."""

from types import SimpleNamespace

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.material import Computed, Constant, Value
from fenrain.core.models.metal_rough.lobes import CLEARCOAT_IOR
from fenrain.core.models.open_pbr.cases import is_clear, is_coated, is_fuzzy, is_solid, is_translucent_sheet, wanders
from fenrain.core.models.open_pbr.lobes import ior_below_coat, roughness_below_coat, seen_through_coat
from fenrain.core.models.surface import BLENDED, CUT_OUT_MODE, OPAQUE
from fenrain.core.optics.energy import CORE_F0, average_coat, left_below, left_below_schlick, metallic_and_base
from fenrain.core.optics.fresnel import FADING_F0, f0_from_ior, fading_grazing, ior_from_f0
from fenrain.core.optics.microfacet import roughness_from_widths_gltf, widths_openpbr
from fenrain.core.optics.sheen import sheen_of_fuzz

RULES = RuleSet("metal_rough.from_hub")
SPECULAR, IOR = "KHR_materials_specular", "KHR_materials_ior"
CLEARCOAT, SHEEN = "KHR_materials_clearcoat", "KHR_materials_sheen"
ANISOTROPY, STRENGTH = "KHR_materials_anisotropy", "KHR_materials_emissive_strength"
TRANSMISSION, VOLUME, DISPERSION = "KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_dispersion"
DIFFUSE_TRANSMISSION, IRIDESCENCE = "KHR_materials_diffuse_transmission", "KHR_materials_iridescence"

BODY_SOURCE = "glTF 2.0 §B.3.5 and OpenPBR 1.1: base colour below a dielectric reflection"


# Body and metal: copied where the target can say the reflection, solved for where it cannot.


def reflects_plainly(case: Case) -> bool:
    """The reflection that core glTF has anyway: index 1.5, full strength, untinted, and no coat above it."""
    return (
        case.is_at("specular_ior", 1.5)
        and case.is_at("specular_weight", 1.0)
        and case.is_at("specular_color", (1.0, 1.0, 1.0))
        and not is_coated(case)
        and not wanders(case)
        and not is_clear(case)
    )


def keeps_metal(case: Case) -> bool:
    return case.allows(SPECULAR) or reflects_plainly(case)


def keeps_base(case: Case) -> bool:
    return (
        keeps_metal(case)
        and not is_coated(case)
        and not wanders(case)
        and not is_clear(case)
        and case.is_at("base_weight", 1.0)
        and case.is_at("specular_color", (1.0, 1.0, 1.0))
        and (case.is_at("base_metalness", 0.0) or case.is_at("specular_weight", 1.0))
    )


def scales_base(case: Case) -> bool:
    return keeps_metal(case) and not keeps_base(case)


def folds_reflection(case: Case) -> bool:
    return not keeps_metal(case)


RULES.copy("metallic", "base_metalness", source="glTF 2.0 §B.3.5", when=keeps_metal)
RULES.copy("base_color", "base_color", source=BODY_SOURCE, fidelity=EQUIVALENT, when=keeps_base)


def _body(p):
    """Colour of the body; what goes through a sheet is not part of it."""
    wandering = p.subsurface_weight * np.where(p.geometry_thin_walled, 0.5 * (1.0 - p.subsurface_scatter_anisotropy), 1.0)
    kept = 1.0 - np.where(p.geometry_thin_walled, p.subsurface_weight, 0.0)
    own = np.where(p.geometry_thin_walled, wandering / np.maximum(kept + wandering, 1e-6), wandering)
    return p.base_color * p.base_weight * (1.0 - own) + p.subsurface_color * own


def _base_caveat(base_metalness, specular_color, **others) -> Caveat:
    if np.any((base_metalness > 0) & (specular_color < 1)):
        return APPROXIMATED, "A metal of glTF has no tint near 82°; its colour is kept as it is when facing."
    return None


@RULES.rule(
    "base_color",
    fidelity=EQUIVALENT,
    text="{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, or {transmission_color} where clear "
    "({transmission_weight}), as seen through {coat_weight} of coat, less what a reflection weakened by {specular_color} lets through "
    "besides; a metal ({base_metalness}) times {specular_weight}",
    source=BODY_SOURCE,
    when=scales_base,
    caveat=_base_caveat,
)
def base(
    base_color,
    base_weight,
    base_metalness,
    subsurface_weight,
    subsurface_color,
    subsurface_scatter_anisotropy,
    geometry_thin_walled,
    transmission_weight,
    transmission_color,
    transmission_depth,
    specular_weight,
    specular_color,
    specular_ior,
    specular_roughness,
    coat_weight,
    coat_color,
    coat_ior,
    coat_darkening,
    coat_roughness,
):
    p = SimpleNamespace(**locals())
    below = left_below(f0_from_ior(ior_below_coat(p)), np.square(roughness_below_coat(p)))
    weaker = 1.0 - strongest_channel(specular_color) * (1.0 - below)
    body = _body(p) * below / weaker
    if np.any(transmission_weight):
        tint = np.where(transmission_depth > 0, 1.0, transmission_color)
        body = body * (1.0 - transmission_weight) + tint * transmission_weight
    metal = base_color * base_weight * specular_weight
    return np.clip((body * (1.0 - base_metalness) + metal * base_metalness) * seen_through_coat(p), 0.0, 1.0)


@RULES.rule(
    "metallic",
    "base_color",
    fidelity=APPROXIMATED,
    text="the metallic and base colour whose body and F0 are nearest to those of {base_color}, {base_metalness}, {specular_ior}, "
    "{specular_weight}, {specular_color}, because core glTF reflects 4 % from every dielectric",
    source="KHR_materials_pbrSpecularGlossiness, Converting between workflows",
    when=folds_reflection,
)
def folded(
    base_color,
    base_weight,
    base_metalness,
    subsurface_weight,
    subsurface_color,
    subsurface_scatter_anisotropy,
    geometry_thin_walled,
    specular_weight,
    specular_color,
    specular_ior,
    specular_roughness,
    coat_weight,
    coat_color,
    coat_ior,
    coat_darkening,
    coat_roughness,
):
    under = SimpleNamespace(**locals())
    alpha, f0 = np.square(roughness_below_coat(under)), f0_from_ior(ior_below_coat(under))
    passed = seen_through_coat(under)
    body = (1.0 - base_metalness) * _body(under) * passed * left_below(f0, alpha)
    metal = base_color * base_weight * specular_weight
    specular = passed * ((1.0 - base_metalness) * f0 * specular_color + base_metalness * metal)
    return metallic_and_base(body, np.clip(specular, 0.0, 1.0), left_below_schlick(CORE_F0, alpha))


# Reflection

REFLECTION_VALUES = ("specular_ior", "specular_weight", "specular_color", "coat_weight", "coat_ior")


def has_reflection_map(case: Case) -> bool:
    return any(case.has_map(name) for name in REFLECTION_VALUES)


def says_reflection(case: Case) -> bool:
    return case.allows(SPECULAR) and case.allows(IOR) and not reflects_plainly(case) and not has_reflection_map(case)


def _by_map(case: Case) -> bool:
    return case.allows(SPECULAR) and case.allows(IOR) and has_reflection_map(case)


def says_reflection_by_map(case: Case) -> bool:
    return _by_map(case) and not is_clear(case)


def says_reflection_by_map_of_glass(case: Case) -> bool:
    """Glass needs its index for what it bends, so that the index cannot be spent on the reflection."""
    return _by_map(case) and is_clear(case) and not case.has_map("specular_ior")


def says_tint_alone(case: Case) -> bool:
    of_glass = _by_map(case) and is_clear(case) and case.has_map("specular_ior")
    return of_glass or (case.allows(SPECULAR) and not case.allows(IOR) and not reflects_plainly(case))


def _said(specular_ior, specular_weight, specular_color, coat_weight, coat_ior):
    """(F0 with the fading below 2 % taken out, strength, tint): what is common to all channels of the colour weakens the grazing
    reflection as well, and so does an F0 that fades."""
    f0 = f0_from_ior(ior_below_coat(SimpleNamespace(**locals())))
    fading, strongest = fading_grazing(f0), strongest_channel(specular_color)
    return np.where(fading < 1.0, FADING_F0, f0), fading * strongest, specular_color / np.maximum(strongest, 1e-6)


def _tint_caveat(**values) -> Caveat:
    if np.ptp(values["specular_color"], axis=-1).max() > 0.02:
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in glTF they stay white."
    return None


@RULES.rule(
    "ior",
    "specular",
    "specular_color",
    fidelity=EQUIVALENT,
    text="index with the F0 of {specular_ior} at {specular_weight} below {coat_weight} of coat, and {specular_color}; "
    "strength that of its strongest channel, fading with an F0 below 2 %",
    source="KHR_materials_ior, KHR_materials_specular; OpenPBR 1.1: specular_weight scales F0",
    when=says_reflection,
    caveat=_tint_caveat,
)
def reflection(specular_ior, specular_weight, specular_color, coat_weight, coat_ior):
    f0, strength, tint = _said(**locals())
    return ior_from_f0(f0), strength, tint


@RULES.judge(
    "ior",
    "specular_ior",
    fidelity=EQUIVALENT,
    text="0, which stands for an F0 of 1, so that the tint is the whole F0",
    source="KHR_materials_ior: 0 is F0 = 1; an index cannot be a map",
    when=says_reflection_by_map,
)
def whole_reflection(specular_ior: Value) -> float:
    return 0.0


@RULES.rule(
    "specular",
    "specular_color",
    fidelity=EQUIVALENT,
    text="{specular_color} × F0 of {specular_ior} at {specular_weight} below {coat_weight} of coat; strength fading with an F0 below 2 %",
    source="KHR_materials_specular: F0 = specularColor · specular where F0(ior) = 1",
    when=says_reflection_by_map,
    caveat=_tint_caveat,
)
def reflection_by_map(specular_ior, specular_weight, specular_color, coat_weight, coat_ior):
    f0, strength, tint = _said(**locals())
    return strength, tint * f0


RULES.copy("ior", "specular_ior", source="KHR_materials_ior", when=says_reflection_by_map_of_glass)


@RULES.rule(
    "specular",
    "specular_color",
    fidelity=EQUIVALENT,
    text="{specular_color} × F0 at {specular_weight} below {coat_weight} of coat ÷ that of {specular_ior} alone; strength fading with an "
    "F0 below 2 %",
    source="KHR_materials_specular: F0 = min(F0(ior) · specularColor, 1) · specular",
    when=says_reflection_by_map_of_glass,
    caveat=_tint_caveat,
)
def reflection_by_map_of_glass(specular_ior, specular_weight, specular_color, coat_weight, coat_ior):
    f0, strength, tint = _said(**locals())
    return strength, tint * f0 / np.maximum(f0_from_ior(specular_ior), 1e-6)


@RULES.rule(
    "specular",
    "specular_color",
    fidelity=EQUIVALENT,
    text="{specular_color} × F0 of {specular_ior} at {specular_weight} ÷ 0.04, because the index stays 1.5",
    source="KHR_materials_specular: F0 = min(0.04 · specularColor, 1) · specular",
    when=says_tint_alone,
    caveat=_tint_caveat,
)
def tint_alone(specular_ior, specular_weight, specular_color, coat_weight, coat_ior):
    f0, strength, tint = _said(**locals())
    return strength, tint * f0 / CORE_F0


def stretches(case: Case) -> bool:
    return case.says("specular_roughness_anisotropy") and not case.is_at("specular_roughness_anisotropy", 0.0)


def keeps_roughness(case: Case) -> bool:
    return not stretches(case) and not is_coated(case)


def stretches_here(case: Case) -> bool:
    return stretches(case) and case.allows(ANISOTROPY)


def averages_roughness(case: Case) -> bool:
    return not keeps_roughness(case) and not stretches_here(case)


RULES.copy("roughness", "specular_roughness", source="glTF 2.0 §B.3.1 and OpenPBR 1.1: α = r²", when=keeps_roughness)


@RULES.rule(
    "roughness",
    "anisotropy_strength",
    fidelity=EXACT,
    text="the pair with the widths of {specular_roughness}, {specular_roughness_anisotropy} below {coat_roughness} of coat",
    source="OpenPBR 1.1; KHR_materials_anisotropy: (mix(r², 1, s²), r²)",
    when=stretches_here,
)
def widths(specular_roughness, specular_roughness_anisotropy, coat_weight, coat_roughness):
    below = roughness_below_coat(SimpleNamespace(**locals()))
    return roughness_from_widths_gltf(*widths_openpbr(below, specular_roughness_anisotropy))


RULES.copy(
    "anisotropy_rotation",
    "geometry_tangent_rotation",
    source="KHR_materials_anisotropy: from the tangent, counter-clockwise",
    when=stretches_here,
)


def _mean_caveat(**values) -> Caveat:
    stretched = values["specular_roughness_anisotropy"].max() > 0
    return None if stretched else (EQUIVALENT, "The base as a rough coat spreads it.")


@RULES.rule(
    "roughness",
    fidelity=APPROXIMATED,
    text="width between those along and across, of {specular_roughness}, {specular_roughness_anisotropy} below {coat_roughness} of coat",
    source="OpenPBR 1.1: (2 rc⁴ + r⁴)^¼; the geometric mean keeps the height of the highlight",
    when=averages_roughness,
    caveat=_mean_caveat,
)
def mean_roughness(specular_roughness, specular_roughness_anisotropy, coat_weight, coat_roughness):
    along, across = widths_openpbr(roughness_below_coat(SimpleNamespace(**locals())), specular_roughness_anisotropy)
    return np.sqrt(np.sqrt(along * across))


RULES.drop("base_diffuse_roughness", why="glTF has a Lambert body only.", nearest="Lambert")


# Coat


def keeps_coat(case: Case) -> bool:
    return is_coated(case) and case.allows(CLEARCOAT)


def loses_coat(case: Case) -> bool:
    return is_coated(case) and not case.allows(CLEARCOAT)


@RULES.rule(
    "clearcoat",
    fidelity=APPROXIMATED,
    text="{coat_weight}, scaled to reflect on average what {coat_ior} does at {coat_roughness}",
    source="KHR_materials_clearcoat: a fixed index of 1.5",
    when=keeps_coat,
)
def clearcoat(coat_weight, coat_ior, coat_roughness):
    return np.clip(coat_weight * average_coat(coat_ior, coat_roughness) / average_coat(CLEARCOAT_IOR, coat_roughness), 0.0, 1.0)


RULES.copy("clearcoat_roughness", "coat_roughness", source="KHR_materials_clearcoat", when=keeps_coat)
RULES.copy("clearcoat_normal", "geometry_coat_normal", source="KHR_materials_clearcoat", when=keeps_coat)
RULES.drop("coat_weight", why="core glTF has no coat.", nearest="the base without it, as dark as it was below", when=loses_coat)
RULES.drop("coat_roughness_anisotropy", why="glTF's coat is isotropic.", nearest="its roughness along both ways")


# Fuzz


def keeps_fuzz(case: Case) -> bool:
    return is_fuzzy(case) and case.allows(SHEEN)


def loses_fuzz(case: Case) -> bool:
    return is_fuzzy(case) and not case.allows(SHEEN)


@RULES.rule(
    "sheen_color",
    "sheen_roughness",
    fidelity=APPROXIMATED,
    text="the sheen nearest to {fuzz_weight} × {fuzz_color} of fuzz at {fuzz_roughness}",
    source="OpenPBR 1.1 (Zeltner et al. 2022); KHR_materials_sheen (Estevez & Kulla 2017, roughness squared); fitted to each other",
    when=keeps_fuzz,
)
def sheen(fuzz_weight, fuzz_color, fuzz_roughness):
    nearest, strength = sheen_of_fuzz(fuzz_roughness)
    return np.clip(fuzz_color * fuzz_weight * strength, 0.0, 1.0), np.sqrt(nearest)


RULES.drop("fuzz_weight", why="core glTF has no sheen.", nearest="the surface without it", when=loses_fuzz)


# Transmission and volume


def keeps_clear(case: Case) -> bool:
    return is_clear(case) and case.allows(TRANSMISSION)


def keeps_clear_body(case: Case) -> bool:
    return keeps_clear(case) and is_solid(case) and case.allows(VOLUME)


def loses_clear(case: Case) -> bool:
    return is_clear(case) and not case.allows(TRANSMISSION)


def has_volume(case: Case) -> bool:
    return keeps_clear_body(case) and not case.is_at("transmission_depth", 0.0)


def flattens_body(case: Case) -> bool:
    return keeps_clear(case) and is_solid(case) and not case.allows(VOLUME)


@RULES.rule(
    "transmission",
    fidelity=EQUIVALENT,
    text="how much of {transmission_weight} × {transmission_color} ({transmission_depth}) and of the body beside it, {base_color} × "
    "{base_weight}, goes through: one base colour is that of both",
    source="KHR_materials_transmission: base colour × transmission goes through, base colour × (1 − transmission) comes back",
    when=keeps_clear,
)
def transmission(transmission_weight, transmission_color, transmission_depth, base_color, base_weight):
    clear = transmission_weight * np.where(transmission_depth > 0, np.ones(3), transmission_color)
    opaque = (1.0 - transmission_weight) * base_color * base_weight
    through, whole = (part.sum(axis=-1, keepdims=True) for part in (clear, clear + opaque))
    return np.where(whole > 1e-6, through / np.maximum(whole, 1e-6), transmission_weight)


@RULES.rule(
    "thickness",
    fidelity=EQUIVALENT,
    text="1: the body has an inside ({transmission_weight}, {geometry_thin_walled}); what traces light takes the mesh's own depth",
    source="KHR_materials_volume: a thickness above 0 makes the mesh the boundary of a volume",
    when=keeps_clear_body,
)
def thickness(transmission_weight, geometry_thin_walled):
    return 1.0


RULES.copy("attenuation_color", "transmission_color", source="KHR_materials_volume: C^(x/D)", when=has_volume)
RULES.copy("attenuation_distance", "transmission_depth", source="KHR_materials_volume: C^(x/D)", when=has_volume)
RULES.drop("geometry_thin_walled", why="without KHR_materials_volume everything clear is a sheet.", nearest="a sheet", when=flattens_body)
RULES.drop("transmission_scatter", why="glTF's volume absorbs, it does not scatter.", nearest="absorption alone", when=is_clear)
RULES.drop("transmission_scatter_anisotropy", why="glTF's volume does not scatter.", nearest="left out", when=is_clear)


@RULES.rule(
    "dispersion",
    fidelity=EXACT,
    text="20 ÷ {transmission_dispersion_abbe_number} × {transmission_dispersion_scale}",
    source="KHR_materials_dispersion: 20/V",
    when=lambda case: keeps_clear_body(case) and case.allows(DISPERSION),
)
def dispersion(transmission_dispersion_scale, transmission_dispersion_abbe_number):
    return 20.0 * transmission_dispersion_scale / np.maximum(transmission_dispersion_abbe_number, 1e-3)


def keeps_sheet(case: Case) -> bool:
    return is_translucent_sheet(case) and case.allows(DIFFUSE_TRANSMISSION)


def loses_sheet(case: Case) -> bool:
    return is_translucent_sheet(case) and not case.allows(DIFFUSE_TRANSMISSION)


@RULES.rule(
    "diffuse_transmission",
    "diffuse_transmission_color",
    fidelity=EQUIVALENT,
    text="the share of {subsurface_weight} that goes through, (1 + {subsurface_scatter_anisotropy}) ÷ 2, and {subsurface_color} "
    "({geometry_thin_walled})",
    source="OpenPBR 1.1: thin-walled subsurface; KHR_materials_diffuse_transmission",
    when=keeps_sheet,
)
def through_sheet(subsurface_weight, subsurface_scatter_anisotropy, subsurface_color, geometry_thin_walled):
    return subsurface_weight * 0.5 * (1.0 + subsurface_scatter_anisotropy), subsurface_color


RULES.drop("geometry_thin_walled", why="core glTF lets no light through.", nearest="the front alone", when=loses_sheet)
RULES.drop("subsurface_radius", why="light does not wander in glTF.", nearest="its colour as body", when=wanders)
RULES.drop("subsurface_radius_scale", why="light does not wander in glTF.", nearest="its colour as body", when=wanders)


def has_film(case: Case) -> bool:
    return case.allows(IRIDESCENCE) and not case.is_at("thin_film_weight", 0.0)


RULES.copy("iridescence", "thin_film_weight", source=IRIDESCENCE, when=has_film)
RULES.copy("iridescence_ior", "thin_film_ior", source=IRIDESCENCE, when=has_film)


@RULES.rule("iridescence_thickness", fidelity=EXACT, text="{thin_film_thickness} µm in nm", source=IRIDESCENCE, when=has_film)
def film(thin_film_thickness):
    return thin_film_thickness * 1000.0


# Glow


def shines(case: Case) -> bool:
    return case.says("emission_color") and not case.is_at("emission_luminance", 0.0)


def shines_at_strength(case: Case) -> bool:
    return shines(case) and case.allows(STRENGTH)


def shines_in_core(case: Case) -> bool:
    return shines(case) and not case.allows(STRENGTH)


def shines_plainly(case: Case) -> bool:
    return shines_at_strength(case) and not case.exceeds("emission_color", 1.0)


def shines_brightly(case: Case) -> bool:
    return shines_at_strength(case) and case.exceeds("emission_color", 1.0)


RULES.copy("emissive", "emission_color", source="glTF 2.0 §3.9.3", when=shines_plainly)
RULES.copy("emissive_strength", "emission_luminance", source="KHR_materials_emissive_strength", when=shines_plainly)


@RULES.rule(
    "emissive",
    "emissive_strength",
    fidelity=EQUIVALENT,
    text="{emission_color} ÷ its strongest channel, which {emission_luminance} is multiplied by",
    source="glTF 2.0 §3.9.3: emissiveFactor is at most 1; KHR_materials_emissive_strength",
    when=shines_brightly,
)
def bright_emission(emission_color, emission_luminance):
    strongest = np.maximum(strongest_channel(emission_color), 1.0)
    return emission_color / strongest, emission_luminance * strongest


def _dim_caveat(emission_color, emission_luminance) -> Caveat:
    wanted = (emission_color * emission_luminance).max()
    return (APPROXIMATED, f"Core glTF stops at 1 cd/m²; {wanted:.4g} is cut.") if wanted > 1 else None


@RULES.rule(
    "emissive",
    fidelity=EXACT,
    text="{emission_color} × {emission_luminance}, at most 1",
    source="glTF 2.0 §3.9.3",
    when=shines_in_core,
    caveat=_dim_caveat,
)
def dim_emission(emission_color, emission_luminance):
    return np.clip(emission_color * emission_luminance, 0.0, 1.0)


# Cut-out and relief


def has_openings(case: Case) -> bool:
    return case.says("geometry_opacity") and not loses_clear(case)


@RULES.judge(
    "alpha_mode",
    "geometry_opacity",
    fidelity=EXACT,
    text="opaque, cut-out or blended, as {geometry_opacity} asks",
    source="glTF 2.0 §3.9.4",
    when=has_openings,
)
def alpha_mode(geometry_opacity: Value) -> int:
    if geometry_opacity == Constant(1.0):
        return OPAQUE
    made_by_cutting = isinstance(geometry_opacity, Computed) and geometry_opacity.rule.endswith(".cut_out")
    return CUT_OUT_MODE if made_by_cutting or geometry_opacity == Constant(0.0) else BLENDED


RULES.copy("alpha", "geometry_opacity", source="glTF 2.0 §3.9.4", when=has_openings)


@RULES.rule(
    "alpha_mode",
    "alpha",
    fidelity=APPROXIMATED,
    text="blended, {geometry_opacity} × (1 − {transmission_weight}): what lies behind shows straight through, without tint, and the "
    "reflection fades as well",
    source="glTF 2.0 §3.9.4: core glTF has no transmission",
    when=loses_clear,
)
def blended_glass(geometry_opacity, transmission_weight):
    return BLENDED, geometry_opacity * (1.0 - transmission_weight)


RULES.drop("transmission_color", why="core glTF has no transmission, so nothing tints it.", nearest="clear", when=loses_clear)
RULES.copy("normal", "geometry_normal", source="glTF 2.0 §3.9.3")
RULES.copy("occlusion", "occlusion", source="glTF 2.0 §3.9.3")
