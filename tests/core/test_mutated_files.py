"""Real files of every format, damaged at random: each is read with findings, or refused in one line with its place; never a trace.

The short suite misses: kinds of damage that one file in a hundred shows.
"""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from fenrain.core import convert, read, write
from fenrain.core.checking.quick import quick_check
from fenrain.core.errors import FenrainError
from fenrain.core.formats.registry import formats, mesh_readers
from tests.core.mutations import mutated, seeds
from tests.sizes import sized

pytestmark = pytest.mark.fuzz

MUTATIONS = int(os.environ.get("FENRAIN_MUTATIONS", sized("40", "250")))
"""Of each format in a run; FENRAIN_MUTATIONS tries more."""
MOST_MEMORY = 1 << 29
READ_ON = 8
"""Every eighth file that could be read is converted, measured and written as well, on the meshes of the file."""
SUFFIXES = [suffix for one in formats().values() if one.read is not None for suffix in one.suffixes if suffix not in (".yml", ".usd")]


def try_all(original: bytes, target: Path, count: int, seed: int) -> tuple[int, int]:
    """Read so many damaged versions of a file; returns how many were read and refused. Anything but an error of ours goes through."""
    counts = [0, 0]
    for data in mutated(original, target.suffix, count, seed):
        target.write_bytes(data)
        refused = tried(target, all_the_way=counts[0] % READ_ON == 0)
        counts[0 if refused is None else 1] += 1
        if refused is not None:
            assert refused.message
            assert refused.place, refused
            assert "\n" not in str(refused)
    return counts[0], counts[1]


def tried(file: Path, *, all_the_way: bool) -> FenrainError | None:
    """Read a file, and where asked convert, measure and write what it holds, on its own meshes; what refused it, or None."""
    try:
        materials = read(file)
        conversions = [convert(material, "metal_rough") for material in materials] if all_the_way else []
        for conversion in conversions:
            quick_check(conversion.original, conversion.material)
        asset = file if file.suffix in mesh_readers() else None
        converted = [conversion.material for conversion in conversions]
        for name, form in (("out.glb", "gltf"), ("out.usda", "usd")) if conversions else ():
            write(converted, file.parent / name, form, asset)
    except FenrainError as refused:
        return refused
    return None


CRATES = (".usdc", ".usdz")
"""Binary files of USD: hardly one can be read with a word changed, and its library takes what memory they name before it looks closer; the
process that reads what people upload is bounded."""


@pytest.mark.parametrize("suffix", SUFFIXES)
def test_a_damaged_file_is_read_with_findings_or_refused_with_its_place(tmp_path: Path, suffix: str) -> None:
    original = seeds(tmp_path)[suffix].read_bytes()
    before = memory("VmRSS")
    Path("/proc/self/clear_refs").write_text(RESET_PEAK)
    count = MUTATIONS // 10 if suffix in CRATES else MUTATIONS
    was_read, refused = try_all(original, tmp_path / f"damaged{suffix}", count, 3)
    assert refused > 0
    if suffix not in CRATES:
        assert was_read > 0
        assert memory("VmHWM") - before < MOST_MEMORY


RESET_PEAK = "5"
"""Begins a new peak of this process's memory (proc(5), clear_refs): what other tests hold or held says nothing here."""


def memory(name: str) -> int:
    """Bytes that the process holds, or held at most."""
    line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith(name))
    return int(line.split()[1]) * 1024
