"""The look of a weighted material: weight × colour of each lobe, added up, whatever the sum (common practice)."""

from typing import Any

from fenrain.core.lobes.diffuse import OrenNayar
from fenrain.core.lobes.look import Look, Part, Volume, weighted
from fenrain.core.lobes.microfacet import Dielectric, Schlick, glossy
from fenrain.core.lobes.solid import clear_body
from fenrain.core.models.extras import detailed, flaked
from fenrain.core.models.parameter import BODY, REFLECTION
from fenrain.core.optics.arrays import is_absent, square
from fenrain.core.optics.volume import absorption_of


def look(p: Any) -> Look:
    """Reflection + diffuse + refraction."""
    alpha = square(p.specular_roughness)
    gloss = glossy(p.distribution, alpha, alpha, Dielectric(p.ior) if p.angle_dependent else Schlick(1.0, 1.0))
    diffuse = OrenNayar(detailed(p.diffuse_color, p.detail_color, p.detail_mask), p.diffuse_roughness)
    return Look(
        (
            *weighted((Part(gloss, REFLECTION),), p.specular_weight * p.specular_color),
            *flaked((Part(diffuse, BODY, p.diffuse_weight),), p),
            *_clear(p),
        ),
        emission=p.emission,
        opacity=p.opacity,
        volume=None if is_absent(p.refraction_weight) else Volume(absorption_of(p.transmittance, 1.0)),
    )


def _clear(p: Any) -> tuple[Part, ...]:
    if is_absent(p.refraction_weight):
        return ()
    alpha = square(p.refraction_roughness)
    return weighted(clear_body(alpha, alpha, p.ior, 1.0), p.refraction_weight * p.refraction_color)
