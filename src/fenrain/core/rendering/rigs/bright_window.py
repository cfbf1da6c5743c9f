"""A bright window with its bars in a dim room: shows how strongly a shape mirrors, by a reflection that everybody knows."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig, panel, towards

PANE = 7.5
"""Radiance of the sky outside."""
COLUMNS, ROWS = (-11.5, 11.5), (18.0, 36.0, 54.0)
"""Degrees: the middles of panes, to the sides of AZIMUTH and above the ground."""
AZIMUTH, HALF_WIDTH, HALF_HEIGHT = -52.0, 10.5, 8.0


def surroundings(directions: np.ndarray) -> np.ndarray:
    up = directions[..., 1]
    wall, floor, ceiling = np.array([0.15, 0.14, 0.125]), np.array([0.12, 0.1, 0.08]), np.array([0.2, 0.2, 0.19])
    return np.where(
        up[..., None] > 0, wall + (ceiling - wall) * np.clip(up, 0, 1)[..., None], wall + (floor - wall) * np.clip(-up, 0, 1)[..., None]
    )


def lamps(directions: np.ndarray) -> np.ndarray:
    light = np.zeros(directions.shape[:2])
    for column in COLUMNS:
        for height in ROWS:
            light = np.maximum(light, panel(directions, towards(AZIMUTH + column, height), HALF_WIDTH, HALF_HEIGHT, soft=0.03))
    return PANE * light[..., None] * np.array([0.93, 0.98, 1.0])


RIG = Rig(
    "bright_window",
    "Bright window",
    "how strongly a shape mirrors, by a reflection that everybody knows",
    5,
    surroundings,
    lamps,
    stands_by=True,
)
