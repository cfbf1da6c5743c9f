"""Hundreds of materials on every rig, as a batch checks them: on two processes of one engine thread each, kernels warm."""

from __future__ import annotations

import os
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from bench.production import MAKERS, production_like
from fenrain.core import Material, convert
from fenrain.core.checking.check import all_rigs, refined
from fenrain.core.checking.figures import figures
from fenrain.core.values import Image, Map

PROCESSES, OVERVIEW_SAMPLES = 2, 128
MAP_EDGE = 1024


def bench_hundreds(constants: int = 1000, mapped: int = 100) -> None:
    os.environ |= {"FENRAIN_ENGINE_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    models = [model for model in MAKERS if model != "mix"]
    with tempfile.TemporaryDirectory() as folder, ProcessPoolExecutor(PROCESSES, mp_context=get_context("spawn")) as pool:
        wishes = [(models[index % len(models)], index // len(models), "") for index in range(constants)]
        _run(pool, f"{constants} of constants", wishes)
        paths = [_picture(Path(folder), index) for index in range(8)]
        _run(pool, f"{mapped} with maps of {MAP_EDGE}²", [(models[i % len(models)], i // len(models), paths[i % 8]) for i in range(mapped)])


def _run(pool: ProcessPoolExecutor, title: str, wishes: list[tuple[str, int, str]]) -> None:
    begun = time.perf_counter()
    found = list(pool.map(_one, wishes, chunksize=5))
    whole = time.perf_counter() - begun
    each = np.array(found)
    verdicts = each.sum(axis=1)
    print(
        f"{title} on {len(all_rigs())} rigs: {whole:.0f} s; one {np.median(verdicts):.2f} s, 95 % {np.percentile(verdicts, 95):.2f}, "
        f"longest {verdicts.max():.1f}; of all the time: converting {each[:, 0].sum() / each.sum():.0%}, figures "
        f"{each[:, 1].sum() / each.sum():.0%}",
        flush=True,
    )


def _one(wish: tuple[str, int, str]) -> tuple[float, float, float]:
    """Seconds for converting, for the quick figures, and for the pictures."""
    model, index, picture = wish
    material = production_like(model, index + 1, seed=9)[index]
    if picture:
        material = _with_map(material, picture)
    marks = [time.perf_counter()]
    converted = convert(material, "metal_rough").material
    marks.append(time.perf_counter())
    figures(material, converted)
    marks.append(time.perf_counter())
    for rig in all_rigs():
        for _ in refined(material, converted, rig, most_samples=OVERVIEW_SAMPLES):
            pass
    marks.append(time.perf_counter())
    first, second, third = np.diff(marks)
    return float(first), float(second), float(third)


def _with_map(material: Material, picture: str) -> Material:
    """The same with a map in place of its first colour."""
    colour = next((name for name, value in material.parameters().items() if isinstance(value, tuple)), None)
    if colour is None:
        return material
    return material.having(**{colour: Map(Image(Path(picture).name, Path(picture)), "rgb", "srgb")})


def _picture(folder: Path, seed: int) -> str:
    random, path = np.random.default_rng(seed), folder / f"{seed}.png"
    small = oiio.ImageBuf((0.2 + 0.6 * random.random((32, 32, 3))).astype(np.float32))
    oiio.ImageBufAlgo.resize(small, "triangle", 0.0, roi=oiio.ROI(0, MAP_EDGE, 0, MAP_EDGE, 0, 1, 0, 3)).write(str(path), "uint8")
    return str(path)


if __name__ == "__main__":
    bench_hundreds()
