"""A low warm sun with its sky: shows sharp highlights, grazing reflections and relief."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig, soft_edge, towards

SUN_RADIUS = 2.4
"""Degrees; wider than the real one, so that a mirror's image of it spans several pixels."""


def paint(directions: np.ndarray) -> np.ndarray:
    up = directions[..., 1:2]
    zenith, horizon, ground = np.array([0.16, 0.22, 0.34]), np.array([0.62, 0.5, 0.38]), np.array([0.09, 0.08, 0.07])
    sky = horizon + (zenith - horizon) * np.clip(up, 0, 1) ** 0.5
    base = np.where(up > 0, sky, ground + (horizon * 0.4 - ground) * np.clip(1 + up * 6, 0, 1))
    towards_sun = directions @ towards(-58, 17)
    disc = soft_edge(towards_sun, SUN_RADIUS - 0.6, SUN_RADIUS + 0.6)
    glow = 0.7 * soft_edge(towards_sun, 2, 32) ** 2
    return base + (430.0 * disc + glow)[..., None] * np.array([1.0, 0.82, 0.6])


RIG = Rig("low_sun", "Low sun", "sharp highlights, grazing reflections and relief", paint, 2)
