"""glTF 2.0, text and binary."""

from fenrain.core.discovery import deferred
from fenrain.core.formats.format import Format

METRES = 1.0
"""The unit of every glTF asset (glTF 2.0 §3.4)."""
FORMAT = Format(
    "gltf",
    "glTF 2.0",
    (".glb", ".gltf"),
    ("metal_rough",),
    deferred("fenrain.core.formats.gltf.reading:read_gltf"),
    deferred("fenrain.core.formats.gltf.writing:write_glb"),
    deferred("fenrain.core.formats.gltf.writing:slots"),
    meshes=deferred("fenrain.core.formats.gltf.geometry:read_gltf_meshes"),
    writes="the same meshes with converted materials, maps packed",
    carries_meshes=True,
    metres=METRES,
)
