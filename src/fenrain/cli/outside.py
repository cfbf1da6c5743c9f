"""Check kits for other renderers, the stand-in that renders them, and the comparison of pictures that come back."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from fenrain.cli.options import (
    AIM,
    AS_JSON,
    DIALECT,
    INPUTS,
    MAP_FOLDER,
    PROFILE,
    TOLERANCES,
    UNIT,
    app,
    convert_materials,
    draw_slopes_on_mesh,
    mesh_stand,
    profile_from,
    progress_bar,
    read_materials,
    tolerances_from,
)
from fenrain.core.errors import InputError

if TYPE_CHECKING:
    from fenrain.core.checking.verdict import Tolerances
    from fenrain.core.outside.compare import Comparison
    from fenrain.core.outside.picture import OutsidePicture

KIT = Annotated[Path, typer.Argument(metavar="KIT", help="folder of a check kit")]
SHOWS = Annotated[str, typer.Option("--shows", help="original or converted; else by how the picture is called")]


@app.command("kit")
def make_kit(
    inputs: INPUTS,
    output: Annotated[Path, typer.Option("-o", help="new folder to write to")],
    to: Annotated[str, typer.Option("--to", help="also what this target makes of the materials; “fenrain targets” lists them")] = "",
    material: Annotated[list[str] | None, typer.Option("--material", help="only the material of this name; again for more")] = None,
    rig: Annotated[str, typer.Option("--rig", help="a rig's id, with the height of its lamp (low_sun:35)")] = "soft_studio",
    turn: Annotated[float, typer.Option("--turn", min=-360.0, max=360.0, help="of the light about the vertical, degrees")] = 0.0,
    stand: Annotated[str, typer.Option("--stand", help="a stand's id, with the camera's place (sphere:near, sphere:30,15,5.2)")] = "sphere",
    mesh: Annotated[Path | None, typer.Option("--mesh", help="own mesh as the stand of one material")] = None,
    environment: Annotated[Path | None, typer.Option("--environment", help="own surroundings (EXR, HDR) as the light")] = None,
    profile: PROFILE = None,
    aim: AIM = "plain",
    dialect: DIALECT = None,
    unit: UNIT = "",
    map_folder: MAP_FOLDER = None,
) -> None:
    """Write a check kit: what another renderer needs to take the same picture as Fenrain. Several materials share one picture."""
    from fenrain.core.conversion.targets import target_called
    from fenrain.core.dialects.dialect import dialect_of, shipped
    from fenrain.core.models.target import Profile
    from fenrain.core.outside.kit import write_kit
    from fenrain.core.outside.table import dialect_for
    from fenrain.core.rendering.environment import open_environment
    from fenrain.core.values import Image

    target = target_called(to) if to else None
    limits = profile_from(profile, target) if target is not None else Profile()
    materials = [one for path in inputs for one in draw_slopes_on_mesh(read_materials(path, dialect, unit, map_folder), mesh)]
    unknown = sorted(set(material or ()) - {one.name for one in materials})
    if unknown:
        known = ", ".join(one.name for one in materials[:8])
        raise InputError(f"There is no material “{unknown[0]}”.", place="--material", remedy=f"There are {known}.")
    chosen = [one for one in materials if not material or one.name in material]
    light = rig if environment is None else open_environment(Image(environment.name, environment)).id
    on = stand if mesh is None else mesh_stand(mesh, chosen[0])
    known_dialects = [dialect_of(dialect, shipped())] if dialect is not None else []
    with progress_bar() as progress:
        task = progress.add_task("converting", total=len(chosen))
        members = (
            chosen
            if target is None
            else convert_materials(chosen, target.model.id, limits, aim, False, lambda count: progress.advance(task, count))
        )
        progress.update(task, description="writing")
        made = write_kit(
            members,
            output,
            title=inputs[0].stem,
            rig=light,
            stand=on,
            turn=turn,
            target=target,
            dialects=lambda one: dialect_for(one, [*known_dialects, *shipped().values()]),
        )
    count, size = len(made.pairs), f"{made.stated.width} × {made.stated.height}"
    print(f"{output}: {count} {'material' if count == 1 else 'materials'}, {size}; see its read_me.html.")


@app.command("stand-in")
def render_kit(
    kit: KIT,
    output: Annotated[Path, typer.Option("-o", help="picture to write, .exr or .png")],
    shows: Annotated[str, typer.Option("--shows", help="original or converted")] = "original",
    width: Annotated[int, typer.Option("--width", min=0, max=8192, help="in pixels, the kit's own if left out")] = 0,
    samples: Annotated[int, typer.Option("--samples", min=1, max=4096, help="for each pixel")] = 64,
    exposure: Annotated[float, typer.Option("--exposure", help="of its camera, stops")] = 0.12,
    shift: Annotated[str, typer.Option("--shift", help="of the picture: pixels to the right and down, as in 0.3,-1")] = "0,0",
    scale: Annotated[float, typer.Option("--scale", min=0.5, max=2.0, help="of the picture")] = 1.0,
    roll: Annotated[float, typer.Option("--roll", help="of the picture, degrees clockwise")] = 0.0,
    turn_light: Annotated[float, typer.Option("--turn-light", help="set wrong: the light turned, degrees")] = 0.0,
    mirror_light: Annotated[bool, typer.Option("--mirror-light", help="set wrong: the light mirrored")] = False,
    curve: Annotated[bool, typer.Option("--curve", help="set wrong: numbers encoded for a display")] = False,
    wrong: Annotated[list[str] | None, typer.Option("--set", help="set wrong: “material/parameter=number”; again for more")] = None,
) -> None:
    """Render a kit with the stand-in for another renderer, which takes pictures in its own way and may be set wrong."""
    from fenrain.core.rendering.probe import load_engine

    load_engine()
    from fenrain.standin.habits import Habits
    from fenrain.standin.render import take_picture

    across, down = _numbers(shift, 2, "--shift")
    habits = Habits(
        exposure=exposure,
        shift=(across, down),
        scale=scale,
        roll=roll,
        samples=samples,
        turn_light=turn_light,
        mirror_light=mirror_light,
        curve=curve,
        values=dict(_set(one) for one in wrong or ()),
    )
    take_picture(kit, output, shows, habits, width)
    print(f"{output}: {shows}, {samples} samples for each pixel.")


@app.command("web-view")
def show_kit_on_the_web(
    kit: KIT,
    output: Annotated[Path, typer.Option("-o", help="picture to write, .exr")],
    width: Annotated[int, typer.Option("--width", min=0, max=4096, help="in pixels, the kit's own if left out")] = 0,
    viewer: Annotated[str, typer.Option("--viewer", help="three or sample (the glTF Sample Renderer)")] = "three",
) -> None:
    """Draw the converted materials of a kit by an independent web renderer, as a web page will show them (glTF targets)."""
    from fenrain.webviewer import VIEWERS
    from fenrain.webviewer.render import take_picture

    take_picture(kit, output, width, viewer)
    print(f"{output}: converted, as {VIEWERS[viewer]} shows it on a web page.")


@app.command("compare")
def compare_pictures(
    kit: KIT,
    pictures: Annotated[list[Path], typer.Argument(metavar="PICTURE…", help="what another renderer made of the kit")],
    shows: SHOWS = "",
    space: Annotated[
        str, typer.Option("--space", help="colour space of the pictures; else by their names, or linear, sRGB of integers")
    ] = "",
    limits_file: TOLERANCES = None,
    report: Annotated[Path | None, typer.Option("--json", help="write the comparison as JSON")] = None,
    folder: Annotated[Path | None, typer.Option("--pictures", help="folder for the pictures of each comparison")] = None,
) -> None:
    """Lay pictures that came back over Fenrain's own, and say how far they agree and what is set otherwise."""
    from fenrain.core.checking.verdict import Tolerances
    from fenrain.core.files import write_whole
    from fenrain.core.outside.compare import compare, shows_by_name
    from fenrain.core.outside.kit import SIDES, open_kit
    from fenrain.core.outside.picture import read_picture

    if shows and shows not in SIDES:
        raise InputError(f"A picture shows {' or '.join(SIDES)}, not “{shows}”.", place="--shows")
    tolerances = Tolerances.from_document(tolerances_from(limits_file)) if limits_file is not None else Tolerances()
    made = open_kit(kit)
    read: list[tuple[OutsidePicture, str]] = [(read_picture(path, space), shows or shows_by_name(path.name)) for path in pictures]
    with progress_bar() as progress:
        task = progress.add_task("comparing", total=1.0)
        found = compare(made, read, progress=lambda share: progress.update(task, completed=share))
    for line in _lines(found, tolerances, made.rig.id):
        print(line)
    if folder is not None:
        _write_pictures(folder, found)
    if report is not None:
        write_whole(report, json.dumps(found.to_document(tolerances, made.rig.id), ensure_ascii=False, indent=1))
    if str(found.decided_by(tolerances, made.rig.id).verdict) != "match":
        raise typer.Exit(1)


