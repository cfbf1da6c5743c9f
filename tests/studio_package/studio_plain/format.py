"""Lines of a name, three numbers and one."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fenrain.core.files import write_whole
from fenrain.core.formats.format import Format
from fenrain.core.formats.holding import Slot, every_parameter
from fenrain.core.material import Material, Source
from fenrain.core.material_parser import MaterialParser
from fenrain.core.models.registry import Model
from fenrain.core.models.target import Profile


def slots(model: Model, profile: Profile) -> dict[str, Slot]:
    return every_parameter(model, Slot(map=False))


def write(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> list[Path]:
    write_whole(path, "\n".join(f"{m.name};{m.value('tone').value};{m.value('matt').value}" for m in materials))  # type: ignore[union-attr]
    return [path]


def read(path: Path, root: Path) -> list[Material]:
    materials = []
    for index, line in enumerate(path.read_text(encoding="utf-8").splitlines()):
        name, tone, matt = line.split(";")
        reading = MaterialParser(name, "plain", f"line {index + 1}")
        reading.set("tone", tuple(float(part) for part in tone.strip("()").split(",")))
        reading.set("matt", float(matt))
        materials.append(reading.material(Source(path.name, "plain", index, reading.place)))
    return materials


FORMAT = Format("plain", "Studio plain text", (".plain",), ("plain",), read, write, slots, writes="one text file")
