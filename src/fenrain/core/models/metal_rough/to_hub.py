"""glTF metallic-roughness to OpenPBR."""

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.models.surface import WHITE_LUMINANCE, is_blended, is_cut_out
from fenrain.core.optics.fresnel import f0_from_ior, ior_from_f0
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr, widths_gltf
from fenrain.core.optics.sheen import fuzz_of_sheen

RULES = RuleSet("metal_rough.to_hub")


def lit(case: Case) -> bool:
    return not case.is_at("unlit", True)


def unlit(case: Case) -> bool:
    return not lit(case)


RULES.copy("base_color", "base_color", source="glTF 2.0 §B.3.5", fidelity=EQUIVALENT, when=lit)
RULES.copy("base_metalness", "metallic", source="glTF 2.0 §B.3.5", when=lit)


@RULES.rule(
    "emission_color",
    "emission_luminance",
    "base_color",
    "specular_weight",
    fidelity=EQUIVALENT,
    text=f"{{base_color}} as light of its own, white at {WHITE_LUMINANCE:g} cd/m², over a black surface ({{unlit}})",
    source="KHR_materials_unlit",
    when=unlit,
)
def own_light(base_color, unlit):
    return base_color, WHITE_LUMINANCE, np.zeros(3), 0.0


def is_anisotropic(case: Case) -> bool:
    return case.says("anisotropy_strength")


def is_isotropic(case: Case) -> bool:
    return not is_anisotropic(case)


RULES.copy("specular_roughness", "roughness", source="glTF 2.0 §B.3.1 and OpenPBR 1.1: α = r²", when=is_isotropic)


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    fidelity=EXACT,
    text="the pair with the widths of {roughness}, {anisotropy_strength}",
    source="KHR_materials_anisotropy: (mix(r², 1, s²), r²); OpenPBR 1.1",
    when=is_anisotropic,
)
def widths(roughness, anisotropy_strength):
    return roughness_from_widths_openpbr(*widths_gltf(roughness, anisotropy_strength))


RULES.copy(
    "geometry_tangent_rotation",
    "anisotropy_rotation",
    source="KHR_materials_anisotropy: from the tangent, counter-clockwise",
    when=is_anisotropic,
)


def _tint_caveat(specular, specular_color, ior) -> Caveat:
    if np.ptp(specular_color, axis=-1).max() > 0.02:
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in glTF they stay white."
    if specular.min() < 1:
        return APPROXIMATED, "glTF also dims the grazing reflection; in OpenPBR it follows from the index."
    return None


def reflects_specially(case: Case) -> bool:
    return any(case.says(name) for name in ("specular", "specular_color", "ior"))


@RULES.rule(
    "specular_ior",
    "specular_color",
    fidelity=EQUIVALENT,
    text="index whose F0 is the strongest channel of min(F0 of {ior} × {specular_color}, 1) × {specular}; the rest as tint",
    source="KHR_materials_specular, KHR_materials_ior",
    when=reflects_specially,
    caveat=_tint_caveat,
)
def reflection(specular, specular_color, ior):
    from_index = np.where(ior < 1e-6, 1.0, f0_from_ior(np.maximum(ior, 1e-6)))
    f0 = np.minimum(specular_color * from_index, 1.0) * specular
    strongest = strongest_channel(f0)
    return ior_from_f0(strongest), np.where(strongest > 1e-6, f0 / np.maximum(strongest, 1e-6), 1.0)


def is_clear(case: Case) -> bool:
    return not case.is_at("transmission", 0.0)


def is_clear_sheet(case: Case) -> bool:
    return is_clear(case) and case.is_at("thickness", 0.0)


def is_clear_body(case: Case) -> bool:
    return is_clear(case) and not case.is_at("thickness", 0.0)


def absorbs(case: Case) -> bool:
    return is_clear_body(case) and not case.is_at("attenuation_distance", 0.0)


def tints(case: Case) -> bool:
    return is_clear(case) and not absorbs(case)


RULES.copy("transmission_weight", "transmission", source="KHR_materials_transmission", when=is_clear)
RULES.copy("transmission_color", "base_color", source="KHR_materials_transmission: tinted by the base colour", when=tints)


def _absorption_caveat(base_color, **others) -> Caveat:
    if np.any(base_color < 1):
        return APPROXIMATED, "glTF tints at the surface as well; that is folded into the colour at the depth."
    return None


@RULES.rule(
    "transmission_color",
    "transmission_depth",
    fidelity=EXACT,
    text="{attenuation_color} at {attenuation_distance}, and the tint of both crossings, {base_color}² ({thickness})",
    source="KHR_materials_volume: C^(x/D); KHR_materials_transmission: tinted by the base colour",
    when=absorbs,
    caveat=_absorption_caveat,
)
def absorption(attenuation_color, attenuation_distance, base_color, thickness):
    return attenuation_color * np.square(base_color), attenuation_distance


@RULES.rule(
    "geometry_thin_walled",
    fidelity=EXACT,
    text="a sheet, because {thickness} is no inside ({transmission})",
    source="KHR_materials_volume: a thickness of 0 is thin-walled",
    when=is_clear_sheet,
)
def sheet(thickness, transmission):
    return True


