"""The surface of a material with a metal switch: a coat over a metal, or over a reflection over an opaque, translucent or clear body.

Common practice of renderers with such a switch: energy is kept; a metal rises to white at grazing (Schlick 1994).
"""

from fenrain.core.lobes.aspects import BODY, COAT, REFLECTION, VOLUME
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.microfacet import Dielectric, Microfacet, Schlick
from fenrain.core.lobes.surface import Interior, Part, Surface, layered, mixed, weighted
from fenrain.core.lobes.transmission import ThinWall
from fenrain.core.lobes.transmissive import translucent_thin_wall, transmissive_body, transmissive_thin_wall
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.models.metal_switch.parameters import GLOSSINESS, MetalSwitch
from fenrain.core.optics.arrays import Array, is_absent, maximum, select, square
from fenrain.core.optics.volume import interior_of_subsurface, interior_of_transmission


def surface(p: MetalSwitch) -> Surface:
    """Coat (metal) or coat (reflection over (mix (opaque, clear)))."""
    alpha = square(_roughness(p, p.finish))
    if p.metal:
        base: tuple[Part, ...] = (
            Part(Microfacet(alpha, alpha, Schlick(detailed(p.base_color, p.detail_color, p.detail_mask))), REFLECTION),
        )
    else:
        gloss = Microfacet(alpha, alpha, ThinWall(p.ior) if p.thin_walled else Dielectric(p.ior))
        base = (
            *layered(gloss, REFLECTION, weighted(_opaque(p), 1.0 - p.refraction)),
            *weighted(_transmitted(p), p.refraction),
        )
    coat_alpha = square(_roughness(p, p.coat_finish))
    coat = Microfacet(coat_alpha, coat_alpha, Dielectric(p.coat_ior))
    return Surface(
        layered(coat, COAT, flaked(base, p), weight=p.coat, bent_by=COAT),
        emission=with_painted(p.emission, p),
        opacity=p.opacity,
        interior=_interior(p),
        thin_walled=bool(p.thin_walled) and not bool(p.metal),
        relief=relief_of(p),
        reliefs={COAT: relief_of(p)},  # without the flakes below it
        occlusion=p.occlusion,
    )


def _roughness(p: MetalSwitch, finish: Array) -> Array:
    return 1.0 - finish if p.stated_as == GLOSSINESS else finish


def _opaque(p: MetalSwitch) -> tuple[Part, ...]:
    body = (Part(Lambert(detailed(p.base_color, p.detail_color, p.detail_mask)), BODY),)
    if p.thin_walled:
        scattered = translucent_thin_wall(Lambert(p.subsurface_color), p.subsurface_color, 0.5)
    else:
        scattered = (Part(Lambert(p.subsurface_color), VOLUME, subsurface=True),)
    return mixed(body, scattered, p.subsurface)


def _transmitted(p: MetalSwitch) -> tuple[Part, ...]:
    if is_absent(p.refraction):
        return ()
    alpha = square(_roughness(p, p.refraction_finish))
    if p.thin_walled:
        return transmissive_thin_wall(alpha, alpha, ThinWall(p.ior), p.absorption_color)
    return transmissive_body(alpha, alpha, p.ior, select(p.absorption_distance > 0.0, 1.0, p.absorption_color))


def _interior(p: MetalSwitch) -> Interior | None:
    if p.thin_walled or p.metal:
        return None
    if not is_absent(p.refraction):
        return (
            None
            if is_absent(p.absorption_distance)
            else Interior(*interior_of_transmission(p.absorption_color, p.absorption_distance, p.scattering))
        )
    return (
        None if is_absent(p.subsurface) else Interior(*interior_of_subsurface(p.subsurface_color, maximum(p.subsurface_radius, 1e-4), 0.0))
    )
