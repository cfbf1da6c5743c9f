"""A low warm sun with its sky: shows sharp highlights, grazing reflections and relief. The higher it stands, the whiter it is."""

from collections.abc import Callable

import numpy as np

from fenrain.core.rendering.rigs.registry import Hour, Rig, soft_edge, towards

SUN_RADIUS = 2.4
"""Degrees; wider than the real one, so that a mirror's image of it spans several pixels."""
AZIMUTH, HEIGHT = -58.0, 17.0
LOW, HIGH = np.array([1.0, 0.82, 0.6]), np.array([1.0, 0.95, 0.88])
"""The sun's colour at HEIGHT and overhead: a look of our own, not a model of the air."""


def surroundings_at(height: float) -> Callable[[np.ndarray], np.ndarray]:
    def surroundings(directions: np.ndarray) -> np.ndarray:
        up = directions[..., 1:2]
        zenith, horizon, ground = np.array([0.16, 0.22, 0.34]), np.array([0.62, 0.5, 0.38]), np.array([0.09, 0.08, 0.07])
        sky = horizon + (zenith - horizon) * np.clip(up, 0, 1) ** 0.5
        base = np.where(up > 0, sky, ground + (horizon * 0.4 - ground) * np.clip(1 + up * 6, 0, 1))
        glow = 0.7 * soft_edge(directions @ towards(AZIMUTH, height), 2, 32) ** 2
        return np.asarray(base + glow[..., None] * _colour(height))

    return surroundings


def lamps_at(height: float) -> Callable[[np.ndarray], np.ndarray]:
    def lamps(directions: np.ndarray) -> np.ndarray:
        disc = soft_edge(directions @ towards(AZIMUTH, height), SUN_RADIUS - 0.6, SUN_RADIUS + 0.6)
        return np.asarray(430.0 * disc[..., None] * _colour(height))

    return lamps


def _colour(height: float) -> np.ndarray:
    return LOW + (HIGH - LOW) * np.clip((height - HEIGHT) / 40.0, 0.0, 1.0)


def hours() -> tuple[Hour, ...]:
    """The sun of an even day at LATITUDE, with the camera looking north, so that noon stands behind it: every half hour while it is up.

    Height and azimuth from latitude φ and hour angle H at declination 0: sin h = cos φ cos H, tan A = sin H / (sin φ cos H) (Meeus 1998,
    Astronomical Algorithms, §13).
    """
    found = []
    for hour in np.arange(6.5, 18.0, 0.5):
        angle, latitude = np.radians(15.0 * (hour - 12.0)), np.radians(LATITUDE)
        height = np.degrees(np.arcsin(np.cos(latitude) * np.cos(angle)))
        # From the camera's side, the south, to its right, the east.
        azimuth = -np.degrees(np.arctan2(np.sin(angle), np.sin(latitude) * np.cos(angle)))
        found.append(Hour(float(hour), round(float(azimuth - AZIMUTH) % 360.0, 1), round(float(height), 1)))
    return tuple(found)


def at_height(height: float) -> Rig:
    light = surroundings_at(height), lamps_at(height)
    return Rig("low_sun", "Low sun", SAYS, 2, *light, at_height=at_height, height=height, hours=hours())


SAYS = "sharp highlights, grazing reflections and relief"
LATITUDE = 52.0
RIG = at_height(HEIGHT)