def has_inside(case: Case) -> bool:
    return is_clear_body(case) and not case.is_at("dispersion", 0.0)


@RULES.rule(
    "transmission_dispersion_scale",
    "transmission_dispersion_abbe_number",
    fidelity=EXACT,
    text="the whole of Abbe number 20 ÷ {dispersion}",
    source="KHR_materials_dispersion: 20/V",
    when=has_inside,
)
def dispersion(dispersion):
    return 1.0, 20.0 / np.maximum(dispersion, 1e-6)


def is_translucent(case: Case) -> bool:
    return not case.is_at("diffuse_transmission", 0.0)


@RULES.rule(
    "subsurface_weight",
    "subsurface_color",
    "subsurface_scatter_anisotropy",
    "geometry_thin_walled",
    fidelity=EXACT,
    text="a sheet that sends {diffuse_transmission} of {diffuse_transmission_color} to the other side",
    source="KHR_materials_diffuse_transmission; OpenPBR 1.1: thin-walled subsurface, all of it forward",
    when=lambda case: is_translucent(case) and not is_clear_sheet(case),
)
def translucent_sheet(diffuse_transmission, diffuse_transmission_color):
    return diffuse_transmission, diffuse_transmission_color, 1.0, True


@RULES.rule(
    "subsurface_weight",
    "subsurface_color",
    "subsurface_scatter_anisotropy",
    fidelity=EXACT,
    text="{diffuse_transmission} of {diffuse_transmission_color} to the other side",
    source="KHR_materials_diffuse_transmission; OpenPBR 1.1: thin-walled subsurface, all of it forward",
    when=lambda case: is_translucent(case) and is_clear_sheet(case),
)
def translucent_clear_sheet(diffuse_transmission, diffuse_transmission_color):
    return diffuse_transmission, diffuse_transmission_color, 1.0


RULES.copy("thin_film_weight", "iridescence", source="KHR_materials_iridescence")
RULES.copy("thin_film_ior", "iridescence_ior", source="KHR_materials_iridescence")


@RULES.rule("thin_film_thickness", fidelity=EXACT, text="{iridescence_thickness} nm in µm", source="KHR_materials_iridescence")
def film(iridescence_thickness):
    return iridescence_thickness / 1000.0


def is_coated(case: Case) -> bool:
    return case.says("clearcoat")


RULES.copy("coat_weight", "clearcoat", source="KHR_materials_clearcoat")
RULES.copy("coat_roughness", "clearcoat_roughness", source="KHR_materials_clearcoat")
RULES.copy("geometry_coat_normal", "clearcoat_normal", source="KHR_materials_clearcoat")


@RULES.rule(
    "coat_ior",
    "coat_darkening",
    fidelity=APPROXIMATED,
    text="1.5 under {clearcoat}, without darkening; the base then lies under the coat instead of beside it",
    source="KHR_materials_clearcoat: a fixed index of 1.5",
    when=is_coated,
)
def coat(clearcoat):
    return 1.5, 0.0


@RULES.rule(
    "fuzz_weight",
    "fuzz_color",
    "fuzz_roughness",
    fidelity=APPROXIMATED,
    text="the fuzz nearest to a sheen of {sheen_color} at {sheen_roughness}",
    source="KHR_materials_sheen (Estevez & Kulla 2017, roughness squared); OpenPBR 1.1 (Zeltner et al. 2022); fitted to each other",
)
def fuzz(sheen_color, sheen_roughness):
    nearest, strength = fuzz_of_sheen(np.square(sheen_roughness))
    strongest = strongest_channel(sheen_color)
    tint = np.where(strongest > 1e-6, sheen_color / np.maximum(strongest, 1e-6), 1.0)
    return np.clip(strongest * strength, 0.0, 1.0), tint, nearest


def shines(case: Case) -> bool:
    return lit(case) and case.says("emissive")


RULES.copy("emission_color", "emissive", source="glTF 2.0 §3.9.3", when=shines)


@RULES.rule("emission_luminance", fidelity=EXACT, text="{emissive_strength} cd/m²", source="KHR_materials_emissive_strength", when=shines)
def luminance(emissive_strength):
    return emissive_strength


@RULES.rule(
    "geometry_opacity",
    fidelity=EXACT,
    text="open where {alpha} is below {alpha_cutoff} ({alpha_mode})",
    source="glTF 2.0 §3.9.4",
    when=is_cut_out,
)
def cut_out(alpha, alpha_cutoff, alpha_mode):
    return np.where(alpha >= alpha_cutoff, 1.0, 0.0)


@RULES.rule("geometry_opacity", fidelity=EXACT, text="{alpha} ({alpha_mode})", source="glTF 2.0 §3.9.4", when=is_blended)
def blended(alpha, alpha_mode):
    return alpha


RULES.copy("occlusion", "occlusion", source="glTF 2.0 §3.9.3")
RULES.copy("geometry_normal", "normal", source="glTF 2.0 §3.9.3")
