"""What a delivery wrote: looked over by the standards' validators and our own readers, told in a ledger, put into a folder."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import FenrainError
from fenrain.core.files import not_written, write_whole
from fenrain.core.formats.reading import read
from fenrain.core.formats.validation import validated
from fenrain.core.formats.writing import responses
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.material import Material, matters
from fenrain.core.reports.difference import LEDGER
from fenrain.core.surfaces import constants_of
from fenrain.core.values import Constant, Value

SAME_VALUE, SAME_LOSSY = 0.01, 0.03
"""Mean difference up to which a value that was read back counts as unchanged: what 8 bits of a map leave, and what JPEG does."""
OURS = "read back by Fenrain"

Verdicts = Mapping[tuple[str, str], Mapping[str, Any]]
"""What is said of looks, by the digests of the original and of the converted one: the verdict, what decided it, and the review."""


@dataclass(frozen=True)
class WrittenAsset:
    """A written file, and the conversions that it holds in their order."""

    path: Path
    members: tuple[Conversion, ...]


@dataclass(frozen=True)
class FileValidation:
    """What one validator says of one file. by: "" where none could look, with the reason as what is said."""

    file: str
    by: str
    errors: int
    said: tuple[str, ...]


def validate_asset(asset: WrittenAsset, folder: Path, target: ServedTarget) -> Iterator[FileValidation]:
    """What the standard's validator says of a written file, and whether our own reader finds the same looks in it."""
    assert target.format is not None
    name = asset.path.relative_to(folder).as_posix()
    found = validated(asset.path, target.format.id)
    yield FileValidation(name, found.by, found.errors, found.said)
    try:
        back = read(asset.path)
    except FenrainError as refused:
        yield FileValidation(name, OURS, 1, (str(refused),))
        return
    said = tuple(_changed_values(asset.members, back, target))
    yield FileValidation(name, OURS, len(said), said)


def _changed_values(members: Sequence[Conversion], back: Sequence[Material], target: ServedTarget) -> Iterator[str]:
    """Each value that is another when it is read again."""
    by_name = {material.name: material for material in reversed(back)}
    in_order = len(back) == len(members)
    for index, member in enumerate(members):
        named = by_name.get(member.material.name) or by_name.get(member.material.merged_into)
        material = named or (back[index] if in_order and not target.profile.maps.atlas else None)
        if material is None and target.profile.maps.atlas and all(isinstance(value, Constant) for value in member.material.values.values()):
            continue  # it lies with other flat colours in one texture
        if material is None:
            yield f"“{member.material.name}” is not found in it."
            continue
        factors = responses(target.model, target.profile, member.material.geometry.unit)
        for parameter in target.model.parameters:
            written, found = member.material, material
            if not (matters(written, target.model, parameter.name) or matters(found, target.model, parameter.name)):
                continue
            error = _difference(written.value(parameter.name), found.value(parameter.name), factors.get(parameter.name, (1.0, ""))[0])
            if error > (SAME_LOSSY if target.profile.maps.lossy else SAME_VALUE):
                yield f"{parameter.name} of “{written.name}” is read back with a difference of {error:.2g}."


def _difference(written: Value, found: Value, factor: float) -> float:
    """The mean difference of two values over the texels of the first, as a share of what exceeds 1. factor: by which the written one was
    multiplied."""
    if isinstance(written, Constant) and isinstance(written.value, (bool, str)):
        return 0.0 if written == found else 1.0
    grid = grid_of([found if isinstance(written, Constant) else written])
    total = 0.0
    with Texels(grid) as ours, Texels(grid) as theirs:
        for begin, end in grid.bands():
            one, other = np.asarray(ours.at(written, begin, end)) * factor, np.asarray(theirs.at(found, begin, end))
            total += float((np.abs(one - other) / np.maximum(np.abs(one), 1.0)).mean()) * (end - begin)
    return total / grid.height


def write_ledger(written: Sequence[WrittenAsset], folder: Path, target: ServedTarget, title: str, verdicts: Verdicts) -> None:
    """Write the ledger of all that was written: every value with where it came from, what was lost, what stays adjustable, and the verdict
    as it stood."""
    materials = [
        {
            "material": member.original.name,
            "source": member.original.source.file,
            "file": asset.path.relative_to(folder).as_posix(),
            "from": member.original.model,
            "digest": member.material.digest,
            **verdicts.get((member.original.digest, member.material.digest), {"verdict": "", "decided_by": "", "review": None}),
            **({"merged_into": member.material.merged_into} if member.material.merged_into else {}),
            "adjustable": _adjustable(member),
            "ledger": [entry.to_document(member.target) for entry in member.ledger],
        }
        for asset in written
        for member in asset.members
    ]
    head = {"title": title, "target": target.model.id, "profile": target.profile.name, "to": target.title}
    write_whole(folder / LEDGER, json.dumps({**head, "materials": materials}, ensure_ascii=False, indent=1))


def _adjustable(member: Conversion) -> list[dict[str, Any]]:
    """The values that the target profile leaves adjustable, with their ranges."""
    constants = constants_of(member.material)
    return [
        {
            "parameter": one.parameter,
            "title": one.title or one.parameter,
            "low": one.low,
            "high": one.high,
            "value": constants[one.parameter],
        }
        for one in member.profile.exposed
    ]


def place_folder(folder: Path, within: Path) -> str:
    """Copy a delivery's folder into a folder of the server, whole or not at all; one that is there already stays, and this gets a number.
    Returns where it lies. Raises StorageError."""
    try:
        within.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=within, prefix=".part-") as scratch:
            made = Path(shutil.copytree(folder, Path(scratch) / folder.name))
            count, place = 1, within / folder.name
            while place.exists():
                count += 1
                place = within / f"{folder.name}_{count}"
            os.rename(made, place)
        return str(place)
    except OSError as reason:
        raise not_written(within / folder.name, reason.strerror or str(reason)) from reason
