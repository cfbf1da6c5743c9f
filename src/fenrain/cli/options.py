"""What commands have in common: the application, options, and what is made of what was given."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fenrain.core.errors import InputError

if TYPE_CHECKING:
    from fenrain.core.conversion.targets import ServedTarget
    from fenrain.core.corrections import Correction
    from fenrain.core.material import Material
    from fenrain.core.models.target import Profile

app = typer.Typer(
    rich_markup_mode=None,
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
UV = Annotated[
    str,
    typer.Option(
        "--uv", help="for meshes without texture coordinates: plane, box, cylinder, sphere or unwrap, with the length of a step: box:0.5"
    ),
]
AIM = Annotated[str, typer.Option("--aim", help="what values are good for: plain, nearest or physical; see the help on aims")]
TOLERANCES = Annotated[Path | None, typer.Option("--tolerances", help="JSON: {rig or *: {reading: [match, near]}}")]
MAP_FOLDER = Annotated[Path | None, typer.Option("--map-folder", help="where maps that are missing are looked for by their names")]
FIT = Annotated[bool, typer.Option("--fit", help="let the computer tune what is approximated")]
AS_JSON = Annotated[bool, typer.Option("--json", help="as JSON")]


def read_materials(path: Path, dialect: str | None, unit: str, map_folder: Path | None, uv: str = "") -> list[Material]:
    """The materials of a file with what is odd about them. Raises InputError for an unknown unit, folder or way of projection."""
    from fenrain.core import read
    from fenrain.core.checking.input_findings.registry import with_findings
    from fenrain.core.corrections import apply_corrections
    from fenrain.core.dialects.dialect import UNITS_OF_LENGTH
    from fenrain.core.paths import also_searched

    try:
        metres = UNITS_OF_LENGTH[unit] if unit in UNITS_OF_LENGTH else float(unit or 0.0)
    except ValueError:
        metres = -1.0
    if not 0.0 <= metres < 1e6:
        raise InputError(f"“{unit}” is no unit of length.", place="--unit", remedy="Give m, cm, mm, in, ft, or metres as a number.")
    if map_folder is not None and not map_folder.is_dir():
        raise InputError(f"There is no folder “{map_folder}”.", place="--map-folder", remedy="Give the folder that the maps lie in.")
    corrections = [_projection(uv)] if uv else []
    with also_searched(map_folder):
        materials = read(path, dialect=dialect, unit=metres)
        return [with_findings(apply_corrections(one, corrections if one.lacks_coordinates else [])) for one in materials]


def _projection(uv: str) -> Correction:
    from fenrain.core.corrections import Correction
    from fenrain.core.projections import ProjectionKind

    kind, _, size = uv.partition(":")
    try:
        return Correction(projection=ProjectionKind(kind), size=float(size) if size else None)
    except ValueError as reason:
        known = ", ".join(ProjectionKind)
        raise InputError(f"“{uv}” is no projection.", place="--uv", remedy=f"Give one of {known}, with a length: box:0.5.") from reason


def draw_slopes_on_mesh(materials: list[Material], mesh: Path | None) -> list[Material]:
    """The materials, mixes by slope drawn on the mesh where one is given."""
    from fenrain.core.formats.reading import read_meshes
    from fenrain.core.slopes import drawn_on_meshes

    return materials if mesh is None else drawn_on_meshes(materials, read_meshes(mesh, mesh.parent))


def select_rigs(rig: str, environment: Path | None) -> tuple[str, ...]:
    """Ids of rigs: one, all, or those that stand; and the caller's own surroundings, alone where no rig is named."""
    from fenrain.core.rendering.environment import open_environment
    from fenrain.core.rendering.rigs.registry import rig_of, rigs, standing_rigs
    from fenrain.core.values import Image

    own = () if environment is None else (open_environment(Image(environment.name, environment)).id,)
    named = tuple(rigs()) if rig == "all" else (rig_of(rig).id,) if rig else () if own else standing_rigs()
    return named + own


def select_stands(stand: str) -> tuple[str, ...]:
    from fenrain.core.rendering.stands.registry import stand_of, stands

    return tuple(stands()) if stand == "all" else (stand_of(stand).id,)


