"""Encodings of colour: the sRGB transfer curve, hex and HSV, and the way to CIE Lab.

References: IEC 61966-2-1 (sRGB); CIE 15:2018 (Lab); ITU-R BT.709-6 (primaries).
"""

from __future__ import annotations

import numpy as np

RGB_TO_XYZ = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]])
"""Linear Rec.709 to CIE XYZ, D65 (Lindbloom)."""
XYZ_TO_RGB = np.linalg.inv(RGB_TO_XYZ)
WHITE_D65 = RGB_TO_XYZ.sum(axis=1)


def srgb_to_linear(encoded: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1, 0…1, any shape."""
    encoded = np.asarray(encoded)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((np.maximum(encoded, 0.04045) + 0.055) / 1.055) ** 2.4)


def linear_to_srgb(linear: np.ndarray) -> np.ndarray:
    """The inverse, clipped to 0…1."""
    linear = np.clip(linear, 0.0, 1.0)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055)


def hex_of(linear: tuple[float, float, float]) -> str:
    """A linear colour as a display shows it.

    >>> hex_of((1.0, 0.2158605, 0.0))
    '#ff8000'
    """
    return "#" + "".join(f"{round(255 * float(part)):02x}" for part in linear_to_srgb(np.asarray(linear)))


EPSILON, KAPPA = 216 / 24389, 24389 / 27
"""Where the cube root of CIE L*a*b* gives way to a line, and its slope (CIE 15:2018)."""


def linear_to_lab(linear: np.ndarray) -> np.ndarray:
    """Linear Rec.709, shape (…, 3), to CIE L*a*b* under D65. Single precision stays single."""
    given = np.asarray(linear)
    given = given if given.dtype == np.float32 else given.astype(float)
    ratio = given @ (RGB_TO_XYZ.T / WHITE_D65).astype(given.dtype)
    f = np.where(ratio > EPSILON, np.cbrt(np.maximum(ratio, EPSILON)), (KAPPA * ratio + 16) / 116)
    return np.asarray(f @ F_TO_LAB.astype(given.dtype) - LAB_OF_BLACK.astype(given.dtype))


def lab_to_linear(lab: np.ndarray) -> np.ndarray:
    """CIE L*a*b* under D65, shape (…, 3), to linear Rec.709; what lies outside of its gamut is below 0 or above 1."""
    f = (lab + LAB_OF_BLACK.astype(lab.dtype)) @ LAB_TO_F.astype(lab.dtype)
    ratio = np.where(f > EPSILON ** (1 / 3), f * f * f, (116 * f - 16) / KAPPA)
    return np.asarray(ratio @ (WHITE_D65[:, None] * XYZ_TO_RGB.T).astype(lab.dtype))


F_TO_LAB = np.array([[0.0, 500.0, 0.0], [116.0, -500.0, 200.0], [0.0, 0.0, -200.0]])
LAB_OF_BLACK = np.array([16.0, 0.0, 0.0])
LAB_TO_F = np.linalg.inv(F_TO_LAB)


def strongest_channel(colour: np.ndarray) -> np.ndarray:
    """The largest of three channels, channels last and kept; many times faster on images than a maximum along the axis."""
    return np.maximum(np.maximum(colour[..., 0:1], colour[..., 1:2]), colour[..., 2:3])


def relative_luminance(colour: np.ndarray) -> np.ndarray:
    """Luminance of linear Rec.709, channels last and kept (ITU-R BT.709-6)."""
    return 0.2126 * colour[..., 0:1] + 0.7152 * colour[..., 1:2] + 0.0722 * colour[..., 2:3]


def perceived_brightness(colour: np.ndarray) -> np.ndarray:
    """√(0.299 R² + 0.587 G² + 0.114 B²), channels last and kept (Finley 2006; KHR_materials_pbrSpecularGlossiness)."""
    squared = np.square(colour)
    return np.sqrt(0.299 * squared[..., 0:1] + 0.587 * squared[..., 1:2] + 0.114 * squared[..., 2:3])
