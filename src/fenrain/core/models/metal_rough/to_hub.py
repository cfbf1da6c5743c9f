"""glTF metallic-roughness to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.additive import TYPICAL_FRESNEL
from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS, is_blended, is_cut_out
from fenrain.core.models.metal_rough.parameters import MetalRough
from fenrain.core.models.metal_rough.surface import CLEARCOAT_IOR
from fenrain.core.models.open_pbr.inverse import base_reflection_for, below_rough_coat, one_gives_way
from fenrain.core.models.schlick import THROUGH, schlick_caveat
from fenrain.core.optics.energy import left_below, left_below_schlick
from fenrain.core.optics.fresnel import f0_from_ior, ior_from_f0, of_one_surface
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


def is_weakened(case: Case) -> bool:
    """Whether a strength below 1 lets more light to the body than Fresnel's curve does."""
    return lit(case) and not case.is_at("specular", 1.0)


def _schlick(p: MetalRough) -> Caveat:
    body = p.base_color * (1.0 - p.transmission * (1.0 - THROUGH))
    return schlick_caveat(strongest_channel(_f0(p)), np.square(p.roughness), p.metallic, body)


RULES.copy(
    "base_color",
    "base_color",
    source="glTF 2.0 §B.3.5",
    fidelity=EQUIVALENT,
    when=lambda case: lit(case) and not is_weakened(case),
    also=("metallic", "roughness", "ior", "specular_color", "transmission"),
    caveat=_schlick,
)
RULES.copy("base_metalness", "metallic", source="glTF 2.0 §B.3.5", when=lit)


@RULES.rule(
    "base_color",
    id="body",
    needs=("metallic", "transmission"),
    fidelity=EQUIVALENT,
    text="{base_color}, raised by what a reflection of {specular} ({ior}, {specular_color}) takes less at {roughness} than OpenPBR's, "
    "whose tint takes nothing off what lies below",
    source="KHR_materials_specular; OpenPBR 1.1: the body is scaled by 1 − E of the untinted reflection",
    when=is_weakened,
    caveat=_schlick,
    cut=("base_color",),
    why_cut="The weaker reflection lets more light through than a colour of 1 can give back",
)
def body(p: MetalRough) -> Any:
    alpha, f0 = np.square(p.roughness), _f0(p)
    here = left_below_schlick((f0 * p.specular).mean(axis=-1, keepdims=True), alpha, p.specular)
    raised = here / left_below(strongest_channel(f0) * _split(p.specular)[0], alpha)
    return p.base_color * (raised * (1.0 - p.metallic) + p.metallic)


def _f0(p: MetalRough) -> Any:
    """F0 before its strength: min(F0(ior) · specularColor, 1), where an index of 0 stands for 1."""
    from_index = np.where(p.ior < 1e-6, 1.0, f0_from_ior(np.maximum(p.ior, 1e-6)))
    return np.minimum(p.specular_color * from_index, 1.0)


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


def is_coated(case: Case) -> bool:
    return lit(case) and not case.is_at("clearcoat", 0.0)


def is_bare(case: Case) -> bool:
    return not is_coated(case)


RULES.copy(
    "specular_roughness",
    "roughness",
    source="glTF 2.0 §B.3.1 and OpenPBR 1.1: α = r²",
    when=lambda case: is_isotropic(case) and is_bare(case),
)


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    id="widths",
    fidelity=EXACT,
    text="the pair with the widths of {roughness}, {anisotropy_strength}",
    source="KHR_materials_anisotropy: (mix(r², 1, s²), r²); OpenPBR 1.1",
    when=lambda case: is_anisotropic(case) and is_bare(case),
)
def widths(p: MetalRough) -> Any:
    return roughness_from_widths_openpbr(*widths_gltf(p.roughness, p.anisotropy_strength))


BELOW_COAT = "KHR_materials_clearcoat: the base is as rough below the coat as without; OpenPBR 1.1: (2 rc⁴ + r⁴)^¼"


@RULES.rule(
    "specular_roughness",
    "coat_roughness",
    id="roughness_below_coat",
    needs=("base_color", "metallic"),
    fidelity=EQUIVALENT,
    text="{roughness}, less what {clearcoat} of OpenPBR's coat spreads at {clearcoat_roughness}; that coat sharper where it would spread "
    "the base too much",
    source=BELOW_COAT,
    when=lambda case: is_isotropic(case) and is_coated(case),
    caveat=lambda p: one_gives_way(p.roughness, p.clearcoat, p.clearcoat_roughness),
)
def roughness_below_coat(p: MetalRough) -> Any:
    return _below_coat(p, p.roughness)


@RULES.rule(
    "specular_roughness",
    "coat_roughness",
    "specular_roughness_anisotropy",
    id="widths_below_coat",
    needs=("base_color", "metallic"),
    fidelity=EQUIVALENT,
    text="the pair with the widths of {roughness}, {anisotropy_strength}, less what {clearcoat} of OpenPBR's coat spreads at "
    "{clearcoat_roughness}; that coat sharper where it would spread the base too much",
    source=f"KHR_materials_anisotropy: (mix(r², 1, s²), r²); {BELOW_COAT}",
    when=lambda case: is_anisotropic(case) and is_coated(case),
    caveat=lambda p: one_gives_way(_stretched(p)[0], p.clearcoat, p.clearcoat_roughness),
)
def widths_below_coat(p: MetalRough) -> Any:
    roughness, anisotropy = _stretched(p)
    return *_below_coat(p, roughness), anisotropy


