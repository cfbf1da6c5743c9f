"""What stands beside the web server for short work: each piece has limits, and edits never wait for files."""

from __future__ import annotations

import ctypes
import os
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from fenrain.core import read
from fenrain.core.errors import EngineError, TooManyError
from fenrain.services import worker_process
from fenrain.services.worker_process import Limits, WorkerProcess, read_in_worker_process, run_in_worker_process

pytestmark = pytest.mark.faults
WAITING = 8


@pytest.fixture(scope="module")
def open_processes() -> Iterator[None]:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(worker_process, "FILES", Limits(6, "Reading these files", WAITING))
        with WorkerProcess():
            assert read_in_worker_process(os.getpid) != run_in_worker_process(os.getpid) != os.getpid()
            yield


def doubled_classes(folder: Path) -> Path:
    """A stage of a kilobyte whose classes inherit each other twice: 2²⁴ prims."""
    classes = ['class "c0" {\n def Material "m" {\n }\n}']
    for number in range(1, 24):
        twice = "".join(f' def "{name}" (inherits = </c{number - 1}>) {{\n }}\n' for name in "ab")
        classes.append(f'class "c{number}" {{\n{twice}}}')
    path = folder / "doubled.usda"
    path.write_text("#usda 1.0\n" + "\n".join(classes) + '\ndef "all" (inherits = </c23>) {\n}\n')
    return path


@pytest.mark.usefixtures("open_processes")
def test_a_file_without_end_ends_by_its_limit_while_edits_go_on(tmp_path: Path) -> None:
    with ThreadPoolExecutor(1) as beside:
        reading = beside.submit(read_in_worker_process, read, doubled_classes(tmp_path))
        time.sleep(0.5)
        begun = time.monotonic()
        assert run_in_worker_process(os.getpid) > 0
        assert time.monotonic() - begun < 4.0, "an edit waited for a file"
        with pytest.raises(EngineError, match="took longer than 6 s"):
            reading.result()
    (tmp_path / "m.mtl").write_text("newmtl a\n")
    assert [one.name for one in read_in_worker_process(read, tmp_path / "m.mtl")] == ["a"]


@pytest.mark.usefixtures("open_processes")
def test_a_file_that_ends_its_process_is_said_and_the_next_is_read(tmp_path: Path) -> None:
    with pytest.raises(EngineError, match="ended its process"):
        read_in_worker_process(ctypes.string_at, 0)  # as a library does that a damaged file leads astray
    assert read_in_worker_process(os.getpid) > 0


@pytest.mark.usefixtures("open_processes")
def test_so_many_wait_and_no_more() -> None:
    with ThreadPoolExecutor(WAITING + 4) as crowd:
        answers = [crowd.submit(read_in_worker_process, time.sleep, 0.1) for _ in range(WAITING + 4)]
        refused = [isinstance(answer.exception(), TooManyError) for answer in answers]
    assert 1 <= sum(refused) <= 4
