"""A sphere: every angle of view once."""

from fenrain.core.geometry import sphere
from fenrain.core.rendering.stands.registry import Stand

STAND = Stand(
    "sphere",
    "Sphere",
    "every angle of view",
    lambda: sphere(rings=64, segments=128),
    -1.0,
    ((0.0, 0.9, 5.2), (0.0, -0.06, 0.0)),
    1,
    convex=True,
)
