"""The colour difference ΔE2000. References: CIE 142-2001; Sharma, Wu, Dalal 2005."""

from __future__ import annotations

import numpy as np


def delta_e_2000(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    """ΔE2000 between CIE Lab colours, shape (…, 3) → (…). Source: Sharma et al. 2005, equations 2–22."""
    l1, a1, b1 = np.ascontiguousarray(np.moveaxis(np.asarray(first, dtype=float), -1, 0))
    l2, a2, b2 = np.ascontiguousarray(np.moveaxis(np.asarray(second, dtype=float), -1, 0))
    mean_c7 = _seventh((np.sqrt(a1 * a1 + b1 * b1) + np.sqrt(a2 * a2 + b2 * b2)) / 2)
    g = 0.5 * (1 - np.sqrt(mean_c7 / (mean_c7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.sqrt(a1 * a1 + b1 * b1), np.sqrt(a2 * a2 + b2 * b2)
    h1, h2 = _turn(a1, b1), _turn(a2, b2)
    grey = c1 * c2 == 0
    turn = h2 - h1
    dh = np.where(grey, 0.0, np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn)))
    d_l, d_c, d_h = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh) / 2)
    lightness, c = (l1 + l2) / 2, (c1 + c2) / 2
    total = h1 + h2
    h = np.where(grey, total, np.where(np.abs(h1 - h2) <= 180, total / 2, np.where(total < 360, (total + 360) / 2, (total - 360) / 2)))
    t = (
        1
        - 0.17 * np.cos(np.radians(h - 30))
        + 0.24 * np.cos(np.radians(2 * h))
        + 0.32 * np.cos(np.radians(3 * h + 6))
        - 0.20 * np.cos(np.radians(4 * h - 63))
    )
    s_l = 1 + 0.015 * (lightness - 50) ** 2 / np.sqrt(20 + (lightness - 50) ** 2)
    s_c, s_h = 1 + 0.045 * c, 1 + 0.015 * c * t
    c7 = _seventh(c)
    rotation = -2 * np.sqrt(c7 / (c7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((h - 275) / 25) ** 2))))
    x, y, z = d_l / s_l, d_c / s_c, d_h / s_h
    return np.sqrt(np.maximum(x * x + y * y + z * z + rotation * y * z, 0.0))


def _turn(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Hue in degrees, 0…360."""
    hue = np.degrees(np.arctan2(b, a))
    return np.where(hue < 0.0, hue + 360.0, hue)


def _seventh(chroma: np.ndarray) -> np.ndarray:
    """By products, many times faster than a power."""
    third = chroma * chroma * chroma
    return third * third * chroma
