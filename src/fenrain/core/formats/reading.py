"""Reads the materials and the meshes of a file."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fenrain.core.errors import FenrainError, MissingFileError, UnknownFormatError
from fenrain.core.formats.format import Format
from fenrain.core.formats.registry import format_of, mesh_readers
from fenrain.core.geometry import Mesh, mean_depth
from fenrain.core.material import Material
from fenrain.core.models.parameter import Role
from fenrain.core.models.registry import model_of
from fenrain.core.paths import recorded_references

if TYPE_CHECKING:
    from fenrain.core.dialects.dialect import Dialect


def read(
    path: Path | str,
    root: Path | str | None = None,
    *,
    dialect: Dialect | Path | str | None = None,
    known: Mapping[str, Dialect] | None = None,
    unit: float = 0.0,
) -> list[Material]:
    """Every material of a file, with what is odd about each.

    root: the folder that maps and buffers must lie in; the file's own folder by default; unit: metres of the asset's unit of length, for
    files that state none; dialect: for a parameter sheet, its dialect, its
    id or its file, guessed among `known` (those shipped by default) where it is left out. Nothing in the file is changed.
    Raises UnknownFormatError, MissingFileError, BrokenFileError, UnsafePathError, TooLargeError, InputError.
    """
    file = Path(path)
    if not file.is_file():
        raise MissingFileError(f"There is no file “{file.name}”.", place=str(path), remedy="Check the path.")
    chosen, folder = format_of(file), Path(root) if root is not None else file.parent
    assert chosen.read is not None
    given = (*_dialects(dialect, known), unit) if chosen.takes_dialect else ()
    materials = _with_depths(chosen.read(file, folder, *given), chosen, file, folder)
    return materials if unit == 0.0 else [_counting_in(material, unit) for material in materials]


def _dialects(dialect: Dialect | Path | str | None, known: Mapping[str, Dialect] | None) -> tuple[Any, ...]:
    """The dialect that is asked for, None where it is to be guessed, and those it is looked for among."""
    from fenrain.core.dialects.dialect import dialect_of, shipped

    among = known or shipped()
    return None if dialect is None else dialect_of(dialect, among), among


CLEAR = (Role.TRANSMISSION, Role.TRANSMISSION_COLOR, Role.INDEX, Role.OPACITY)


def _with_depths(materials: list[Material], chosen: Format, file: Path, folder: Path) -> list[Material]:
    """The materials that light may go through, with how deep the bodies are that carry them."""
    clear = {material.name for material in materials if _may_be_clear(material)}
    if chosen.meshes is None or not clear:
        return materials
    try:
        meshes = [mesh for mesh in chosen.meshes(file, folder) if mesh.material in clear]
    except FenrainError:  # what is wrong with the meshes is said where they are drawn or written
        return materials
    return [
        replace(one, geometry=replace(one.geometry, depth=mean_depth([mesh for mesh in meshes if mesh.material == one.name])))
        if one.name in clear
        else one
        for one in materials
    ]


def _may_be_clear(material: Material) -> bool:
    by_role = model_of(material.model).by_role
    return any(role in by_role and by_role[role].name in material.values for role in CLEAR)


def _counting_in(material: Material, unit: float) -> Material:
    """The material with this unit of length, where its file states none."""
    if material.geometry.unit:
        return material
    return replace(material, geometry=replace(material.geometry, unit=unit))


@dataclass(frozen=True)
class Asset:
    """What was read from a file: its materials, and every file that it refers to, those that could not be used with them."""

    materials: tuple[Material, ...]
    files: frozenset[Path]


def read_asset(
    path: Path,
    root: Path,
    *,
    dialect: Dialect | Path | str | None = None,
    known: Mapping[str, Dialect] | None = None,
    unit: float = 0.0,
) -> Asset:
    """The same as `read`, with the files that it refers to."""
    with recorded_references() as files:
        materials = read(path, root, dialect=dialect, known=known, unit=unit)
    return Asset(tuple(materials), frozenset(files))


def read_meshes(path: Path, root: Path) -> list[Mesh]:
    """The meshes of a file, with the names of their materials. root: the folder that buffers must lie in. Raises UnknownFormatError for a
    file that holds none, BrokenFileError, MissingFileError, UnsafePathError."""
    if not path.is_file():
        raise MissingFileError(f"There is no file “{path.name}”.", place=str(path), remedy="Check the path.")
    reader = mesh_readers().get(path.suffix.lower())
    if reader is None:
        raise UnknownFormatError(
            f"“{path.name}” holds no meshes that Fenrain reads.", place=path.name, remedy=f"It reads those of {', '.join(mesh_readers())}."
        )
    return reader(path, root)
