"""A turned body with a rounded rim, a hollow, a fold and a foot: edges, concave light and stretched maps."""

import numpy as np

from fenrain.core.geometry import Mesh, revolved
from fenrain.core.rendering.stands.registry import Stand

PROFILE = (
    (0.001, 0.42),
    (0.3, 0.45),
    (0.56, 0.6),
    (0.68, 0.82),
    (0.76, 0.94),
    (0.86, 0.96),
    (0.92, 0.86),
    (0.9, 0.66),
    (0.86, 0.4),
    (0.9, 0.14),
    (1.0, 0.02),
    (1.04, -0.1),
    (0.96, -0.2),
    (0.8, -0.28),
    (0.62, -0.42),
    (0.54, -0.58),
    (0.6, -0.72),
    (0.82, -0.82),
    (0.92, -0.9),
    (0.9, -0.98),
    (0.8, -1.0),
)
"""Radius and height, from the middle of the hollow over the rim down to the foot; the bottom closes it."""


def mesh() -> Mesh:
    from scipy.interpolate import CubicSpline  # takes longer to load than everything else together

    points = np.array(PROFILE)
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    profile = np.maximum(CubicSpline(along, points, axis=0)(np.linspace(0.0, along[-1], 160)), [1e-3, -1.0])
    radius, height = profile[-1]
    bottom = np.stack([np.linspace(radius, 1e-3, 12)[1:], np.full(11, height)], axis=-1)
    return revolved("turned body", np.concatenate([profile, bottom]), 160)


STAND = Stand("turned", "Turned body", "edges, a hollow, a fold, and maps", mesh, -1.004, ((0.0, 2.15, 5.0), (0.0, -0.06, 0.0)), 2)
