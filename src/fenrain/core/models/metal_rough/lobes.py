"""The look of glTF metallic-roughness: clearcoat over sheen over a mix of metal and dielectric.

Source: glTF 2.0 appendix B, KHR_materials_specular, _ior, _clearcoat, _sheen, _anisotropy, _unlit, and the node graph
`IMPL_gltf_pbr_surfaceshader` of MaterialX 1.39 for what the texts leave to the implementation (how layers share energy).
"""

from typing import Any

from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.look import Look, Part, layered, mixed
from fenrain.core.lobes.microfacet import Dielectric, Microfacet, Schlick
from fenrain.core.lobes.sheen import Sheen
from fenrain.core.lobes.turned import Turned
from fenrain.core.models.parameter import BODY, COAT, FUZZ, REFLECTION
from fenrain.core.models.surface import shown_opacity, shown_radiance
from fenrain.core.optics.arrays import Array, max_channel, maximum, minimum, select, square
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.optics.microfacet import widths_gltf

CLEARCOAT_IOR = 1.5


def look(p: Any) -> Look:
    """Clearcoat (sheen (mix (dielectric over Lambert, metal))), or the base colour alone where unlit."""
    opacity = shown_opacity(p.alpha, p.alpha_mode, p.alpha_cutoff)
    if p.unlit:
        return Look((Part(Lambert(p.base_color * 0.0), BODY),), emission=p.base_color, opacity=opacity)
    along, across = widths_gltf(p.roughness, p.anisotropy_strength)
    gloss = Turned(Microfacet(along, across, Schlick(dielectric_f0(p), p.specular)), p.anisotropy_rotation)
    metal = Part(Turned(Microfacet(along, across, Schlick(p.base_color)), p.anisotropy_rotation), REFLECTION)
    base = mixed(layered(Part(gloss, REFLECTION), (Part(Lambert(p.base_color), BODY),)), (metal,), p.metallic)

    strength = max_channel(p.sheen_color)
    sheen = Part(Sheen(p.sheen_color / maximum(strength, 1e-6), square(p.sheen_roughness)), FUZZ, strength)
    alpha = square(p.clearcoat_roughness)
    coat = Part(Microfacet(alpha, alpha, Dielectric(CLEARCOAT_IOR)), COAT, p.clearcoat)
    return Look(layered(coat, layered(sheen, base)), emission=shown_radiance(p.emissive, p.emissive_strength), opacity=opacity)


def dielectric_f0(p: Any) -> Array:
    """min(F0(ior) · specularColor, 1) · specular; an index of 0 stands for F0 = 1 (KHR_materials_specular, KHR_materials_ior)."""
    from_index = select(p.ior < 1e-6, 1.0, f0_from_ior(maximum(p.ior, 1e-6)))
    return minimum(p.specular_color * from_index, 1.0) * p.specular
