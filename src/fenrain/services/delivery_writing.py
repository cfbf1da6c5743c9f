"""Writes a delivery: asset by asset in the target's format, validated, packed as one archive with its ledger."""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from sqlalchemy import select

from fenrain.core import write
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import FenrainError, StorageError, describe_own_error
from fenrain.core.paths import safe_name
from fenrain.services.deliveries import describe_looks
from fenrain.services.delivery_checks import WrittenAsset, place_folder, validate_asset, write_ledger
from fenrain.services.merging import find_delivered_conversion, include_merged
from fenrain.services.targets import project_target
from fenrain.services.uploads import find_carrier, pack_folder, restore_files
from fenrain.settings import settings
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import Delivery, Intake, Job, MaterialRow

log = logging.getLogger("fenrain.jobs")


def write_delivery(job_id: int, payload: Mapping[str, Any]) -> str:
    """Write the chosen materials, asset by asset, look at what was written with the standards' validators and our own readers, and keep the
    files packed as one archive with the ledger. Says which could not be written; the others are."""
    left_out: list[str] = []
    with session() as database:
        job = database.get_one(Job, job_id)
        project = find_project(database, job.project_id)
        target = project_target(database, project.id, payload["target"], payload["profile"])
        title = f"{project.name}_{target.title}_{job.created:%Y-%m-%d}"
        ids = include_merged(database, payload["material_ids"])
        rows = database.scalars(select(MaterialRow).where(MaterialRow.id.in_(ids)).order_by(MaterialRow.id)).all()
        groups: dict[int, list[Conversion]] = {}
        for row in rows:
            try:
                made = find_delivered_conversion(database, row, payload["target"], payload["profile"])
                groups.setdefault(row.intake_id, []).append(made)
            except Exception as error:
                left_out.append(_describe_left_out(row.name, row.document["source"]["file"], error))
        verdicts = describe_looks(database, project, [row.id for row in rows], target)
        intakes = {identity: dict(intake.files) for identity in groups if (intake := database.get(Intake, identity)) is not None}
    name = safe_name(title, set())
    with tempfile.TemporaryDirectory(prefix="fenrain-delivery-") as scratch:
        folder, taken, written = Path(scratch) / name, set[str](), list[WrittenAsset]()
        for intake_id, conversions in groups.items():
            with restore_files(intakes[intake_id]) as source:
                assets, refused = _write_assets(conversions, intakes[intake_id], source, folder, target, taken)
                written += assets
                left_out += refused
        if not written:
            raise FenrainError("Nothing could be written.", place=target.title, remedy=" ".join(left_out[:5]))
        validations = [asdict(found) for asset in written for found in validate_asset(asset, folder, target)]
        write_ledger(written, folder, target, title, verdicts)
        archive = Path(scratch) / "delivery.zip"
        files = pack_folder(folder, archive)
        listed = [{"name": path.relative_to(folder).as_posix(), "size": path.stat().st_size} for path in files]
        digest = blobs.save_file(archive)
        placed = place_folder(folder, settings().deliveries or settings().data.resolve() / "deliveries") if payload.get("to_folder") else ""
    with session() as database:
        job = database.get_one(Job, job_id)
        if database.scalar(select(Delivery.id).where(Delivery.job_id == job_id)) is None:
            kind = target.format.id if target.format is not None else ""
            database.add(Delivery(project_id=job.project_id, job_id=job_id, format=kind, target=payload["target"], files=listed))
            job.result = {"archive": digest, "name": name, "folder": placed, "files": listed, "validations": validations}
    return f"{len(left_out)} could not be written, the others are. {' '.join(left_out)}" if left_out else ""


def _describe_left_out(name: str, file: str, error: Exception) -> str:
    if isinstance(error, FenrainError):
        return f"“{name}” of {file or 'this project'}: {error}"
    log.exception("%s of %s could not be written", name, file, exc_info=error)
    return f"“{name}” of {file or 'this project'}: {describe_own_error(error)}"


def _write_assets(
    conversions: list[Conversion], files: Collection[str], source: Path, folder: Path, target: ServedTarget, taken: set[str]
) -> tuple[list[WrittenAsset], list[str]]:
    """One file for each source file that the materials came from. files: names of what lies in the folder `source`. Returns what was
    written, and what could not be, in words."""
    written: list[WrittenAsset] = []
    by_file: dict[str, list[Conversion]] = {}
    for conversion in conversions:
        by_file.setdefault(conversion.original.source.file, []).append(conversion)
    left_out: list[str] = []
    for name, members in by_file.items():
        stem = safe_name(f"{Path(name).stem}_{target.model.id}", taken)
        asset = find_carrier(files, name)
        made, refused = _write_asset(members, source / asset if asset is not None else None, folder / stem / stem, target)
        written += [made] if made is not None else []
        left_out += refused
    return written, left_out


def _write_asset(
    members: Sequence[Conversion], asset: Path | None, stem: Path, target: ServedTarget
) -> tuple[WrittenAsset | None, list[str]]:
    """Write what can be written of one asset. Where the whole fails, each material is tried alone, and those that fail are left out."""
    assert target.format is not None
    path = stem.with_name(stem.name + target.format.suffixes[0])

    def attempt(chosen: Sequence[Conversion], to: Path, carrier: Path | None) -> Exception | None:
        try:
            write([member.material for member in chosen], to, target.format.id, carrier, target.profile)  # type: ignore[union-attr]
        except StorageError:
            raise  # no material's fault: what is left would meet it as well
        except Exception as error:
            return error
        return None

    if attempt(members, path, asset) is None:
        return WrittenAsset(path, tuple(members)), []
    left_out, whole = [], []
    for member in members:
        with tempfile.TemporaryDirectory(prefix="fenrain-alone-") as scratch:
            refused = attempt([member], Path(scratch) / path.name, None)
        if refused is None:
            whole.append(member)
        else:
            left_out.append(_describe_left_out(member.original.name, member.original.source.file, refused))
    again = attempt(whole, path, asset) if whole else None
    if again is None:
        return (WrittenAsset(path, tuple(whole)) if whole else None), left_out
    bare = attempt(whole, path, None)
    if bare is None:
        said = f"The meshes of {members[0].original.source.file} ({again}); its materials are written on spheres."
        return WrittenAsset(path, tuple(whole)), [*left_out, said]
    return None, left_out + [_describe_left_out(member.original.name, member.original.source.file, bare) for member in whole]
