"""Converting, checking, and asking a model for single values."""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fenrain.cli.options import (
    AIM,
    AS_JSON,
    DIALECT,
    FIT,
    INPUTS,
    MAP_FOLDER,
    PROFILE,
    TO,
    TOLERANCES,
    UNIT,
    UV,
    app,
    convert_materials,
    draw_slopes_on_mesh,
    json_of,
    mesh_stand,
    profile_from,
    progress_bar,
    read_materials,
    select_rigs,
    select_stands,
    tolerances_from,
)
from fenrain.cli.outcomes import ACCEPT, ALLOW, QUIET, Outcome, accepting, exit_by, summary
from fenrain.core.errors import InputError

if TYPE_CHECKING:
    from fenrain.core.checking.check import Check


@app.command()
def convert(
    inputs: INPUTS,
    to: TO,
    output: Annotated[Path, typer.Option("-o", help="folder to write to")],
    profile: PROFILE = None,
    aim: AIM = "plain",
    dialect: DIALECT = None,
    unit: UNIT = "",
    uv: UV = "",
    map_folder: MAP_FOLDER = None,
    mesh: Annotated[Path | None, typer.Option("--mesh", help="mesh that carries the materials; mixes by slope are drawn on it")] = None,
    tune: FIT = False,
    ledger: Annotated[Path | None, typer.Option("--ledger", help="write the ledger as JSON")] = None,
    accept: ACCEPT = None,
    allow: ALLOW = None,
    quiet: QUIET = False,
    as_json: AS_JSON = False,
) -> None:
    """Convert every material of the inputs and write them with their maps. Exit 1: something was not read, or is lost."""
    from fenrain.core import write
    from fenrain.core.checking.value_findings.registry import findings_of
    from fenrain.core.conversion.targets import target_called
    from fenrain.core.files import write_whole
    from fenrain.core.formats.registry import format_of
    from fenrain.core.paths import safe_name

    served = target_called(to)
    if served.format is None:
        raise InputError(f"Nothing here writes {served.title}.", place="--to", remedy="Install the package that brings its format.")
    limits = profile_from(profile, served)
    entries: list[dict[str, Any]] = []
    delivered: list[dict[str, Any]] = []
    outcomes: list[Outcome] = []
    taken: set[str] = set()
    with progress_bar(quiet=as_json) as progress:
        task = progress.add_task("reading", total=None)
        for path in inputs:
            materials = draw_slopes_on_mesh(accepting(read_materials(path, dialect, unit, map_folder, uv), accept), mesh)
            progress.update(task, description=f"{path.name}: converting", total=2 * len(materials), completed=0)
            conversions = convert_materials(materials, served.model.id, limits, aim, tune, lambda count: progress.advance(task, count))
            progress.update(task, description=f"{path.name}: writing")
            stem = safe_name(path.stem, taken)
            asset = path if format_of(path).meshes is not None else None
            target = output / f"{stem}{served.format.suffixes[0]}"
            written = write([conversion.material for conversion in conversions], target, served.format.id, asset, limits)
            progress.advance(task, len(materials))
            told = []
            for conversion in conversions:
                findings = [*conversion.original.findings, *findings_of(conversion)]
                told.append(Outcome.from_conversion(conversion, findings, allow))
                entries.append(
                    {
                        "file": path.name,
                        "material": conversion.original.name,
                        "model": conversion.original.model,
                        "to": to,
                        "findings": [finding.to_document() for finding in findings],
                        "ledger": [entry.to_document(conversion.target) for entry in conversion.ledger],
                    }
                )
            outcomes += told
            delivered.append(
                {"file": path.name, "written": [str(one) for one in written], "materials": [one.to_document() for one in told]}
            )
            if not as_json:
                _tell_written(progress.console, path.name, written, told, quiet=quiet)
    print(json.dumps(delivered, ensure_ascii=False, indent=1) if as_json else summary(outcomes))
    if ledger is not None:
        write_whole(ledger, json.dumps(entries, ensure_ascii=False, indent=1))
    exit_by(outcomes)


