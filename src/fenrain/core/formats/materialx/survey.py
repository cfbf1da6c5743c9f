"""What stands in the graph behind an input and means nothing to the standard: unknown nodes and inputs, connections to nothing, and values
that are none."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from typing import Any

import MaterialX as mx

from fenrain.core.formats.materialx.graphs import libraries, source_of

MOST_NODES = 2000
NUMBERS = ("float", "integer", "color3", "color4", "vector2", "vector3", "vector4")
TOLD_BY_READERS = ("file",)
"""Inputs whose value the reader itself looks at."""


def list_meaningless(entry: Any) -> Iterator[str]:
    """What of an input, and of all that stands behind it, means nothing, in words with its place."""
    yield from _meaningless_value(entry)
    waiting: list[Any] = [source_of(entry)[0]]
    seen: set[str] = set()
    while waiting and len(seen) < MOST_NODES:
        node = waiting.pop()
        if node is None or node.getNamePath() in seen:
            continue
        seen.add(node.getNamePath())
        names = _input_names(node.getCategory())
        for given in node.getInputs() if names else ():
            if given.getName() not in names:
                yield f"{given.getNamePath()} is no input of {node.getCategory()}"
            elif given.getName() not in TOLD_BY_READERS:
                yield from _meaningless_value(given)
            waiting.append(source_of(given)[0])


def _meaningless_value(entry: Any) -> Iterator[str]:
    """Of one input: what it is connected to, or its value."""
    if entry.getInterfaceName() and entry.getInterfaceInput() is None:
        yield f"{entry.getNamePath()} is given by “{entry.getInterfaceName()}”, which is not there"
    elif (entry.getNodeName() or entry.getNodeGraphString() or entry.getOutputString()) and source_of(entry)[0] is None:
        named = entry.getNodeName() or entry.getNodeGraphString() or entry.getOutputString()
        yield f"{entry.getNamePath()} is connected to “{named}”, which is not there"
    elif entry.getType() in NUMBERS and entry.hasValueString() and not _are_numbers(entry.getValueString()):
        yield f"{entry.getNamePath()}: “{entry.getValueString()[:40]}” cannot be read"


def _are_numbers(text: str) -> bool:
    """Whether all parts are: the library reads as far as it can, and leaves out the rest."""
    try:
        [float(part) for part in text.split(",")]
    except ValueError:
        return False
    return True


@cache
def _input_names(category: str) -> frozenset[str]:
    """Of all nodes of a category, none where the standard has no such node."""
    definitions = libraries().getMatchingNodeDefs(category)
    return frozenset(entry.getName() for one in definitions for entry in one.getActiveInputs() if isinstance(entry, mx.Input))
