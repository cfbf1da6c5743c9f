"""The command line. Exit 0: done, and all match; 1: at least one verdict is not match; 2: input or usage error, one line that says why."""

from __future__ import annotations

import csv
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer
from pydantic import TypeAdapter, ValidationError

from fenrain.core.checking.verdict import SURFACES
from fenrain.core.errors import FenrainError, InputError
from fenrain.core.formats.registry import format_of, formats

if TYPE_CHECKING:
    from fenrain.core.checking.check import Check
    from fenrain.core.convert.targets import ServedTarget
    from fenrain.core.material import Material
    from fenrain.core.models.target import Profile

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Convert materials between shading models and check that each look matches.",
)

INPUTS = Annotated[list[Path], typer.Argument(metavar="INPUT…", help="material files")]
TO = Annotated[str, typer.Option("--to", help="a target, such as open_pbr; “fenrain targets” lists them")]
PROFILE = Annotated[
    Path | None, typer.Option("--profile", help="a target profile that narrows the target (YAML, JSON); see “fenrain profile”")
]
DIALECT = Annotated[
    str | None, typer.Option("--dialect", help="for parameter sheets: a dialect file, or the id of one; guessed if left out")
]
UNIT = Annotated[str, typer.Option("--unit", help="of length, where files state none: m, cm, mm, in, ft, or metres as a number")]
MAP_FOLDER = Annotated[Path | None, typer.Option("--map-folder", help="where maps that are missing are looked for by their names")]
FIT = Annotated[bool, typer.Option("--fit", help="let the computer tune what is approximated")]
AS_JSON = Annotated[bool, typer.Option("--json", help="as JSON")]


@app.command()
def convert(
    inputs: INPUTS,
    to: TO,
    output: Annotated[Path, typer.Option("-o", help="folder to write to")],
    profile: PROFILE = None,
    dialect: DIALECT = None,
    unit: UNIT = "",
    map_folder: MAP_FOLDER = None,
    mesh: Annotated[Path | None, typer.Option("--mesh", help="mesh that carries the materials; mixes by slope are drawn on it")] = None,
    tune: FIT = False,
    ledger: Annotated[Path | None, typer.Option("--ledger", help="write the ledger as JSON")] = None,
    as_json: AS_JSON = False,
) -> None:
    """Convert every material of the inputs and write them with their maps."""
    from fenrain.core import write
    from fenrain.core.checking.findings.registry import findings_of
    from fenrain.core.convert.targets import target_called
    from fenrain.core.files import write_whole
    from fenrain.core.paths import safe_name

    aim = target_called(to)
    if aim.format is None:
        raise InputError(f"Nothing here writes {aim.title}.", place="--to", remedy="Install the package that brings its format.")
    limits = _profile(profile, aim)
    entries: list[dict[str, Any]] = []
    delivered: list[dict[str, Any]] = []
    taken: set[str] = set()
    with _progress(quiet=as_json) as progress:
        task = progress.add_task("reading", total=None)
        for path in inputs:
            materials = _on_mesh(_read(path, dialect, unit, map_folder), mesh)
            progress.update(task, description=f"{path.name}: converting", total=2 * len(materials), completed=0)
            conversions = _converted(materials, aim.model.id, limits, tune, lambda count: progress.advance(task, count))
            progress.update(task, description=f"{path.name}: writing")
            stem = safe_name(path.stem, taken)
            asset = path if format_of(path).meshes is not None else None
            target = output / f"{stem}{aim.format.suffixes[0]}"
            written = write([conversion.material for conversion in conversions], target, aim.format.id, asset, limits)
            progress.advance(task, len(materials))
            problems: list[str] = []
            for conversion in conversions:
                findings = [*conversion.original.findings, *findings_of(conversion)]
                told = [finding for finding in findings if finding.is_problem]
                problems += (f"{path.name}, {conversion.original.name}: {one.message} {one.remedy}" for one in told)
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
            delivered.append(
                {"file": path.name, "materials": len(conversions), "written": [str(one) for one in written], "problems": problems}
            )
            if not as_json:
                _tell_written(progress.console, delivered[-1])
    if as_json:
        print(json.dumps(delivered, ensure_ascii=False, indent=1))
    if ledger is not None:
        write_whole(ledger, json.dumps(entries, ensure_ascii=False, indent=1))


