"""The surface of OpenPBR Surface 1.1: fuzz over coat over a mix of metal and a dielectric that is opaque, translucent or clear.

Source: OpenPBR 1.1 and the node graph `NG_open_pbr_surface_surfaceshader` of MaterialX 1.39. Where the graph uses fits and
view-only energy factors, the tables and reciprocal factors of `lobes.surface` stand instead. A thin film on a thin wall is not drawn.
"""

from collections.abc import Sequence

from fenrain.core.lobes.aspects import BODY, COAT, FUZZ, REFLECTION, VOLUME
from fenrain.core.lobes.diffuse import Lambert, RoughDiffuse
from fenrain.core.lobes.microfacet import Dielectric, MetalTint, Microfacet, Reflectance, filmed
from fenrain.core.lobes.rotated import rotated
from fenrain.core.lobes.sheen import Fuzz
from fenrain.core.lobes.surface import Interior, Part, Relief, Surface, layered, mixed, weighted
from fenrain.core.lobes.transmission import ThinWall
from fenrain.core.lobes.transmissive import translucent_thin_wall, transmissive_body, transmissive_thin_wall
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.optics.arrays import Array, is_absent, lerp, maximum, minimum, raw_sqrt, select, square
from fenrain.core.optics.fresnel import f0_from_ior, fresnel_schlick1994, modulated_ior
from fenrain.core.optics.microfacet import widths_openpbr
from fenrain.core.optics.volume import interior_of_subsurface, interior_of_transmission


def surface(p: OpenPbr) -> Surface:
    """Fuzz (coat (mix (reflection over (mix (opaque, clear)), metal)))."""
    alpha_x, alpha_y = widths_openpbr(roughness_below_coat(p), p.specular_roughness_anisotropy)
    ior = ior_below_coat(p)
    reflectance = ThinWall(ior) if p.geometry_thin_walled else _filmed(p, Dielectric(ior), ior)
    gloss = rotated(Microfacet(alpha_x, alpha_y, reflectance, colour=p.specular_color), p.geometry_tangent_rotation)
    dielectric = (
        *layered(gloss, REFLECTION, weighted(_opaque(p), 1.0 - p.transmission_weight)),
        *weighted(_transmitted(p, alpha_x, alpha_y, ior), p.transmission_weight),
    )
    tinted = _filmed(p, MetalTint(p.base_color * p.base_weight, p.specular_color))
    metal = rotated(Microfacet(alpha_x, alpha_y, tinted), p.geometry_tangent_rotation)
    substrate = mixed(dielectric, (Part(metal, REFLECTION, p.specular_weight),), p.base_metalness)

    coat_widths = widths_openpbr(p.coat_roughness, p.coat_roughness_anisotropy)
    coat = rotated(Microfacet(*coat_widths, Dielectric(p.coat_ior)), p.geometry_coat_tangent_rotation)
    coated = layered(coat, COAT, weighted(substrate, seen_through_coat(p)), weight=p.coat_weight, bent_by=COAT)
    return Surface(
        layered(Fuzz(p.fuzz_color, p.fuzz_roughness), FUZZ, coated, weight=p.fuzz_weight),
        emission=p.emission_color * p.emission_luminance * emission_through_coat(p),
        opacity=p.geometry_opacity,
        interior=_interior(p),
        thin_walled=bool(p.geometry_thin_walled),
        relief=(Relief(p.geometry_normal),),
        reliefs={COAT: (Relief(p.geometry_coat_normal),)},
        occlusion=p.occlusion,
    )


def _filmed(p: OpenPbr, base: Reflectance, ior: Array | None = None) -> Reflectance:
    """A thin film on it, whose thickness is in µm."""
    return filmed(base, p.thin_film_weight, p.thin_film_thickness * 1000.0, p.thin_film_ior, ior)


def _opaque(p: OpenPbr) -> Sequence[Part]:
    """The rough diffuse body, and subsurface scattering: out of a thin wall on both sides, else out of the same side."""
    body = (Part(RoughDiffuse(p.base_color, p.base_diffuse_roughness), BODY, p.base_weight),)
    if p.geometry_thin_walled:
        front = RoughDiffuse(p.subsurface_color, p.base_diffuse_roughness)
        scattered = translucent_thin_wall(front, p.subsurface_color, 0.5 * (1.0 + p.subsurface_scatter_anisotropy))
    else:
        scattered = (Part(Lambert(p.subsurface_color), VOLUME, subsurface=True),)
    return mixed(body, scattered, p.subsurface_weight)


