"""Compiles what pictures of usual materials need, once a machine, so that nobody waits for it later.

The rendering engine keeps compiled kernels under the home folder. One is needed for each shape of a pair: which lobes both looks have,
which of their values are maps. The demo's materials in the demo's targets are such shapes.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

from fenrain.core import convert, read
from fenrain.core.conversion.targets import served_target
from fenrain.core.formats.registry import formats
from fenrain.core.material import Material
from fenrain.core.rendering.llvm import ONE_THREAD
from fenrain.demo.heron_lode import write_heron_lode
from fenrain.demo.pump_hall import write_pump_hall
from fenrain.processes import end_with_parent

TARGETS = (("open_pbr", "extensions"), ("metal_rough", "extensions"), ("metal_rough", "core"))
"""What the demo converts to, model and profile."""
STANDS = ("sphere", "turned")
"""A convex one, on which paths of opaque bodies need no loop, and one that is not."""
RIG, SAMPLES = "fine_bars", 32
"""Under which pairs are taken, and how often at most: enough that a pilot is made where one is needed."""


def warm() -> int:
    """Compile for every material of the demo in every target of it, on all cores. Returns for how many pairs. Raises EngineError."""
    with tempfile.TemporaryDirectory(prefix="fenrain-warm-") as scratch:
        write_demo(Path(scratch))
        cores = os.cpu_count() or 1
        with ProcessPoolExecutor(cores, mp_context=get_context("spawn"), initializer=_begin) as pool:
            return sum(pool.map(_warmed, [scratch] * cores, range(cores), [cores] * cores))


def _begin() -> None:
    end_with_parent()
    os.environ |= ONE_THREAD


def _warmed(folder: str, first: int, step: int) -> int:
    """Each so many of the pairs, beginning with one."""
    from fenrain.core.checking.check import refine

    pairs = [(material, target) for material in materials_in(Path(folder)) for target in TARGETS][first::step]
    for material, (target, profile) in pairs:
        converted = convert(material, target, served_target(target, profile).profile).material
        for stand in STANDS:
            for _ in refine(material, converted, (RIG,), stand, most_samples=SAMPLES, shown=False):
                pass
    return len(pairs)


def write_demo(folder: Path) -> None:
    """Every file of the demo."""
    write_heron_lode(folder)
    write_pump_hall(folder)


def materials_in(folder: Path) -> Sequence[Material]:
    """Of every file that can be read by itself; an MTL is read with its OBJ."""
    suffixes = {suffix for one in formats().values() for suffix in one.suffixes} - {".mtl"}
    return [material for path in sorted(folder.iterdir()) if path.suffix.lower() in suffixes for material in read(path)]
