"""A thin-walled cup: light from without and within, through a wall as thick everywhere."""

import numpy as np

from fenrain.core.geometry import Mesh, revolved
from fenrain.core.rendering.stands.lattice import lattice
from fenrain.core.rendering.stands.registry import Stand

FLOOR, WALL = -1.0, 0.05
OUTSIDE = ((0.55, -0.995), (0.68, -0.9), (0.76, -0.6), (0.82, -0.1), (0.9, 0.4), (1.0, 0.85))
"""Radius and height of the outer wall, from the foot to the rim."""


def mesh() -> Mesh:
    from scipy.interpolate import CubicSpline  # takes longer to load than everything else together

    heights = np.linspace(OUTSIDE[0][1], OUTSIDE[-1][1], 70)
    radius = CubicSpline(*np.array(OUTSIDE)[:, ::-1].T)(heights)
    inner = np.stack([radius - WALL, np.maximum(heights, FLOOR + 0.005 + WALL)], axis=-1)
    inner = inner[heights > FLOOR + 0.005 + WALL]
    angle = np.linspace(0.0, np.pi, 9)[1:-1]
    rim = np.stack([radius[-1] - 0.5 * WALL * (1.0 + -np.cos(angle)), heights[-1] + 0.5 * WALL * np.sin(angle)], axis=-1)
    bottom_inside = np.stack([np.linspace(0.001, inner[0][0], 14)[:-1], np.full(13, inner[0][1])], axis=-1)
    outer = np.stack([radius, heights], axis=-1)[::-1]
    bottom = np.stack([np.linspace(outer[-1][0], 0.001, 14)[1:], np.full(13, outer[-1][1])], axis=-1)
    return revolved("cup", np.concatenate([bottom_inside, inner, rim[::-1], outer, bottom]), 128)


STAND = Stand(
    "cup",
    "Thin cup",
    "a wall as thin everywhere, lit from within and without",
    mesh,
    FLOOR,
    ((0.0, 1.9, 5.1), (0.0, -0.12, 0.0)),
    3,
    props=lambda: (lattice(FLOOR),),
)