def _tell_written(console: Any, delivered: dict[str, Any]) -> None:
    count, maps = delivered["materials"], len(delivered["written"]) - 1
    beside = f" and {maps} {'map' if maps == 1 else 'maps'}" if maps else ""
    words = f"{delivered['file']}: {count} {'material' if count == 1 else 'materials'} → {delivered['written'][0]}{beside}"
    console.print(words, highlight=False, markup=False, soft_wrap=True)
    for problem in delivered["problems"]:
        print(problem, file=sys.stderr)


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
    dialect: DIALECT = None,
    unit: UNIT = "",
    map_folder: MAP_FOLDER = None,
    tune: FIT = False,
    limits_file: Annotated[Path | None, typer.Option("--tolerances", help="JSON: {rig or *: {reading: [match, near]}}")] = None,
    report: Annotated[Path | None, typer.Option("--json", help="write the readings as JSON")] = None,
    pictures: Annotated[Path | None, typer.Option("--pictures", help="folder for the pictures")] = None,
    size: Annotated[int, typer.Option(min=64, max=2048, help="edge of the pictures; rounded up to a multiple of 64")] = 128,
    samples: Annotated[int, typer.Option(min=16, max=65536, help="most samples for each pixel of the 64² that are measured")] = 256,
) -> None:
    """Convert every material, render both sides, and say whether they match, by which reading."""
    from fenrain.core import check as compare
    from fenrain.core.checking.check import READ_EDGE
    from fenrain.core.checking.isolation import without
    from fenrain.core.checking.verdict import Tolerances
    from fenrain.core.convert.targets import target_called
    from fenrain.core.files import write_whole
    from fenrain.core.lobes.aspects import known_aspects
    from fenrain.core.paths import safe_name

    aim = target_called(to)
    limits = _profile(profile, aim)
    tolerances = Tolerances.from_document(_tolerances(limits_file)) if limits_file is not None else Tolerances()
    views = [(one, _chosen_rigs(rig, environment)) for one in _chosen_stands(stand)]
    aspects = known_aspects(only or [], "--only")
    edge = -(-size // READ_EDGE) * READ_EDGE
    results: list[dict[str, Any]] = []
    taken: set[str] = set()
    materials = [material for path in inputs for material in _on_mesh(_read(path, dialect, unit, map_folder), mesh)]
    with _progress() as progress:
        task = progress.add_task("converting", total=float(len(materials)))
        conversions = _converted(materials, aim.model.id, limits, tune, lambda count: progress.advance(task, count))
        progress.update(task, description="checking", total=float(len(conversions) * len(views)), completed=0)
        for conversion in conversions:
            material = conversion.original
            shown = without(conversion, left_out) if left_out else conversion
            for on, under in views if mesh is None else [(_mesh_stand(mesh, material), _chosen_rigs(rig, environment))]:
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
                    progress=lambda share, done=len(results): progress.update(task, completed=done + share),
                )
                name = material.name if len(views) == 1 else f"{material.name}, {on}"
                progress.console.print(_check_lines(name, compared), highlight=False, markup=False, soft_wrap=True)
                if pictures is not None:
                    _write_pictures(pictures, safe_name(name, taken), compared)
                results.append({"material": material.name, **compared.to_document()})
    if report is not None:
        write_whole(report, json.dumps(results, ensure_ascii=False, indent=1))
    if any(result["verdict"] != "match" for result in results):
        raise typer.Exit(1)


