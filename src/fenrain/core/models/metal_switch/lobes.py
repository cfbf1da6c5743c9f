"""The look of a material with a metal switch: a coat over a metal, or over a reflection over a body that is opaque, translucent or clear.

Common practice of renderers with such a switch: energy is kept; a metal rises to white at grazing (Schlick 1994).
"""

from typing import Any

from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.look import Look, Part, Volume, layered, mixed, weighted
from fenrain.core.lobes.microfacet import Dielectric, Microfacet, Schlick
from fenrain.core.lobes.solid import clear_body, clear_sheet, translucent_sheet
from fenrain.core.lobes.transmission import Sheet
from fenrain.core.models.extras import detailed, flaked
from fenrain.core.models.metal_switch.parameters import GLOSSINESS
from fenrain.core.models.parameter import BODY, COAT, REFLECTION, VOLUME
from fenrain.core.optics.arrays import Array, is_absent, maximum, select, square
from fenrain.core.optics.volume import interior, wandering


def look(p: Any) -> Look:
    """Coat (metal) or coat (reflection over (mix (opaque, clear)))."""
    alpha = square(_roughness(p, p.finish))
    if p.metal:
        base = flaked((Part(Microfacet(alpha, alpha, Schlick(detailed(p.base_color, p.detail_color, p.detail_mask))), REFLECTION),), p)
    else:
        gloss = Microfacet(alpha, alpha, Sheet(p.ior) if p.thin_walled else Dielectric(p.ior))
        base = (
            *layered(Part(gloss, REFLECTION), weighted(flaked(_opaque(p), p), 1.0 - p.refraction)),
            *weighted(_clear(p), p.refraction),
        )
    coat_alpha = square(_roughness(p, p.coat_finish))
    coat = Part(Microfacet(coat_alpha, coat_alpha, Dielectric(p.coat_ior)), COAT, p.coat)
    return Look(
        layered(coat, base), emission=p.emission, opacity=p.opacity, volume=_volume(p), sheet=bool(p.thin_walled) and not bool(p.metal)
    )


def _roughness(p: Any, finish: Array) -> Array:
    return 1.0 - finish if p.stated_as == GLOSSINESS else finish


def _opaque(p: Any) -> tuple[Part, ...]:
    body = (Part(Lambert(detailed(p.base_color, p.detail_color, p.detail_mask)), BODY),)
    if p.thin_walled:
        wandering = translucent_sheet(Lambert(p.subsurface_color), p.subsurface_color, 0.5)
    else:
        wandering = (Part(Lambert(p.subsurface_color), VOLUME, wanders=True),)
    return mixed(body, wandering, p.subsurface)


def _clear(p: Any) -> tuple[Part, ...]:
    if is_absent(p.refraction):
        return ()
    alpha = square(_roughness(p, p.refraction_finish))
    if p.thin_walled:
        return clear_sheet(alpha, alpha, Sheet(p.ior), p.absorption_color)
    return clear_body(alpha, alpha, p.ior, select(p.absorption_distance > 0.0, 1.0, p.absorption_color))


def _volume(p: Any) -> Volume | None:
    if p.thin_walled or p.metal:
        return None
    if not is_absent(p.refraction):
        return None if is_absent(p.absorption_distance) else Volume(*interior(p.absorption_color, p.absorption_distance, p.scattering))
    return None if is_absent(p.subsurface) else Volume(*wandering(p.subsurface_color, maximum(p.subsurface_radius, 1e-4), 0.0))
