"""Dialects and presets: what comes with Fenrain and what people wrote, to test, save and share; and one material in every target."""

from __future__ import annotations

from fastapi import APIRouter, Response

from fenrain.api.authentication import LOOKS_ONLY
from fenrain.api.routers.conversions import Expected
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.schemas.library import (
    DialectIn,
    DialectNameIn,
    DialectOut,
    DialectTextOut,
    GuessOut,
    LineProblem,
    PresetIn,
    PresetNameIn,
    PresetOut,
    StartIn,
    TryIn,
    TryOut,
)
from fenrain.api.views.jobs import job_view
from fenrain.core.dialects.dialect import Dialect
from fenrain.core.tables import Preset
from fenrain.jobs.plans import plan_conversion
from fenrain.services import worker_tasks
from fenrain.services.comparison import Comparison
from fenrain.services.library import (
    delete_dialect,
    delete_preset,
    dialect_text,
    dialect_versions,
    find_preset,
    known_dialects,
    known_presets,
    rename_dialect,
    rename_preset,
    save_dialect,
    save_preset,
)
from fenrain.services.worker_process import read_in_worker_process, run_in_worker_process
from fenrain.store.database import session

router = APIRouter(tags=["library"])


@router.get("/dialects")
def list_dialects() -> list[DialectOut]:
    with session() as database:
        versions = dialect_versions(database)
        return [_dialect(dialect, versions.get(key, 0)) for key, dialect in known_dialects(database).items()]


@router.get("/dialects/{key}")
def show_dialect(key: str, response: Response) -> DialectTextOut:
    """A dialect as its YAML text."""
    with session() as database:
        text, version = dialect_text(database, key)
    response.headers["ETag"] = f'"{version}"'
    return DialectTextOut(id=key, text=text, version=version)


@router.put("/dialects/{key}")
def write_dialect(key: str, body: DialectIn, expected: Expected) -> DialectTextOut:
    """Save a dialect; If-Match names the version it was made from, 0 for a new one."""
    with session() as database:
        row = save_dialect(database, key, body.text, expected=expected)
        return DialectTextOut(id=row.key, text=row.text, version=row.version)


@router.post("/dialects/{key}/name")
def rename(key: str, body: DialectNameIn, expected: Expected) -> DialectTextOut:
    """Give a dialect that somebody wrote another id; sheets that are being taken in by it follow."""
    with session() as database:
        row = rename_dialect(database, key, body.id, expected=expected)
        return DialectTextOut(id=row.key, text=row.text, version=row.version)


@router.delete("/dialects/{key}", status_code=204)
def remove_dialect(key: str) -> None:
    with session() as database:
        delete_dialect(database, key)


@router.post("/dialects/try", openapi_extra=LOOKS_ONLY)
def try_dialect(body: TryIn) -> TryOut:
    """Read a sheet by a dialect that may be unfinished: what is wrong with either, and what the materials become."""
    tried = read_in_worker_process(worker_tasks.try_sheet, body.dialect, body.sheet, body.kind)
    return TryOut(
        problems=[LineProblem(line=found.line, message=found.message) for found in tried.problems],
        refused=tried.refused,
        guesses=[_guess(*found) for found in tried.guesses],
        materials=tried.materials,
    )


@router.get("/presets")
def list_presets() -> list[PresetOut]:
    with session() as database:
        return [_preset(preset) for preset in known_presets(database).values()]


@router.post("/presets", status_code=201)
def write_preset(body: PresetIn) -> PresetOut:
    """Save OpenPBR values as a named surface that everybody can start from."""
    with session() as database:
        row = save_preset(database, body.name, body.says, body.color, body.values)
        return _preset(find_preset(database, f"own-{row.id}"))


@router.put("/presets/{key}/name")
def rename_own_preset(key: str, body: PresetNameIn) -> PresetOut:
    """Call a named surface that somebody saved otherwise."""
    with session() as database:
        rename_preset(database, key, body.name, body.says)
        return _preset(find_preset(database, key))


@router.delete("/presets/{key}", status_code=204)
def remove_preset(key: str) -> None:
    with session() as database:
        delete_preset(database, key)


@router.post("/projects/{project_id}/materials", status_code=202)
def start_from_preset(project_id: int, body: StartIn) -> JobOut:
    """Begin a material from a named surface; it enters the board, converted and checked as a job."""
    material_id = run_in_worker_process(worker_tasks.start_from_preset, project_id, body.preset, body.name, body.color)
    with session() as database:
        return job_view(database, plan_conversion(database, project_id, [material_id], body.target, body.profile))


@router.get("/materials/{material_id}/targets")
def compare_targets(material_id: int) -> Comparison:
    """One material in every target side by side: what each says, what it loses, and the error to expect."""
    return run_in_worker_process(worker_tasks.compare_material, material_id)


def _dialect(dialect: Dialect, version: int) -> DialectOut:
    return DialectOut(id=dialect.id, name=dialect.name, model=dialect.model, says=dialect.says, version=version)


def _guess(dialect: Dialect, confidence: float, reasons: tuple[str, ...]) -> GuessOut:
    return GuessOut(id=dialect.id, name=dialect.name, confidence=confidence, reasons=list(reasons))


def _preset(preset: Preset) -> PresetOut:
    return PresetOut(
        id=preset.id, name=preset.title, says=preset.says, color=preset.color, values=dict(preset.values), own=preset.id.startswith("own-")
    )
