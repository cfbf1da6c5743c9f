"""What there is: models, targets, profiles, rigs, stands, formats; and a draft of a dialect."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from fenrain.cli.options import AS_JSON, app, show, text_of
from fenrain.core.errors import InputError


@app.command("models")
def list_models(json_output: AS_JSON = False) -> None:
    """The shading models and their parameters."""
    from fenrain.core.models.registry import models

    show(
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
    from fenrain.core.conversion.targets import served_targets

    show(
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
    from fenrain.core.conversion.profiles import profile_file
    from fenrain.core.conversion.targets import served_targets, target_of_profile

    path = Path(name)
    if path.suffix:
        stated = profile_file(text_of(path, name), path.name)
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

    show([{"id": rig.id, "title": rig.title, "says": rig.says} for rig in rigs().values()], json_output)


@app.command("stands")
def list_stands(json_output: AS_JSON = False) -> None:
    """The stands."""
    from fenrain.core.rendering.stands.registry import stands

    show([{"id": stand.id, "title": stand.title, "says": stand.says} for stand in stands().values()], json_output)


@app.command("formats")
def list_formats(json_output: AS_JSON = False) -> None:
    """The file formats."""
    from fenrain.core.formats.registry import formats

    show(
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