@app.command("pick")
def pick_colour(
    photograph: Annotated[Path, typer.Argument(metavar="PHOTO", help="EXR, TIFF, PNG or JPEG")],
    area: Annotated[str, typer.Option("--area", help="to average: left,top,right,bottom in pixels")],
    grey: Annotated[str, typer.Option("--grey", help="an even grey that sets exposure and white: left,top,right,bottom=reflectance")] = "",
    chart: Annotated[str, typer.Option("--chart", help="corners of a chart of 24 patches, clockwise from the first: x,y,x,y,x,y,x,y")] = "",
    space: Annotated[str, typer.Option("--space", help="colour space; else by its name, or linear, sRGB of integers")] = "",
    as_json: AS_JSON = False,
) -> None:
    """The colour of an area of a photograph, once a grey or a chart in it has set exposure and white. It judges by eye, not by number."""
    from dataclasses import asdict

    from fenrain.core.colour import hex_of
    from fenrain.core.outside.photograph import balanced_by_chart, balanced_by_grey, picked
    from fenrain.core.outside.picture import read_picture
    from fenrain.core.tables import charts

    read, said = read_picture(photograph, space), "as it is exposed"
    if grey and chart:
        raise InputError("A grey and a chart are named.", place="--chart", remedy="Name the one by which the photograph is to be set.")
    if grey:
        where, _, reflectance = grey.partition("=")
        found = balanced_by_grey(read, _whole(where, "--grey"), _numbers(reflectance, 1, "--grey")[0])
        read, said = found.photograph, f"{found.exposure:+.2f} EV taken out, by a grey"
    if chart:
        numbers = _numbers(chart, 8, "--chart")
        found = balanced_by_chart(read, list(zip(numbers[::2], numbers[1::2], strict=True)), next(iter(charts().values())))
        assert found.off is not None
        off = f"its patches are then off by ΔE2000 {found.off[0]:.1f}, at most {found.off[1]:.1f}"
        read, said = found.photograph, f"{found.exposure:+.2f} EV taken out, by a chart; {off}"
    colour = picked(read, _whole(area, "--area"))
    if as_json:
        print(json.dumps(asdict(colour), ensure_ascii=False))
        return
    red, green, blue = colour.colour
    print(f"linear Rec.709 {red:.4f} {green:.4f} {blue:.4f}, sRGB {hex_of(colour.colour)}; read as {colour.space}; {said}.")
    print(f"{colour.pixels} pixels, 95 % of them within ΔE2000 {colour.spread:.1f}. A photograph judges by eye, not by number.")


