"""The look of a measured metal: GGX with the reflectance of its table at every angle, seen in daylight."""

from typing import Any

from fenrain.core.lobes.look import Look, Part
from fenrain.core.lobes.microfacet import Microfacet, ReflectanceCurve
from fenrain.core.lobes.turned import turned
from fenrain.core.models.parameter import REFLECTION
from fenrain.core.optics.arrays import PI
from fenrain.core.optics.conductor import reflectance_curve
from fenrain.core.optics.microfacet import widths_materialx


def look(p: Any) -> Look:
    """One compensated lobe."""
    along, across = widths_materialx(p.roughness / 100.0, p.anisotropy)
    lobe = Microfacet(along, across, ReflectanceCurve(*reflectance_curve(p.table)))
    return Look((Part(turned(lobe, p.angle * (PI / 180.0)), REFLECTION),), opacity=p.opacity)
