"""What marks stored conversions and checks as made by older code: all of the code that they depend on, and installed packages."""

from __future__ import annotations

import shutil
from importlib.metadata import PathDistribution
from pathlib import Path

import pytest

from fenrain.core.checking import code_version
from fenrain.core.checking.code_version import CONVERTS, CORE, DRAWS, SAYS_SURFACES, drawing_version, rules_version


@pytest.fixture
def core(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A copy of the core that may be changed."""
    shutil.copytree(CORE, tmp_path / "core", ignore=shutil.ignore_patterns("__pycache__"))
    monkeypatch.setattr(code_version, "CORE", tmp_path / "core")
    return tmp_path / "core"


def versions() -> tuple[str, str]:
    rules_version.cache_clear()
    drawing_version.cache_clear()
    found = rules_version(), drawing_version()
    rules_version.cache_clear()
    drawing_version.cache_clear()
    return found


@pytest.mark.parametrize("pattern", [*CONVERTS, *DRAWS, *SAYS_SURFACES])
def test_every_part_that_is_named_is_there(pattern: str) -> None:
    assert any(path.is_file() for path in CORE.glob(pattern))


@pytest.mark.parametrize(
    "changed",
    ["conversion/engine.py", "conversion/profiles/kiosk.yaml", "formats/limits.py", "formats/gltf/writing.py", "maps/bake.py", "colour.py"],
)
def test_a_change_of_what_converts_makes_conversions_old(core: Path, changed: str) -> None:
    before = versions()[0]
    with (core / changed).open("a") as stream:
        stream.write("\n# changed\n")
    assert versions()[0] != before


def test_an_installed_package_counts_by_its_version(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    before = versions()
    found = []
    for number in ("1.0", "1.1"):
        folder = tmp_path / f"studio-{number}.dist-info"
        folder.mkdir()
        (folder / "METADATA").write_text(f"Metadata-Version: 2.1\nName: studio\nVersion: {number}\n")
        (folder / "entry_points.txt").write_text("[fenrain.models]\nstudio = studio.model\n")
        monkeypatch.setattr(code_version, "distributions", lambda folder=folder: [PathDistribution(folder)])
        found.append(versions())
    assert len({before[0], *(rules for rules, _ in found)}) == 3
    assert len({before[1], *(draws for _, draws in found)}) == 3
