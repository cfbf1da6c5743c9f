"""What material graphs are made of: nodes of the MaterialX 1.39 standard library, each a pure function of texels.

Only nodes that the library itself implements in shader code stand here; all others are graphs of these, which the library states.
References: MaterialX Specification 1.39, Standard Library, “Math Nodes”, “Adjustment Nodes”, “Compositing Nodes”, “Conditional Nodes”,
“Channel Nodes”; the library's shader code (libraries/stdlib/genglsl) where the text leaves a case open.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from fenrain.core.rules.fidelity import EXACT
from fenrain.core.rules.rule import Kind, Rule

SOURCE = "MaterialX 1.39, standard library"
PREFIX = "nodes"
MOST = 65504.0
"""The largest half float: what a graph makes infinite goes no further."""


def _node(inputs: str, function: Callable[..., Any]) -> tuple[tuple[str, ...], Callable[..., Any]]:
    return tuple(inputs.split()), function


def _mixed(fg: Any, bg: Any, mix: Any) -> Any:
    return fg * mix + bg * (1.0 - mix)


def _remapped(value: Any, inlow: Any, inhigh: Any, outlow: Any, outhigh: Any) -> Any:
    span = np.where(inhigh == inlow, 1.0, inhigh - inlow)
    return outlow + (value - inlow) / span * (outhigh - outlow)


def _smoothstep(value: Any, low: Any, high: Any) -> Any:
    t = np.clip((value - low) / np.where(high == low, 1e-12, high - low), 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def _luminance(colour: Any, lumacoeffs: Any) -> Any:
    return np.broadcast_to((colour * lumacoeffs).sum(axis=-1, keepdims=True), np.shape(colour))


def _to_hsv(colour: Any) -> Any:
    """Hue, saturation and value, each 0…1 (Foley et al. 1990, §13.3.4)."""
    most, least = colour.max(axis=-1), colour.min(axis=-1)
    span = most - least
    safe = np.where(span > 0.0, span, 1.0)
    red, green, blue = (colour[..., channel] for channel in range(3))
    hue = np.where(most == red, (green - blue) / safe, np.where(most == green, 2.0 + (blue - red) / safe, 4.0 + (red - green) / safe))
    hue = np.where(span > 0.0, hue / 6.0 % 1.0, 0.0)
    return np.stack([hue, np.where(most > 0.0, span / np.where(most > 0.0, most, 1.0), 0.0), most], axis=-1)


def _to_rgb(hsv: Any) -> Any:
    hue, saturation, value = (hsv[..., channel] for channel in range(3))
    # Each channel falls from the value by the saturation, the nearer its hue is to the opposite one.
    turns = (np.asarray([5.0, 3.0, 1.0]) + hue[..., None] * 6.0) % 6.0
    falls = np.clip(np.minimum(turns, 4.0 - turns), 0.0, 1.0)
    return value[..., None] * (1.0 - saturation[..., None] * falls)


def _blended(blend: Callable[[Any, Any], Any]) -> Callable[..., Any]:
    return lambda fg, bg, mix: _mixed(blend(fg, bg), bg, mix)


def _burnt(fg: Any, bg: Any) -> Any:
    return np.where(np.abs(fg) < 1e-8, 0.0, 1.0 - (1.0 - bg) / np.where(np.abs(fg) < 1e-8, 1.0, fg))


def _dodged(fg: Any, bg: Any) -> Any:
    left = 1.0 - fg
    return np.where(np.abs(left) < 1e-8, 0.0, bg / np.where(np.abs(left) < 1e-8, 1.0, left))


def _chosen(compare: Callable[[Any, Any], Any]) -> Callable[..., Any]:
    return lambda value1, value2, in1, in2: np.where(compare(value1, value2), in1, in2)


def _channel(value: Any, index: Any) -> Any:
    return value[..., min(max(int(np.ravel(index)[0]), 0), value.shape[-1] - 1), None]


def _stacked(*parts: Any) -> Any:
    return np.concatenate(np.broadcast_arrays(*parts), axis=-1)


NODES: dict[str, tuple[tuple[str, ...], Callable[..., Any]]] = {
    "add": _node("in1 in2", lambda a, b: a + b),
    "subtract": _node("in1 in2", lambda a, b: a - b),
    "multiply": _node("in1 in2", lambda a, b: a * b),
    "divide": _node("in1 in2", lambda a, b: a / np.where(b == 0.0, 1e-12, b)),
    "modulo": _node("in1 in2", lambda a, b: a - b * np.floor(a / np.where(b == 0.0, 1e-12, b))),
    "power": _node("in1 in2", lambda a, b: np.power(np.maximum(a, 0.0), b)),
    "min": _node("in1 in2", np.minimum),
    "max": _node("in1 in2", np.maximum),
    "invert": _node("in amount", lambda value, amount: amount - value),
    "absval": _node("in", np.abs),
    "sign": _node("in", np.sign),
    "floor": _node("in", np.floor),
    "ceil": _node("in", np.ceil),
    "fract": _node("in", lambda value: value - np.floor(value)),
    "round": _node("in", lambda value: np.floor(value + 0.5)),
    "sqrt": _node("in", lambda value: np.sqrt(np.maximum(value, 0.0))),
    "ln": _node("in", lambda value: np.log(np.maximum(value, 1e-12))),
    "exp": _node("in", np.exp),
    "sin": _node("in", np.sin),
    "cos": _node("in", np.cos),
    "atan2": _node("iny inx", np.arctan2),
    "clamp": _node("in low high", np.clip),
    "mix": _node("fg bg mix", _mixed),
    "remap": _node("in inlow inhigh outlow outhigh", _remapped),
    "smoothstep": _node("in low high", _smoothstep),
    "luminance": _node("in lumacoeffs", _luminance),
    "rgbtohsv": _node("in", _to_hsv),
    "hsvtorgb": _node("in", _to_rgb),
    "plus": _node("fg bg mix", _blended(lambda fg, bg: bg + fg)),
    "minus": _node("fg bg mix", _blended(lambda fg, bg: bg - fg)),
    "difference": _node("fg bg mix", _blended(lambda fg, bg: np.abs(bg - fg))),
    "screen": _node("fg bg mix", _blended(lambda fg, bg: 1.0 - (1.0 - fg) * (1.0 - bg))),
    "burn": _node("fg bg mix", _blended(_burnt)),
    "dodge": _node("fg bg mix", _blended(_dodged)),
    "inside": _node("in mask", lambda value, mask: value * mask),
    "outside": _node("in mask", lambda value, mask: value * (1.0 - mask)),
    "ifgreater": _node("value1 value2 in1 in2", _chosen(np.greater)),
    "ifgreatereq": _node("value1 value2 in1 in2", _chosen(np.greater_equal)),
    "ifequal": _node("value1 value2 in1 in2", _chosen(np.equal)),
    "ramplr": _node("valuel valuer texcoord", lambda left, right, place: _mixed(right, left, np.clip(place[..., :1], 0.0, 1.0))),
    "ramptb": _node("valuet valueb texcoord", lambda top, bottom, place: _mixed(top, bottom, np.clip(place[..., 1:2], 0.0, 1.0))),
    "splitlr": _node("valuel valuer center texcoord", lambda left, right, at, place: np.where(place[..., :1] < at, left, right)),
    "splittb": _node("valuet valueb center texcoord", lambda top, bottom, at, place: np.where(place[..., 1:2] < at, bottom, top)),
    "extract": _node("in index", _channel),
    "combine2": _node("in1 in2", _stacked),
    "combine3": _node("in1 in2 in3", _stacked),
    "convert": _node("in", lambda value: value),
    "dot": _node("in", lambda value: value),
}
"""By category: the names of the inputs, in the order in which the function takes them."""


def node_rule(category: str) -> Rule:
    """The rule that a node of this category is. Raises KeyError for one that is none."""
    inputs, function = NODES[category]
    return Rule(
        f"{PREFIX}.{category}",
        Kind.COMPUTE,
        ("out",),
        inputs,
        EXACT,
        f"{category} of {', '.join(f'{{{name}}}' for name in inputs)}",
        SOURCE,
        lambda given: _finite(function(*(np.asarray(given[name], dtype=float) for name in inputs))),
    )


def _finite(values: Any) -> Any:
    return np.nan_to_num(values, posinf=MOST, neginf=-MOST)
