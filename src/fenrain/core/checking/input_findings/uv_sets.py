"""Maps on UV sets that the meshes do not have."""

from collections.abc import Iterator

from fenrain.core.checking.input_findings.registry import Read
from fenrain.core.findings import Finding, unread


def find(read: Read) -> Iterator[Finding]:
    known = read.material.geometry.uv_sets
    if not read.material.geometry.meshes:
        return  # nobody knows what will carry it
    is_projected = read.material.geometry.projection is not None
    for parameter, value in read.maps():
        if value.uv_set not in known and not (is_projected and value.uv_set == 0):
            there = ", ".join(map(str, known)) or "none"
            yield unread(
                "missing-uv-set",
                f"{parameter.name}: “{value.image.name}” lies on UV set {value.uv_set}, which the meshes do not have.",
                parameter=parameter.name,
                evidence=f"UV sets of the meshes: {there}",
                remedy="Export the meshes with that UV set, or have them projected by a box, a cylinder, a sphere or a plane, or unwrapped."
                if value.uv_set == 0
                else "Export the meshes with that UV set, or place the map on one that is there.",
            )


FIND = find
