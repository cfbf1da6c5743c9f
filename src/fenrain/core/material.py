"""What everything passes around: a material, its values, and the images that they point to."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cache, cached_property
from pathlib import Path
from typing import Any

from fenrain.core.errors import BrokenFileError, MissingFileError

Plain = float | int | bool | str | tuple[float, ...]
"""A constant as the code holds it: a number, a flag, a choice or a colour (linear Rec.709)."""


PART_PREFIXES = ("first_", "second_")
"""How the values of a mix's two parts are told apart."""


@dataclass(frozen=True)
class Image:
    """An image file, or a stretch of a container that holds one. Nothing is decoded before it is needed."""

    name: str
    path: Path | None = None
    offset: int = 0
    length: int | None = None
    data: bytes | None = field(default=None, repr=False)

    def read(self) -> bytes:
        """The encoded bytes. Raises MissingFileError where the file is gone."""
        if self.data is not None:
            return self.data
        assert self.path is not None
        try:
            with self.path.open("rb") as stream:
                stream.seek(self.offset)
                return stream.read(-1 if self.length is None else self.length)
        except OSError as reason:
            raise MissingFileError(
                f"The map “{self.name}” cannot be read ({reason.strerror}).",
                place=self.name,
                remedy="Hand in the map beside its material file.",
            ) from reason

    @cached_property
    def digest(self) -> str:
        """SHA-256 of the encoded bytes."""
        return hashlib.sha256(self.read()).hexdigest()


@dataclass(frozen=True)
class UvTransform:
    """uv' = offset + R(rotation) · (scale · uv), as KHR_texture_transform states it; rotation in radians."""

    offset: tuple[float, float] = (0.0, 0.0)
    rotation: float = 0.0
    scale: tuple[float, float] = (1.0, 1.0)


IDENTITY = UvTransform()


@dataclass(frozen=True)
class Constant:
    """One value for the whole surface."""

    value: Plain


@dataclass(frozen=True)
class Map:
    """A value read from an image: bias + scale · decode(channels of the image)."""

    image: Image
    channels: str
    encoding: str = "linear"
    scale: float | tuple[float, ...] = 1.0
    bias: float | tuple[float, ...] = 0.0
    transform: UvTransform = IDENTITY
    uv_set: int = 0


@dataclass(frozen=True)
class Computed:
    """A value that a rule gives from maps, worked out texel by texel when it is needed.

    rule: id of the rule; output: which of its targets; inputs: its arguments by name.
    """

    rule: str
    output: str
    inputs: tuple[tuple[str, Value], ...]


Value = Constant | Map | Computed


