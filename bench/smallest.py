"""The smallest change that each rig tells from noise, and the smallest that is no match any more, by the reading that shows it first."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from fenrain.core import Material
from fenrain.core.checking.check import RigCheck, refine
from fenrain.core.checking.figures import figures
from fenrain.core.checking.metrics.registry import Reading
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.rendering.rigs.registry import standing_rigs

STEPS = np.geomspace(0.002, 0.6, 15)
SAMPLES = 128
Values = dict[str, Any]
PLASTIC, METAL = {"base_color": (0.5, 0.25, 0.12)}, {"base_color": (0.9, 0.7, 0.4), "base_metalness": 1.0}
GLASS = {"transmission_weight": 1.0, "transmission_depth": 1.0}
CHANGES: dict[str, Callable[[float], tuple[Values, Values]]] = {
    "plastic's colour darker by": lambda t: (PLASTIC, {"base_color": tuple(part * (1.0 - t) for part in (0.5, 0.25, 0.12))}),
    "plastic's roughness 0.3 and": lambda t: (PLASTIC | {"specular_roughness": 0.3}, {"specular_roughness": 0.3 + t}),
    "plastic's index 1.5 and": lambda t: (PLASTIC, {"specular_ior": 1.5 + t}),
    "metal's roughness 0.1 and": lambda t: (METAL | {"specular_roughness": 0.1}, {"specular_roughness": 0.1 + t}),
    "metal's roughness 0.4 and": lambda t: (METAL | {"specular_roughness": 0.4}, {"specular_roughness": 0.4 + t}),
    "glass's roughness 0.02 and": lambda t: (GLASS | {"specular_roughness": 0.02}, {"specular_roughness": 0.02 + t}),
    "glass's colour darker by": lambda t: (GLASS | {"transmission_color": (0.8,) * 3}, {"transmission_color": (0.8 * (1.0 - t),) * 3}),
    "a glow of 8 brighter by": lambda t: ({"emission_luminance": 8.0}, {"emission_luminance": 8.0 * (1.0 + t)}),
    "an opening of 0.5 wider by": lambda t: ({"geometry_opacity": 0.5}, {"geometry_opacity": 0.5 * (1.0 - t)}),
}


@dataclass
class _First:
    """Where something was seen first: the change, and the reading that showed it."""

    told: str = "nothing tells it"
    no_match: str = "always a match"


def bench_smallest() -> None:
    for change, made in CHANGES.items():
        without, found = _First(), {rig: _First() for rig in standing_rigs()}
        for step in STEPS:
            original, change_of = made(float(step))
            pair = Material.of("a", "open_pbr", original), Material.of("b", "open_pbr", original | change_of)
            _note(without, "", figures(*pair).readings, step)
            going = [rig for rig, first in found.items() if first.no_match.startswith("always")]
            last: dict[str, RigCheck] = {}
            if going:
                last = {one.rig: one for one in refine(*pair, going, most_samples=SAMPLES, enough=lambda _: False)}
            for rig, result in last.items():
                _note(found[rig], rig, result.readings, step)
        for place, first in (("on directions", without), *found.items()):
            print(f"{change}: {place:13} told from {first.told}; no match from {first.no_match}", flush=True)


def _note(first: _First, rig: str, readings: Mapping[str, Reading], step: float) -> None:
    judged = Tolerances().deciding(readings, rig)
    told = [metric.title for metric, reading, limits in judged if reading.value - reading.floor > max(0.02 * limits.match, 1e-9)]
    beyond = [metric.title for metric, reading, limits in judged if reading.value - reading.floor > limits.match]
    if told and first.told.startswith("nothing"):
        first.told = f"{step:.3g} ({told[0]})"
    if beyond and first.no_match.startswith("always"):
        first.no_match = f"{step:.3g} ({beyond[0]})"


if __name__ == "__main__":
    bench_smallest()
