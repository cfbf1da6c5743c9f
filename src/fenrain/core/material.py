"""What everything passes around: a material, where it was read, and what it asks of the surface that carries it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cache, cached_property
from typing import Any

from fenrain.core.findings import Finding
from fenrain.core.models.parameter import Parameter, Role
from fenrain.core.models.registry import Model, model_of
from fenrain.core.projections import Projection, ProjectionKind
from fenrain.core.values import (
    Constant,
    Image,
    Plain,
    Value,
    images_of,
    value_from_document,
    value_to_document,
)


@dataclass(frozen=True)
class Geometry:
    """What a material asks of the surface that carries it, and where it is used. unit: metres of the asset's unit of length, 0 where its
    file states none; depth: how far light goes through the bodies that carry it on average, in that unit, 0 where nobody knows;
    projection: how meshes without texture coordinates get some, None where nobody said; spans: metres of a step of u and of v on the
    meshes that carry it, 0 where nobody knows."""

    double_sided: bool = False
    meshes: tuple[str, ...] = ()
    uv_sets: tuple[int, ...] = ()
    unit: float = 0.0
    depth: float = 0.0
    projection: Projection | None = None
    spans: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Source:
    """Where a material was read."""

    file: str = ""
    format: str = ""
    index: int = 0
    place: str = ""


@dataclass(frozen=True)
class Material:
    """A named set of values for one shading model. Values that are not set are at the model's default.

    parts: the two materials of a mix, of any models; none of all else. merged_into: name of the one that stands for it in a file whose
    meshes can share one.
    """

    name: str
    model: str
    values: Mapping[str, Value] = field(default_factory=dict)
    geometry: Geometry = Geometry()
    source: Source = Source()
    findings: tuple[Finding, ...] = ()
    parts: tuple[Material, ...] = ()
    merged_into: str = ""

    @staticmethod
    def of(name: str, model: str, parameters: Mapping[str, Any], parts: tuple[Material, ...] = ()) -> Material:
        """Build one by hand from plain numbers, colours, flags, or values. Raises ParameterError."""
        declared = model_of(model)
        values = {
            key: value if isinstance(value, Value) else Constant(declared.parameter(key).accept(value)) for key, value in parameters.items()
        }
        for key in values:
            declared.parameter(key)
        return Material(name, model, values, parts=parts)

    def parameters(self) -> dict[str, Plain]:
        """The constants that are set, by name."""
        return {name: value.value for name, value in self.values.items() if isinstance(value, Constant)}

    def value(self, name: str) -> Value:
        """The value, or the model's default."""
        found = self.values.get(name)
        if found is not None:
            return found
        model = model_of(self.model)
        return _default(self.model, name) if model.parameter(name).turned_by is None else Constant(model.defaults(self.values)[name])

    def accepting_unread(self, accepted: bool = True) -> Material:
        """A copy of which somebody says that what was not read of its source does not matter, or that it does."""
        findings = tuple(replace(finding, accepted=accepted) if finding.unread else finding for finding in self.findings)
        return replace(self, findings=findings, parts=tuple(part.accepting_unread(accepted) for part in self.parts))

    def having(self, **values: Value) -> Material:
        """A copy with these values."""
        return replace(self, values={**self.values, **values})

    @cached_property
    def digest(self) -> str:
        """SHA-256 of model, values, images and flags, and of the unit that lengths count in; not of the name or the source file."""
        document = material_to_document(self)
        for incidental in ("name", "source", "findings"):
            document.pop(incidental)
        counts = self.geometry.unit != 0.0 and _has_lengths(self)
        document["geometry"] = {"double_sided": self.geometry.double_sided, **({"unit": self.geometry.unit} if counts else {})}
        if self.parts:
            document["parts"] = [part.digest for part in self.parts]
        return hashlib.sha256(json.dumps(_without_names(document), sort_keys=True).encode()).hexdigest()

    @property
    def lacks_coordinates(self) -> bool:
        """Whether the meshes that carry it have no texture coordinates, as far as its file says which those are."""
        return bool(self.geometry.meshes) and 0 not in self.geometry.uv_sets

    def images(self) -> dict[str, Image]:
        """Every image that a value reads, by digest."""
        return {image.digest: image for value in self.all_values() for image in images_of(value)}

    def all_values(self) -> Iterator[Value]:
        """The values that are set, those of its parts with them."""
        yield from self.values.values()
        for part in self.parts:
            yield from part.all_values()


@cache
def _default(model_id: str, name: str) -> Constant:
    return Constant(model_of(model_id).parameter(name).default)


