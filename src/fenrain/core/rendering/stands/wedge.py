"""A wedge that grows from nothing to thick: what is lost on a long way through."""

import numpy as np

from fenrain.core.geometry import Mesh, prism
from fenrain.core.rendering.stands.lattice import lattice
from fenrain.core.rendering.stands.registry import Stand

FLOOR, HALF_WIDTH, THIN, THICK, HEIGHT = -0.8, 1.3, 0.02, 1.2, 1.6
"""It stands upright before the camera, thin to the left, thick to the right."""


def mesh() -> Mesh:
    outline = np.array([(-HALF_WIDTH, 0.0), (HALF_WIDTH, 0.0), (HALF_WIDTH, THICK), (-HALF_WIDTH, THIN)])
    lying = prism("wedge", outline, 0.5 * HEIGHT)
    # The outline lies in x and thickness; up is the way it is drawn out.
    upright = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]])
    return Mesh(
        "wedge",
        lying.positions @ upright + [0.0, FLOOR + 0.5 * HEIGHT + 0.004, 0.5 * THICK],
        lying.normals @ upright,
        lying.uvs,
        lying.triangles,
    )


STAND = Stand(
    "wedge",
    "Wedge",
    "what is lost on a longer and longer way through",
    mesh,
    FLOOR,
    ((0.0, 0.5, 8.2), (0.0, 0.02, 0.0)),
    5,
    props=lambda: (lattice(FLOOR, -1.6),),
)
