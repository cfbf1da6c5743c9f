"""Values that came from a graph of standard nodes, as such a graph again: nothing is baked that can be said."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import MaterialX as mx

from fenrain.core.formats.materialx.graphs import libraries
from fenrain.core.rules.nodes import NODES, PREFIX
from fenrain.core.values import Computed, Constant, Map, Value

WIDTHS = {"float": 1, "color3": 3}
TYPES = {width: kind for kind, width in WIDTHS.items()}
ImageWriter = Callable[[Map, str], Any]
"""(a map, a name) → the node that reads it."""


def is_graph(value: Value) -> bool:
    """Whether a value is one of standard nodes over images and numbers, and can be written so."""
    return isinstance(value, Computed) and _is_said(value)


def written_graph(graph: mx.NodeGraph, value: Value, name: str, write_image: ImageWriter) -> Any:
    """The last node of the graph that gives the value. Nodes that stand for the same value are written once."""
    return _Writer(graph, name, write_image).node_of(value)


def _is_said(value: Value) -> bool:
    if isinstance(value, Constant):
        return isinstance(value.value, (int, float, tuple)) and _width(value) in TYPES
    if isinstance(value, Map):
        return value.encoding != "normal" and not value.image.tiles and isinstance(value.scale, float) and isinstance(value.bias, float)
    if not isinstance(value, Computed) or not value.rule.startswith(f"{PREFIX}."):
        return False
    return all(_is_said(given) for _, given in value.inputs) and _definition(value) is not None


def _width(value: Value) -> int:
    """Channels that a value of nodes has."""
    if isinstance(value, Constant):
        return len(value.value) if isinstance(value.value, tuple) else 1
    if isinstance(value, Map):
        return len(value.channels)
    assert isinstance(value, Computed)
    inputs, category = dict(value.inputs), _category(value)
    if category == "extract":
        return 1
    if category.startswith("combine"):
        return len(inputs)
    chosen = ("in1", "in2") if category.startswith("if") else tuple(inputs)
    return max(_width(inputs[name]) for name in chosen)


def _category(value: Computed) -> str:
    return value.rule.removeprefix(f"{PREFIX}.")


def _definition(value: Computed) -> Any:
    """The library's definition that takes these inputs, numbers made grey colours where it asks for colours; None where there is none."""
    category, wanted = _category(value), TYPES.get(_width(value))
    widths = {name: _width(given) for name, given in value.inputs}
    fitting = []
    for definition in _definitions(category):
        if definition.getType() != wanted:
            continue
        asked = {entry.getName(): entry.getType() for entry in definition.getActiveInputs()}
        counted = {name: (WIDTHS.get(asked.get(name, ""), 0), width) for name, width in widths.items() if name != "index"}
        if all(width in (1, held) and held > 0 for held, width in counted.values()):
            fitting.append((sum(held - width for held, width in counted.values()), definition.getName(), definition))
    return min(fitting, key=lambda one: one[:2])[2] if fitting else None


def _definitions(category: str) -> Sequence[Any]:
    return list(libraries().getMatchingNodeDefs(category)) if category in NODES else []


class _Writer:
    def __init__(self, graph: mx.NodeGraph, name: str, write_image: ImageWriter) -> None:
        self._graph, self._name, self._write_image = graph, name, write_image
        self._made: dict[Value, Any] = {}

    def node_of(self, value: Value) -> Any:
        if value not in self._made:
            self._made[value] = self._image(value) if isinstance(value, Map) else self._computed(value)
        return self._made[value]

    def _node(self, category: str, kind: str) -> Any:
        return self._graph.addNode(category, self._graph.createValidChildName(f"{self._name}_{category}"), kind)

    def _image(self, value: Map) -> Any:
        """The image as it is, then times a factor and with a sum where the map has them."""
        node = self._write_image(Map(value.image, value.channels, value.encoding, 1.0, 0.0, value.placement, value.uv_set), self._name)
        for category, number, without in (("multiply", value.scale, 1.0), ("add", value.bias, 0.0)):
            if number != without:
                following = self._node(category, node.getType())
                following.setConnectedNode("in1", node)
                following.setInputValue("in2", float(number), "float")  # type: ignore[arg-type]
                node = following
        return node

    def _computed(self, value: Value) -> Any:
        assert isinstance(value, Computed)
        definition = _definition(value)
        node = self._node(_category(value), definition.getType())
        node.setNodeDefString(definition.getName())
        for name, given in value.inputs:
            self._give(node, name, given, definition.getActiveInput(name).getType())
        return node

    def _give(self, node: Any, name: str, given: Value, kind: str) -> None:
        if isinstance(given, Constant):
            numbers = given.value if isinstance(given.value, tuple) else (given.value,) * WIDTHS.get(kind, 1)
            node.setInputValue(name, _typed(numbers, kind), kind)
            return
        before = self.node_of(given)
        if before.getType() != kind:
            grey = self._node("combine3", "color3")
            for part in ("in1", "in2", "in3"):
                grey.setConnectedNode(part, before)
            before = grey
        node.setConnectedNode(name, before)


def _typed(numbers: Sequence[Any], kind: str) -> Any:
    """As the standard's library takes it."""
    if kind == "color3":
        return mx.Color3(*map(float, numbers))
    return int(numbers[0]) if kind == "integer" else float(numbers[0])
