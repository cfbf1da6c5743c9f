"""Reports, of files or of a project that the application keeps."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from fenrain.cli.options import (
    AIM,
    AS_JSON,
    DIALECT,
    FIT,
    MAP_FOLDER,
    PROFILE,
    TOLERANCES,
    UNIT,
    app,
    convert_materials,
    profile_from,
    progress_bar,
    read_materials,
    select_rigs,
    tolerances_from,
)
from fenrain.core.errors import InputError

if TYPE_CHECKING:
    from fenrain.core.reports.report import Report

WHAT = Annotated[list[str], typer.Argument(metavar="PROJECT|INPUT…", help="files with materials, or the name of a project")]


@app.command()
def report(
    what: WHAT,
    output: Annotated[Path, typer.Option("-o", help="to write: .html, .pdf, .csv or .json")],
    to: Annotated[str, typer.Option("--to", help="target; “fenrain targets” lists them")] = "open_pbr",
    rig: Annotated[str, typer.Option("--rig", help="a rig's id, or all; else those that stand")] = "",
    profile: PROFILE = None,
    aim: AIM = "plain",
    dialect: DIALECT = None,
    unit: UNIT = "",
    map_folder: MAP_FOLDER = None,
    tune: FIT = False,
    limits_file: TOLERANCES = None,
    samples: Annotated[int, typer.Option(min=16, max=65536, help="for each pixel of the 64² that are measured")] = 256,
) -> None:
    """Write a report: pictures, numbers, verdicts, ledgers, losses. Files are converted and checked for it; a project is told as it is."""
    from fenrain.core.formats.registry import is_material_file
    from fenrain.core.reports.writing import WRITERS, write_report

    if output.suffix.lower() not in WRITERS:
        raise InputError(f"A report is not written as “{output.suffix}”.", place="-o", remedy=f"Call it {', '.join(WRITERS)}.")
    paths = [Path(one) for one in what]
    if len(paths) == 1 and not paths[0].exists() and not is_material_file(paths[0]):
        made = _of_project(what[0], to)
    else:
        made = _of_files(paths, to, rig, profile, aim, dialect, unit, map_folder, tune, limits_file, samples)
    write_report(output, made)
    counts = ", ".join(f"{count} {verdict}" for verdict, count in made.verdicts.items())
    print(f"{output}: {counts}.")
    if set(made.verdicts) - {"match"}:
        raise typer.Exit(1)


@app.command()
def difference(
    earlier: Annotated[Path, typer.Argument(metavar="EARLIER", help="a delivery: its folder or its archive")],
    later: Annotated[Path, typer.Argument(metavar="LATER", help="the one that followed it")],
    as_json: AS_JSON = False,
) -> None:
    """Say what a delivery holds otherwise than an earlier one: materials, values, verdicts and files."""
    from fenrain.core.reports.difference import delivered
    from fenrain.core.reports.difference import difference as difference_of

    found = difference_of(delivered(earlier), delivered(later))
    if as_json:
        print(json.dumps(found.to_document(), ensure_ascii=False, indent=1))
        return
    print(f"{len(found.changed)} changed, {found.same} the same, {len(found.added)} new, {len(found.removed)} gone")
    for one in found.changed:
        said = [f"{value.name} {value.before or 'nothing'} → {value.after or 'nothing'}" for value in one.values]
        if one.was != one.now:
            said.append(f"verdict {one.was or 'none'} → {one.now or 'none'}")
        print(f"  {one.name}: {'; '.join(said) or 'its maps'}")
    for sign, names in (("new", found.added), ("gone", found.removed)):
        print(*(f"  {sign}: {name}" for name in names), sep="\n", end="\n" if names else "")
    files = (("changed", found.files_changed), ("new", found.files_added), ("gone", found.files_removed))
    print("files: " + ", ".join(f"{len(names)} {word}" for word, names in files))


def _of_files(
    paths: list[Path],
    to: str,
    rig: str,
    profile: Path | None,
    aim: str,
    dialect: str | None,
    unit: str,
    map_folder: Path | None,
    tune: bool,
    limits_file: Path | None,
    samples: int,
) -> Report:
    from fenrain.core import check
    from fenrain.core.checking.verdict import Tolerances
    from fenrain.core.conversion.targets import target_called
    from fenrain.core.conversion.viewing import checklist, features_of
    from fenrain.core.reports.report import Report, entry_of

    target = target_called(to)
    limits = profile_from(profile, target)
    tolerances = Tolerances.from_document(tolerances_from(limits_file)) if limits_file is not None else Tolerances()
    materials = [material for path in paths for material in read_materials(path, dialect, unit, map_folder)]
    entries = []
    with progress_bar() as progress:
        task = progress.add_task("converting", total=float(len(materials)))
        conversions = convert_materials(materials, target.model.id, limits, aim, tune, lambda count: progress.advance(task, count))
        progress.update(task, description="checking", total=float(len(conversions)), completed=0)
        for conversion in conversions:
            sides = conversion.original, conversion.material
            found = check(*sides, rigs=select_rigs(rig, None), least_samples=samples, most_samples=samples, tolerances=tolerances)
            entries.append(entry_of(conversion, found))
            progress.advance(task)
    needed = checklist([(one.original.name, features_of(one.material)) for one in conversions], limits)
    return Report(", ".join(path.name for path in paths[:3]), target.title, tolerances, tuple(entries), tuple(needed))


def _of_project(name: str, to: str) -> Report:
    from sqlalchemy import select

    from fenrain.core.conversion.targets import target_called
    from fenrain.services.reports import build_report
    from fenrain.store.database import session
    from fenrain.store.tables import Project

    with session() as database:
        project = database.scalar(select(Project).where(Project.name == name))
        if project is None:
            known = ", ".join(database.scalars(select(Project.name).order_by(Project.id).limit(8)))
            raise InputError(f"There is no file and no project “{name}”.", place=name, remedy=f"Projects: {known or 'none'}.")
        target = target_called(to)
        return build_report(database, project.id, target.model.id, target.profile.name, None)
