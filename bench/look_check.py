"""The look check: paired against separate paths at equal samples, time to a first pair and to a verdict by kind of material."""

from __future__ import annotations

import time

import numpy as np

from bench.timing import seconds
from fenrain.core import Material, convert
from fenrain.core.checking.check import refine
from fenrain.core.checking.metrics.registry import delta_e_of_pictures
from fenrain.core.rendering.pictures import PairShot, render
from fenrain.core.rendering.stage import View, coverage

KINDS = {
    "plastic": {"base_color": (0.6, 0.25, 0.12), "specular_roughness": 0.3},
    "gold": {"base_color": (0.9, 0.62, 0.35), "base_metalness": 1.0, "specular_roughness": 0.25},
    "varnish": {"base_color": (0.1, 0.2, 0.5), "specular_roughness": 0.5, "coat_weight": 0.8, "coat_roughness": 0.1},
    "glass": {"transmission_weight": 1.0, "specular_roughness": 0.01},
    "frosted": {"transmission_weight": 1.0, "specular_roughness": 0.4, "transmission_color": (0.8, 0.95, 0.85), "transmission_depth": 1.5},
    "wax": {"subsurface_weight": 1.0, "subsurface_color": (0.8, 0.5, 0.3), "subsurface_radius": 0.4},
    "glow": {"base_color": (0.02, 0.02, 0.025), "emission_color": (1.0, 0.6, 0.2), "emission_luminance": 3.0},
}  # fmt: skip
SIZE, SAMPLES = 64, 16


def bench_look_check() -> None:
    for name, values in KINDS.items():
        original = Material.of(name, "open_pbr", values)
        converted = convert(original, "metal_rough").material
        for rig in ("soft_studio", "low_sun", "fine_bars"):
            print(f"{name:8} {rig:11} {_paths(original, converted, rig)}; {_times(original, converted, rig)}")


def _paths(original: Material, converted: Material, rig: str) -> str:
    view, seen = View(rig, size=SIZE), coverage("sphere", SIZE)
    shot = PairShot(original, converted, view)
    told = []
    for shared in (True, False) if shot.may_share else (False,):
        pairs = [shot.taken(SAMPLES, seed, shared=shared) for seed in (0, 1)]
        told.append(f"{'shared' if shared else 'twins'} {_floor(pairs, seen):.2f} in {1e3 * _once(shot, shared):.0f} ms")
    apart = [(render(original, view, SAMPLES, 2 * seed), render(converted, view, SAMPLES, 2 * seed + 1)) for seed in (1, 2)]
    return f"floor of the noise, 95 %, ΔE2000: {', '.join(told)}, apart {_floor(apart, seen):.2f}"


def _once(shot: PairShot, shared: bool) -> float:
    return seconds(lambda: shot.taken(SAMPLES, 3, shared=shared), 3)


def _floor(pairs: list[tuple[np.ndarray, np.ndarray]], seen: np.ndarray) -> float:
    (first, second), (third, fourth) = pairs
    noise = ((second - first) - (fourth - third)) / 2.0
    return float(np.percentile(delta_e_of_pictures(first, first + noise)[seen], 95))


def _times(original: Material, converted: Material, rig: str) -> str:
    list(refine(original, converted, (rig,)))
    begun = time.perf_counter()
    passes = refine(original, converted, (rig,))
    next(passes)
    first = time.perf_counter() - begun
    *_, last = passes
    return f"first pair {first:.2f} s, verdict {time.perf_counter() - begun:.2f} s after {last.samples} samples"
