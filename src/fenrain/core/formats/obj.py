"""Wavefront OBJ: the meshes that carry exponent materials, and the material files that they name."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

from fenrain.core.errors import FenrainError
from fenrain.core.findings import Finding, note, unread
from fenrain.core.formats.format import Format
from fenrain.core.formats.mtl import read_mtl
from fenrain.core.formats.obj_meshes import default_name, read_meshes
from fenrain.core.formats.text import encoding_of
from fenrain.core.material import Geometry, Material, Source
from fenrain.core.material_parser import found_elsewhere
from fenrain.core.paths import resolve

PLACED_CORNER = re.compile(r"-?\d+/-?\d")
"""How a corner with a texture coordinate begins."""


def read_obj(path: Path, root: Path) -> list[Material]:
    """The materials of the libraries that an OBJ names, each with the groups that use it. What the mesh uses and no library defines, and
    what it uses where it names no material, is a default material with a finding."""
    libraries, uses, placed = _references(path)
    materials: list[Material] = []
    said: list[Finding] = []
    for line, names in libraries:
        for library in _library_files(names, path, root):
            try:
                found = resolve(library, path.parent, root)
                materials += read_mtl(found.path, root)
                said += [found_elsewhere("material-file", library, found, root)] if found.moved else []
            except FenrainError as reason:
                place = f"{path.name}, line {line}, mtllib: {reason.place}"
                said.append(unread("material-file", reason.message, evidence=place, remedy=reason.remedy))
    used = [
        replace(material, geometry=Geometry(False, tuple(uses.pop(material.name, [])), (0,) if material.name in placed else ()))
        for material in materials
    ]
    for name, groups in uses.items():
        used.append(_undefined(name, groups, path, len(used)))
    if not used:
        used.append(_undefined("", [], path, 0))
    return [replace(used[0], findings=(*used[0].findings, *said)), *used[1:]]


def _undefined(name: str, groups: list[str], path: Path, index: int) -> Material:
    """A default material for groups whose own is nowhere to be found."""
    if name:
        finding = unread(
            "undefined-material",
            f"The mesh uses “{name}”, which no material file defines; a default stands for it.",
            evidence=path.name,
            remedy="Upload the material file that defines it.",
        )
    else:
        finding = note(
            "default-material",
            f"“{path.name}” has faces that name no material; a default stands for it.",
            evidence=path.name,
            remedy="Set its values, or upload the mesh with its MTL.",
        )
    source = Source(path.name, "obj", index, path.name)
    return Material(name or default_name(path), "exponent", {}, Geometry(False, tuple(groups), (0,)), source, (finding,))


def _library_files(names: str, path: Path, root: Path) -> list[str]:
    """The files of one mtllib statement: one whose name may hold spaces, or several."""
    words = names.split()
    if len(words) < 2:
        return [names]
    try:
        resolve(names, path.parent, root)
    except FenrainError:
        return words
    return [names]


def _references(path: Path) -> tuple[list[tuple[int, str]], dict[str, list[str]], set[str]]:
    """(line, names) of each statement of material libraries; the groups that use each material, "" for faces without one; and the materials
    of which faces have texture coordinates."""
    libraries: list[tuple[int, str]] = []
    uses: dict[str, list[str]] = {}
    placed: set[str] = set()
    group, material = "mesh", ""
    with path.open(encoding=encoding_of(path), errors="replace") as stream:
        for number, line in enumerate(stream, 1):
            keyword, _, rest = line.strip().partition(" ")
            rest = rest.strip()
            if keyword == "mtllib":
                libraries.append((number, rest))
            elif keyword in ("o", "g") and rest:
                group = rest
            elif keyword == "usemtl":
                material = rest
            elif keyword == "f":
                if group not in uses.setdefault(material, []):
                    uses[material].append(group)
                if material not in placed and PLACED_CORNER.match(rest):
                    placed.add(material)
    return libraries, uses, placed


FORMAT = Format("obj", "Wavefront OBJ with MTL", (".obj",), ("exponent",), read_obj, meshes=lambda path, _: read_meshes(path))
