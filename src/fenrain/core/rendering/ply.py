"""Meshes as PLY files, the form in which the rendering engine takes them."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path

import numpy as np

from fenrain.core.files import write_whole
from fenrain.core.geometry import Mesh


def write_ply(mesh: Mesh) -> Path:
    """Write a mesh once into the temporary folder, named by its content."""
    vertices = np.concatenate([mesh.positions, mesh.normals, mesh.uvs], axis=1).astype("<f4")
    faces = np.empty(len(mesh.triangles), dtype=[("count", "u1"), ("corners", "<i4", 3)])
    faces["count"], faces["corners"] = 3, mesh.triangles
    properties = "".join(f"property float {name}\n" for name in ("x", "y", "z", "nx", "ny", "nz", "u", "v"))
    header = (
        f"ply\nformat binary_little_endian 1.0\nelement vertex {len(vertices)}\n{properties}"
        f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    data = header.encode() + vertices.tobytes() + faces.tobytes()
    path = Path(tempfile.gettempdir()) / f"fenrain-meshes-{os.getuid()}" / f"{hashlib.sha256(data).hexdigest()[:24]}.ply"
    if not path.exists():
        write_whole(path, data)
    return path