def _whole(text: str, place: str) -> tuple[int, int, int, int]:
    left, top, right, bottom = (round(number) for number in _numbers(text, 4, place))
    return left, top, right, bottom


def _numbers(text: str, count: int, place: str) -> list[float]:
    try:
        found = [float(part) for part in text.split(",")]
    except ValueError:
        found = []
    if len(found) != count or not all(abs(number) < 1e6 for number in found):
        raise InputError(f"“{text}” is not {count} numbers.", place=place, remedy="Write them with commas between.")
    return found


def _lines(found: Comparison, tolerances: Tolerances, rig: str) -> Sequence[str]:
    lines: list[str] = []
    for picture in found.pictures:
        lines.append(f"{picture.name}: shows what is {picture.shows}, read as {picture.space}, noise ΔE2000 {picture.noise:.2f}")
        lines += [f"           {one.says}{' Matched.' if one.matched else ''}" for one in picture.statements]
    for one in found.compared:
        decision = one.decided(tolerances, rig)
        lines.append(f"{decision.verdict:9}  {one.material}: {one.first}, {one.second}: {str(decision).partition(': ')[2]}")
        lines += [f"           {statement}" for statement in one.statements]
    return lines


def _write_pictures(folder: Path, found: Comparison) -> None:
    from fenrain.core.files import write_whole
    from fenrain.core.paths import safe_name
    from fenrain.core.rendering.png import pair_pngs

    taken: set[str] = set()
    for one in found.compared:
        stem = safe_name(f"{one.material} {one.first.by} {one.first.shows} {one.second.by} {one.second.shows}", taken)
        for side, data in pair_pngs(one.first_picture, one.second_picture, one.delta_e).items():
            write_whole(folder / f"{stem}_{ {'original': 'first', 'converted': 'second'}.get(side, side) }.png", data)


def _set(text: str) -> tuple[tuple[str, str], float]:
    name, equals, number = text.rpartition("=")
    material, slash, parameter = name.rpartition("/")
    try:
        if not (equals and slash):
            raise ValueError(text)
        return (material, parameter), float(number)
    except ValueError as refused:
        raise InputError(f"“{text}” sets nothing.", place="--set", remedy="Write “material/parameter=number”.") from refused
