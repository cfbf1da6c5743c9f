"""glTF metallic-roughness to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS, is_blended, is_cut_out
from fenrain.core.models.metal_rough.parameters import MetalRough
from fenrain.core.optics.fresnel import f0_from_ior, ior_from_f0
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr, widths_gltf
from fenrain.core.optics.sheen import fuzz_of_sheen
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("metal_rough.to_hub", MetalRough)


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
    id="own_light",
    fidelity=EQUIVALENT,
    text="{base_color} as light of its own over a black surface ({unlit})",
    source="KHR_materials_unlit",
    when=unlit,
)
def own_light(p: MetalRough) -> Any:
    return p.base_color, 1.0, np.zeros(3), 0.0


def is_anisotropic(case: Case) -> bool:
    return case.is_set("anisotropy_strength")


def is_isotropic(case: Case) -> bool:
    return not is_anisotropic(case)


RULES.copy("specular_roughness", "roughness", source="glTF 2.0 §B.3.1 and OpenPBR 1.1: α = r²", when=is_isotropic)


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    id="widths",
    fidelity=EXACT,
    text="the pair with the widths of {roughness}, {anisotropy_strength}",
    source="KHR_materials_anisotropy: (mix(r², 1, s²), r²); OpenPBR 1.1",
    when=is_anisotropic,
)
def widths(p: MetalRough) -> Any:
    return roughness_from_widths_openpbr(*widths_gltf(p.roughness, p.anisotropy_strength))


RULES.copy(
    "geometry_tangent_rotation",
    "anisotropy_rotation",
    source="KHR_materials_anisotropy: from the tangent, counter-clockwise",
    when=is_anisotropic,
)


def _tint_caveat(p: MetalRough) -> Caveat:
    if np.ptp(p.specular_color, axis=-1).max() > 0.02:
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in glTF they stay white."
    if p.specular.min() < 1:
        return APPROXIMATED, "glTF also dims the grazing reflection; in OpenPBR it follows from the index."
    return None


def reflects_specially(case: Case) -> bool:
    return any(case.is_set(name) for name in ("specular", "specular_color", "ior"))


@RULES.rule(
    "specular_ior",
    "specular_color",
    id="reflection",
    fidelity=EQUIVALENT,
    text="index whose F0 is the strongest channel of min(F0 of {ior} × {specular_color}, 1) × {specular}; the rest as tint",
    source="KHR_materials_specular, KHR_materials_ior",
    when=reflects_specially,
    caveat=_tint_caveat,
)
def reflection(p: MetalRough) -> Any:
    from_index = np.where(p.ior < 1e-6, 1.0, f0_from_ior(np.maximum(p.ior, 1e-6)))
    f0 = np.minimum(p.specular_color * from_index, 1.0) * p.specular
    strongest = strongest_channel(f0)
    return ior_from_f0(strongest), np.where(strongest > 1e-6, f0 / np.maximum(strongest, 1e-6), 1.0)


def is_transmissive(case: Case) -> bool:
    return not case.is_at("transmission", 0.0)


def is_transmissive_thin_wall(case: Case) -> bool:
    return is_transmissive(case) and case.is_at("thickness", 0.0)


def is_transmissive_body(case: Case) -> bool:
    return is_transmissive(case) and not case.is_at("thickness", 0.0)


def absorbs(case: Case) -> bool:
    return is_transmissive_body(case) and not case.is_at("attenuation_distance", 0.0)


def tints(case: Case) -> bool:
    return is_transmissive(case) and not absorbs(case)


RULES.copy("transmission_weight", "transmission", source="KHR_materials_transmission", when=is_transmissive)
RULES.copy("transmission_color", "base_color", source="KHR_materials_transmission: tinted by the base colour", when=tints)


def _absorption_caveat(p: MetalRough) -> Caveat:
    if np.any(p.base_color < 1):
        return APPROXIMATED, "glTF tints at the surface as well; that is folded into the colour at the depth."
    return None


@RULES.rule(
    "transmission_color",
    "transmission_depth",
    id="absorption",
    fidelity=EXACT,
    text="{attenuation_color} at {attenuation_distance}, and the tint of both crossings, {base_color}² ({thickness})",
    source="KHR_materials_volume: C^(x/D); KHR_materials_transmission: tinted by the base colour",
    when=absorbs,
    caveat=_absorption_caveat,
)
def absorption(p: MetalRough) -> Any:
    return p.attenuation_color * np.square(p.base_color), p.attenuation_distance


@RULES.rule(
    "geometry_thin_walled",
    id="sheet",
    fidelity=EXACT,
    text="a sheet, because {thickness} is no inside ({transmission})",
    source="KHR_materials_volume: a thickness of 0 is thin-walled",
    when=is_transmissive_thin_wall,
)
def sheet(p: MetalRough) -> Any:
    return True


def has_inside(case: Case) -> bool:
    return is_transmissive_body(case) and not case.is_at("dispersion", 0.0)


@RULES.rule(
    "transmission_dispersion_scale",
    "transmission_dispersion_abbe_number",
    id="dispersion",
    fidelity=EXACT,
    text="the whole of Abbe number 20 ÷ {dispersion}",
    source="KHR_materials_dispersion: 20/V",
    when=has_inside,
)
def dispersion(p: MetalRough) -> Any:
    return 1.0, 20.0 / np.maximum(p.dispersion, 1e-6)


def is_translucent(case: Case) -> bool:
    return not case.is_at("diffuse_transmission", 0.0)


@RULES.rule(
    "subsurface_weight",
    "subsurface_color",
    "subsurface_scatter_anisotropy",
    "geometry_thin_walled",
    id="translucent_thin_wall",
    fidelity=EXACT,
    text="a sheet that sends {diffuse_transmission} of {diffuse_transmission_color} to the other side",
    source="KHR_materials_diffuse_transmission; OpenPBR 1.1: thin-walled subsurface, all of it forward",
    when=lambda case: is_translucent(case) and not is_transmissive_thin_wall(case),
)
def translucent_thin_wall(p: MetalRough) -> Any:
    return p.diffuse_transmission, p.diffuse_transmission_color, 1.0, True


@RULES.rule(
    "subsurface_weight",
    "subsurface_color",
    "subsurface_scatter_anisotropy",
    id="translucent_clear_sheet",
    fidelity=EXACT,
    text="{diffuse_transmission} of {diffuse_transmission_color} to the other side",
    source="KHR_materials_diffuse_transmission; OpenPBR 1.1: thin-walled subsurface, all of it forward",
    when=lambda case: is_translucent(case) and is_transmissive_thin_wall(case),
)
def translucent_clear_sheet(p: MetalRough) -> Any:
    return p.diffuse_transmission, p.diffuse_transmission_color, 1.0


RULES.copy("thin_film_weight", "iridescence", source="KHR_materials_iridescence")
RULES.copy("thin_film_ior", "iridescence_ior", source="KHR_materials_iridescence")


@RULES.rule("thin_film_thickness", id="film", fidelity=EXACT, text="{iridescence_thickness} nm in µm", source="KHR_materials_iridescence")
def film(p: MetalRough) -> Any:
    return p.iridescence_thickness / 1000.0


def is_coated(case: Case) -> bool:
    return case.is_set("clearcoat")


RULES.copy("coat_weight", "clearcoat", source="KHR_materials_clearcoat")
RULES.copy("coat_roughness", "clearcoat_roughness", source="KHR_materials_clearcoat")
RULES.copy("geometry_coat_normal", "clearcoat_normal", source="KHR_materials_clearcoat")


@RULES.rule(
    "coat_ior",
    "coat_darkening",
    id="coat",
    fidelity=APPROXIMATED,
    text="1.5 under {clearcoat}, without darkening; the base then lies under the coat instead of beside it",
    source="KHR_materials_clearcoat: a fixed index of 1.5",
    when=is_coated,
)
def coat(p: MetalRough) -> Any:
    return 1.5, 0.0


@RULES.rule(
    "fuzz_weight",
    "fuzz_color",
    "fuzz_roughness",
    id="fuzz",
    fidelity=APPROXIMATED,
    text="the fuzz nearest to a sheen of {sheen_color} at {sheen_roughness}",
    source="KHR_materials_sheen (Estevez & Kulla 2017, roughness squared); OpenPBR 1.1 (Zeltner et al. 2022); fitted to each other",
)
def fuzz(p: MetalRough) -> Any:
    nearest, strength = fuzz_of_sheen(np.square(p.sheen_roughness))
    strongest = strongest_channel(p.sheen_color)
    tint = np.where(strongest > 1e-6, p.sheen_color / np.maximum(strongest, 1e-6), 1.0)
    return np.clip(strongest * strength, 0.0, 1.0), tint, nearest


def is_emissive(case: Case) -> bool:
    return lit(case) and case.is_set("emissive")


RULES.copy("emission_color", "emissive", source="glTF 2.0 §3.9.3", when=is_emissive)


@RULES.rule(
    "emission_luminance",
    id="emission_strength",
    fidelity=EXACT,
    text="{emissive_strength}",
    source=f"KHR_materials_emissive_strength; {IN_SCENE_UNITS}",
    when=is_emissive,
)
def emission_strength(p: MetalRough) -> Any:
    return p.emissive_strength


@RULES.rule(
    "geometry_opacity",
    id="cut_out",
    binary=True,
    fidelity=EXACT,
    text="open where {alpha} is below {alpha_cutoff} ({alpha_mode})",
    source="glTF 2.0 §3.9.4",
    when=is_cut_out,
)
def cut_out(p: MetalRough) -> Any:
    return np.where(p.alpha >= p.alpha_cutoff, 1.0, 0.0)


@RULES.rule("geometry_opacity", id="blended", fidelity=EXACT, text="{alpha} ({alpha_mode})", source="glTF 2.0 §3.9.4", when=is_blended)
def blended(p: MetalRough) -> Any:
    return p.alpha


RULES.copy("occlusion", "occlusion", source="glTF 2.0 §3.9.3")
RULES.copy("geometry_normal", "normal", source="glTF 2.0 §3.9.3")
