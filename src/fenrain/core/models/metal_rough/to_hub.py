"""glTF metallic-roughness to OpenPBR."""

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Fidelity, RuleSet
from fenrain.core.models.surface import WHITE_LUMINANCE, is_blended, is_cut_out
from fenrain.core.optics.fresnel import f0_from_ior, ior_from_f0
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr, widths_gltf

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


RULES.drop(
    "anisotropy_rotation",
    why="OpenPBR turns the highlight by the tangent of the mesh, not by a value.",
    nearest="the highlight follows the mesh's own tangent",
    when=is_anisotropic,
)


def _tint_caveat(specular, specular_color, ior) -> tuple[Fidelity, str] | None:
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


RULES.copy("transmission_weight", "transmission", source="KHR_materials_transmission")
RULES.copy("transmission_color", "attenuation_color", source="KHR_materials_volume")
RULES.copy("transmission_depth", "attenuation_distance", source="KHR_materials_volume")
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
    text="strength and tint of {sheen_color}, spread of {sheen_roughness}",
    source="KHR_materials_sheen (Estevez & Kulla 2017); OpenPBR 1.1 (Zeltner et al. 2022)",
)
def fuzz(sheen_color, sheen_roughness):
    strongest = strongest_channel(sheen_color)
    return strongest, np.where(strongest > 1e-6, sheen_color / np.maximum(strongest, 1e-6), 1.0), np.maximum(sheen_roughness, 0.01)


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
