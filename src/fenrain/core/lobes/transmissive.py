"""A transmissive body or thin wall: the parts through which light enters, leaves and goes round inside."""

from __future__ import annotations

from fenrain.core.lobes.aspects import BODY, TRANSMISSION
from fenrain.core.lobes.lobe import Lobe
from fenrain.core.lobes.microfacet import Reflectance
from fenrain.core.lobes.rotated import rotated
from fenrain.core.lobes.surface import Part, weighted
from fenrain.core.lobes.transmission import DiffuseTransmission, InnerReflection, Refraction, ThinWallTransmission
from fenrain.core.optics.arrays import Array, colour, is_absent
from fenrain.core.optics.volume import CHANNEL_WAVELENGTHS, ior_at


def transmissive_body(
    alpha_x: Array,
    alpha_y: Array,
    ior: Array,
    tint: Array,
    *,
    dispersion: Array = 0.0,
    abbe_number: Array = 20.0,
    rotation: Array = 0.0,
    reflectance: Reflectance | None = None,
) -> tuple[Part, ...]:
    """Refraction both ways and the reflection inside.

    tint: multiplies what crosses, each time; dispersion: 0 for none, 1 for that of the Abbe number, by one refraction for each channel;
    rotation: of the tangent, radians; reflectance: of its surface, where that does not follow from the index.
    """
    inside = Part(rotated(InnerReflection(alpha_x, alpha_y, ior, reflectance=reflectance), rotation), TRANSMISSION)
    if is_absent(dispersion):
        return (Part(rotated(Refraction(alpha_x, alpha_y, ior, tint, reflectance), rotation), TRANSMISSION), inside)
    none = ior * 0.0
    channels = (colour(none + 1.0, none, none), colour(none, none + 1.0, none), colour(none, none, none + 1.0))
    parted = tuple(
        Part(
            rotated(Refraction(alpha_x, alpha_y, ior_at(ior, abbe_number / dispersion, wavelength), tint), rotation), TRANSMISSION, channel
        )
        for wavelength, channel in zip(CHANNEL_WAVELENGTHS, channels, strict=True)
    )
    return (*parted, inside)


def transmissive_thin_wall(
    alpha_x: Array, alpha_y: Array, reflectance: Reflectance, tint: Array, *, rotation: Array = 0.0
) -> tuple[Part, ...]:
    """Straight through a thin wall without an inside."""
    return (Part(rotated(ThinWallTransmission(alpha_x, alpha_y, reflectance, tint), rotation), TRANSMISSION),)


def translucent_thin_wall(front: Lobe, colour_behind: Array, behind: Array) -> tuple[Part, ...]:
    """A leaf or paper: `front`, a diffuse lobe, for the share 1 − behind, and diffuse light from the other side for the rest."""
    through = Part(DiffuseTransmission(colour_behind), TRANSMISSION)
    return weighted((Part(front, BODY),), 1.0 - behind) + weighted((through,), behind)
