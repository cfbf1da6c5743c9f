"""A hundred fits held against pictures with other numbers: whether any reading that decides is worse after than before."""

from __future__ import annotations

import time
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np

from bench.production import production_like
from fenrain.core import Material
from fenrain.core.checking.check import refine
from fenrain.core.checking.figures import figures
from fenrain.core.checking.fitting.fit import fit
from fenrain.core.checking.metrics.registry import Reading
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import convert
from fenrain.core.rendering.rigs.registry import standing_rigs

PAIRS = (
    ("gloss_pair", "open_pbr"), ("facing_grazing", "metal_rough"), ("weighted", "metal_rough"), ("exponent", "preview"),
    ("standard_surface", "metal_rough"), ("channels", "open_pbr"), ("metal_switch", "metal_rough"), ("mix", "open_pbr"),
    ("percent", "preview"), ("spec_gloss", "metal_rough"),
)  # fmt: skip
EACH = 10
SAMPLES, TURN = 128, 25.0


def bench_fits() -> None:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        found = list(pool.map(_one, *zip(*((pair, index) for pair in PAIRS for index in range(EACH)), strict=True)))
    kept = [one for one in found if one[0]]
    worse = [text for one in kept for text in one[3]]
    seconds = np.array([one[2] for one in kept])
    gain = np.array([one[1] for one in kept])
    print(
        f"{len(found)} fits, {len(kept)} kept; lobe error to {np.median(gain):.2f} of it (median); {np.median(seconds):.1f} s with pictures"
    )
    print(f"readings that other pictures show to be worse: {len(worse)}", *worse, sep="\n  ")


def _one(pair: tuple[str, str], index: int) -> tuple[bool, float, float, list[str]]:
    """(whether something was kept, error after over before, seconds, what is worse in words)."""
    material = production_like(pair[0], EACH, seed=71)[index]
    conversion = convert(material, pair[1])
    begun = time.perf_counter()
    fitted = fit(conversion)
    taken = time.perf_counter() - begun
    if not fitted.changed:
        return False, 1.0, taken, []
    before, after = conversion.material, fitted.conversion.material
    worse = [text for rig in ("", *standing_rigs()) for text in _worse(material, before, after, rig)]
    return True, fitted.after / fitted.before, taken, [f"{pair[1]} of {material.name}: {text}" for text in worse]


def _worse(original: Material, before: Material, after: Material, rig: str) -> list[str]:
    sides = [_readings(original, made, rig) for made in (before, after)]
    judged = [Tolerances().deciding(side, rig) for side in sides]
    return [
        f"{metric.title} under {rig or 'no rig'}: {old.value:.3g} → {new.value:.3g} ± {max(old.floor, new.floor):.2g}"
        for (metric, old, limits), (_, new, _) in zip(*judged, strict=True)
        if new.value > old.value + max(old.floor, new.floor) + 0.05 * limits.match
    ]


def _readings(original: Material, converted: Material, rig: str) -> Mapping[str, Reading]:
    if not rig:
        return figures(original, converted).readings
    *_, last = refine(original, converted, (rig,), most_samples=SAMPLES, turn=TURN, enough=lambda _: False)
    return last.readings


if __name__ == "__main__":
    bench_fits()
