"""MaterialX 1.39: materials of the four surface nodes, read and written by the standard's own library."""

from fenrain.core.discovery import deferred
from fenrain.core.findings import Finding, unread
from fenrain.core.formats.format import Format

NODES = {
    "open_pbr_surface": "open_pbr",
    "gltf_pbr": "metal_rough",
    "standard_surface": "standard_surface",
    "UsdPreviewSurface": "preview",
}
CATEGORIES = {model: node for node, model in NODES.items()}
TURNS = {"geometry_tangent_rotation": "geometry_tangent", "geometry_coat_tangent_rotation": "geometry_coat_tangent"}
"""OpenPBR turns a highlight by its tangent: a turn of the mesh's own tangent about its normal."""
TURNED_BY = {tangent: parameter for parameter, tangent in TURNS.items()}


def unknown_surface(place: str, identifier: str) -> Finding:
    """Of a material whose surface is none of these nodes. identifier: what its surface is called, "" where it has none."""
    shaded = f"is shaded by {identifier}, which is not read" if identifier else "has no surface"
    return unread(
        "unknown-surface",
        f"“{place}” {shaded}; a default stands for it.",
        evidence=identifier,
        remedy=f"Give it a surface of {', '.join(NODES)}.",
    )


FORMAT = Format(
    "materialx",
    "MaterialX",
    (".mtlx",),
    tuple(NODES.values()),
    deferred("fenrain.core.formats.materialx.reading:read_materialx"),
    deferred("fenrain.core.formats.materialx.writing:write_materialx"),
    deferred("fenrain.core.formats.materialx.writing:slots"),
    writes="one document for each file taken in, maps beside it",
)