def _transmitted(p: OpenPbr, alpha_x: Array, alpha_y: Array, ior: Array) -> Sequence[Part]:
    """A tint at the surface where no depth is given; else the colour is the volume's."""
    if is_absent(p.transmission_weight):
        return ()
    tint = p.transmission_color if is_absent(p.transmission_depth) else select(p.transmission_depth > 0.0, 1.0, p.transmission_color)
    if p.geometry_thin_walled:
        return transmissive_thin_wall(alpha_x, alpha_y, ThinWall(ior), p.transmission_color, rotation=p.geometry_tangent_rotation)
    return transmissive_body(
        alpha_x,
        alpha_y,
        ior,
        tint,
        dispersion=p.transmission_dispersion_scale,
        abbe_number=p.transmission_dispersion_abbe_number,
        rotation=p.geometry_tangent_rotation,
    )


def _interior(p: OpenPbr) -> Interior | None:
    """Extinction −ln T/λ, scattering S/λ; or, of subsurface scattering, 1/radius with the albedo that gives the colour."""
    if p.geometry_thin_walled:
        return None
    if not is_absent(p.transmission_weight) and not is_absent(p.transmission_depth):
        return Interior(
            *interior_of_transmission(p.transmission_color, p.transmission_depth, p.transmission_scatter), p.transmission_scatter_anisotropy
        )
    if is_absent(p.subsurface_weight) or is_absent(p.subsurface_radius):
        return None
    radius = p.subsurface_radius_scale * p.subsurface_radius
    return Interior(*interior_of_subsurface(p.subsurface_color, radius, p.subsurface_scatter_anisotropy), p.subsurface_scatter_anisotropy)


IOR_BELOW_COAT = ("specular_ior", "specular_weight", "coat_weight", "coat_ior")
ROUGHNESS_BELOW_COAT = ("specular_roughness", "coat_weight", "coat_roughness")
DARKENED_BY_COAT = (
    "coat_weight",
    "coat_ior",
    "coat_darkening",
    "base_color",
    "base_metalness",
    "subsurface_color",
    "subsurface_weight",
    "specular_weight",
)
SEEN_THROUGH_COAT = (*DARKENED_BY_COAT, "coat_color")
"""What the functions of these names below read, for rules that call them."""


def roughness_below_coat(p: OpenPbr) -> Array:
    """Roughness of the base as a rough coat spreads it: (2 rc⁴ + r⁴)^¼ (OpenPBR 1.1, coat)."""
    if is_absent(p.coat_weight):
        return p.specular_roughness
    widened = raw_sqrt(raw_sqrt(minimum(1.0, 2.0 * square(square(p.coat_roughness)) + square(square(p.specular_roughness)))))
    return lerp(p.specular_roughness, widened, p.coat_weight)


def ior_below_coat(p: OpenPbr) -> Array:
    """Index of the base relative to what lies above it, scaled by `specular_weight`; below one it is inverted, as the graph does."""
    if is_absent(p.coat_weight):
        return modulated_ior(p.specular_ior, p.specular_weight)
    ratio = p.specular_ior / maximum(p.coat_ior, 1e-3)
    outward = select(ratio > 1.0, ratio, 1.0 / maximum(ratio, 1e-3))
    return modulated_ior(lerp(p.specular_ior, outward, p.coat_weight), p.specular_weight)


def seen_through_coat(p: OpenPbr) -> Array:
    """Colour of the coat, and the darkening by reflections inside it."""
    return 1.0 if is_absent(p.coat_weight) else darkened_by_coat(p) * lerp(1.0, p.coat_color, p.coat_weight)


def darkened_by_coat(p: OpenPbr) -> Array:
    """What reflections inside the coat leave of the base: (1 − K)/(1 − E K), K = 1 − (1 − F0)/n² (OpenPBR 1.1, coat_darkening)."""
    if is_absent(p.coat_weight):
        return 1.0
    inside = 1.0 - (1.0 - f0_from_ior(p.coat_ior)) / square(maximum(p.coat_ior, 1e-3))
    body = lerp(p.base_color, p.subsurface_color, p.subsurface_weight)
    base_albedo = lerp(body, p.base_color * p.specular_weight, p.base_metalness)
    darkening = (1.0 - inside) / maximum(1.0 - base_albedo * inside, 1e-4)
    return lerp(1.0, darkening, p.coat_weight * p.coat_darkening)


EMISSION_THROUGH_COAT = ("coat_weight", "coat_ior", "coat_color")


def emission_through_coat(p: OpenPbr) -> Array:
    """What the coat leaves of own light, seen head-on: it takes its F0 and its colour (generalised Schlick EDF of the node graph)."""
    if is_absent(p.coat_weight):
        return 1.0
    return lerp(1.0, p.coat_color * fresnel_schlick1994(1.0, 1.0 - f0_from_ior(p.coat_ior), 0.0), p.coat_weight)
