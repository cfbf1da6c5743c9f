"""Whether a small change of a source is a small change of its target: sweeps of each parameter over its usual range.

A jump is a step by which the reading that decides between the converted looks before and after is above 1 ΔE2000, and more than twice that
between the originals. Steps are looked at that stand out among their neighbours by the error of the lobes.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from bench.production import MAKERS, production_like
from fenrain.core import Material, convert_all
from fenrain.core.aims.estimate import Estimator
from fenrain.core.checking.quick import lobe_error, response
from fenrain.core.conversion.aim import Aim
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import target_called
from fenrain.core.material import matters
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant

TARGETS = {Aim.NEAREST: ("open_pbr", "standard_surface", "metal_rough", "preview", "mtl"), Aim.PLAIN: ("open_pbr", "metal_rough")}
STEPS = {Aim.NEAREST: 200, Aim.PLAIN: 40}
LEAST_JUMP, TIMES_ITS_OWN = 1.0, 2.0
STANDS_OUT = 3.0
"""Times the median of a sweep's lobe errors from step to step."""
LEAST_ERROR = 5e-3


@dataclass(frozen=True)
class Jump:
    """A step of a sweep. change: of the converted look, ΔE2000; why: which ways were chosen on either side, where they differ."""

    material: str
    parameter: str
    target: str
    value: float
    change: float
    why: str


def bench_stability(aims: Sequence[Aim] = (Aim.NEAREST, Aim.PLAIN)) -> None:
    """Prints a table in Markdown: sweeps without a jump by model and aim, and the largest jumps with what caused them."""
    print("\n| model | aim | sweeps | without a jump | largest jumps |\n|---|---|---|---|---|")
    for model in MAKERS:
        for aim in aims:
            sweeps = [sorted(jumps, key=lambda jump: -jump.change) for jumps in sweeps_of(model, aim)]
            worst = sorted((jumps[0] for jumps in sweeps if jumps), key=lambda jump: -jump.change)[:3]
            said = "; ".join(f"`{one.parameter}` at {one.value:.3g} → {one.target}: {one.change:.1f} ({one.why})" for one in worst)
            share = sum(not jumps for jumps in sweeps) / max(len(sweeps), 1)
            print(f"| {model} | {aim} | {len(sweeps)} | {share:.0%} | {said or '–'} |", flush=True)


def sweeps_of(model: str, aim: Aim) -> Iterator[list[Jump]]:
    """The jumps of each sweep of a body of a model."""
    material = production_like(model, 1)[0]
    for parameter in model_of(model).parameters:
        if is_swept(material, parameter):
            for target in TARGETS[aim]:
                yield jumps_of(material, parameter, target, aim)


def is_swept(material: Material, parameter: Parameter) -> bool:
    """Whether a parameter is a number or colour that this material's look depends on."""
    is_number = parameter.kind in (Kind.NUMBER, Kind.COLOUR) and isinstance(material.value(parameter.name), Constant)
    return is_number and parameter.name in material.values and matters(material, model_of(material.model), parameter.name)


def jumps_of(material: Material, parameter: Parameter, target: str, aim: Aim) -> list[Jump]:
    """The jumps of one sweep."""
    chosen, steps = target_called(target), STEPS[aim]
    sources = [material.having(**{parameter.name: Constant(value_at(parameter, step / steps))}) for step in range(steps + 1)]
    converted = convert_all(sources, chosen.model.id, chosen.profile, aim)
    responses = [response(mean_surface(one.material)) for one in converted]
    errors = np.array([lobe_error(one, other) for one, other in pairwise(responses)])
    found = []
    for step in np.flatnonzero(errors > max(STANDS_OUT * float(np.median(errors)), LEAST_ERROR)):
        one, other = converted[step], converted[step + 1]
        change = change_between(one.material, other.material)
        if change > max(LEAST_JUMP, TIMES_ITS_OWN * change_between(one.original, other.original)):
            value = float(np.mean(value_at(parameter, step / steps)))
            found.append(Jump(material.name, parameter.name, target, value, change, _why(one, other)))
    return found


def value_at(parameter: Parameter, share: float) -> float | tuple[float, ...]:
    """The value so far from the least to the greatest usual one; colours as greys."""
    low, high = parameter.usual or (parameter.low, parameter.high)
    low, high = max(low, parameter.low, -10.0), min(high, parameter.high, 10.0)
    value = low + (high - low) * share
    return (value,) * 3 if parameter.kind is Kind.COLOUR else value


def change_between(one: Material, other: Material) -> float:
    """The reading that decides between two looks, ΔE2000."""
    return Estimator(one, tuple(standing_rigs())).estimate(other).decision.reading.value


def _why(one: Conversion, other: Conversion) -> str:
    titles = [conversion.choice.title if conversion.choice is not None else "as it is" for conversion in (one, other)]
    return "values moved" if titles[0] == titles[1] else " to ".join(titles)


if __name__ == "__main__":
    bench_stability()
