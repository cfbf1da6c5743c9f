"""Finds the format of a file by its name and its first bytes, and reads or writes it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from fenrain.core.convert.profile import Profile
from fenrain.core.dialects.dialect import Dialect, dialect_of, shipped
from fenrain.core.discovery import declarations
from fenrain.core.errors import InputError, MissingFileError, UnknownFormatError
from fenrain.core.maps.flat import with_flat_maps_as_constants
from fenrain.core.material import Material


@dataclass(frozen=True)
class Format:
    """read: (file, folder that references may not leave) → materials; write: (materials, file, asset they belong to, profile) → files
    written; models: ids of the models that it can hold; takes_dialect: the reader also takes a dialect, and those it may guess among."""

    id: str
    title: str
    suffixes: tuple[str, ...]
    models: tuple[str, ...]
    read: Callable[..., list[Material]] | None = None
    write: Callable[[Sequence[Material], Path, Path | None, Profile], list[Path]] | None = None
    takes_dialect: bool = False


@cache
def formats() -> dict[str, Format]:
    """Every format by id: each module beside this one that declares a `FORMAT`."""
    from fenrain.core import formats as package

    return {found.id: found for found in declarations(package, "FORMAT")}


def format_of(path: Path) -> Format:
    """Raises UnknownFormatError for a file that no reader takes."""
    for candidate in formats().values():
        if candidate.read is not None and path.suffix.lower() in candidate.suffixes:
            return candidate
    known = ", ".join(suffix for candidate in formats().values() if candidate.read for suffix in candidate.suffixes)
    raise UnknownFormatError(f"“{path.name}” is not a material file that Fenrain reads.", place=path.name, remedy=f"It reads {known}.")


def is_material_file(path: Path) -> bool:
    """Whether a reader takes files of this name."""
    return any(path.suffix.lower() in candidate.suffixes for candidate in formats().values() if candidate.read)


def read(
    path: Path | str,
    root: Path | str | None = None,
    *,
    dialect: Dialect | Path | str | None = None,
    known: Mapping[str, Dialect] | None = None,
) -> list[Material]:
    """Every material of a file, with what is odd about each.

    root: the folder that maps and buffers must lie in; the file's own folder by default; dialect: for a parameter sheet, its dialect, its
    id or its file, guessed among `known` (those shipped by default) where it is left out. Nothing in the file is changed.
    Raises UnknownFormatError, MissingFileError, BrokenFileError, UnsafePathError, TooLargeError, InputError.
    """
    file = Path(path)
    if not file.is_file():
        raise MissingFileError(f"There is no file “{file.name}”.", place=str(path), remedy="Check the path.")
    chosen, folder = format_of(file), Path(root) if root is not None else file.parent
    assert chosen.read is not None
    if not chosen.takes_dialect:
        return chosen.read(file, folder)
    among = known or shipped()
    return chosen.read(file, folder, None if dialect is None else dialect_of(dialect, among), among)


def write(
    materials: Sequence[Material], path: Path | str, format: str, asset: Path | None = None, profile: Profile | None = None
) -> list[Path]:
    """Write materials, with their maps, to a file of this format.

    asset: the file whose meshes carry them, where there is one. Returns the files written, the main one first. The files
    appear whole or not at all. Raises InputError where the format cannot hold a material.
    """
    if format not in formats() or formats()[format].write is None:
        writable = ", ".join(name for name, candidate in formats().items() if candidate.write)
        raise UnknownFormatError(f"Nothing can be written as “{format}”.", place=format, remedy=f"Formats: {writable}.")
    chosen = formats()[format]
    for material in materials:
        if material.model not in chosen.models:
            raise InputError(
                f"{chosen.title} cannot hold the model {material.model}.",
                place=material.name,
                remedy=f"Convert to {' or '.join(chosen.models)} first.",
            )
    assert chosen.write is not None
    return chosen.write([with_flat_maps_as_constants(material) for material in materials], Path(path), asset, profile or Profile())