def mesh_stand(path: Path, material: Material) -> str:
    from fenrain.core.rendering.own_mesh import open_mesh

    return open_mesh(path, path.parent, path.name, material.name, material.geometry.unit, material.geometry.projection).id


def tolerances_from(path: Path) -> dict[str, dict[str, tuple[float, float]]]:
    """Limits from a JSON file. Raises InputError."""
    from pydantic import TypeAdapter, ValidationError

    try:
        return TypeAdapter(dict[str, dict[str, tuple[float, float]]]).validate_python(json_of(path))
    except ValidationError as reason:
        first = reason.errors()[0]
        raise InputError(
            f"“{path}”: {'/'.join(str(part) for part in first['loc'])}: {first['msg']}.",
            remedy='Write {"*": {"colour": [1, 2.5]}}: by rig or *, by reading, what a match and what near may read.',
        ) from reason


AT_ONCE = 50
"""Materials that are converted together: the more the faster, the fewer the smoother the bar."""


def convert_materials(materials: list[Any], model: str, limits: Any, aim: str, tune: bool, advance: Callable[[int], Any]) -> list[Any]:
    """advance: told how many more are done. Raises InputError for an unknown aim."""
    from fenrain.core import convert_all
    from fenrain.core.checking.fitting.fit import fit
    from fenrain.core.conversion.aim import aim_called

    wanted, found = aim_called(aim), []
    for begin in range(0, len(materials), 1 if tune else AT_ONCE):
        some = convert_all(materials[begin : begin + (1 if tune else AT_ONCE)], model, limits, wanted)
        found += [fit(conversion).conversion if tune else conversion for conversion in some]
        advance(len(some))
    return found


def progress_bar(quiet: bool = False) -> Any:
    """A bar for those who watch, and nothing in a file or a pipe."""
    if quiet or not sys.stdout.isatty():
        return _NoBar()
    from rich.progress import Progress

    return Progress(transient=True)


class _NoBar:
    """Takes what a bar is told, and prints lines as they are."""

    @property
    def console(self) -> _NoBar:
        return self

    def __enter__(self) -> _NoBar:
        return self

    def __exit__(self, *_: object) -> None:
        return None

    def add_task(self, *_: Any, **__: Any) -> int:
        return 0

    def update(self, *_: Any, **__: Any) -> None:
        return None

    def advance(self, *_: Any, **__: Any) -> None:
        return None

    def print(self, text: str, **_: Any) -> None:
        print(text)


def profile_from(path: Path | None, target: ServedTarget) -> Profile:
    """The target's own profile, or one from a file that narrows it. Raises InputError."""
    from fenrain.core.conversion.profiles import profile_file
    from fenrain.core.models.target import Target

    if path is None:
        return target.profile
    try:
        text = path.read_text("utf-8")
    except (OSError, ValueError) as reason:
        raise InputError(
            f"“{path}” cannot be read ({reason}).", place="--profile", remedy="Give a target profile, YAML or JSON."
        ) from reason
    stated = profile_file(text, path.name)
    if stated.target not in ("", target.id):
        raise InputError(f"“{path}” narrows {stated.target}, not {target.id}.", place="--profile", remedy=f"Convert --to {stated.target}.")
    return stated.narrowing(target.model, Target(target.profile, target.title, ""), path.stem)


def text_of(path: Path, place: str) -> str:
    try:
        return path.read_text("utf-8")
    except (OSError, ValueError) as reason:
        raise InputError(f"“{path}” cannot be read ({reason}).", place=place, remedy="Give a target profile, YAML or JSON.") from reason


def json_of(path: Path) -> dict[str, Any]:
    try:
        values = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError) as reason:
        raise InputError(f"“{path}” cannot be read ({reason}).", remedy="Give a JSON object.") from reason
    if not isinstance(values, dict):
        raise InputError(f"“{path}” is not a JSON object.", remedy="Give name → value.")
    return values


def show(rows: list[dict[str, Any]], as_json: bool) -> None:
    if as_json:
        print(json.dumps(rows, ensure_ascii=False, indent=1))
        return
    for row in rows:
        print(f"{row['id']:22} {row['title']}" + (f": {row['says']}" if "says" in row else ""))
