"""What stands in a network of shaders and means nothing to the standards: unknown nodes, inputs and words, and connections to nothing."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache

from pxr import Sdr, UsdShade

from fenrain.core.formats.materialx.graphs import libraries

MOST_SHADERS = 2000


@dataclass(frozen=True)
class ShaderDefinition:
    """words: what an input may say, where it takes one of a few."""

    inputs: frozenset[str]
    outputs: frozenset[str]
    words: Mapping[str, frozenset[str]] = field(default_factory=dict)


def list_meaningless(shader: UsdShade.Shader) -> Iterator[str]:
    """What of a shader, and of all that stand before it, means nothing, in words with its place."""
    waiting: list[UsdShade.Shader] = [shader]
    seen: set[str] = set()
    while waiting and len(seen) < MOST_SHADERS:
        one = waiting.pop()
        path = str(one.GetPath())
        if path in seen:
            continue
        seen.add(path)
        definition = shader_definition(str(one.GetShaderId() or ""))
        for entry in one.GetInputs():
            if definition is not None:
                yield from _meaningless_input(entry, one, definition)
            for source in entry.GetConnectedSources()[0]:
                before = UsdShade.Shader(source.source.GetPrim())
                if before:
                    waiting.append(before)


def _meaningless_input(entry: UsdShade.Input, shader: UsdShade.Shader, definition: ShaderDefinition) -> Iterator[str]:
    name, place = entry.GetBaseName(), str(entry.GetAttr().GetPath())
    sources, invalid = entry.GetConnectedSources()
    if name not in definition.inputs:
        yield f"{place} is no input of {shader.GetShaderId()}"
    elif invalid or (entry.GetAttr().HasAuthoredConnections() and not sources):
        yield f"{place} is connected to what is not there"
    elif any(not _gives(source) for source in sources):
        yield f"{place} is connected to an output that its shader does not have"
    elif name in definition.words and isinstance(entry.Get(), str) and entry.Get() not in definition.words[name]:
        yield f"{place}: “{entry.Get()[:40]}” is none of {', '.join(sorted(definition.words[name]))}"


def _gives(source: UsdShade.ConnectionSourceInfo) -> bool:
    """Whether the node that an input is connected to has such an output; one that nobody knows is told elsewhere."""
    before = UsdShade.Shader(source.source.GetPrim())
    definition = shader_definition(str(before.GetShaderId() or "")) if before else None
    return definition is None or source.sourceType != UsdShade.AttributeType.Output or source.sourceName in definition.outputs


@cache
def shader_definition(identifier: str) -> ShaderDefinition | None:
    """By the registry of USD, or by the definitions of MaterialX; None for a node of neither."""
    known = Sdr.Registry().GetShaderNodeByIdentifier(identifier)
    if known:
        options = {name: known.GetShaderInput(name).GetOptions() for name in known.GetShaderInputNames()}
        words = {name: frozenset(word for word, _ in found) for name, found in options.items() if found}
        return ShaderDefinition(frozenset(known.GetShaderInputNames()), frozenset(known.GetShaderOutputNames()), words)
    definition = libraries().getNodeDef(identifier)
    if definition is None:
        return None
    inputs = frozenset(entry.getName() for entry in definition.getActiveInputs())
    return ShaderDefinition(inputs, frozenset(output.getName() for output in definition.getActiveOutputs()))
