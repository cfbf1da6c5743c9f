"""What commands load: whoever asks for little does not wait for what takes long to load.

Held by the list of modules, not by a time. Libraries that are needed by few commands are loaded when they are used.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from fenrain import core

HEAVY = (
    "cv2", "defusedxml", "distributed", "drjit", "fastapi", "flip_evaluator", "jinja2", "MaterialX", "mitsuba", "OpenImageIO", "pxr",
    "rich", "scipy", "sqlalchemy", "weasyprint",
)  # fmt: skip
PROGRAM = """
import sys
from fenrain.cli import main
try:
    main()
except SystemExit as left:
    code = left.code
print("LOADED", code, *(name for name in {heavy} if name in sys.modules))
"""


def loaded_by(*arguments: object) -> tuple[int, set[str]]:
    """The exit code of a command, and what it loaded of what takes long."""
    program = [sys.executable, "-c", PROGRAM.format(heavy=(*HEAVY, "numpy", "pydantic")), *map(str, arguments)]
    run = subprocess.run(program, capture_output=True, text=True, check=True)
    _, code, *found = next(line for line in run.stdout.splitlines() if line.startswith("LOADED")).split()
    return int(code), set(found)


@pytest.mark.parametrize("arguments", [("targets",), ("models",), ("formats",), ("targets", "--json")], ids=" ".join)
def test_lists_load_what_they_list(arguments: tuple[str, ...]) -> None:
    code, found = loaded_by(*arguments)
    assert code == 0
    assert not found & set(HEAVY)


def test_help_loads_nothing_of_the_computation() -> None:
    code, found = loaded_by("--help")
    assert code == 0
    assert not found


@pytest.mark.parametrize(
    ("name", "content", "more"),
    [
        ("gone.glb", None, ()),
        ("notes.txt", "no material", ()),
        ("plain.mtl", "newmtl plain", ("--to", "nonsense")),
        ("plain.mtl", "newmtl plain", ("--unit", "furlong")),
        ("broken.glb", "glTF", ()),
        ("broken.json", "[", ()),
        ("empty.csv", "", ()),
    ],
)
def test_a_refusal_waits_for_nothing(name: str, content: str | None, more: tuple[str, ...], tmp_path: Path) -> None:
    if content is not None:
        (tmp_path / name).write_text(content)
    code, found = loaded_by("convert", tmp_path / name, "--to", "open_pbr", "-o", tmp_path / "out", *more)
    assert code == 2
    assert not found & set(HEAVY)


def test_every_exported_name_is_there_and_loaded_when_it_is_asked_for() -> None:
    assert all(callable(getattr(core, name)) for name in core.__all__)
    run = [sys.executable, "-c", "import sys, fenrain.core; sys.exit('numpy' in sys.modules)"]
    assert subprocess.run(run, check=False).returncode == 0
