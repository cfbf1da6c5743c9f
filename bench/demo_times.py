"""Time to the first pair of pictures and to the verdict, by what kind of material it is, over the demo's materials and targets."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np

from fenrain.core import Material, convert
from fenrain.core.checking.check import READ_EDGE, refine
from fenrain.core.conversion.targets import served_target
from fenrain.core.lobes.aspects import TRANSMISSION
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant
from fenrain.demo.warm import TARGETS, materials_in, write_demo

SIZE, MOST_SAMPLES = 2 * READ_EDGE, 128
FROSTED_FROM = 0.25
"""Roughness of the transmission from which a body is called frosted."""


def bench_demo_times() -> None:
    found: dict[str, list[tuple[float, float, str]]] = {}
    with tempfile.TemporaryDirectory() as scratch:
        write_demo(Path(scratch))
        for material in materials_in(Path(scratch)):
            for target, profile in TARGETS:
                converted = convert(material, target, served_target(target, profile).profile).material
                for rig in standing_rigs():
                    found.setdefault(_kind(material), []).append((*_times(material, converted, rig), f"{material.name} to {target}, {rig}"))
    for kind, times in sorted(found.items()):
        first, verdict = (np.array([row[column] for row in times]) for column in (0, 1))
        slowest = times[int(verdict.argmax())]
        print(
            f"{kind:11} {len(times):3} views at {SIZE}²: first pair {np.median(first):.2f} s, at most {first.max():.2f}; verdict "
            f"{np.median(verdict):.2f} s, at most {verdict.max():.1f} ({slowest[2]})",
            flush=True,
        )


def _times(material: Material, converted: Material, rig: str) -> tuple[float, float]:
    """Seconds to the first pair, and to the verdict or the limit."""
    size = READ_EDGE if mean_surface(material).scatters else SIZE
    begun = time.perf_counter()
    passes = refine(material, converted, (rig,), size=size, most_samples=MOST_SAMPLES)
    next(passes)
    first = time.perf_counter() - begun
    for _ in passes:
        pass
    return first, time.perf_counter() - begun


def _kind(material: Material) -> str:
    surface = mean_surface(material)
    if surface.scatters:
        return "scattering"
    if surface.transmits:
        bending = [part.lobe for part in surface.parts if part.aspect == TRANSMISSION]
        widths = [float(np.mean(lobe.alpha_x)) for lobe in bending if hasattr(lobe, "alpha_x")]
        return "frosted" if widths and max(widths) > FROSTED_FROM**2 else "glass"
    return "opaque" if all(isinstance(value, Constant) for value in material.all_values()) else "mapped"


if __name__ == "__main__":
    bench_demo_times()