UNITS = {"": 0.0, "m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}


def _read(path: Path, dialect: str | None, unit: str, map_folder: Path | None) -> list[Material]:
    """The materials of a file with what is odd about them. Raises InputError for an unknown unit or folder."""
    from fenrain.core import read
    from fenrain.core.checking.door.registry import with_findings
    from fenrain.core.paths import also_searched

    try:
        metres = UNITS[unit] if unit in UNITS else float(unit)
    except ValueError:
        metres = -1.0
    if not 0.0 <= metres < 1e6:
        raise InputError(f"“{unit}” is no unit of length.", place="--unit", remedy="Give m, cm, mm, in, ft, or metres as a number.")
    if map_folder is not None and not map_folder.is_dir():
        raise InputError(f"There is no folder “{map_folder}”.", place="--map-folder", remedy="Give the folder that the maps lie in.")
    with also_searched(map_folder):
        return [with_findings(material) for material in read(path, dialect=dialect, unit=metres)]


def _on_mesh(materials: list[Material], mesh: Path | None) -> list[Material]:
    """The materials, mixes by slope drawn on the mesh where one is given."""
    from fenrain.core.formats.registry import read_meshes
    from fenrain.core.slopes import drawn_on_meshes

    return materials if mesh is None else drawn_on_meshes(materials, read_meshes(mesh, mesh.parent))


def _chosen_rigs(rig: str, environment: Path | None) -> tuple[str, ...]:
    """Ids of rigs: one, all, or those that stand; and the caller's own surroundings, alone where no rig is named."""
    from fenrain.core.rendering.environment import open_environment
    from fenrain.core.rendering.rigs.registry import rig_of, rigs, standing_rigs
    from fenrain.core.values import Image

    own = () if environment is None else (open_environment(Image(environment.name, environment)).id,)
    named = tuple(rigs()) if rig == "all" else (rig_of(rig).id,) if rig else () if own else standing_rigs()
    return named + own


def _chosen_stands(stand: str) -> tuple[str, ...]:
    from fenrain.core.rendering.stands.registry import stand_of, stands

    return tuple(stands()) if stand == "all" else (stand_of(stand).id,)


def _mesh_stand(path: Path, material: Material) -> str:
    from fenrain.core.rendering.own_mesh import open_mesh

    return open_mesh(path, path.parent, path.name, material.name, material.geometry.unit).id


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

    values = _json(parameters)
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
    decision = compared.decided_by
    where = f" ({decision.rig})" if decision.rig else ""
    lines = [f"{decision.verdict:9}  {name}  {str(decision).partition(': ')[2]}{where}"]
    for rig, readings in compared.readings.items():
        deciding = compared.tolerances.deciding(readings, "" if rig == SURFACES else rig)
        told = "  ".join(f"{metric.title} {reading.value:.2f}/{limits.match:g}" for metric, reading, limits in deciding)
        lines.append(f"           {rig}: {told}")
    return "\n".join([*lines, *(f"           {reason}" for reason in compared.unseen)])


def _write_pictures(folder: Path, stem: str, compared: Check) -> None:
    from fenrain.core.files import write_whole
    from fenrain.core.rendering.png import pair_pngs

    for result in compared.rigs:
        for side, data in pair_pngs(result.original, result.converted, result.delta_e).items():
            write_whole(folder / f"{stem}_{result.rig}_{side}.png", data)


def _tolerances(path: Path) -> dict[str, dict[str, tuple[float, float]]]:
    """Limits from a JSON file. Raises InputError."""
    try:
        return TypeAdapter(dict[str, dict[str, tuple[float, float]]]).validate_python(_json(path))
    except ValidationError as reason:
        first = reason.errors()[0]
        raise InputError(
            f"“{path}”: {'/'.join(str(part) for part in first['loc'])}: {first['msg']}.",
            remedy='Write {"*": {"colour": [1, 2.5]}}: by rig or *, by reading, what a match and what near may read.',
        ) from reason


@app.command("models")
def list_models(json_output: AS_JSON = False) -> None:
    """The shading models and their parameters."""
    from fenrain.core.models.registry import models

    _show(
        [
            {
                "id": m.id,
                "title": m.title,
                "source": m.source,
                "parameters": [
                    {
                        "name": p.name,
                        "kind": p.kind,
                        "default": p.default,
                        "group": p.group,
                        "unit": p.unit,
                        "says": p.says,
                        "range": p.range_text(),
                    }
                    for p in m.parameters
                ],
            }
            for m in models().values()
        ],
        json_output,
    )


@app.command("targets")
def list_targets(json_output: AS_JSON = False) -> None:
    """What can be converted to, and the format that is written."""
    from fenrain.core.convert.targets import served_targets

    _show(
        [
            {
                "id": target.id if target.stated else target.model.called or target.id,
                "title": target.title,
                "model": target.model.id,
                "profile": target.profile.name,
                "format": target.format.id if target.format is not None else None,
            }
            for target in served_targets()
        ],
        json_output,
    )


@app.command("profile")
def show_profile(
    name: Annotated[str, typer.Argument(metavar="NAME|FILE", help="a shipped target profile, or a file of one to look over")],
) -> None:
    """A target profile as a file, to start one's own from; of a file, what it says, once it holds."""
    from fenrain.core.convert.profiles import profile_file
    from fenrain.core.convert.targets import served_targets, target_of_profile

    path = Path(name)
    if path.suffix:
        stated = profile_file(_text(path, name), path.name)
        print(target_of_profile(stated).stated.to_yaml(), end="")  # type: ignore[union-attr]
        return
    known = {target.id: target.stated for target in served_targets() if target.stated is not None}
    if name not in known:
        raise InputError(f"There is no target profile “{name}”.", place=name, remedy=f"Profiles: {', '.join(known)}; or give a file.")
    print(known[name].to_yaml(), end="")


@app.command("draft")
def draft_dialect(
    sheet: Annotated[Path, typer.Argument(metavar="SHEET", help="a parameter sheet that no dialect fits")],
) -> None:
    """A dialect to begin from for a parameter sheet, as YAML: what its columns seem to mean, to be checked."""
    from fenrain.core.dialects.dialect import shipped
    from fenrain.core.dialects.draft import draft
    from fenrain.core.formats.parameter_sheet import sheet_rows

    print(draft(sheet_rows(sheet), sheet.stem, shipped()), end="")


@app.command("rigs")
def list_rigs(json_output: AS_JSON = False) -> None:
    """The light rigs."""
    from fenrain.core.rendering.rigs.registry import rigs

    _show([{"id": rig.id, "title": rig.title, "says": rig.says} for rig in rigs().values()], json_output)


@app.command("stands")
def list_stands(json_output: AS_JSON = False) -> None:
    """The stands."""
    from fenrain.core.rendering.stands.registry import stands

    _show([{"id": stand.id, "title": stand.title, "says": stand.says} for stand in stands().values()], json_output)


@app.command("formats")
def list_formats(json_output: AS_JSON = False) -> None:
    """The file formats."""
    _show(
        [
            {
                "id": f.id,
                "title": f.title,
                "suffixes": list(f.suffixes),
                "reads": f.read is not None,
                "writes": f.write is not None,
                "models": list(f.models),
            }
            for f in formats().values()
        ],
        json_output,
    )


@app.command()
def serve() -> None:
    """Start the application."""
    _serve(demo=False)


@app.command()
def demo() -> None:
    """Start the application with the demo data."""
    _serve(demo=True)


@app.command()
def warm() -> None:
    """Compile what pictures of usual materials need, once a machine, so that nobody waits for it."""
    from fenrain.core.rendering.probe import load_engine
    from fenrain.demo.warm import warm as compile_all

    load_engine()
    print(f"Ready for pictures: {compile_all()} kinds of pairs.")


@app.command()
def stop() -> None:
    """End what a crash left running."""
    from fenrain.serve import stop as end

    end()


def main() -> NoReturn:
    """Entry point: errors as one line and exit code 2."""
    try:
        code = app(standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except FenrainError as error:
        print(f"fenrain: {error}", file=sys.stderr)
    except typer.Exit as left:
        sys.exit(left.exit_code)
    except KeyboardInterrupt:
        sys.exit(130)
    except Exception as error:
        if not hasattr(error, "format_message"):
            raise
        print(f"fenrain: {error.format_message()}", file=sys.stderr)
    sys.exit(2)


def _serve(*, demo: bool) -> None:
    from fenrain.serve import serve as run
    from fenrain.serve import terminate_on_signal

    terminate_on_signal()
    run(demo=demo)


AT_ONCE = 50
"""Materials that are converted together: the more the faster, the fewer the smoother the bar."""


def _converted(materials: list[Any], model: str, limits: Any, tune: bool, advance: Callable[[int], Any]) -> list[Any]:
    """advance: told how many more are done."""
    from fenrain.core import convert_all
    from fenrain.core.checking.fitting.fit import fit

    found = []
    for begin in range(0, len(materials), 1 if tune else AT_ONCE):
        some = convert_all(materials[begin : begin + (1 if tune else AT_ONCE)], model, limits)
        found += [fit(conversion).conversion if tune else conversion for conversion in some]
        advance(len(some))
    return found


def _progress(quiet: bool = False) -> Any:
    """A bar for those who watch, and nothing in a file or a pipe."""
    from rich.progress import Progress

    return Progress(transient=True, disable=quiet or not sys.stdout.isatty())


def _profile(path: Path | None, aim: ServedTarget) -> Profile:
    """The target's own profile, or one from a file that narrows it. Raises InputError."""
    from fenrain.core.convert.profiles import profile_file
    from fenrain.core.models.target import Target

    if path is None:
        return aim.profile
    try:
        text = path.read_text("utf-8")
    except (OSError, ValueError) as reason:
        raise InputError(
            f"“{path}” cannot be read ({reason}).", place="--profile", remedy="Give a target profile, YAML or JSON."
        ) from reason
    stated = profile_file(text, path.name)
    if stated.target not in ("", aim.id):
        raise InputError(f"“{path}” narrows {stated.target}, not {aim.id}.", place="--profile", remedy=f"Convert --to {stated.target}.")
    return stated.narrowing(aim.model, Target(aim.profile, aim.title, ""), path.stem)


def _text(path: Path, place: str) -> str:
    try:
        return path.read_text("utf-8")
    except (OSError, ValueError) as reason:
        raise InputError(f"“{path}” cannot be read ({reason}).", place=place, remedy="Give a target profile, YAML or JSON.") from reason


def _json(path: Path) -> dict[str, Any]:
    try:
        values = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError) as reason:
        raise InputError(f"“{path}” cannot be read ({reason}).", remedy="Give a JSON object.") from reason
    if not isinstance(values, dict):
        raise InputError(f"“{path}” is not a JSON object.", remedy="Give name → value.")
    return values


def _show(rows: list[dict[str, Any]], as_json: bool) -> None:
    if as_json:
        print(json.dumps(rows, ensure_ascii=False, indent=1))
        return
    for row in rows:
        print(f"{row['id']:22} {row['title']}" + (f": {row['says']}" if "says" in row else ""))


if __name__ == "__main__":
    main()
