"""The surface of `standard_surface`: coat over a mix of metal and reflection over (sheen over body, or clear).

Source: the node graph `NG_standard_surface_surfaceshader_100` of MaterialX 1.39. Where the graph uses fits and view-only energy factors,
the tables and reciprocal factors of `lobes.surface` stand instead. A thin film on a thin wall is not drawn.
"""

from collections.abc import Sequence

from fenrain.core.lobes.aspects import BODY, COAT, FUZZ, REFLECTION, VOLUME
from fenrain.core.lobes.diffuse import Lambert, OrenNayar
from fenrain.core.lobes.microfacet import Conductor, Dielectric, Microfacet, Reflectance, filmed
from fenrain.core.lobes.rotated import rotated
from fenrain.core.lobes.sheen import Sheen
from fenrain.core.lobes.surface import Interior, Part, Relief, Surface, layered, mixed, weighted
from fenrain.core.lobes.transmission import ThinWall
from fenrain.core.lobes.transmissive import translucent_thin_wall, transmissive_body, transmissive_thin_wall
from fenrain.core.models.standard_surface.parameters import StandardSurface
from fenrain.core.optics.arrays import PI, Array, clip, is_absent, lerp, luminance, maximum, power, select
from fenrain.core.optics.fresnel import f0_from_ior, metal_of_colours
from fenrain.core.optics.microfacet import widths_materialx
from fenrain.core.optics.volume import interior_of_subsurface, interior_of_transmission


def surface(p: StandardSurface) -> Surface:
    """Coat (coat colour × mix (specular over (sheen over body, or clear), metal))."""
    widths = widths_materialx(roughness_below_coat(p, p.specular_roughness), p.specular_anisotropy)
    rotation = p.specular_rotation * (-2.0 * PI)
    reflectance = ThinWall(p.specular_IOR) if p.thin_walled else _filmed(p, Dielectric(p.specular_IOR), p.specular_IOR)
    gloss = rotated(Microfacet(*widths, reflectance, colour=p.specular_color), rotation)
    opaque = layered(Sheen(p.sheen_color, p.sheen_roughness), FUZZ, _opaque(p), weight=p.sheen)
    dielectric = (
        *layered(gloss, REFLECTION, weighted(opaque, 1.0 - p.transmission), weight=p.specular),
        *weighted(_transmitted(p, rotation), p.transmission),
    )
    conductor = Conductor(*metal_of_colours(p.base_color * p.base, p.specular_color * p.specular))
    metal = Part(rotated(Microfacet(*widths, _filmed(p, conductor)), rotation), REFLECTION)
    substrate = mixed(dielectric, (metal,), p.metalness)

    coat_lobe = rotated(
        Microfacet(*widths_materialx(p.coat_roughness, p.coat_anisotropy), Dielectric(p.coat_IOR)), p.coat_rotation * (-2.0 * PI)
    )
    return Surface(
        layered(coat_lobe, COAT, weighted(substrate, lerp(1.0, p.coat_color, p.coat)), weight=p.coat, bent_by=COAT),
        emission=_emission(p),
        opacity=luminance(p.opacity),
        interior=_interior(p),
        thin_walled=bool(p.thin_walled),
        relief=(Relief(p.normal),),
        reliefs={COAT: (Relief(p.coat_normal),)},
    )


def _filmed(p: StandardSurface, base: Reflectance, ior: Array | None = None) -> Reflectance:
    """A thin film on it where its thickness, in nm, is not 0."""
    there = 0.0 if is_absent(p.thin_film_thickness) else select(p.thin_film_thickness > 0.0, 1.0, 0.0)
    return filmed(base, there, p.thin_film_thickness, p.thin_film_IOR, ior)


def roughness_below_coat(p: StandardSurface, roughness: Array) -> Array:
    return lerp(roughness, 1.0, p.coat_affect_roughness * p.coat * p.coat_roughness)


def deepened_by_coat(p: StandardSurface, colour: Array) -> Array:
    """colour^(1 + coat · coat_affect_color)."""
    if is_absent(p.coat) or is_absent(p.coat_affect_color):
        return colour
    return power(maximum(colour, 1e-7), 1.0 + clip(p.coat, 0.0, 1.0) * p.coat_affect_color)


def _opaque(p: StandardSurface) -> Sequence[Part]:
    body = (Part(OrenNayar(deepened_by_coat(p, p.base_color), p.diffuse_roughness), BODY, p.base),)
    inner = deepened_by_coat(p, p.subsurface_color)
    scattered = translucent_thin_wall(Lambert(inner), inner, 1.0) if p.thin_walled else (Part(Lambert(inner), VOLUME, subsurface=True),)
    return mixed(body, scattered, p.subsurface)


def _transmitted(p: StandardSurface, rotation: Array) -> Sequence[Part]:
    if is_absent(p.transmission):
        return ()
    roughness = clip(p.specular_roughness + p.transmission_extra_roughness, 0.0, 1.0)
    widths = widths_materialx(roughness_below_coat(p, roughness), p.specular_anisotropy)
    if p.thin_walled:
        return transmissive_thin_wall(*widths, ThinWall(p.specular_IOR), p.transmission_color, rotation=rotation)
    tint = p.transmission_color if is_absent(p.transmission_depth) else select(p.transmission_depth > 0.0, 1.0, p.transmission_color)
    parting = 0.0 if is_absent(p.transmission_dispersion) else 1.0
    return transmissive_body(*widths, p.specular_IOR, tint, dispersion=parting, abbe_number=p.transmission_dispersion, rotation=rotation)


def _interior(p: StandardSurface) -> Interior | None:
    if p.thin_walled:
        return None
    if not is_absent(p.transmission) and not is_absent(p.transmission_depth):
        return Interior(
            *interior_of_transmission(p.transmission_color, p.transmission_depth, p.transmission_scatter), p.transmission_scatter_anisotropy
        )
    if is_absent(p.subsurface):
        return None
    radius = p.subsurface_radius * p.subsurface_scale
    return Interior(*interior_of_subsurface(p.subsurface_color, radius, p.subsurface_anisotropy), p.subsurface_anisotropy)


def _emission(p: StandardSurface) -> Array:
    """Seen head-on: the coat takes its F0 and its colour."""
    return p.emission_color * p.emission * lerp(1.0, p.coat_color * (1.0 - f0_from_ior(p.coat_IOR)), p.coat)
