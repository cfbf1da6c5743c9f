"""The surface of glTF metallic-roughness: clearcoat over sheen over a mix of metal and dielectric.

Source: glTF 2.0 appendix B, KHR_materials_specular, _ior, _clearcoat, _sheen, _anisotropy, _unlit, _transmission, _volume,
_dispersion, _diffuse_transmission, _iridescence, and the node graph
`IMPL_gltf_pbr_surfaceshader` of MaterialX 1.39 for what the texts leave to the implementation (how layers share energy).
"""

from collections.abc import Sequence

from fenrain.core.lobes.aspects import BODY, COAT, FUZZ, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.microfacet import Dielectric, Microfacet, Reflectance, Schlick, filmed
from fenrain.core.lobes.rotated import rotated
from fenrain.core.lobes.sheen import Sheen
from fenrain.core.lobes.surface import Interior, Part, Relief, Surface, layered, mixed, weighted
from fenrain.core.lobes.transmissive import translucent_thin_wall, transmissive_body, transmissive_thin_wall
from fenrain.core.models.emission_and_opacity import shown_opacity
from fenrain.core.models.metal_rough.parameters import MetalRough
from fenrain.core.optics.arrays import Array, is_absent, max_channel, maximum, minimum, select, square
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.optics.microfacet import widths_gltf
from fenrain.core.optics.volume import absorption_of

CLEARCOAT_IOR = 1.5


def surface(p: MetalRough) -> Surface:
    """Clearcoat (sheen (mix (dielectric over Lambert, metal))), or the base colour alone where unlit. The clearcoat takes its F0 from own
    light, too (KHR_materials_clearcoat), seen head-on."""
    opacity, relief = shown_opacity(p.alpha, p.alpha_mode, p.alpha_cutoff), (Relief(p.normal),)
    if p.unlit:
        return Surface((Part(Lambert(p.base_color * 0.0), BODY),), emission=p.base_color, opacity=opacity, relief=relief)
    alpha_x, alpha_y = widths_gltf(p.roughness, p.anisotropy_strength)
    gloss = rotated(Microfacet(alpha_x, alpha_y, _filmed(p, Schlick(dielectric_f0(p), p.specular))), p.anisotropy_rotation)
    metal = Part(rotated(Microfacet(alpha_x, alpha_y, _filmed(p, Schlick(p.base_color))), p.anisotropy_rotation), REFLECTION)
    dielectric = (
        *layered(gloss, REFLECTION, weighted(_opaque(p), 1.0 - p.transmission)),
        *weighted(_transmitted(p, alpha_x, alpha_y), p.transmission),
    )
    base = mixed(dielectric, (metal,), p.metallic)

    strength = max_channel(p.sheen_color)
    sheen = Sheen(p.sheen_color / maximum(strength, 1e-6), square(p.sheen_roughness))
    alpha = square(p.clearcoat_roughness)
    coat = Microfacet(alpha, alpha, Dielectric(CLEARCOAT_IOR))
    return Surface(
        layered(coat, COAT, layered(sheen, FUZZ, base, weight=strength), weight=p.clearcoat, bent_by=COAT),
        emission=p.emissive * p.emissive_strength * (1.0 - p.clearcoat * f0_from_ior(CLEARCOAT_IOR)),
        opacity=opacity,
        interior=_interior(p),
        thin_walled=not is_absent(p.diffuse_transmission) or (not is_absent(p.transmission) and is_absent(p.thickness)),
        relief=relief,
        reliefs={COAT: (Relief(p.clearcoat_normal),)},
        occlusion=p.occlusion,
    )


def _filmed(p: MetalRough, base: Schlick) -> Reflectance:
    """A thin film on it (KHR_materials_iridescence)."""
    return filmed(base, p.iridescence, p.iridescence_thickness, p.iridescence_ior)


def _opaque(p: MetalRough) -> Sequence[Part]:
    """Lambert, or Lambert on both sides (KHR_materials_diffuse_transmission)."""
    if is_absent(p.diffuse_transmission):
        return (Part(Lambert(p.base_color), BODY),)
    return translucent_thin_wall(Lambert(p.base_color), p.diffuse_transmission_color, p.diffuse_transmission)


def _transmitted(p: MetalRough, alpha_x: Array, alpha_y: Array) -> Sequence[Part]:
    """Tinted by the base colour; without a thickness light goes straight through (KHR_materials_transmission, _volume)."""
    if is_absent(p.transmission):
        return ()
    if is_absent(p.thickness):
        return transmissive_thin_wall(alpha_x, alpha_y, Schlick(dielectric_f0(p), p.specular), p.base_color, rotation=p.anisotropy_rotation)
    ior = maximum(p.ior, 1.0)
    return transmissive_body(alpha_x, alpha_y, ior, p.base_color, dispersion=p.dispersion, abbe_number=20.0, rotation=p.anisotropy_rotation)


def _interior(p: MetalRough) -> Interior | None:
    """Absorption alone: colour^(x/distance) (KHR_materials_volume)."""
    if is_absent(p.transmission) or is_absent(p.thickness) or is_absent(p.attenuation_distance):
        return None
    return Interior(absorption_of(p.attenuation_color, p.attenuation_distance))


def dielectric_f0(p: MetalRough) -> Array:
    """min(F0(ior) · specularColor, 1) · specular; an index of 0 stands for F0 = 1 (KHR_materials_specular, KHR_materials_ior)."""
    from_index = select(p.ior < 1e-6, 1.0, f0_from_ior(maximum(p.ior, 1e-6)))
    return minimum(p.specular_color * from_index, 1.0) * p.specular
