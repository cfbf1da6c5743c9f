"""A clear body or sheet: the parts through which light enters, leaves and goes round inside."""

from __future__ import annotations

from typing import Any

from fenrain.core.lobes.look import Part, weighted
from fenrain.core.lobes.microfacet import Reflectance
from fenrain.core.lobes.transmission import DiffuseTransmission, InnerReflection, Refraction, SheetTransmission
from fenrain.core.lobes.turned import turned
from fenrain.core.models.parameter import TRANSMISSION
from fenrain.core.optics.arrays import Array, colour, is_absent
from fenrain.core.optics.volume import CHANNEL_WAVELENGTHS, ior_at


def clear_body(
    along: Array, across: Array, ior: Array, tint: Array, *, dispersion: Array = 0.0, abbe_number: Array = 20.0, turn: Array = 0.0
) -> tuple[Part, ...]:
    """Refraction both ways and the reflection inside.

    tint: multiplies what crosses, each time; dispersion: 0 for none, 1 for that of the Abbe number, by one refraction for each channel;
    turn: of the tangent, radians.
    """
    inside = Part(turned(InnerReflection(along, across, ior), turn), TRANSMISSION)
    if is_absent(dispersion):
        return (Part(turned(Refraction(along, across, ior, tint), turn), TRANSMISSION), inside)
    none = ior * 0.0
    channels = (colour(none + 1.0, none, none), colour(none, none + 1.0, none), colour(none, none, none + 1.0))
    parted = tuple(
        Part(turned(Refraction(along, across, ior_at(ior, abbe_number / dispersion, wavelength), tint), turn), TRANSMISSION, channel)
        for wavelength, channel in zip(CHANNEL_WAVELENGTHS, channels, strict=True)
    )
    return (*parted, inside)


def clear_sheet(along: Array, across: Array, reflectance: Reflectance, tint: Array, *, turn: Array = 0.0) -> tuple[Part, ...]:
    """Straight through a sheet without an inside."""
    return (Part(turned(SheetTransmission(along, across, reflectance, tint), turn), TRANSMISSION),)


def translucent_sheet(front: Any, colour_behind: Array, behind: Array) -> tuple[Part, ...]:
    """A leaf or paper: `front`, a diffuse lobe, for the share 1 − behind, and diffuse light from the other side for the rest."""
    through = Part(DiffuseTransmission(colour_behind), TRANSMISSION)
    return weighted((Part(front, TRANSMISSION),), 1.0 - behind) + weighted((through,), behind)
