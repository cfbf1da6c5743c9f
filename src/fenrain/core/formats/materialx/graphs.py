"""What stands behind an input of a MaterialX surface, as a value that is computed texel by texel.

Nodes that the standard library states as graphs of others are opened; those that it implements in shader code are rules (`rules/nodes.py`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache
from typing import Any

import MaterialX as mx
import numpy as np

from fenrain.core.maps.mean import thumbnail
from fenrain.core.rules.nodes import NODES, PREFIX, node_rule
from fenrain.core.values import Computed, Constant, Drawn, Value

DEEPEST = 24
MOST_NODES = 4000
WORKED_OUT = ("float", "color3", "vector2", "vector3")
"""What nodes give that are computed here."""
PLACES = Drawn("places", "uv", ())
"""The place on the surface that the first UV set says."""
ImageReader = Callable[[Any, str], Value | None]
"""(an image node, the channel that is taken of it or "") → its map."""

ColourReader = Callable[[Any, str], Any]
"""(a typed colour, the colour space that it is stated in) → the same in linear Rec.709."""


@cache
def libraries() -> mx.Document:
    """The standard's node definitions, loaded once."""
    document = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), document)
    return document


class Unreadable(Exception):
    """Names the node that cannot be computed."""


def value_of(node: Any, output: str, images: tuple[str, ...], read_image: ImageReader, read_colour: ColourReader) -> Value:
    """The value that a node gives. images: categories of nodes that are images. Raises Unreadable."""
    return _Reader(images, read_image, read_colour).value_of(node, output, {}, 0)


def of_width(value: Value, channels: int) -> Value:
    """The value with so many channels: of a colour in place of a number its first, of a number in place of a colour a grey. Raises
    ImageError."""
    width = (len(value.value) if isinstance(value.value, tuple) else 1) if isinstance(value, Constant) else thumbnail(value).shape[-1]
    if width == channels:
        return value
    if channels == 1:
        return _applied("extract", {"in": value, "index": Constant(0)})
    return _applied("combine3", {f"in{part}": value for part in (1, 2, 3)})


def source_of(entry: Any) -> tuple[Any, str]:
    """The node that an input is connected to, through a graph's output where there is one, and which of the node's outputs is taken;
    (None, "") where there is none."""
    if entry is None:
        return None, ""
    output = entry.getConnectedOutput()
    if output is not None and output.getConnectedNode() is not None:
        return output.getConnectedNode(), output.getOutputString()
    return entry.getConnectedNode(), entry.getOutputString()


def plain(value: Any) -> Any:
    """A value of the standard's library as plain numbers."""
    return tuple(value) if isinstance(value, (mx.Color3, mx.Vector2, mx.Vector3)) else value


class _Reader:
    def __init__(self, images: tuple[str, ...], read_image: ImageReader, read_colour: ColourReader) -> None:
        self._images, self._read_image, self._read_colour, self._seen = images, read_image, read_colour, 0

    def value_of(self, node: Any, output: str, scope: Mapping[str, Value], depth: int) -> Value:
        """scope: values of the inputs of the graph that a node stands in, by their names."""
        self._seen += 1
        category = node.getCategory()
        if depth > DEEPEST or self._seen > MOST_NODES:
            raise Unreadable(f"{category}, which lies too deep")
        if category in self._images:
            found = self._read_image(node, output)
            if found is None:
                raise Unreadable(category)
            return found
        if category == "constant":
            return self._input(node, "value", node.getNodeDef(), scope, depth)
        if category == "texcoord" and node.getInputValue("index") in (None, 0):
            return PLACES
        definition = node.getNodeDef()
        if definition is None:
            raise Unreadable(category)
        if category in NODES and definition.getType() in WORKED_OUT:
            names, _ = NODES[category]
            return _applied(category, {name: self._input(node, name, definition, scope, depth) for name in names})
        graph = definition.getImplementation()
        if not isinstance(graph, mx.NodeGraph):
            raise Unreadable(category)
        return self._opened(node, graph, output, definition, scope, depth)

    def _opened(self, node: Any, graph: Any, output: str, definition: Any, scope: Mapping[str, Value], depth: int) -> Value:
        end = graph.getOutput(output or "out")
        last = end.getConnectedNode() if end is not None else None
        if last is None:
            raise Unreadable(node.getCategory())
        inputs = {entry.getName(): (node, entry.getName(), definition, scope) for entry in definition.getActiveInputs()}
        within = _Later(inputs, self, depth)
        return self.value_of(last, end.getOutputString(), within, depth + 1)

    def _input(self, node: Any, name: str, definition: Any, scope: Mapping[str, Value], depth: int) -> Value:
        """What an input is given: by the graph around it, by a node, by itself, or by its definition."""
        entry, declared = node.getInput(name), definition.getActiveInput(name)
        if entry is not None:
            if entry.getInterfaceName():
                if entry.getInterfaceName() in scope:
                    return scope[entry.getInterfaceName()]
                entry = entry.getInterfaceInput() or entry
            before, output = source_of(entry)
            if before is not None:
                return self.value_of(before, output, scope if _is_beside(before, node) else {}, depth + 1)
        stated = entry if entry is not None and entry.hasValueString() else declared
        value = stated.getValue() if stated is not None else None
        if value is None and declared is not None and declared.getDefaultGeomPropString() == "UV0":
            return PLACES
        if value is None:
            raise Unreadable(f"{node.getCategory()}, whose {name} is given by the surface")
        number = _number_or_colour(value)
        return Constant(self._read_colour(number, stated.getActiveColorSpace()) if stated.getType() == "color3" else number)


class _Later(Mapping[str, Value]):
    """The inputs of an opened graph, computed when they are asked for: most are not, and some cannot be."""

    def __init__(self, inputs: Mapping[str, tuple[Any, str, Any, Mapping[str, Value]]], reader: _Reader, depth: int) -> None:
        self._inputs, self._reader, self._depth = inputs, reader, depth

    def __getitem__(self, name: str) -> Value:
        node, entry, definition, scope = self._inputs[name]
        return self._reader._input(node, entry, definition, scope, self._depth + 1)

    def __contains__(self, name: object) -> bool:
        return name in self._inputs

    def __iter__(self) -> Any:
        return iter(self._inputs)

    def __len__(self) -> int:
        return len(self._inputs)


def _applied(category: str, inputs: Mapping[str, Value]) -> Value:
    """A node of these inputs; of constants alone, the constant that it gives."""
    if all(isinstance(value, Constant) for value in inputs.values()):
        given = {name: np.atleast_1d(np.asarray(value.value, dtype=float)) for name, value in inputs.items()}  # type: ignore[union-attr]
        found = np.ravel(node_rule(category).results(given)["out"])
        return Constant(float(found[0]) if len(found) == 1 else tuple(float(part) for part in found))
    return Computed(f"{PREFIX}.{category}", "out", tuple(inputs.items()))


def _is_beside(first: Any, second: Any) -> bool:
    return bool(first.getParent().getNamePath() == second.getParent().getNamePath())


def _number_or_colour(value: Any) -> Any:
    found = plain(value)
    if not isinstance(found, (int, float, tuple)):
        raise Unreadable("a value that is neither number nor colour")
    return float(found) if isinstance(found, bool) else found
