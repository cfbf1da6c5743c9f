"""A material in a dialect's own words: what one types into a renderer to get it, the way of reading walked backwards."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from fenrain.core.dialects.dialect import PART_NAMES, SIDES, Dialect, Spelling
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.steps import ValueStep, apply_steps
from fenrain.core.values import Constant, Image, Map, Plain

TRIED = 16_385
"""Numbers over a parameter's range between which the one is looked for that gives a value."""
NEAR = 2e-4
"""How far from the value, as a share of its range, the number may come out that is found."""
FAR = 0.02
"""And as a share of the value, where its range is wide."""


def spelled(material: Material, dialect: Dialect, called: Callable[[Image], str] = lambda image: image.name) -> dict[str, Any]:
    """What to type, by column: numbers, words, and the names of maps, as they are `called`.

    A value that no number of the dialect gives is left out, and so is what was computed from maps: `unspelled` names them.
    """
    row: dict[str, Any] = {dialect.name_column: material.name}
    dialect = dialect.counted_in(material.geometry.unit or 1.0)
    for spelling in dialect.parameters:
        if spelling.feeds == SIDES:
            row[spelling.name] = "yes" if material.geometry.double_sided is not any(step.invert for step in spelling.steps) else "no"
            continue
        if spelling.feeds in PART_NAMES or (spelling.feeds not in material.values and spelling.default is None):
            continue
        value = material.value(spelling.feeds)
        if isinstance(value, Map) and spelling.map is not None:
            row[spelling.map] = called(value.image)
        elif isinstance(value, Constant):
            found = typed(spelling, model_of(material.model).parameter(spelling.feeds), value.value)
            if found is not None:
                row[spelling.name] = found
    return row


def unspelled(material: Material, dialect: Dialect) -> tuple[str, ...]:
    """Names of values that are set, and that the dialect's row does not say."""
    row = spelled(material, dialect)
    said = {one.feeds for one in dialect.parameters if one.name in row or (one.map is not None and one.map in row)}
    return tuple(name for name in material.values if name not in said | set(dialect.fixed))


def typed(spelling: Spelling, parameter: Parameter, value: Plain) -> Any:
    """What stands in the column for a value of the model; None where nothing gives it."""
    words = next((step.choose for step in spelling.steps if step.choose is not None), None)
    if words is not None:
        return next((word for word, stands_for in words.items() if stands_for == value), None)
    if parameter.kind is Kind.FLAG:
        return "yes" if bool(value) is not any(step.invert for step in spelling.steps) else "no"
    if parameter.kind is Kind.CHOICE:
        return dict(parameter.options).get(value)  # type: ignore[arg-type]
    if parameter.is_plain or parameter.kind is Kind.NORMAL:
        return None
    numbers = np.atleast_1d(np.asarray(value, dtype=float))
    found = [_number(spelling, parameter, float(number)) for number in numbers]
    if any(number is None for number in found):
        return None
    return found if len(found) > 1 else found[0]


def _number(spelling: Spelling, parameter: Parameter, wanted: float) -> float | None:
    """The typed number that the dialect's steps make this one of, by the inverse of what they do to all of its range."""
    low, high = spelling.range or (0.0, spelling.full * (parameter.high if np.isfinite(parameter.high) else 1.0))
    tried = np.linspace(low, high, TRIED)
    given = _read(spelling, tried)
    if given.shape != tried.shape or not np.isfinite(given).all():
        return None
    order = np.argsort(given, kind="stable")
    number = float(np.interp(wanted, given[order], tried[order]))
    missed = abs(float(_read(spelling, np.array([number]))[0]) - wanted)
    close = missed <= NEAR * max(float(np.ptp(given)), 1e-9) and missed <= max(NEAR, FAR * abs(wanted))
    return round(number, 9 - len(str(int(abs(number))))) if close else None


def _read(spelling: Spelling, typed_numbers: np.ndarray) -> np.ndarray:
    """What the model is given for numbers as they are typed."""
    decoding = (ValueStep(decode="srgb"),) if spelling.encoding == "srgb" else ()
    return np.asarray(apply_steps((*decoding, *spelling.steps), typed_numbers / spelling.full))
