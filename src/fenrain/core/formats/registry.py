"""Finds the format of a file by its name and its first bytes, and reads or writes it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

import numpy as np

from fenrain.core.dialects.dialect import Dialect, dialect_of, shipped
from fenrain.core.discovery import declarations
from fenrain.core.errors import FenrainError, ImageError, InputError, MissingFileError, UnknownFormatError
from fenrain.core.formats.holding import Holder, Slots
from fenrain.core.formats.limits import fitted
from fenrain.core.geometry import Mesh, mean_depth
from fenrain.core.maps.flat import flattened
from fenrain.core.maps.mean import thumbnail
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter, Role
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.target import Profile
from fenrain.core.paths import recorded_references
from fenrain.core.values import Constant, Map, Stepped, Value, as_plain

MeshReader = Callable[[Path, Path], list[Mesh]]


@dataclass(frozen=True)
class Format:
    """A file format.

    suffixes: of its files, the one that is written first; models: ids of the models that it can hold; read: (file, folder that references
    may not leave) → materials; write: (materials, file, asset they belong to, profile) → files written; slots: what it can hold of a
    model's parameters; takes_dialect: the reader also takes a dialect, and those it may guess among; meshes: reads the meshes of a file,
    where it can be the asset whose meshes carry what is written; writes: what a delivery in it is made of, for people; metres: of the unit
    of length that it prescribes, 0 where an asset has its own.
    """

    id: str
    title: str
    suffixes: tuple[str, ...]
    models: tuple[str, ...]
    read: Callable[..., list[Material]] | None = None
    write: Callable[[Sequence[Material], Path, Path | None, Profile], list[Path]] | None = None
    slots: Slots | None = None
    takes_dialect: bool = False
    meshes: MeshReader | None = None
    writes: str = ""
    metres: float = 0.0


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
    return None if found is None else _holder(found)


def _holder(found: Format) -> Holder | None:
    return None if found.slots is None else Holder(found.id, found.title, found.slots)


def format_of(path: Path) -> Format:
    """Raises UnknownFormatError for a file that no reader takes."""
    for candidate in formats().values():
        if candidate.read is not None and path.suffix.lower() in candidate.suffixes:
            return candidate
    known = ", ".join(suffix for candidate in formats().values() if candidate.read for suffix in candidate.suffixes)
    raise UnknownFormatError(f"“{path.name}” is not a material file that Fenrain reads.", place=path.name, remedy=f"It reads {known}.")


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


@cache
def mesh_readers() -> dict[str, MeshReader]:
    """What reads the meshes of files, by their suffixes."""
    return {suffix: one.meshes for one in formats().values() if one.meshes is not None for suffix in one.suffixes}


def is_material_file(path: Path) -> bool:
    """Whether a reader takes files of this name."""
    return any(path.suffix.lower() in candidate.suffixes for candidate in formats().values() if candidate.read)


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
    among = known or shipped()
    given = (None if dialect is None else dialect_of(dialect, among), among) if chosen.takes_dialect else ()
    materials = _with_depths(chosen.read(file, folder, *given), chosen, file, folder)
    return materials if unit == 0.0 else [_counting_in(material, unit) for material in materials]


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


def write(
    materials: Sequence[Material], path: Path | str, format: str, asset: Path | None = None, profile: Profile | None = None
) -> list[Path]:
    """Write materials, with their maps, to a file of this format.

    asset: the file whose meshes carry them, where there is one. Returns the files written, the main one first. The files
    appear whole or not at all; what the format cannot hold of a value is left out or stands as its mean, as `formats.holding.held`
    says beforehand. Raises InputError where the format cannot hold a material's model.
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
    limits = profile or _fullest_profile(materials)
    return chosen.write([_as_written(material, chosen, limits) for material in materials], Path(path), asset, limits)


def _fullest_profile(materials: Sequence[Material]) -> Profile:
    targets = model_of(materials[0].model).targets if materials else ()
    return targets[0].profile if targets else Profile()


def _as_written(material: Material, chosen: Format, profile: Profile) -> Material:
    """The material as the format holds it and the profile takes it: flat maps as constants, values as the target's renderer counts them."""
    kept, _ = fitted(material, _holder(chosen), profile)
    model = model_of(material.model)
    values = {name: value if model.parameter(name).kind is Kind.NORMAL else _flat(value) for name, value in kept.values.items()}
    for name, (factor, _) in responses(model, profile, material.geometry.unit).items():
        values[name] = _within(model.parameter(name), _times(replace(kept, values=values).value(name), factor))
    return replace(kept, values=values)


def _within(parameter: Parameter, value: Value) -> Value:
    """A constant no larger than the parameter may be; texels are cut where they are written."""
    if not isinstance(value, Constant):
        return value
    return Constant(as_plain(np.minimum(np.asarray(value.value, dtype=float), parameter.high)))


def responses(model: Model, profile: Profile, unit: float) -> dict[str, tuple[float, str]]:
    """What values are multiplied by when they are written, so that the target's renderer shows them as they are meant, and why in words.
    unit: metres of the asset's unit of length, 0 where it states none."""
    holder = format_for(model, profile)
    slots = {parameter.name for parameter in model.parameters} if holder is None else holder.slots(model, profile).keys()

    def named(*roles: Role) -> str:
        return next((model.by_role[role].name for role in roles if role in model.by_role and model.by_role[role].name in slots), "")

    emission, metal = named(Role.EMISSION_WEIGHT, Role.EMISSION_COLOR), named(Role.METALNESS)
    found: dict[str, tuple[float, str]] = {}
    photometric, answered = profile.white_luminance, profile.emission_response
    if emission and (photometric or answered != 1.0):
        reasons = ["since the target's renderer counts emission in cd/m²"] if photometric else []
        reasons += [f"since the target's renderer shows own light {answered:g} times too strong"] if answered != 1.0 else []
        found[emission] = (photometric or 1.0) / answered, " and ".join(reasons)
    if metal and profile.metal_response != 1.0:
        found[metal] = 1.0 / profile.metal_response, f"since the target's renderer shows metal {profile.metal_response:g} times too strong"
    written = written_format(model, profile)
    if written is not None and written.metres and unit and unit != written.metres:
        why = f"since the asset counts in units of {unit:g} m and {written.title} in metres"
        lengths = [parameter for parameter in model.parameters if parameter.length and parameter.name in slots]
        found |= {parameter.name: ((unit / written.metres) ** parameter.length, why) for parameter in lengths}
    return found


def _flat(value: Value) -> Value:
    try:
        return flattened(value)
    except ImageError:
        return value


def _times(value: Value, factor: float) -> Value:
    """A value of emission times a number."""

    def scaled(number: float | tuple[float, ...]) -> float | tuple[float, ...]:
        return tuple(part * factor for part in number) if isinstance(number, tuple) else number * factor

    if isinstance(value, Constant):
        return Constant(scaled(value.value))  # type: ignore[arg-type]
    if isinstance(value, Map):
        return replace(value, scale=scaled(value.scale), bias=scaled(value.bias))
    if isinstance(value, Stepped):
        return replace(value, factor=scaled(value.factor))  # type: ignore[arg-type]
    return Stepped(value, (), factor, 3 if thumbnail(value).shape[-1] == 3 else 1)
