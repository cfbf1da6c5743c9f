"""Finds the format of a file by its name, and that in which a target is written."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from fenrain.core.discovery import declarations
from fenrain.core.errors import UnknownFormatError
from fenrain.core.formats.format import Format, MeshReader
from fenrain.core.formats.holding import Holder
from fenrain.core.models.registry import Model
from fenrain.core.models.target import Profile


@cache
def formats() -> dict[str, Format]:
    """Every format by id: each module beside this one, and of installed packages, that declares a `FORMAT`."""
    found: list[Format] = declarations("fenrain.core.formats", "FORMAT", "fenrain.formats")
    return {one.id: one for one in found}


def written_format(model: Model, profile: Profile) -> Format | None:
    """The format in which a model's materials are written, where there is one."""
    named = [target.format for target in model.targets if target.profile.name in (profile.name, profile.like)]
    named += [target.format for target in model.targets]
    return formats().get(named[0]) if named else None


def format_for(model: Model, profile: Profile) -> Holder | None:
    """What that format can hold."""
    found = written_format(model, profile)
    return None if found is None else holder_of(found)


def holder_of(found: Format) -> Holder | None:
    return None if found.slots is None else Holder(found.id, found.title, found.slots, found.carries_meshes)


def format_of(path: Path) -> Format:
    """Raises UnknownFormatError for a file that no reader takes."""
    for candidate in formats().values():
        if candidate.read is not None and path.suffix.lower() in candidate.suffixes:
            return candidate
    known = ", ".join(suffix for candidate in formats().values() if candidate.read for suffix in candidate.suffixes)
    raise UnknownFormatError(f"“{path.name}” is not a material file that Fenrain reads.", place=path.name, remedy=f"It reads {known}.")


@cache
def mesh_readers() -> dict[str, MeshReader]:
    """What reads the meshes of files, by their suffixes."""
    return {suffix: one.meshes for one in formats().values() if one.meshes is not None for suffix in one.suffixes}


def is_material_file(path: Path) -> bool:
    """Whether a reader takes files of this name."""
    return any(path.suffix.lower() in candidate.suffixes for candidate in formats().values() if candidate.read)
