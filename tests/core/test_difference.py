"""What two deliveries differ in, by ledgers and files made by hand; and what is no delivery."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import pytest

from fenrain.core.errors import BrokenFileError, MissingFileError, TooLargeError
from fenrain.core.reports import difference as module
from fenrain.core.reports.difference import LEDGER, ChangedMaterial, ChangedValue, delivered, difference


def line(name: str, value: float, override: float | None = None) -> dict[str, Any]:
    stands = value if override is None else override
    return {
        "target": name, "shown": f"{stands:g}", "derived": {"constant": value},
        "override": None if override is None else {"constant": override},
    }  # fmt: skip


def material(name: str, *lines: dict[str, Any], verdict: str = "match", digest: str = "a") -> dict[str, Any]:
    return {"material": name, "source": "yard.glb", "digest": digest, "verdict": verdict, "ledger": list(lines)}


def written(folder: Path, materials: list[dict[str, Any]], **files: bytes) -> Path:
    folder.mkdir()
    (folder / LEDGER).write_text(json.dumps({"title": folder.name, "to": "OpenPBR", "materials": materials}))
    for name, data in files.items():
        (folder / f"{name}.glb").write_bytes(data)
    return folder


def packed(folder: Path) -> Path:
    path = folder.with_suffix(".zip")
    with zipfile.ZipFile(path, "w") as archive:
        for file in folder.iterdir():
            archive.write(file, Path(folder.name) / file.name)
    return path


def test_values_verdicts_materials_and_files_are_told_apart(tmp_path: Path) -> None:
    brass, iron = material("brass", line("roughness", 0.4)), material("iron", line("roughness", 0.5))
    earlier = written(tmp_path / "one", [brass, iron, material("rope")], same=b"1", yard=b"2", gone=b"3")
    finer = material("brass", line("roughness", 0.4, override=0.25), verdict="near", digest="b")
    judged = material("iron", line("roughness", 0.5), verdict="off")
    later = written(tmp_path / "two", [finer, judged, material("tar")], same=b"1", yard=b"22", new=b"4")
    for one, other in ((earlier, later), (packed(earlier), packed(later)), (earlier, packed(later))):
        found = difference(delivered(one), delivered(other))
        assert found.changed == (
            ChangedMaterial("brass", "yard.glb", (ChangedValue("roughness", "0.4", "0.25"),), "match", "near"),
            ChangedMaterial("iron", "yard.glb", (), "match", "off"),
        )
        assert (found.same, found.added, found.removed) == (0, ("tar (yard.glb)",), ("rope (yard.glb)",))
        assert (found.files_changed, found.files_added, found.files_removed) == (("yard.glb",), ("new.glb",), ("gone.glb",))
    again = difference(delivered(earlier), delivered(packed(earlier)))
    assert (again.same, again.changed, again.files_changed) == (3, (), ())


def test_a_value_that_comes_and_one_that_goes_are_changes(tmp_path: Path) -> None:
    earlier = written(tmp_path / "one", [material("brass", line("coat", 1.0))])
    later = written(tmp_path / "two", [material("brass", line("sheen", 0.5), digest="b")])
    (changed,) = difference(delivered(earlier), delivered(later)).changed
    assert changed.values == (ChangedValue("sheen", "", "0.5"), ChangedValue("coat", "1", ""))


@pytest.mark.parametrize("text", ["", "[", "[]", '{"title": 1}', '{"title": "a", "to": "b", "materials": [1]}', "[" * 100_000])
def test_a_ledger_that_is_none_is_said(tmp_path: Path, text: str) -> None:
    folder = written(tmp_path / "one", [])
    (folder / LEDGER).write_text(text)
    for path in (folder, packed(folder)):
        with pytest.raises(BrokenFileError, match="cannot be read"):
            delivered(path)


def test_what_is_not_there_or_too_large_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(MissingFileError, match="no delivery"):
        delivered(tmp_path / "nothing.zip")
    with pytest.raises(MissingFileError, match="holds no"):
        delivered(tmp_path)
    folder = written(tmp_path / "one", [material("brass")])
    monkeypatch.setattr(module, "LARGEST_LEDGER", 10)
    for path in (folder, packed(folder)):
        with pytest.raises(TooLargeError, match="too large"):
            delivered(path)
