"""What is taken away is what nothing needs: nothing that a row names, and nothing that is just being written."""

from __future__ import annotations

import os
import tempfile
import time
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import select, update

from fenrain.core.material import Material
from fenrain.services.conversions import ensure_conversion
from fenrain.services.garbage_collection import KEPT_FOR, UNTOUCHED_FOR, collect_garbage
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.documents.checking import PictureMeasurements
from fenrain.store.tables import CheckRow, Intake, Project, now
from tests.jobs.test_queue import entered

pytestmark = pytest.mark.usefixtures("database")


def aged(path: Path) -> None:
    past = time.time() - UNTOUCHED_FOR.total_seconds() - 60
    os.utime(path, (past, past))


def test_a_file_stays_while_any_row_names_it_and_while_it_is_young() -> None:
    named, unnamed, young = (blobs.save_bytes(data) for data in (b"named", b"unnamed", b"young"))
    again = blobs.save_bytes(b"kept again")
    for digest in (named, unnamed, again):
        aged(blobs.locate(digest))
    assert blobs.save_bytes(b"kept again") == again  # whoever keeps it has not said so yet
    with session() as database:
        project = Project(name="collected", tolerances={})
        database.add(project)
        database.flush()
        files = {"a/b.png": named}
        database.add(Intake(project_id=project.id, state="open", files=files, dialects={}, errors=[], unused=[]))
    assert collect_garbage().files >= 1
    assert [blobs.locate(one).exists() for one in (named, unnamed, young, again)] == [True, False, True, True]


def test_a_check_goes_once_its_look_is_gone_for_long() -> None:
    with session() as database:
        project = Project(name="old checks", tolerances={})
        database.add(project)
        database.flush()
        row = ensure_conversion(database, entered(database, project.id, Material.of("m", "spec_gloss", {})), "metal_rough", "core")
        stands, gone = (row.material.digest, row.digest), (row.material.digest, "0" * 64)
        plain = {"rig": "low_sun", "stand": "sphere", "turn": 0.0, "size": 64, "numbers": PictureMeasurements(), "pictures": None}
        for number, (original, converted) in enumerate((stands, gone, gone)):
            database.add(CheckRow(key=str(number) * 64, original=original, converted=converted, **plain))
        database.flush()
        past = now() - KEPT_FOR - timedelta(days=1)
        database.execute(update(CheckRow).where(CheckRow.key.in_(["0" * 64, "1" * 64])).values(created=past))
    assert collect_garbage().checks == 1
    with session() as database:
        left = set(database.scalars(select(CheckRow.key)))
    assert left >= {"0" * 64, "2" * 64}
    assert "1" * 64 not in left


def test_a_scratch_folder_goes_once_nobody_has_touched_it_for_long(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    for name in ("fenrain-old", "fenrain-in-use", "somebody-elses"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "map.png").write_bytes(b"x")
        aged(tmp_path / name)
        aged(tmp_path / name / "map.png")
    (tmp_path / "fenrain-link").symlink_to(tmp_path / "somebody-elses")
    (tmp_path / "fenrain-in-use" / "map.png").touch()
    assert collect_garbage().folders == 1
    assert {path.name for path in tmp_path.iterdir()} == {"fenrain-in-use", "somebody-elses", "fenrain-link"}


def test_what_is_kept_again_while_it_is_collected_stays(monkeypatch: pytest.MonkeyPatch) -> None:
    # Whoever keeps a file does so before anything names it: between the list of what is old and its going.
    digest = blobs.save_bytes(b"kept in between")
    aged(blobs.locate(digest))
    listed = list(blobs.list_files())

    def list_files_slowly() -> list[blobs.StoredFile]:
        assert blobs.save_bytes(b"kept in between") == digest
        return listed

    monkeypatch.setattr(blobs, "list_files", list_files_slowly)
    collect_garbage()
    assert blobs.read_bytes(digest) == b"kept in between"


def test_what_is_kept_again_once_it_is_going_is_written_anew() -> None:
    digest = blobs.save_bytes(b"written anew")
    aged(blobs.locate(digest))
    assert blobs.remove_if_old(digest, UNTOUCHED_FOR.total_seconds())
    assert not blobs.remove_if_old(digest, UNTOUCHED_FOR.total_seconds())
    assert blobs.save_bytes(b"written anew") == digest
    assert blobs.read_bytes(digest) == b"written anew"
