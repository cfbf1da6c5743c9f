"""The surface of a weighted material: weight × colour of each lobe, added up, whatever the sum (common practice)."""

from fenrain.core.lobes.aspects import BODY, REFLECTION
from fenrain.core.lobes.diffuse import OrenNayar
from fenrain.core.lobes.microfacet import Dielectric, Schlick, glossy
from fenrain.core.lobes.surface import Interior, Part, Surface, weighted
from fenrain.core.lobes.transmissive import transmissive_body
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.models.weighted.parameters import Weighted
from fenrain.core.optics.arrays import is_absent, square
from fenrain.core.optics.volume import absorption_of


def surface(p: Weighted) -> Surface:
    """Reflection + diffuse + refraction."""
    alpha = square(p.specular_roughness)
    gloss = glossy(p.distribution, alpha, alpha, Dielectric(p.ior) if p.angle_dependent else Schlick(1.0, 1.0))
    diffuse = OrenNayar(detailed(p.diffuse_color, p.detail_color, p.detail_mask), p.diffuse_roughness)
    return Surface(
        (
            *flaked(weighted((Part(gloss, REFLECTION),), p.specular_weight * p.specular_color), p),
            Part(diffuse, BODY, p.diffuse_weight),
            *_transmitted(p),
        ),
        emission=with_painted(p.emission, p),
        opacity=p.opacity,
        interior=None if is_absent(p.refraction_weight) else Interior(absorption_of(p.transmittance, 1.0)),
        relief=relief_of(p),
        occlusion=p.occlusion,
    )


def _transmitted(p: Weighted) -> tuple[Part, ...]:
    if is_absent(p.refraction_weight):
        return ()
    alpha = square(p.refraction_roughness)
    return weighted(transmissive_body(alpha, alpha, p.ior, 1.0), p.refraction_weight * p.refraction_color)
