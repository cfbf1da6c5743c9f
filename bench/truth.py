"""Verdicts against the truth: random pairs judged by a check, and by long renders with other numbers.

A false match is one that the long render puts beyond its limit by more than the noise of the long render itself; a false off likewise.
"""

from __future__ import annotations

import os
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np

from bench.production import MAKERS, production_like
from fenrain.core import Material, convert
from fenrain.core.checking.check import READ_EDGE, refine
from fenrain.core.checking.metrics.registry import Pair, readings
from fenrain.core.checking.verdict import Decision, Tolerances, Verdict
from fenrain.core.rendering.llvm import ONE_THREAD
from fenrain.core.rendering.probe import load_engine
from fenrain.core.rendering.rigs.registry import standing_rigs

PROCESSES = 2
LAUNCHES, SAMPLES, OTHER_SEEDS = 32, 16, 10_000
"""The long render: so many launches of two pictures each, with seeds that no check takes."""
MOVES = {"base_color": 0.1, "specular_roughness": 0.06, "specular_ior": 0.08, "coat_weight": 0.1, "base_metalness": 0.1}
"""How far values of OpenPBR are moved at most to make the other look of a pair."""


def bench_truth(pairs: int = 1000) -> None:
    os.environ |= ONE_THREAD
    with ProcessPoolExecutor(PROCESSES, mp_context=get_context("spawn")) as pool:
        found = list(pool.map(_judged, range(pairs), chunksize=5))
    said = Counter(str(check) for check, *_ in found)
    wrong = Counter(f"{check} where the long render says {least}" for check, least, most in found if _is_wrong(check, least, most))
    print(f"{pairs} pairs, one rig each: {dict(said)}; wrong: {dict(wrong) or 'none'}")


def _is_wrong(check: Verdict, least: Verdict, most: Verdict) -> bool:
    return check is not Verdict.UNDECIDED and not least.rank <= check.rank <= most.rank


def _judged(index: int) -> tuple[Verdict, Verdict, Verdict]:
    """What a check says, and what a long render says at best and at worst."""
    original, other = _pair(index)
    rig = standing_rigs()[index % len(standing_rigs())]
    *_, last = refine(original, other, (rig,))
    truth = _long(original, other, rig)
    return last.decided(Tolerances()).verdict, truth.least, truth.most


def _pair(index: int) -> tuple[Material, Material]:
    """By turns a conversion to glTF, and a material of OpenPBR beside itself with every value moved a little."""
    random, models = np.random.default_rng(index), [model for model in MAKERS if model != "mix"]
    if index % 2:
        original = production_like(models[index % len(models)], 1, seed=1000 + index)[0]
        return original, convert(original, "metal_rough").material
    original = production_like("open_pbr", 1, seed=1000 + index)[0]
    values, size = dict(original.parameters()), random.uniform(0.0, 1.0)
    for name, most in MOVES.items():
        old = np.asarray(values.get(name, original.value(name).value), dtype=float)  # type: ignore[union-attr]
        new = np.clip(old + size * most * random.uniform(-1.0, 1.0, old.shape), 1.0 if name == "specular_ior" else 0.0, 3.0)
        new = new if name == "specular_ior" else np.minimum(new, 1.0)
        values[name] = tuple(float(part) for part in new) if new.ndim else float(new)
    return original, Material.of("other", "open_pbr", values)


def _long(original: Material, other: Material, rig: str) -> Decision:
    engine = load_engine()
    shot, seen = engine.PairShot(original, other, engine.View(rig, size=READ_EDGE)), engine.coverage("sphere", READ_EDGE)
    halves = np.zeros((2, 2, READ_EDGE, READ_EDGE, 3))
    for launch in range(LAUNCHES):
        sides = shot.taken_at_once((rig,), 2, SAMPLES, OTHER_SEEDS + 2 * launch, shared=shot.may_share)
        halves += np.stack([side[0] for side in sides], axis=1) / LAUNCHES
    first, second = halves[:, 1] - halves[:, 0]
    pair = Pair(*halves.mean(axis=0), (first - second) / 2.0, seen, ~seen, shot.plan.lit)
    return Tolerances().decided(readings(pair, deciding=True), rig)


if __name__ == "__main__":
    bench_truth()
