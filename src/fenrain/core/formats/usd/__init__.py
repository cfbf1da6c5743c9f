"""USD, in text, in binary and packed, with `UsdPreviewSurface` and MaterialX networks."""

from fenrain.core.discovery import deferred
from fenrain.core.formats.format import Format
from fenrain.core.formats.materialx import NODES

SUFFIXES = (".usda", ".usdc", ".usd", ".usdz")
FORMAT = Format(
    "usd",
    "USD",
    SUFFIXES,
    tuple(NODES.values()),
    deferred("fenrain.core.formats.usd.reading:read_usd"),
    deferred("fenrain.core.formats.usd.writing:write_usd"),
    deferred("fenrain.core.formats.usd.reading:slots"),
    meshes=deferred("fenrain.core.formats.usd.meshes:read_usd_meshes"),
    carries_meshes=True,
    writes="one stage for each file taken in, with its meshes bound to its materials; maps beside it",
)
