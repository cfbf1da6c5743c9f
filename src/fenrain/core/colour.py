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


def linear_to_lab(linear: np.ndarray) -> np.ndarray:
    """Linear Rec.709, shape (…, 3), to CIE L*a*b* under D65."""
    ratio = np.asarray(linear, dtype=float) @ RGB_TO_XYZ.T / WHITE_D65
    epsilon, kappa = 216 / 24389, 24389 / 27
    f = np.where(ratio > epsilon, np.cbrt(np.maximum(ratio, epsilon)), (kappa * ratio + 16) / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def lab_to_linear(lab: np.ndarray) -> np.ndarray:
    """CIE L*a*b* under D65, shape (…, 3), to linear Rec.709; what lies outside of its gamut is below 0 or above 1."""
    y = (lab[..., 0] + 16) / 116
    f = np.stack([y + lab[..., 1] / 500, y, y - lab[..., 2] / 200], axis=-1)
    epsilon, kappa = 216 / 24389, 24389 / 27
    ratio = np.where(f**3 > epsilon, f**3, (116 * f - 16) / kappa)
    return np.asarray((ratio * WHITE_D65) @ XYZ_TO_RGB.T)


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
