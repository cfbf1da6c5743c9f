"""What a mesh says at each place of its UVs, as texels: for what follows the surface and not the material alone."""

from __future__ import annotations

import numpy as np

from fenrain.core.geometry import Mesh

TEXELS_AT_ONCE = 1 << 21


def drawn_in_uvs(mesh: Mesh, of_vertices: np.ndarray, edge: int) -> np.ndarray:
    """Numbers of a mesh's vertices (n, channels) on the texels of its UVs, (edge, edge, channels), between the vertices by their shares in
    the triangle.

    UVs outside 0…1 repeat; where triangles lie over one another the later stands; texels that no triangle covers take the nearest one's, so
    that filtering at the rims finds nothing foreign. Black where the mesh has no area in its UVs.
    """
    found = np.zeros((edge * edge, of_vertices.shape[1]))
    covered = np.zeros(edge * edge, bool)
    corners = mesh.uvs[mesh.triangles] * edge - 0.5
    low, high = np.ceil(corners.min(axis=1)).astype(int), np.floor(corners.max(axis=1)).astype(int)
    # A thin triangle may hold no texel's middle; a loop over a hundred repeats would say nothing new.
    sizes = np.clip(high - low + 1, 0, 4 * edge)
    counts = sizes[:, 0] * sizes[:, 1]
    begin = 0
    while begin < len(counts):
        end = begin + max(1, int(np.searchsorted(np.cumsum(counts[begin:]), TEXELS_AT_ONCE)))
        texels, shares, triangle = _inside(corners[begin:end], low[begin:end], sizes[begin:end])
        at = (texels[:, 1] % edge) * edge + texels[:, 0] % edge
        vertices = mesh.triangles[begin + triangle]
        found[at] = (of_vertices[vertices] * shares[..., None]).sum(axis=1)
        covered[at] = True
        begin = end
    if covered.any():
        from scipy.ndimage import distance_transform_edt  # loads long, and is seldom needed

        nearest = distance_transform_edt(~covered.reshape(edge, edge), return_distances=False, return_indices=True)
        return found.reshape(edge, edge, -1)[nearest[0], nearest[1]]
    return found.reshape(edge, edge, -1)


def _inside(corners: np.ndarray, low: np.ndarray, sizes: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(texels (m, 2), barycentric shares (m, 3), triangle (m,)) of all texels whose middles lie in the triangles."""
    counts = sizes[:, 0] * sizes[:, 1]
    triangle = np.repeat(np.arange(len(counts)), counts)
    within = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
    width = np.maximum(sizes[triangle, 0], 1)
    texels = low[triangle] + np.stack([within % width, within // width], axis=-1)
    a, b, c = (corners[triangle, corner] for corner in range(3))
    area = _turn(b - a, c - a)
    flat = np.abs(area) < 1e-12
    shares = np.stack([_turn(b - texels, c - texels), _turn(c - texels, a - texels), _turn(a - texels, b - texels)], axis=-1)
    shares = shares / np.where(flat, 1.0, area)[:, None]
    inside = (shares >= -1e-9).all(axis=1) & ~flat
    return texels[inside], shares[inside], triangle[inside]


def _turn(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