def _stretched(p: MetalRough) -> Any:
    return roughness_from_widths_openpbr(*widths_gltf(p.roughness, p.anisotropy_strength))


def _below_coat(p: MetalRough, roughness: Any) -> Any:
    reflected = (p.base_color.mean(axis=-1, keepdims=True) - TYPICAL_FRESNEL) * p.metallic + TYPICAL_FRESNEL
    return below_rough_coat(roughness, p.clearcoat, p.clearcoat_roughness, below=reflected, above=TYPICAL_FRESNEL * p.clearcoat)


RULES.copy(
    "geometry_tangent_rotation",
    "anisotropy_rotation",
    source="KHR_materials_anisotropy: from the tangent, counter-clockwise",
    when=is_anisotropic,
)


def _tint_caveat(p: MetalRough) -> Caveat:
    if np.ptp(p.specular_color, axis=-1).max() > 0.02:
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in glTF they stay white."
    return None


def reflects_specially(case: Case) -> bool:
    return any(case.is_set(name) for name in ("specular", "specular_color", "ior")) or is_coated(case)


TWO_SURFACES = "The reflection of two surfaces rises sooner towards grazing angles than Schlick's curve does."
REFLECTION_TEXT = (
    "index whose F0 is the strongest channel of min(F0 of {ior} × {specular_color}, 1), as seen below {clearcoat} of coat; the rest and "
    "{specular} as tint"
)
REFLECTION_SOURCE = "KHR_materials_specular, KHR_materials_ior; OpenPBR 1.1: the index below a coat is relative to it"


def _reflection(p: MetalRough, surfaces: int) -> Any:
    f0 = _f0(p)
    strongest = strongest_channel(f0)
    seen = of_one_surface(strongest) if surfaces > 1 else strongest
    lower, strength = _split(p.specular)
    ior, weight = base_reflection_for(ior_from_f0(seen * lower), p.clearcoat, CLEARCOAT_IOR * np.ones(1))
    tint = np.where(strongest > 1e-6, f0 / np.maximum(strongest, 1e-6), 1.0)
    return ior, weight + (1.0 - weight) * p.metallic, tint * strength * (1.0 - p.metallic) + p.metallic


def _split(strength: Any) -> tuple[Any, Any]:
    """(factor of F0, tint) that stand for a strength: the tint takes nothing off what OpenPBR's reflection takes from the body, so that a
    strength near 0 is better said by an F0 near 0."""
    return np.minimum(2.0 * strength, 1.0), np.maximum(strength, 0.5)


@RULES.rule(
    "specular_ior",
    "specular_weight",
    "specular_color",
    id="reflection",
    needs=("metallic",),
    fidelity=EQUIVALENT,
    text=REFLECTION_TEXT,
    source=REFLECTION_SOURCE,
    when=lambda case: lit(case) and reflects_specially(case) and not is_sheet(case),
    caveat=_tint_caveat,
)
def reflection(p: MetalRough) -> Any:
    return _reflection(p, 1)


@RULES.rule(
    "specular_ior",
    "specular_weight",
    "specular_color",
    id="reflection_of_sheet",
    needs=("metallic",),
    fidelity=EQUIVALENT,
    text=REFLECTION_TEXT + "; half of it for each of the two surfaces that a sheet of OpenPBR has ({transmission}, {thickness}, "
    "{diffuse_transmission})",
    source=f"{REFLECTION_SOURCE}; Born & Wolf §7.6: 2F/(1 + F)",
    when=lambda case: lit(case) and is_sheet(case),
    caveat=lambda p: (APPROXIMATED, TWO_SURFACES),
)
def reflection_of_sheet(p: MetalRough) -> Any:
    return _reflection(p, 2)


def is_sheet(case: Case) -> bool:
    return is_transmissive_thin_wall(case) or is_translucent(case)


def is_transmissive(case: Case) -> bool:
    return lit(case) and not case.is_at("transmission", 0.0)


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
    return lit(case) and not case.is_at("diffuse_transmission", 0.0)


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


RULES.copy("thin_film_weight", "iridescence", source="KHR_materials_iridescence", when=lit)
RULES.copy("thin_film_ior", "iridescence_ior", source="KHR_materials_iridescence", when=lit)


@RULES.rule(
    "thin_film_thickness", id="film", fidelity=EXACT, text="{iridescence_thickness} nm in µm", source="KHR_materials_iridescence", when=lit
)
def film(p: MetalRough) -> Any:
    return p.iridescence_thickness / 1000.0


RULES.copy("coat_weight", "clearcoat", source="KHR_materials_clearcoat", when=is_coated)
RULES.copy("geometry_coat_normal", "clearcoat_normal", source="KHR_materials_clearcoat", when=is_coated)


@RULES.rule(
    "coat_ior",
    "coat_darkening",
    id="coat",
    fidelity=EQUIVALENT,
    text="1.5 under {clearcoat}, without darkening",
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
    when=lit,
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