def _tell_written(console: Any, file: str, written: Sequence[Path], outcomes: Sequence[Outcome], *, quiet: bool) -> None:
    count, maps = len(outcomes), len(written) - 1
    beside = f" and {maps} {'map' if maps == 1 else 'maps'}" if maps else ""
    words = f"{file}: {count} {'material' if count == 1 else 'materials'} → {written[0]}{beside}"
    for line in () if quiet else (words, *map(str, outcomes)):
        console.print(line, highlight=False, markup=False, soft_wrap=True)


@app.command()
def check(
    inputs: INPUTS,
    to: TO,
    rig: Annotated[
        str, typer.Option("--rig", help="a rig's id, with the height of its lamp (low_sun:35), or all; else those that stand")
    ] = "",
    stand: Annotated[str, typer.Option("--stand", help="a stand's id, with the camera's place (sphere:near), or all")] = "sphere",
    mesh: Annotated[Path | None, typer.Option("--mesh", help="own mesh (OBJ, glTF) as the stand, the material where it is used")] = None,
    environment: Annotated[Path | None, typer.Option("--environment", help="own surroundings (EXR, HDR) as one more rig")] = None,
    only: Annotated[list[str] | None, typer.Option("--only", help="an aspect (reflection, body, …) shown alone; again for more")] = None,
    left_out: Annotated[list[str] | None, typer.Option("--without", help="an input taken out on both sides; again for more")] = None,
    profile: PROFILE = None,
    aim: AIM = "plain",
    dialect: DIALECT = None,
    unit: UNIT = "",
    uv: UV = "",
    map_folder: MAP_FOLDER = None,
    tune: FIT = False,
    limits_file: TOLERANCES = None,
    report: Annotated[Path | None, typer.Option("--json", help="write the readings as JSON")] = None,
    pictures: Annotated[Path | None, typer.Option("--pictures", help="folder for the pictures")] = None,
    size: Annotated[int, typer.Option(min=64, max=2048, help="edge of the pictures; rounded up to a multiple of 64")] = 128,
    samples: Annotated[int, typer.Option(min=16, max=65536, help="most samples for each pixel of the 64² that are measured")] = 256,
    accept: ACCEPT = None,
    allow: ALLOW = None,
    quiet: QUIET = False,
) -> None:
    """Convert every material, render both sides, and say whether they match, by which reading. Exit 1: one does not, or loses something."""
    from fenrain.core import check as compare
    from fenrain.core.checking.check import READ_EDGE
    from fenrain.core.checking.isolation import without
    from fenrain.core.checking.value_findings.registry import findings_of
    from fenrain.core.checking.verdict import Tolerances
    from fenrain.core.conversion.targets import target_called
    from fenrain.core.files import write_whole
    from fenrain.core.lobes.aspects import known_aspects
    from fenrain.core.paths import safe_name

    target = target_called(to)
    limits = profile_from(profile, target)
    tolerances = Tolerances.from_document(tolerances_from(limits_file)) if limits_file is not None else Tolerances()
    views = [(one, select_rigs(rig, environment)) for one in select_stands(stand)]
    aspects = known_aspects(only or [], "--only")
    edge = -(-size // READ_EDGE) * READ_EDGE
    results: list[dict[str, Any]] = []
    outcomes: list[Outcome] = []
    taken: set[str] = set()
    materials = [
        material
        for path in inputs
        for material in draw_slopes_on_mesh(accepting(read_materials(path, dialect, unit, map_folder, uv), accept), mesh)
    ]
    with progress_bar() as progress:
        task = progress.add_task("converting", total=float(len(materials)))
        conversions = convert_materials(materials, target.model.id, limits, aim, tune, lambda count: progress.advance(task, count))
        progress.update(task, description="checking", total=float(len(conversions) * len(views)), completed=0)
        for conversion in conversions:
            material = conversion.original
            shown = without(conversion, left_out) if left_out else conversion
            outcome = Outcome.from_conversion(conversion, [*material.findings, *findings_of(conversion)], allow)
            for on, under in views if mesh is None else [(mesh_stand(mesh, material), select_rigs(rig, environment))]:
                compared = compare(
                    shown.original,
                    shown.material,
                    rigs=under,
                    stand=on,
                    size=edge,
                    most_samples=samples,
                    aspects=aspects,
                    others=[(other.original, other.material) for other in conversions if other is not conversion] if mesh else (),
                    tolerances=tolerances,
                    progress=partial(_advance, progress, task, len(results)),
                )
                name = material.name if len(views) == 1 else f"{material.name}, {on}"
                outcomes.append(replace(outcome, name=name, verdict=str(compared.verdict)))
                for line in () if quiet else (_check_lines(name, compared), f"           {outcomes[-1].text}"):
                    progress.console.print(line, highlight=False, markup=False, soft_wrap=True)
                if pictures is not None:
                    _write_pictures(pictures, safe_name(name, taken), compared)
                results.append({"material": material.name, **compared.to_document(), **outcomes[-1].to_document()})
    if report is not None:
        write_whole(report, json.dumps(results, ensure_ascii=False, indent=1))
    print(summary(outcomes))
    exit_by(outcomes)


def _advance(bar: Any, task: Any, done: int, share: float) -> None:
    bar.update(task, completed=done + share)


@app.command()
def probe(
    model: Annotated[str, typer.Option("--model")],
    parameters: Annotated[Path, typer.Option("--parameters", help="JSON: name → value")],
    directions: Annotated[Path, typer.Option("--directions", help="CSV: wi_x,wi_y,wi_z,wo_x,wo_y,wo_z")],
    output: Annotated[Path, typer.Option("-o", help="CSV: r,g,b")],
) -> None:
    """Evaluate a model's BRDF × cos θ_i for pairs of directions."""
    import numpy as np

    from fenrain.core import evaluate
    from fenrain.core.files import write_whole

    values = json_of(parameters)
    columns = ("wi_x", "wi_y", "wi_z", "wo_x", "wo_y", "wo_z")
    try:
        with directions.open(newline="") as stream:
            rows = np.array([[float(row[name]) for name in columns] for row in csv.DictReader(stream)]).reshape(-1, 6)
    except (OSError, KeyError, ValueError, TypeError) as reason:
        raise InputError(f"“{directions}” cannot be read ({reason}).", remedy=f"Columns: {', '.join(columns)}.") from reason
    result = evaluate(model, values, rows[:, :3], rows[:, 3:])
    write_whole(output, "r,g,b\n" + "".join(f"{r:.9g},{g:.9g},{b:.9g}\n" for r, g, b in result))


def _check_lines(name: str, compared: Check) -> str:
    """The verdict and what decided it; below it every rig's readings that decide."""
    from fenrain.core.checking.verdict import SURFACES

    decision = compared.decided_by
    where = f" ({decision.rig})" if decision.rig else ""
    lines = [f"{decision.verdict:9}  {name}  {str(decision).partition(': ')[2]}{where}"]
    for rig, readings in compared.readings.items():
        deciding = compared.tolerances.deciding(readings, "" if rig == SURFACES else rig)
        told = "  ".join(f"{metric.title} {reading.value:.2f}/{limits.match:g}" for metric, reading, limits in deciding)
        lines.append(f"           {rig}: {told}")
    return "\n".join([*lines, *(f"           {reason}" for reason in compared.unseen if reason not in compared.unread)])


def _write_pictures(folder: Path, stem: str, compared: Check) -> None:
    from fenrain.core.files import write_whole
    from fenrain.core.rendering.png import pair_pngs

    for result in compared.rigs:
        for side, data in pair_pngs(result.original, result.converted, result.delta_e).items():
            write_whole(folder / f"{stem}_{result.rig}_{side}.png", data)
