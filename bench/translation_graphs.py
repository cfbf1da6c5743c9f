"""Runs the translation graphs that ship with MaterialX on constants: what the standard itself makes of a material of another model."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from fenrain.core.formats.materialx.reading import libraries


def translated(graph: str, parameters: dict[str, Any]) -> dict[str, Any]:
    """Outputs of the graph `NG_…` for these inputs, by name without “_out”; the rest at the graph's defaults."""
    nodes = libraries().getNodeGraph(graph)
    definition = nodes.getNodeDef()
    known: dict[str, Any] = {}

    def interface(name: str) -> Any:
        return _array(parameters[name]) if name in parameters else _array(definition.getActiveInput(name).getValue())

    def value(name: str, entry: Any) -> Any:
        if entry.getInterfaceName():
            return interface(entry.getInterfaceName())
        if entry.getNodeName():
            result = node(entry.getNodeName())
            return result[entry.getOutputString()] if isinstance(result, dict) else result
        return _array(entry.getValue())

    def node(name: str) -> Any:
        if name not in known:
            found = nodes.getNode(name)
            inputs = {entry.getName(): value(entry.getName(), entry) for entry in found.getInputs()}
            known[name] = OPERATIONS[found.getCategory()](inputs, found.getType())
        return known[name]

    outputs = {
        output.getName().removesuffix("_out"): value("", output) for output in nodes.getOutputs() if "normal" not in output.getName()
    }
    return {name: _plain(result) for name, result in outputs.items() if "tangent" not in name}


def _array(raw: Any) -> Any:
    if raw is None or isinstance(raw, (bool, int)):
        return raw
    return np.asarray(tuple(raw) if hasattr(raw, "__len__") else raw, dtype=float)


def _plain(result: Any) -> Any:
    if isinstance(result, (bool, int)):
        return result
    array = np.asarray(result)
    return tuple(float(x) for x in array) if array.ndim else float(array)


def _branch(test: Callable[[Any, Any], bool]) -> Callable[[dict[str, Any], str], Any]:
    return lambda i, kind: i["in1"] if test(i["value1"], i["value2"]) else i["in2"]


def _convert(i: dict[str, Any], kind: str) -> Any:
    return np.full(3, float(i["in"])) if kind in ("color3", "vector3") and np.ndim(i["in"]) == 0 else i["in"]


def _mix(i: dict[str, Any], kind: str) -> Any:
    return i["bg"] + (i["fg"] - i["bg"]) * i["mix"]


def _widths(i: dict[str, Any], kind: str) -> Any:
    stretch, alpha = np.sqrt(1 - min(float(i["anisotropy"]), 0.98)), i["roughness"] ** 2
    return np.array([min(alpha / stretch, 1.0), alpha * stretch])


def _divide(i: dict[str, Any], kind: str) -> Any:
    with np.errstate(divide="ignore", invalid="ignore"):
        return i["in1"] / i["in2"]


OPERATIONS: dict[str, Callable[[dict[str, Any], str], Any]] = {
    "dot": lambda i, kind: i["in"],
    "constant": lambda i, kind: i["value"],
    "convert": _convert,
    "add": lambda i, kind: i["in1"] + i["in2"],
    "subtract": lambda i, kind: i["in1"] - i["in2"],
    "multiply": lambda i, kind: i["in1"] * i["in2"],
    "divide": _divide,
    "power": lambda i, kind: i["in1"] ** i["in2"],
    "sqrt": lambda i, kind: np.sqrt(np.maximum(i["in"], 0.0)),
    "mix": _mix,
    "dotproduct": lambda i, kind: np.dot(i["in1"], i["in2"]),
    "luminance": lambda i, kind: np.full(3, np.dot(i["in"], [0.2126, 0.7152, 0.0722])),
    "extract": lambda i, kind: i["in"][int(i["index"])],
    "separate2": lambda i, kind: {"outx": i["in"][0], "outy": i["in"][1]},
    "roughness_anisotropy": _widths,
    "ifequal": _branch(lambda a, b: bool(a == b)),
    "ifgreater": _branch(lambda a, b: bool(a > b)),
    "ifgreatereq": _branch(lambda a, b: bool(a >= b)),
}
