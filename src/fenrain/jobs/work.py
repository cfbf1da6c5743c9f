"""What a worker does: one function a kind of work. Each may run twice and then changes nothing the second time."""

from __future__ import annotations

import logging
import os
import tempfile
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from distributed import get_worker
from sqlalchemy import select

from fenrain.core import write
from fenrain.core.checking.check import RigCheck, check_rig
from fenrain.core.checking.quick import quick_check
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.convert.engine import Conversion
from fenrain.core.errors import FenrainError
from fenrain.core.formats.paths import safe_name
from fenrain.core.looks.png import difference_png, look_png
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.intakes import restored_files
from fenrain.store.materials import PROFILES, check_key, conversion_of, ensure_conversion, find_conversion, find_material
from fenrain.store.tables import CheckRow, Delivery, Intake, Job, JobItem, MaterialRow, Project

log = logging.getLogger("fenrain.jobs")
Payload = Mapping[str, Any]
RUNNABLE = ("pending", "running")


def run_item(item_id: int) -> str:
    """Do one item of a job and say so in the database. Returns its new state. An error of the user's data ends the item, not the job."""
    with session() as database:
        item = database.get(JobItem, item_id)
        if item is None or item.state not in RUNNABLE:
            return "gone" if item is None else item.state
        item.state, item.attempts = "running", item.attempts + 1
        work, payload, job_id = WORK[item.work], dict(item.payload), item.job_id
    state, error = "done", ""
    try:
        work(job_id, payload)
    except FenrainError as refused:
        state, error = "failed", str(refused)
    except Exception:
        log.exception("item %s met an error that is not the user's", item_id)
        _leave_worker()
        raise
    with session() as database:
        item = database.get(JobItem, item_id)
        if item is not None and item.state == "running":
            item.state, item.error = state, error
    return state


def _leave_worker() -> None:
    """End this worker process, where it is one: an error in the middle of a recorded loop leaves the rendering engine unusable, and the
    next item would meet it too. The cluster starts another process."""
    try:
        get_worker()
    except ValueError:
        return
    os._exit(1)


def convert_and_check(job_id: int, payload: Payload) -> None:
    """Convert one material and check it under each rig."""
    with session() as database:
        row = ensure_conversion(database, find_material(database, payload["material_id"]), payload["target"], payload["profile"])
        conversion_id = row.id
    for rig in payload["rigs"]:
        check(job_id, {**payload, "conversion_id": conversion_id, "rig": rig})


def check(job_id: int, payload: Payload) -> None:
    """Check one conversion under one rig, unless the same two looks were compared in the same way before."""
    how = {name: payload[name] for name in ("rig", "stand", "size", "samples", "most_samples", "turn")}
    with session() as database:
        row = find_conversion(database, payload["conversion_id"])
        key = check_key(row.material.digest, row.digest, **how)
        if database.scalar(select(CheckRow.id).where(CheckRow.key == key)) is not None:
            return
        conversion = conversion_of(row)
        project = database.get(Project, row.material.project_id)
        tolerances = Tolerances(**(project.tolerances if project is not None else {}))
        digests = (row.material.digest, row.digest)
    result = check_rig(
        conversion.original,
        conversion.material,
        payload["rig"],
        payload["stand"],
        size=payload["size"],
        samples=payload["samples"],
        most_samples=payload["most_samples"],
        turn=payload["turn"],
        tolerances=tolerances,
    )
    kept = _kept(result, conversion, digests, key, payload["turn"])
    with session() as database:
        if database.scalar(select(CheckRow.id).where(CheckRow.key == key)) is None:
            database.add(kept)


def _kept(result: RigCheck, conversion: Conversion, digests: tuple[str, str], key: str, turn: float) -> CheckRow:
    quick = quick_check(conversion.original, conversion.material)
    pictures = {
        "original": blobs.put(look_png(result.original)),
        "converted": blobs.put(look_png(result.converted)),
        "difference": blobs.put(difference_png(result.delta_e)),
    }
    numbers = {
        "verdict": str(result.verdict),
        "median": result.median,
        "p95": result.p95,
        "worst": result.worst,
        "flip": result.flip,
        "relative_error": result.relative_error,
        "floor": result.floor,
        "samples": result.samples,
        "lobe_error": quick.lobe_error,
        "angles": quick.angles,
        "reflectance_original": quick.original,
        "reflectance_converted": quick.converted,
    }
    return CheckRow(
        key=key,
        original=digests[0],
        converted=digests[1],
        rig=result.rig,
        stand=result.stand,
        turn=turn,
        size=result.original.shape[0],
        numbers=numbers,
        pictures=pictures,
    )


def deliver(job_id: int, payload: Payload) -> None:
    """Write the chosen materials, asset by asset, and keep the files packed as one archive."""
    with session() as database:
        rows = database.scalars(select(MaterialRow).where(MaterialRow.id.in_(payload["material_ids"])).order_by(MaterialRow.id)).all()
        groups: dict[int, list[Conversion]] = {}
        for row in rows:
            groups.setdefault(row.intake_id, []).append(
                conversion_of(ensure_conversion(database, row, payload["target"], payload["profile"]))
            )
        intakes = {identity: dict(intake.files) for identity in groups if (intake := database.get(Intake, identity)) is not None}
    with tempfile.TemporaryDirectory(prefix="fenrain-delivery-") as scratch:
        folder, taken = Path(scratch) / "out", set[str]()
        for intake_id, conversions in groups.items():
            with restored_files(intakes[intake_id]) as source:
                _write_assets(conversions, source, folder, payload, taken)
        files = sorted(path for path in folder.rglob("*") if path.is_file())
        archive = Path(scratch) / "delivery.zip"
        with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as packed:
            for path in files:
                packed.write(path, path.relative_to(folder))
        listed = [{"name": str(path.relative_to(folder)), "size": path.stat().st_size} for path in files]
        digest = blobs.put_file(archive)
    with session() as database:
        job = database.get(Job, job_id)
        if job is not None and database.scalar(select(Delivery.id).where(Delivery.job_id == job_id)) is None:
            database.add(
                Delivery(project_id=job.project_id, job_id=job_id, format=payload["format"], target=payload["target"], files=listed)
            )
            job.result = {"archive": digest, "files": listed}


def _write_assets(conversions: list[Conversion], source: Path, folder: Path, payload: Payload, taken: set[str]) -> None:
    """One file for each source file that the materials came from."""
    suffix = {"gltf": ".glb", "materialx": ".mtlx", "mtl": ".mtl"}[payload["format"]]
    by_file: dict[str, list[Conversion]] = {}
    for conversion in conversions:
        by_file.setdefault(conversion.original.source.file, []).append(conversion)
    for name, members in by_file.items():
        stem = safe_name(f"{Path(name).stem}_{payload['target']}", taken)
        asset = next(
            (
                path
                for path in (source / name, (source / name).with_suffix(".obj"))
                if path.suffix in (".glb", ".gltf", ".obj") and path.is_file()
            ),
            None,
        )
        write(
            [member.material for member in members],
            folder / stem / f"{stem}{suffix}",
            payload["format"],
            asset,
            PROFILES[payload["profile"]],
        )


WORK: dict[str, Callable[[int, Payload], None]] = {"convert_and_check": convert_and_check, "check": check, "deliver": deliver}