def is_at_default(material: Material, model: Model, name: str) -> bool:
    """Whether a value is not set, or set to the model's default."""
    value = material.values.get(name)
    if not isinstance(value, Constant):
        return value is None
    return Parameter.are_same(value.value, model.defaults(material.values)[model.parameter(name).name])


def _has_lengths(material: Material) -> bool:
    """Whether it has an effect that depends on the unit of length."""
    model = model_of(material.model)
    lengths = (parameter.name for parameter in model.parameters if parameter.length or parameter.name in LEFT_AFTER_ONE)
    return any(not is_idle(material, model, name) for name in lengths) or any(map(_has_lengths, material.parts))


LEFT_AFTER_ONE = ("transmittance",)
"""Colours that are left of light after one unit of length: after another one their power (Beer–Lambert)."""


SIZES_OF_MAPS = (Role.TILE_WIDTH, Role.TILE_HEIGHT)


def matters(material: Material, model: Model, name: str) -> bool:
    """Whether a value is set, differs from the model's default, and the effect that it belongs to is there at all."""
    return not is_at_default(material, model, name) and not is_idle(material, model, name)


def is_idle(material: Material, model: Model, name: str) -> bool:
    """Whether another value takes the effect of this one away, or of one that governs it."""
    parameter = model.parameter(name)
    if parameter.role in SIZES_OF_MAPS and all(isinstance(value, Constant) for value in material.values.values()):
        return True
    if parameter.idle_at is not None:
        other, at = parameter.idle_at
        value = material.value(other)
        if isinstance(value, Constant) and Parameter.are_same(value.value, at):
            return True
    governing = parameter.under
    if not governing:
        return False
    value = material.value(governing)
    without = isinstance(value, Constant) and model.parameter(governing).is_without_effect(value.value)
    return without or is_idle(material, model, governing)


def unit_of(materials: Iterable[Material]) -> float:
    """Metres of the unit of length of the asset that materials belong to; 1 where nobody stated it (common practice: metres)."""
    return next((material.geometry.unit for material in materials if material.geometry.unit), 1.0)


def material_to_document(material: Material) -> dict[str, Any]:
    """A material as JSON can hold it."""
    return {
        "name": material.name,
        "model": material.model,
        "values": {name: value_to_document(value) for name, value in sorted(material.values.items())},
        "geometry": {
            "double_sided": material.geometry.double_sided,
            "meshes": list(material.geometry.meshes),
            "uv_sets": list(material.geometry.uv_sets),
            "unit": material.geometry.unit,
            "depth": material.geometry.depth,
            **_projection_to_document(material.geometry.projection),
            **({"spans": list(material.geometry.spans)} if material.geometry.spans != (0.0, 0.0) else {}),
        },
        "source": {
            "file": material.source.file,
            "format": material.source.format,
            "index": material.source.index,
            "place": material.source.place,
        },
        "findings": [finding.to_document() for finding in material.findings],
        **({"parts": [material_to_document(part) for part in material.parts]} if material.parts else {}),
    }


def _projection_to_document(projection: Projection | None) -> dict[str, Any]:
    return {} if projection is None else {"projection": {"kind": str(projection.kind), "size": projection.size}}


def geometry_from_document(document: Mapping[str, Any]) -> Geometry:
    projection = document.get("projection")
    along_u, along_v = document.get("spans", (0.0, 0.0))
    return Geometry(
        document["double_sided"],
        tuple(document["meshes"]),
        tuple(document["uv_sets"]),
        document.get("unit", 0.0),
        document.get("depth", 0.0),
        None if projection is None else Projection(ProjectionKind(projection["kind"]), projection["size"]),
        (along_u, along_v),
    )


def material_from_document(document: Mapping[str, Any], open_image: Callable[[str, str], Image]) -> Material:
    """The material that `material_to_document` wrote."""
    source = document["source"]
    return Material(
        document["name"],
        document["model"],
        {name: value_from_document(value, open_image) for name, value in document["values"].items()},
        geometry_from_document(document["geometry"]),
        Source(source["file"], source["format"], source["index"], source["place"]),
        tuple(Finding.from_document(finding) for finding in document["findings"]),
        tuple(material_from_document(part, open_image) for part in document.get("parts", ())),
    )


def _without_names(node: Any) -> Any:
    """The document without the file names of images, so that a digest depends on content only."""
    if isinstance(node, dict):
        named = "image" in node and "name" in node
        return {key: _without_names(child) for key, child in node.items() if not (named and key == "name")}
    return [_without_names(child) for child in node] if isinstance(node, list) else node
