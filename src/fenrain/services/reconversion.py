"""What newer rules, or another text of a target profile or of a dialect make of conversions: found before it is done, and done."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from fenrain.core.checking.code_version import rules_version
from fenrain.core.checking.figures import figures
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import target_of_profile
from fenrain.core.dialects.dialect import Dialect, load_dialect
from fenrain.core.material import Material, material_from_document, material_to_document
from fenrain.services.checks import decide_by_figures, load_tolerances
from fenrain.services.conversions import (
    convert_as,
    ledger_document,
    load_conversion,
    outline,
    refresh_conversion,
    rewrite_conversion,
    target_for,
)
from fenrain.services.interpretation import read_all
from fenrain.services.library import known_dialects
from fenrain.services.rehearsals import PLACE, is_rehearsed, picture_before_and_after, save_rehearsal, wants_pictures
from fenrain.services.targets import read_profile
from fenrain.services.uploads import place_inside, restore_files
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.rows import find_intake, find_project, load_material, write_reading
from fenrain.store.tables import ConversionRow, MaterialRow

SHEET = "sheet"
"""What the format of a parameter sheet is called."""
LOOK, PROFILE, READ = "look", "profile", "read"
"""Under which an edit names the values that another version of rules, of a profile or of a dialect has changed."""


def rehearse_renewal(database: Session, job_id: int, row: ConversionRow) -> None:
    """What today's rules make of it; where that looks the same, it is made so at once."""
    if row.rules == rules_version():
        return
    after = load_conversion(row)
    if after.material.digest == row.digest:
        refresh_conversion(row)
        return
    _keep(database, job_id, row, after, {LOOK: _other_values(row, after)}, pictured=False)  # the older rules draw nothing any more


def rehearse_profile(database: Session, job_id: int, row: ConversionRow, text: str) -> None:
    """What a target profile would make of it if it said this."""
    after = convert_as(row, load_material(row.material), target_of_profile(read_profile(text)).profile)
    if after.material.digest != row.digest:
        _keep(database, job_id, row, after, {PROFILE: _other_values(row, after)})


def rehearse_reading(job_id: int, payload: Mapping[str, Any]) -> str:
    """Read again, by a dialect that says this, the sheets that materials came from, and keep which would be others. Says what could not be
    read."""
    refused: list[str] = []
    with session() as database:
        if is_rehearsed(database, job_id):
            return ""
        query = select(ConversionRow).join(MaterialRow).options(joinedload(ConversionRow.material))
        query = query.where(MaterialRow.id.in_(payload["material_ids"]))
        query = query.where(ConversionRow.target == payload["target"], ConversionRow.profile == payload["profile"])
        sheets: dict[tuple[int, str], list[ConversionRow]] = {}
        for row in database.scalars(query.order_by(MaterialRow.id)):
            source = row.material.document["source"]
            if source["format"] == SHEET:
                sheets.setdefault((row.material.intake_id, source["file"]), []).append(row)
        dialect = load_dialect(payload["act"]["text"], "the dialect")
        known = {**known_dialects(database), dialect.id: dialect}
        for (intake_id, file), rows in sheets.items():
            found = _read_anew(database, intake_id, file, known)
            refused += found.refused
            for row in rows:
                material = found.materials.get(row.material.document["source"]["place"])
                if material is not None and material.digest != row.material.digest:
                    after = convert_as(row, material, target_for(row).profile)
                    _keep(
                        database,
                        job_id,
                        row,
                        after,
                        {READ: list(_differing(load_material(row.material), material)), "document": _as_row(row, material)},
                    )
    return " ".join(refused)


@dataclass(frozen=True)
class _ReadSheet:
    """Materials by their places in a sheet, and why it could not be read."""

    materials: Mapping[str, Material]
    refused: list[str]


def _read_anew(database: Session, intake_id: int, file: str, known: Mapping[str, Dialect]) -> _ReadSheet:
    intake = find_intake(database, intake_id)
    names = [name for name in intake.files if PurePosixPath(name).name == file]
    if len(names) != 1:
        return _ReadSheet({}, [f"{len(names)} files “{file}” were uploaded: which of them a material came from is not known."])
    with restore_files(intake.files) as folder:
        paths = [place_inside(folder, name) for name in intake.files]
        taken = read_all(paths, folder, known, intake, names[0])
        found = {material.source.place: _of_store(material) for _, material in taken.found}
    said = [f"{file}: {error['message']}" for error in taken.errors if error["file"] == names[0]]
    return _ReadSheet(found, said)


def _of_store(material: Material) -> Material:
    """The same with its maps read from the file store, where those of an intake are kept, and not from a folder that goes."""
    return material_from_document(material_to_document(material), blobs.open_image)


def _as_row(row: ConversionRow, material: Material) -> dict[str, Any]:
    """The document of a reading under the name that the material has here, as a variant's may be another."""
    return {**material_to_document(material), "name": row.material.name}


def _keep(database: Session, job_id: int, row: ConversionRow, after: Conversion, said: dict[str, Any], *, pictured: bool = True) -> None:
    tolerances = load_tolerances(find_project(database, row.material.project_id))
    then = tolerances.decided(figures(after.original, after.material).readings)
    before = decide_by_figures(outline(row.document)["figures"], tolerances) or then
    pictures = picture_before_and_after(load_conversion(row), after) if pictured and wants_pictures(database, job_id) else {}
    save_rehearsal(database, job_id, (row.id, row.version), {PLACE: [None, said]}, (before, then), pictures)


def _other_values(row: ConversionRow, after: Conversion) -> list[str]:
    was, now = ({line["target"]: line["shown"] for line in lines} for lines in (row.document["ledger"], ledger_document(after)))
    return [name for name in dict.fromkeys([*now, *was]) if name and now.get(name) != was.get(name)]


def _differing(before: Material, after: Material) -> Iterator[str]:
    if before.model != after.model:
        yield "shading model"
    for name in dict.fromkeys([*before.values, *after.values]):
        if before.values.get(name) != after.values.get(name):
            yield name


def reconvert(database: Session, row: ConversionRow, planned: Mapping[str, Any]) -> list[Any]:
    """Do to a conversion what was found; the profile or the dialect is kept by then. Returns what an edit says of it, see `EditRow`."""
    if READ not in planned:
        refresh_conversion(row)
        return [None, planned]
    before = row.material.document
    _apply_reading(database, row.material, planned["document"])
    return [{"document": before}, planned]


def undo_reconversion(database: Session, row: ConversionRow, before: Mapping[str, Any] | None, after: Mapping[str, Any]) -> str:
    """Read a material again as it was. Says why where that stays as it is."""
    name = row.material.name
    if READ not in after or before is None:
        by = "newer rules" if LOOK in after else "the profile that was saved"
        return f"“{name}” was converted again by {by}, and stays."
    if row.material.document != after["document"]:
        return f"“{name}” was read again since, and stays."
    _apply_reading(database, row.material, before["document"])
    return ""


def _apply_reading(database: Session, row: MaterialRow, document: dict[str, Any]) -> None:
    """Let a material say this, and convert it again to all that it is converted to."""
    write_reading(row, material_from_document(document, blobs.open_image))
    database.flush()
    for conversion in row.conversions:
        rewrite_conversion(conversion)
