"""Hundreds of materials on every rig, as a batch checks them: on two processes of one engine thread each, kernels warm."""

from __future__ import annotations

import os
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from functools import cache
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from bench.production import MAKERS, production_like
from fenrain.core import Material, convert
from fenrain.core.checking.check import refine
from fenrain.core.checking.figures import figures
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.models.parameter import Kind
from fenrain.core.models.registry import model_of
from fenrain.core.rendering.llvm import ONE_THREAD
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.surfaces import scatters
from fenrain.core.values import Image, Map
from fenrain.jobs.work import LOOK_SAMPLES, SETTLE_SAMPLES

PROCESSES = 2
MAP_EDGE = 1024
Wish = tuple[str, int, str]
"""A model, which of its production-like materials, and the map in place of its first colour, "" for none."""


def bench_hundreds(constants: int = 1000, mapped: int = 100) -> None:
    os.environ |= ONE_THREAD
    models = [model for model in MAKERS if model != "mix"]
    with tempfile.TemporaryDirectory() as folder, ProcessPoolExecutor(PROCESSES, mp_context=get_context("spawn")) as pool:
        _run(pool, f"{constants} of constants", [(models[index % len(models)], index // len(models), "") for index in range(constants)])
        paths = [_picture(Path(folder), index) for index in range(8)]
        wishes = [(models[index % len(models)], index // len(models), paths[index % 8]) for index in range(mapped)]
        _run(pool, f"{mapped} with a map of {MAP_EDGE}²", wishes)


def _run(pool: ProcessPoolExecutor, title: str, wishes: list[Wish]) -> None:
    """A first look at all, as a batch takes it, and then what that left open."""
    begun = time.perf_counter()
    found = list(pool.map(_looked, wishes, chunksize=5))
    looked = time.perf_counter() - begun
    left = [(request, rigs) for request, (_, rigs) in zip(wishes, found, strict=True) if rigs]
    settled = np.array(list(pool.map(_settled, *zip(*left, strict=True), chunksize=1)) if left else [0.0])
    whole = time.perf_counter() - begun
    each = np.array([times for times, _ in found])
    converting, measuring, _ = each.sum(axis=0) / each.sum()
    print(
        f"{title} on {len(standing_rigs())} rigs: first look at all {looked:.0f} s (one {np.median(each.sum(axis=1)):.2f} s, 95 % "
        f"{np.percentile(each.sum(axis=1), 95):.2f}; {converting:.0%} converting, {measuring:.0%} figures); {len(left)} went on, "
        f"longest {settled.max():.1f} s; all settled after {whole:.0f} s",
        flush=True,
    )


def _looked(request: Wish) -> tuple[tuple[float, float, float], tuple[str, ...]]:
    """Seconds for converting, for the quick figures, and for the pictures; and the rigs that leave the verdict open."""
    marks = [time.perf_counter()]
    material = _material(*request)
    converted = convert(material, "metal_rough").material
    marks.append(time.perf_counter())
    figures(material, converted)
    marks.append(time.perf_counter())
    last = {one.rig: one for one in refine(material, converted, standing_rigs(), most_samples=LOOK_SAMPLES, shown=False)}
    marks.append(time.perf_counter())
    first, second, third = np.diff(marks)
    return (float(first), float(second), float(third)), tuple(rig for rig, one in last.items() if not one.decided(Tolerances()).is_clear)


def _settled(request: Wish, rigs: tuple[str, ...]) -> float:
    """Seconds, under rigs of which a first look left the verdict open."""
    begun = time.perf_counter()
    material = _material(*request)
    converted = convert(material, "metal_rough").material
    if not (scatters(material) or scatters(converted)):
        for _ in refine(material, converted, rigs, most_samples=SETTLE_SAMPLES, shown=False):
            pass
    return time.perf_counter() - begun


@cache
def _made(model: str, count: int) -> list[Material]:
    return production_like(model, count, seed=9)


def _material(model: str, index: int, picture: str) -> Material:
    material = _made(model, 100)[index]
    colours = [parameter.name for parameter in model_of(model).parameters if parameter.kind is Kind.COLOUR]
    if not picture or not colours:
        return material
    return material.having(**{colours[0]: Map(Image(Path(picture).name, Path(picture)), "rgb", "srgb")})


def _picture(folder: Path, seed: int) -> str:
    random, path = np.random.default_rng(seed), folder / f"{seed}.png"
    small = oiio.ImageBuf((0.2 + 0.6 * random.random((32, 32, 3))).astype(np.float32))
    oiio.ImageBufAlgo.resize(small, "triangle", 0.0, roi=oiio.ROI(0, MAP_EDGE, 0, MAP_EDGE, 0, 1, 0, 3)).write(str(path), "uint8")
    return str(path)


if __name__ == "__main__":
    bench_hundreds()
