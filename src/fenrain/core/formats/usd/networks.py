"""MaterialX nodes that stand in a USD stage, as a document of the MaterialX library, and the other way round."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import MaterialX as mx
from pxr import Gf, Sdf, Tf, Usd, UsdShade

from fenrain.core.formats.materialx.graphs import libraries
from fenrain.core.formats.usd.stage import Opened, uv_number
from fenrain.core.values import Image

TYPES = {
    "float": Sdf.ValueTypeNames.Float,
    "integer": Sdf.ValueTypeNames.Int,
    "boolean": Sdf.ValueTypeNames.Bool,
    "color3": Sdf.ValueTypeNames.Color3f,
    "color4": Sdf.ValueTypeNames.Color4f,
    "vector2": Sdf.ValueTypeNames.Float2,
    "vector3": Sdf.ValueTypeNames.Float3,
    "vector4": Sdf.ValueTypeNames.Float4,
    "string": Sdf.ValueTypeNames.String,
    "filename": Sdf.ValueTypeNames.Asset,
    "surfaceshader": Sdf.ValueTypeNames.Token,
}
VECTORS = {"color3": Gf.Vec3f, "color4": Gf.Vec4f, "vector2": Gf.Vec2f, "vector3": Gf.Vec3f, "vector4": Gf.Vec4f}
PRIMVARS = ("ND_geompropvalue_vector2", "ND_UsdPrimvarReader_vector2")
"""Nodes that read a UV set by its name."""


class Network:
    """Builds the document of one material. images: of a package, by the references that name them; other references are relative to the
    stage's own file."""

    def __init__(self, opened: Opened, uv_sets: Sequence[str]) -> None:
        self._opened, self._uv_sets = opened, list(uv_sets)
        self._document = mx.createDocument()
        self._document.setDataLibrary(libraries())
        self._made: dict[str, Any] = {}
        self.images: dict[str, Image] = {}

    def node_of(self, shader: UsdShade.Shader) -> Any:
        """The node that a shader is, with all that stands before it; None for one that the standard does not define."""
        identifier, path = str(shader.GetShaderId() or ""), str(shader.GetPath())
        if path in self._made:
            return self._made[path]
        definition = libraries().getNodeDef(identifier)
        if definition is None:
            return None
        name = self._document.createValidChildName(mx.createValidName(shader.GetPrim().GetName()))
        if identifier in PRIMVARS:
            node = self._document.addNode("texcoord", name, "vector2")
            node.setInputValue("index", self._uv_set(shader), "integer")
            self._made[path] = node
            return node
        node = self._document.addNode(definition.getNodeString(), name, definition.getType())
        self._made[path] = node
        for entry in shader.GetInputs():
            declared = definition.getActiveInput(entry.GetBaseName())
            if declared is not None:
                self._add_input(node, entry, declared.getType())
        return node

    def _uv_set(self, shader: UsdShade.Shader) -> int:
        entry = shader.GetInput("geomprop") or shader.GetInput("varname")
        return uv_number(str(entry.Get()) if entry else "st", self._uv_sets)

    def _add_input(self, node: Any, entry: UsdShade.Input, kind: str) -> None:
        producing = UsdShade.Utils.GetValueProducingAttributes(entry)
        if not producing:
            return
        attribute = producing[0]
        if UsdShade.Output.IsOutput(attribute):
            before = self.node_of(UsdShade.Shader(attribute.GetPrim()))
            if before is not None:
                made = node.addInput(entry.GetBaseName(), kind)
                made.setConnectedNode(before)
                output = UsdShade.Output(attribute).GetBaseName()
                if output != "out":
                    made.setOutputString(output)
            return
        value = attribute.Get()
        if value is None:
            return
        made = node.addInput(entry.GetBaseName(), kind)
        if not isinstance(value, Sdf.AssetPath):
            made.setValueString(_text(value))
            return
        packed = self._opened.packed(attribute, value.path)
        if packed is not None:
            self.images[value.path] = packed
        made.setValueString(value.path if packed is not None else self._from_the_stage(attribute, value.path))
        if attribute.GetColorSpace():
            made.setColorSpace(str(attribute.GetColorSpace()))

    def _from_the_stage(self, attribute: Usd.Attribute, reference: str) -> str:
        """A reference of a layer, which may lie elsewhere, as one of the stage's own file."""
        if not reference or Path(reference).is_absolute():
            return reference
        return Path(os.path.relpath(self._opened.folder_of(attribute) / reference, self._opened.path.resolve().parent)).as_posix()


def _text(value: Any) -> str:
    """As MaterialX writes it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, (Gf.Vec2f, Gf.Vec3f, Gf.Vec4f, Gf.Vec2d, Gf.Vec3d, Gf.Vec4d)):
        return ", ".join(str(float(part)) for part in value)
    return str(value)


def written(stage: Any, scope: Sdf.Path, node: Any, made: dict[str, UsdShade.Shader]) -> UsdShade.Shader:
    """A node of a document, with all that stands before it, as shaders below a place of a stage."""
    if node.getName() in made:
        return made[node.getName()]
    shader = UsdShade.Shader.Define(stage, scope.AppendChild(Tf.MakeValidIdentifier(node.getName())))
    made[node.getName()] = shader
    definition = node.getNodeDef()
    shader.CreateIdAttr(definition.getName())
    for entry in node.getInputs():
        here = shader.CreateInput(entry.getName(), TYPES[entry.getType()])
        before = entry.getConnectedNode()
        if before is not None:
            through = entry.getConnectedOutput() if entry.getNodeGraphString() else entry
            output = through.getOutputString() or "out"
            behind = written(stage, scope, before, made)
            here.ConnectToSource(behind.ConnectableAPI(), output, UsdShade.AttributeType.Output, TYPES[before.getType()])
            continue
        here.Set(_value(entry))
        if entry.getColorSpace():
            here.GetAttr().SetColorSpace(entry.getColorSpace())
    return shader


def _value(entry: Any) -> Any:
    if entry.getType() == "filename":
        return Sdf.AssetPath(f"./{entry.getValueString()}")
    value = entry.getValue()
    return VECTORS[entry.getType()](*map(float, value)) if entry.getType() in VECTORS else value
