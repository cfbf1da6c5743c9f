"""The surface of a measured metal: GGX with the reflectance of its table at every angle, seen in daylight."""

from fenrain.core.lobes.aspects import REFLECTION
from fenrain.core.lobes.microfacet import Microfacet, ReflectanceCurve
from fenrain.core.lobes.rotated import rotated
from fenrain.core.lobes.surface import Part, Surface
from fenrain.core.models.extras import relief_of
from fenrain.core.models.measured.parameters import Measured
from fenrain.core.optics.arrays import PI
from fenrain.core.optics.conductor import reflectance_curve
from fenrain.core.optics.microfacet import widths_materialx


def surface(p: Measured) -> Surface:
    """One compensated lobe."""
    alpha_x, alpha_y = widths_materialx(p.roughness / 100.0, p.anisotropy)
    lobe = Microfacet(alpha_x, alpha_y, ReflectanceCurve(*reflectance_curve(p.table)))
    return Surface(
        (Part(rotated(lobe, p.angle * (PI / 180.0)), REFLECTION),), opacity=p.opacity, relief=relief_of(p), occlusion=p.occlusion
    )
