"""Whether a small change of a source is a small change of its target: sweeps of each parameter in steps of half a per cent.

A jump is a step by which the converted look changes by more than 1 ΔE2000 in any reading, and by more than twice what the original's does.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from bench.production import MAKERS, production_like
from fenrain.core import Material, convert
from fenrain.core.aims.estimate import Estimator
from fenrain.core.conversion.aim import Aim
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import target_called
from fenrain.core.material import matters
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.values import Constant

TARGETS = ("open_pbr", "standard_surface", "metal_rough", "preview", "mtl")
STEPS, COARSE = 200, 10
LEAST_JUMP, TIMES_ITS_OWN = 1.0, 2.0
BASES = 2
"""Materials of a model whose parameters are swept."""


@dataclass(frozen=True)
class Jump:
    """A step of a sweep. change: of the converted look, ΔE2000; why: which ways were chosen on either side, where they differ."""

    material: str
    parameter: str
    target: str
    value: float
    change: float
    why: str


def bench_stability(aims: Sequence[Aim] = (Aim.NEAREST, Aim.PLAIN), targets: Sequence[str] = TARGETS) -> None:
    """Prints a table in Markdown: sweeps without a jump by model and aim, and the largest jumps with what caused them."""
    print("\n| model | aim | sweeps | without a jump | largest jumps |\n|---|---|---|---|---|")
    for model in MAKERS:
        for aim in aims:
            sweeps = [sorted(jumps, key=lambda jump: -jump.change) for jumps in sweeps_of(model, aim, targets)]
            worst = sorted((jumps[0] for jumps in sweeps if jumps), key=lambda jump: -jump.change)[:3]
            said = "; ".join(f"`{one.parameter}` at {one.value:.3g} → {one.target}: {one.change:.1f} ({one.why})" for one in worst)
            print(f"| {model} | {aim} | {len(sweeps)} | {sum(not jumps for jumps in sweeps) / max(len(sweeps), 1):.0%} | {said or '–'} |")


def sweeps_of(model: str, aim: Aim, targets: Sequence[str]) -> Iterator[list[Jump]]:
    """The jumps of each sweep of a model's materials."""
    for material in production_like(model, BASES):
        for parameter in model_of(model).parameters:
            if is_swept(material, parameter):
                for target in targets:
                    yield jumps_of(material, parameter, target, aim)


def is_swept(material: Material, parameter: Parameter) -> bool:
    """Whether a parameter is a number or colour that this material's look depends on."""
    is_number = parameter.kind in (Kind.NUMBER, Kind.COLOUR) and isinstance(material.value(parameter.name), Constant)
    return is_number and parameter.name in material.values and matters(material, model_of(material.model), parameter.name)


def jumps_of(material: Material, parameter: Parameter, target: str, aim: Aim) -> list[Jump]:
    """The jumps of one sweep: steps are looked at where the conversion changes over ten of them."""
    chosen = target_called(target)

    @cache
    def source(step: int) -> Material:
        return material.having(**{parameter.name: Constant(value_at(parameter, step))})

    @cache
    def converted(step: int) -> Conversion:
        return convert(source(step), chosen.model.id, chosen.profile, aim)

    @cache
    def change(begin: int, end: int) -> float:
        return change_between(converted(begin).material, converted(end).material)

    found = []
    for begin in range(0, STEPS, COARSE):
        if change(begin, begin + COARSE) <= LEAST_JUMP:
            continue
        for step in range(begin, begin + COARSE):
            if change(step, step + 1) > max(LEAST_JUMP, TIMES_ITS_OWN * change_between(source(step), source(step + 1))):
                value = float(np.mean(value_at(parameter, step)))
                why = _why(converted(step), converted(step + 1))
                found.append(Jump(material.name, parameter.name, target, value, change(step, step + 1), why))
    return found


def value_at(parameter: Parameter, step: int) -> float | tuple[float, ...]:
    """The value at a step from the least to the greatest usual one; colours as greys."""
    low, high = parameter.usual or (parameter.low, parameter.high)
    low, high = max(low, parameter.low, -10.0), min(high, parameter.high, 10.0)
    value = low + (high - low) * step / STEPS
    return (value,) * 3 if parameter.kind is Kind.COLOUR else value


def change_between(one: Material, other: Material) -> float:
    """The reading that decides between two looks, ΔE2000."""
    return Estimator(one, tuple(standing_rigs())).estimate(other).decision.reading.value


def _why(one: Conversion, other: Conversion) -> str:
    titles = [conversion.choice.title if conversion.choice is not None else "as it is" for conversion in (one, other)]
    return "values moved" if titles[0] == titles[1] else " to ".join(titles)


if __name__ == "__main__":
    bench_stability()
