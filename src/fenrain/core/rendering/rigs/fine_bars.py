"""Bars of light of several widths and a small lamp in a dim room: shows how sharp a reflection is."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig, towards

UPRIGHT_WIDTHS, LEVEL_WIDTHS = (0.7, 1.4, 2.8, 5.6, 11.2), (0.7, 1.4, 2.8, 5.6)
"""Degrees; gaps are as wide as the bars beside them."""
BAR, OVERHEAD, LAMP, LAMP_RADIUS = 5.6, 4.2, 28.0, 1.2
"""Radiance of the bars, of the panel overhead and of the lamp, and the lamp's radius in degrees."""


def surroundings(directions: np.ndarray) -> np.ndarray:
    """The room, where no lamp hides it."""
    room = 0.09 + 0.04 * np.clip(directions[..., 1], 0.0, 1.0)
    return np.where(_lamps(directions) > 0.0, 0.0, room)[..., None] * np.ones(3)


def lamps(directions: np.ndarray) -> np.ndarray:
    return _lamps(directions)[..., None] * np.ones(3)


def _lamps(directions: np.ndarray) -> np.ndarray:
    azimuth = np.degrees(np.arctan2(directions[..., 0], directions[..., 2]))
    height = np.degrees(np.arcsin(np.clip(directions[..., 1], -1.0, 1.0)))
    light = np.zeros(azimuth.shape)
    at = -70.0
    for width in UPRIGHT_WIDTHS:
        for _ in range(3):
            light = np.where((azimuth > at) & (azimuth < at + width) & (height > 12.0) & (height < 60.0), BAR, light)
            at += 2.0 * width
    at = 14.0
    for width in LEVEL_WIDTHS:
        for _ in range(2):
            light = np.where((height > at) & (height < at + width) & (azimuth > 100.0) & (azimuth < 170.0), BAR, light)
            at += 2.0 * width
    overhead = directions @ towards(-20.0, 75.0) > np.cos(np.radians(12.0))
    small = directions @ towards(40.0, 66.0) > np.cos(np.radians(LAMP_RADIUS))
    return np.where(small, LAMP, np.where(overhead, OVERHEAD, light))


RIG = Rig("fine_bars", "Fine bars", "how sharp a reflection is", 3, surroundings, lamps)
