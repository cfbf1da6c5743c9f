"""A flat tile, looked along: reflections at a grazing angle, and maps as they lie."""

from fenrain.core.geometry import box
from fenrain.core.rendering.stands.registry import Stand

STAND = Stand(
    "tile",
    "Grazing tile",
    "reflections along the surface, and maps as they lie",
    lambda: box("tile", (-1.4, -0.1, -1.4), (1.4, 0.0, 1.4)),
    -0.104,
    ((0.0, 1.3, 7.0), (0.0, -0.05, 0.0)),
    8,
    convex=True,
)