@dataclass(frozen=True)
class Geometry:
    """What a material asks of the surface that carries it, and where it is used."""

    double_sided: bool = False
    meshes: tuple[str, ...] = ()
    uv_sets: tuple[int, ...] = ()


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

    parts: the two materials of a mix, of any models; none of all else.
    """

    name: str
    model: str
    values: Mapping[str, Value] = field(default_factory=dict)
    geometry: Geometry = Geometry()
    source: Source = Source()
    findings: tuple[Any, ...] = ()
    parts: tuple[Material, ...] = ()

    @staticmethod
    def of(name: str, model: str, parameters: Mapping[str, Any], parts: tuple[Material, ...] = ()) -> Material:
        """Build one by hand from plain numbers, colours, flags, or values. Raises ParameterError."""
        from fenrain.core.models import model_of

        declared = model_of(model)
        values = {
            key: value if isinstance(value, (Constant, Map, Computed)) else Constant(declared.parameter(key).accept(value))
            for key, value in parameters.items()
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
        return _default(self.model, name) if found is None else found

    def having(self, **values: Value) -> Material:
        """A copy with these values."""
        return replace(self, values={**self.values, **values})

    @cached_property
    def digest(self) -> str:
        """SHA-256 of model, values, images and flags; not of the name or the source file."""
        document = material_to_document(self)
        for incidental in ("name", "source", "findings"):
            document.pop(incidental)
        document["geometry"] = {"double_sided": self.geometry.double_sided}
        if self.parts:
            document["parts"] = [part.digest for part in self.parts]
        return hashlib.sha256(json.dumps(_without_names(document), sort_keys=True).encode()).hexdigest()

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
    from fenrain.core.models import model_of

    return Constant(model_of(model_id).parameter(name).default)


def images_of(value: Value) -> Iterator[Image]:
    """The images a value reads, each as often as it is read."""
    if isinstance(value, Map):
        yield value.image
    elif isinstance(value, Computed):
        for _, argument in value.inputs:
            yield from images_of(argument)


def maps_of(value: Value) -> Iterator[Map]:
    """The maps a value reads."""
    if isinstance(value, Map):
        yield value
    elif isinstance(value, Computed):
        for _, argument in value.inputs:
            yield from maps_of(argument)


def value_to_document(value: Value) -> dict[str, Any]:
    """A value as JSON can hold it; images by digest and name."""
    if isinstance(value, Constant):
        return {"constant": list(value.value) if isinstance(value.value, tuple) else value.value}
    if isinstance(value, Map):
        return {
            "map": {
                "image": value.image.digest,
                "name": value.image.name,
                "channels": value.channels,
                "encoding": value.encoding,
                "scale": _listed(value.scale),
                "bias": _listed(value.bias),
                "uv_set": value.uv_set,
                "transform": [*value.transform.offset, value.transform.rotation, *value.transform.scale],
            }
        }
    return {
        "computed": {
            "rule": value.rule,
            "output": value.output,
            "inputs": {name: value_to_document(argument) for name, argument in value.inputs},
        }
    }


def value_from_document(document: Mapping[str, Any], open_image: Callable[[str, str], Image]) -> Value:
    """The value that `value_to_document` wrote; `open_image` finds an image by digest and name."""
    if "constant" in document:
        return Constant(_tupled(document["constant"]))
    if "map" in document:
        stored = document["map"]
        u, v, rotation, scale_u, scale_v = stored["transform"]
        return Map(
            open_image(stored["image"], stored["name"]),
            stored["channels"],
            stored["encoding"],
            _tupled(stored["scale"]),
            _tupled(stored["bias"]),
            UvTransform((u, v), rotation, (scale_u, scale_v)),
            stored["uv_set"],
        )
    if "computed" in document:
        stored = document["computed"]
        inputs = tuple((name, value_from_document(argument, open_image)) for name, argument in stored["inputs"].items())
        return Computed(stored["rule"], stored["output"], inputs)
    raise BrokenFileError("A stored value is neither a constant, a map nor computed.")


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


def material_from_document(document: Mapping[str, Any], open_image: Callable[[str, str], Image]) -> Material:
    """The material that `material_to_document` wrote."""
    from fenrain.core.findings import Finding

    geometry, source = document["geometry"], document["source"]
    return Material(
        document["name"],
        document["model"],
        {name: value_from_document(value, open_image) for name, value in document["values"].items()},
        Geometry(geometry["double_sided"], tuple(geometry["meshes"]), tuple(geometry["uv_sets"])),
        Source(source["file"], source["format"], source["index"], source["place"]),
        tuple(Finding.from_document(finding) for finding in document["findings"]),
        tuple(material_from_document(part, open_image) for part in document.get("parts", ())),
    )


def _listed(value: float | tuple[float, ...]) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _tupled(value: Any) -> Any:
    return tuple(value) if isinstance(value, list) else value


def _without_names(node: Any) -> Any:
    """The document without the file names of images, so that a digest depends on content only."""
    if isinstance(node, dict):
        named = "image" in node and "name" in node
        return {key: _without_names(child) for key, child in node.items() if not (named and key == "name")}
    return [_without_names(child) for child in node] if isinstance(node, list) else node
