"""One set of elementwise functions for NumPy arrays and for Dr.Jit values, so that each equation is written once.

Vectors and colours hold their components first: NumPy shape (3, n), Dr.Jit `Vector3f`/`Color3f`; `v[0]` is x or
red in both. A constant colour has shape (3, 1). Scalars have shape (n,) or ().
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import Any

import numpy as np

Array = Any
"""A NumPy array, a Dr.Jit value, or a Python number."""

PI = float(np.pi)


def is_traced(*values: Array) -> bool:
    """True where any value belongs to the rendering engine (Dr.Jit or Mitsuba types)."""
    for value in values:
        kind = type(value)
        traced = _IS_TRACED.get(kind)
        if traced is None:
            traced = _IS_TRACED[kind] = kind.__module__.startswith(("drjit", "mitsuba"))
        if traced:
            return True
    return False


_IS_TRACED: dict[type, bool] = {}
"""By type: it is asked for at every step of every equation."""


def _dispatch(numpy_function: Any, traced_name: str) -> Any:
    def apply(*values: Array) -> Array:
        if is_traced(*values):
            return getattr(sys.modules["drjit"], traced_name)(*values)
        result = numpy_function(*values)
        return result.item() if np.ndim(result) == 0 else result

    apply.__name__ = traced_name
    return apply


exp = _dispatch(np.exp, "exp")
log = _dispatch(np.log, "log")
sin = _dispatch(np.sin, "sin")
cos = _dispatch(np.cos, "cos")
arccos = _dispatch(np.arccos, "acos")
power = _dispatch(np.power, "power")
floor = _dispatch(np.floor, "floor")
absolute = _dispatch(np.abs, "abs")
minimum = _dispatch(np.minimum, "minimum")
maximum = _dispatch(np.maximum, "maximum")
select = _dispatch(np.where, "select")
sign = _dispatch(np.sign, "sign")
raw_sqrt = _dispatch(np.sqrt, "sqrt")


def square(x: Array) -> Array:
    return x * x


def sqrt(x: Array) -> Array:
    """Square root, with rounding below zero taken as zero."""
    return raw_sqrt(maximum(x, 0.0))


def clip(x: Array, low: Array, high: Array) -> Array:
    return minimum(maximum(x, low), high)


def lerp(a: Array, b: Array, t: Array) -> Array:
    """`a` where t = 0, `b` where t = 1.

    >>> lerp(2.0, 4.0, 0.25)
    2.5
    """
    return a + (b - a) * t


def dot(a: Array, b: Array) -> Array:
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def vector(x: Array, y: Array, z: Array) -> Array:
    """Three scalars as one vector of the kind that the scalars are."""
    if is_traced(x, y, z):
        return sys.modules["mitsuba"].Vector3f(x, y, z)
    return _components(x, y, z)


def colour(red: Array, green: Array, blue: Array) -> Array:
    """Three scalars as one colour of the kind that the scalars are."""
    if is_traced(red, green, blue):
        return sys.modules["mitsuba"].Color3f(red, green, blue)
    return _components(red, green, blue)


def _components(*parts: Array) -> np.ndarray:
    stacked = np.stack(np.broadcast_arrays(*parts))
    return stacked.reshape(3, 1) if stacked.ndim == 1 else stacked


def normalise(v: Array) -> Array:
    return v / raw_sqrt(maximum(dot(v, v), 1e-30))


def is_colour(x: Array) -> bool:
    """True for three components, False for a scalar."""
    if is_traced(x):
        return type(x).__name__ in ("Color3f", "Vector3f", "Normal3f", "Array3f")
    return np.ndim(x) >= 2 and np.shape(x)[0] == 3


def max_channel(c: Array) -> Array:
    return maximum(maximum(c[0], c[1]), c[2])


def mean_channel(c: Array) -> Array:
    return (c[0] + c[1] + c[2]) / 3.0


def luminance(c: Array) -> Array:
    """Relative luminance of linear Rec.709 (ITU-R BT.709-6).

    >>> round(float(luminance(np.ones((3, 1)))[0]), 6)
    1.0
    """
    return 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2]


def is_absent(weight: Array) -> bool:
    """True for a weight that is known to be 0 before anything is evaluated."""
    return _is_known(weight, 0.0)


def is_whole(weight: Array) -> bool:
    """True for a weight that is known to be 1."""
    return _is_known(weight, 1.0)


def _is_known(weight: Array, value: float) -> bool:
    if is_traced(weight):
        literal = sys.modules["drjit"].VarState.Literal
        parts = tuple(weight) if is_colour(weight) else (weight,)
        return all(part.state == literal and part[0] == value for part in parts)
    return bool(np.all(np.asarray(weight) == value))


def scalar_of(x: Array) -> Array:
    """The mean channel of a colour; a scalar as it is."""
    return mean_channel(x) if is_colour(x) else x


def lookup(table: np.ndarray, *coordinates: Array) -> Array:
    """Multilinear interpolation in a table whose nodes lie at equal steps over 0…1, ends included.

    table: any number of axes; coordinates: one value for each axis, clamped to 0…1.
    """
    return lookups((table,), *coordinates)[0]


def lookups(tables: Sequence[np.ndarray], *coordinates: Array) -> list[Array]:
    """The same place in several tables of one shape."""
    traced = is_traced(*coordinates)
    if traced:
        coordinates = _as_floats(coordinates)
    elif all(np.size(coordinate) == 1 for coordinate in coordinates):
        corners = _corners_of_one(tables[0].shape, [float(np.asarray(coordinate).item()) for coordinate in coordinates])
        values = [float(sum(float(table.flat[index]) * weight for index, weight in corners)) for table in tables]
        shape = np.broadcast_shapes(*(np.shape(coordinate) for coordinate in coordinates))
        return [np.full(shape, value) if shape else value for value in values]
    corners = [(0, 1.0)]
    for size, coordinate in zip(tables[0].shape, coordinates, strict=True):
        position = clip(coordinate, 0.0, 1.0) * (size - 1)
        lower = minimum(floor(position), size - 2.0)
        corners = _refined(corners, size, _integer(lower, traced), position - lower)
    if traced:
        gather, sources = sys.modules["drjit"].gather, [_traced_table(table) for table in tables]
        return [sum(gather(type(source), source, index) * weight for index, weight in corners) for source in sources]
    return [sum(table.ravel()[index] * weight for index, weight in corners) for table in tables]


def _corners_of_one(shape: tuple[int, ...], coordinates: list[float]) -> Corners:
    """For single numbers, for which setting up arrays would take longer than the sum."""
    corners: Corners = [(0, 1.0)]
    for size, coordinate in zip(shape, coordinates, strict=True):
        position = min(max(coordinate, 0.0), 1.0) * (size - 1)
        lower = min(int(position), size - 2)
        corners = _refined(corners, size, lower, position - lower)
    return corners


Corners = list[tuple[Array, Array]]
"""The nodes around a place in a table: flat index and weight of each."""


def _refined(corners: Corners, size: int, lower: Array, fraction: Array) -> Corners:
    """The corners with one more axis, on which the place lies `fraction` above the node `lower`."""
    return [
        corner
        for base, weight in corners
        for corner in ((base * size + lower, weight * (1.0 - fraction)), (base * size + lower + 1, weight * fraction))
    ]


def _as_floats(values: tuple[Array, ...]) -> tuple[Array, ...]:
    float_type = sys.modules["mitsuba"].Float
    return tuple(value if is_traced(value) else float_type(float(value)) for value in values)


def _integer(x: Array, traced: bool) -> Array:
    return sys.modules["mitsuba"].UInt32(x) if traced else np.asarray(x).astype(np.intp)


_TRACED_TABLES: dict[int, Array] = {}


def _traced_table(table: np.ndarray) -> Array:
    if id(table) not in _TRACED_TABLES:
        _TRACED_TABLES[id(table)] = sys.modules["mitsuba"].Float(table.ravel().astype(np.float32))
    return _TRACED_TABLES[id(table)]
