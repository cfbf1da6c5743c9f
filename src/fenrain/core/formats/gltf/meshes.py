"""Whether what a glTF asset says beside its materials, its meshes above all, can be written again (glTF 2.0 §3.6, §3.7)."""

from __future__ import annotations

from typing import Any

from fenrain.core.formats.gltf.container import Container

LISTS = ("accessors", "animations", "bufferViews", "cameras", "meshes", "nodes", "scenes", "skins")
NAMES = ("extensionsUsed", "extensionsRequired")


def require_meshes(container: Container) -> None:
    """Raises BrokenFileError, MissingFileError or UnsafePathError, with the place, where a part is not what it must be or data is
    missing."""
    for key in LISTS:
        for index, entry in enumerate(container.list_of(key)):
            container.mapping(entry, f"{key}/{index}")
    for key in NAMES:
        if not all(isinstance(name, str) for name in container.list_of(key)):
            raise container.broken("something else than a name stands here", key)
    if not isinstance(container.document.get("extensions", {}), dict):
        raise container.broken("something else than an object stands here", "extensions")
    for index, mesh in enumerate(container.list_of("meshes")):
        _require_primitives(container, mesh, f"meshes/{index}")
    for index, view in enumerate(container.list_of("bufferViews")):
        place = f"bufferViews/{index}"
        extensions = container.mapping(container.mapping(view, place).get("extensions", {}), place)
        # What is compressed lies elsewhere; the view itself only says what it unpacks to.
        container.stretch(extensions.get("EXT_meshopt_compression", view), place)


def _require_primitives(container: Container, mesh: dict[str, Any], place: str) -> None:
    """The same for the primitives of one mesh; place: of the mesh in the document."""
    primitives = mesh.get("primitives")
    if not isinstance(primitives, list) or not primitives:
        raise container.broken("a mesh without primitives", place)
    for index, primitive in enumerate(primitives):
        where = f"{place}/primitives/{index}"
        container.mapping(primitive, where)
        container.mapping(primitive.get("extensions", {}), f"{where}/extensions")
        for name, accessor in container.mapping(primitive.get("attributes"), f"{where}/attributes").items():
            container.item("accessors", accessor, f"{where}/{name}")
        material = primitive.get("material", 0)
        if not isinstance(material, int) or isinstance(material, bool):
            raise container.broken("the material is no index", where)
