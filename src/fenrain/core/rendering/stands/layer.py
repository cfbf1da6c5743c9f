"""A clear layer over an uneven bottom: how depth colours, and what a flat top does to what lies below."""

import numpy as np

from fenrain.core.geometry import Mesh, height_field, joined
from fenrain.core.rendering.stands.registry import Prop, Stand

HALF_WIDTH, TOP, BED, RISE, CELLS = 1.35, 0.0, -0.34, 0.24, 96
"""The bottom lies BED deep, and up to RISE higher or lower."""
FLOOR = -0.59


def bottom(x: np.ndarray, z: np.ndarray) -> np.ndarray:
    """Height of the uneven bottom: three ridges that cross."""
    waves = np.sin(3.1 * x + 0.6) * np.sin(2.3 * z - 0.4) + 0.5 * np.sin(5.3 * x - 4.1 * z + 1.1)
    edge = np.clip((HALF_WIDTH - np.maximum(np.abs(x), np.abs(z))) / 0.2, 0.0, 1.0)
    return np.asarray(BED + RISE / 1.5 * waves * edge)


def mesh() -> Mesh:
    top = height_field("top", lambda x, z: np.full(x.shape, TOP), HALF_WIDTH, CELLS)
    below = height_field("below", bottom, HALF_WIDTH, CELLS, up=False)
    return joined("layer", [top, below, *(_side(turn) for turn in range(4))])


def _side(quarter: int) -> Mesh:
    """One of four upright faces, from the bottom's level edge to the top."""
    x, y = np.meshgrid([-HALF_WIDTH, HALF_WIDTH], [BED, TOP])
    positions = np.stack([x.ravel(), y.ravel(), np.full(4, HALF_WIDTH)], axis=-1)
    c, s = np.cos(0.5 * np.pi * quarter), np.sin(0.5 * np.pi * quarter)
    turned = np.array([[c, 0.0, -s], [0.0, 1.0, 0.0], [s, 0.0, c]])
    normals = np.tile([0.0, 0.0, 1.0], (4, 1)) @ turned
    uvs = np.array([[0.0, 1.0], [1.0, 1.0], [0.0, 0.0], [1.0, 0.0]])
    return Mesh("side", positions @ turned, normals, uvs, np.array([[0, 1, 2], [1, 3, 2]]))


def props() -> tuple[Prop, ...]:
    bed = height_field("bed", lambda x, z: bottom(x, z) - 0.006, HALF_WIDTH, CELLS)
    corners = bed.positions[bed.triangles].mean(axis=1)
    even = (np.floor(corners[:, 0] / 0.3) + np.floor(corners[:, 2] / 0.3)) % 2 == 0
    return tuple(
        Prop(Mesh("bed", bed.positions, bed.normals, bed.uvs, bed.triangles[which]), share) for which, share in ((even, 0.62), (~even, 0.3))
    )


STAND = Stand(
    "layer",
    "Layer over a bottom",
    "how depth colours, and what lies below a flat top",
    mesh,
    FLOOR,
    ((0.0, 4.0, 5.9), (0.0, -0.3, 0.0)),
    6,
    props=props,
)
