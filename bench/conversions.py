"""How near conversions come, and how fast: for each source model over random production-like materials, before and after the fit."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np

from bench.production import MAKERS, production_like
from fenrain.core import Material, Profile
from fenrain.core.checking.fitting.fit import fit
from fenrain.core.checking.fitting.free import free_values
from fenrain.core.conversion.engine import convert, convert_all

TARGETS = (
    ("OpenPBR", "open_pbr", None),
    ("glTF", "metal_rough", None),
    ("glTF core", "metal_rough", Profile("core")),
)


def errors(materials: list[Material], target: str, profile: Profile) -> tuple[list[float], list[float]]:
    """Normalised lobe errors before and after the fit."""
    fits = [fit(convert(material, target, profile), rigs=()) for material in materials]
    return [found.before for found in fits], [found.after for found in fits]


def bench_errors(count: int) -> None:
    print(f"normalised lobe error in % over {count} materials, median / 90th percentile, before → after the fit")
    print(f"{'':17}" + "".join(f"{name:>34}" for name, _, _ in TARGETS))
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        for line in pool.map(_errors_of, MAKERS, [count] * len(MAKERS)):
            print(line, flush=True)


def _errors_of(model: str, count: int) -> str:
    materials = production_like(model, count)
    cells = []
    for _, target, profile in TARGETS:
        before, after = errors(materials, target, profile)
        cells.append(" → ".join(f"{100 * np.median(e):.1f} / {100 * np.percentile(e, 90):.1f}" for e in (before, after)))
    return f"{model:17}" + "".join(f"{cell:>34}" for cell in cells)


def bench_speed() -> None:
    print(f"{'conversions of constants to OpenPBR a second':50}{'all at once':>14}{'one by one':>14}")
    for model in MAKERS:
        materials = production_like(model, 200)
        together = _a_second(lambda materials=materials: convert_all(materials, "open_pbr"), len(materials))
        alone = _a_second(lambda materials=materials: [convert(material, "open_pbr") for material in materials], len(materials))
        print(f"{model:50}{together:>14,.0f}{alone:>14,.0f}")


def _a_second(work: Callable[[], object], count: int) -> float:
    """The best of three runs after one that does not count."""
    work()
    taken = []
    for _ in range(3):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return count / min(taken)


def bench_fit() -> None:
    taken, numbers = [], []
    for model in ("exponent", "gloss_pair", "facing_grazing", "weighted", "channels"):
        for material in production_like(model, 8):
            conversion = convert(material, "open_pbr")
            numbers.append(sum(parameter.channels for parameter in free_values(conversion)))
            started = time.perf_counter()
            fit(conversion, rigs=())
            taken.append(time.perf_counter() - started)
    print(f"fit: median {statistics.median(taken):.2f} s, longest {max(taken):.2f} s, {statistics.median(numbers):.0f} free numbers")
