"""What a material's values are: constants, maps, values computed from maps, and the images that they read."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.errors import BrokenFileError, MissingFileError
from fenrain.core.steps import ValueStep

Plain = float | int | bool | str | tuple[float, ...]
"""A constant as the code holds it: a number, a flag, a choice or a colour (linear Rec.709)."""


FIRST_TILE, TILES_IN_A_ROW = 1001, 10
"""Of tile sets (UDIM, common practice): numbers count ten columns, then the next row up."""


def place_of_tile(number: int) -> tuple[int, int]:
    """Column and row, from the lower left, of the tile with this number.

    >>> place_of_tile(1012)
    (1, 1)
    """
    row, column = divmod(number - FIRST_TILE, TILES_IN_A_ROW)
    return column, row


@dataclass(frozen=True)
class Image:
    """An image file, a stretch of a container that holds one, or a set of tiles. Nothing is decoded before it is needed.

    tiles: (number, image) of each tile of a set, numbered 1001 + column + 10 · row from the lower left (UDIM); such a set is one image of
    all its tiles, laid beside one another from the first column and row on.
    """

    name: str
    path: Path | None = None
    offset: int = 0
    length: int | None = None
    data: bytes | None = field(default=None, repr=False)
    tiles: tuple[tuple[int, Image], ...] = ()

    @property
    def columns(self) -> int:
        return max((place_of_tile(number)[0] + 1 for number, _ in self.tiles), default=1)

    @property
    def lines(self) -> int:
        """Rows of tiles."""
        return max((place_of_tile(number)[1] + 1 for number, _ in self.tiles), default=1)

    def files(self) -> Iterator[Image]:
        """The image files: itself, or each of its tiles."""
        if not self.tiles:
            yield self
        for _, tile in self.tiles:
            yield from tile.files()

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
                remedy="Upload the map beside its material file.",
            ) from reason

    @cached_property
    def digest(self) -> str:
        """SHA-256 of the encoded bytes; of a set, of its tiles' numbers and digests."""
        if self.tiles:
            listed = "".join(f"{number} {tile.digest}\n" for number, tile in self.tiles)
            return hashlib.sha256(listed.encode()).hexdigest()
        return hashlib.sha256(self.read()).hexdigest()


class Wrap(StrEnum):
    """How an image goes on beyond its edges: again and again, mirrored each time, by its outermost texels, or not at all."""

    REPEAT = "repeat"
    MIRROR = "mirror"
    CLAMP = "clamp"
    BLACK = "black"


REPEATS = (Wrap.REPEAT, Wrap.REPEAT)


@dataclass(frozen=True)
class Placement:
    """How an image lies on the surface: uv' = offset + R(rotation) · (scale · uv), as KHR_texture_transform states it, v downwards, the
    rotation in radians. wrap: how it goes on along u and v; smooth: whether texels are blended, or the nearest one is seen; size: metres
    that it covers along u and v, whatever the UV set says, 0 where that holds: uv is then the place in widths and heights of it."""

    offset: tuple[float, float] = (0.0, 0.0)
    rotation: float = 0.0
    scale: tuple[float, float] = (1.0, 1.0)
    wrap: tuple[Wrap, Wrap] = REPEATS
    smooth: bool = True
    size: tuple[float, float] = (0.0, 0.0)

    @property
    def has_size(self) -> bool:
        return self.size != (0.0, 0.0)

    def repeats(self, spans: tuple[float, float]) -> tuple[float, float]:
        """How often it lies on a step of u and of v that are so many metres long; once where it has no size."""
        across, down = (span / size if size > 0.0 else 1.0 for span, size in zip(spans, self.size, strict=True))
        return across, down

    def on_spans(self, spans: tuple[float, float]) -> Placement:
        """The same by the UV set alone, on a surface whose steps of u and v are so many metres long."""
        across, down = self.repeats(spans)
        return replace(self, scale=(self.scale[0] * across, self.scale[1] * down), size=(0.0, 0.0))

    @property
    def moves(self) -> bool:
        """Whether the image lies otherwise than the UV set has it."""
        return (self.offset, self.rotation, self.scale) != ((0.0, 0.0), 0.0, (1.0, 1.0))


IDENTITY = Placement()


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
    placement: Placement = IDENTITY
    uv_set: int = 0


@dataclass(frozen=True)
class Stepped:
    """A map with steps on it, computed texel by texel: factor · steps(source), spread to so many channels."""

    source: Value
    steps: tuple[ValueStep, ...]
    factor: Plain
    channels: int


@dataclass(frozen=True)
class Computed:
    """A value that a rule gives from maps, computed texel by texel when it is needed.

    rule: id of the rule; output: which of its targets; inputs: the values it takes, by name.
    """

    rule: str
    output: str
    inputs: tuple[tuple[str, Value], ...]


class Averaging(StrEnum):
    """How texels become fewer: by their mean in linear light; as directions, of unit length again; as roughness, whose squared widths of
    lobes are averaged, since variances of slopes add up."""

    MEAN = "mean"
    NORMALS = "normals"
    ROUGHNESS = "roughness"


@dataclass(frozen=True)
class Resized:
    """A value on a grid of this size, each of its texels averaged over those of the source that it covers.

    widened_by: for roughness, the normals whose spread within each texel is lost when they are averaged, and widens the lobe instead.
    """

    source: Value
    width: int
    height: int
    averaging: Averaging = Averaging.MEAN
    widened_by: Value | None = None


@dataclass(frozen=True)
class Drawn:
    """A picture that code draws from numbers, on a square grid of its own, which covers the surface once and repeats. pattern: what is
    drawn; picture: which of those that it consists of; numbers: by name, what it is drawn from."""

    pattern: str
    picture: str
    numbers: tuple[tuple[str, float], ...]


Value = Constant | Map | Stepped | Computed | Resized | Drawn


def as_plain(array: np.ndarray) -> float | tuple[float, ...]:
    """A number or a colour as the code holds it.

    >>> as_plain(np.array([0.25, 0.5, 1.0]))
    (0.25, 0.5, 1.0)
    """
    return tuple(float(part) for part in array) if np.ndim(array) else float(array)


def leaves_of(value: Value) -> Iterator[Map | Drawn]:
    """The pictures a value is computed from, whether read or drawn, each as often as it is used."""
    if isinstance(value, (Map, Drawn)):
        yield value
    elif isinstance(value, Stepped):
        yield from leaves_of(value.source)
    elif isinstance(value, Resized):
        yield from leaves_of(value.source)
        if value.widened_by is not None:
            yield from leaves_of(value.widened_by)
    elif isinstance(value, Computed):
        for _, argument in value.inputs:
            yield from leaves_of(argument)


def maps_of(value: Value) -> Iterator[Map]:
    """The maps a value reads, each as often as it is read."""
    return (leaf for leaf in leaves_of(value) if isinstance(leaf, Map))


def is_drawn(value: Value) -> bool:
    """Whether anything in it is drawn by code."""
    return any(isinstance(leaf, Drawn) for leaf in leaves_of(value))


def with_maps(value: Value, change: Callable[[Map], Value]) -> Value:
    """The value with each map that it reads changed."""
    if isinstance(value, Map):
        return change(value)
    if isinstance(value, Stepped):
        return replace(value, source=with_maps(value.source, change))
    if isinstance(value, Resized):
        widened = None if value.widened_by is None else with_maps(value.widened_by, change)
        return replace(value, source=with_maps(value.source, change), widened_by=widened)
    if isinstance(value, Computed):
        return replace(value, inputs=tuple((name, with_maps(argument, change)) for name, argument in value.inputs))
    return value


def placements_in(*values: Value) -> list[Placement]:
    """How the pictures of some values lie, each way once."""
    leaves = (leaf for value in values for leaf in leaves_of(value))
    return list(dict.fromkeys(leaf.placement if isinstance(leaf, Map) else IDENTITY for leaf in leaves))


def placements_of(*values: Value) -> set[tuple[Placement, int]]:
    """How, and on which UV sets, the maps of some values lie."""
    return {(leaf.placement, leaf.uv_set) for value in values for leaf in maps_of(value)}


def images_of(value: Value) -> Iterator[Image]:
    """The image files a value reads, each as often as it is read."""
    return (file for leaf in maps_of(value) for file in leaf.image.files())


def over_tiles(image: Image, placement: Placement) -> Placement:
    """How the whole of a tile set lies on the surface, where each of its tiles covers a whole step of the placed u and v. A rotation stands
    about each tile's own corner and is left out where there are several."""
    if not image.tiles:
        return placement
    columns, lines = image.columns, image.lines
    (u, v), (scale_u, scale_v) = placement.offset, placement.scale
    return Placement((u / columns, (v + lines - 1) / lines), 0.0, (scale_u / columns, scale_v / lines))


def of_one_tile(placement: Placement, image: Image) -> Placement:
    """The opposite of `over_tiles`: how its tiles are placed."""
    columns, lines = image.columns, image.lines
    (u, v), (scale_u, scale_v) = placement.offset, placement.scale
    return Placement((u * columns, v * lines - lines + 1), 0.0, (scale_u * columns, scale_v * lines))


def tiling_of(value: Value) -> tuple[int, int]:
    """Columns and rows of the tile sets that a value reads; (1, 1) for none."""
    found = [leaf.image for leaf in maps_of(value)]
    return max((image.columns for image in found), default=1), max((image.lines for image in found), default=1)


def tile_of(value: Value, number: int) -> Value:
    """The value on one tile of its sets: each map in place of its set the tile of this number, black where there is none."""
    if isinstance(value, Map):
        return _map_on_tile(value, number) if value.image.tiles else value
    if isinstance(value, Stepped):
        return replace(value, source=tile_of(value.source, number))
    if isinstance(value, Resized):
        columns, lines = tiling_of(value)
        widened = None if value.widened_by is None else tile_of(value.widened_by, number)
        return replace(
            value, source=tile_of(value.source, number), width=value.width // columns, height=value.height // lines, widened_by=widened
        )
    if isinstance(value, Computed):
        return replace(value, inputs=tuple((name, tile_of(argument, number)) for name, argument in value.inputs))
    return value


def _map_on_tile(value: Map, number: int) -> Value:
    tile = dict(value.image.tiles).get(number)
    if tile is not None:
        return replace(value, image=tile, placement=of_one_tile(value.placement, value.image))
    if value.encoding == "normal":
        return Constant((0.0, 0.0, 1.0))
    return Constant(value.bias if len(value.channels) == 1 or isinstance(value.bias, tuple) else (value.bias,) * 3)


def value_to_document(value: Value) -> dict[str, Any]:
    """A value as JSON can hold it; images by digest and name."""
    if isinstance(value, Constant):
        return {"constant": _listed(value.value)}
    if isinstance(value, Map):
        return {
            "map": {
                "image": value.image.digest,
                "name": value.image.name,
                **({"tiles": _tiles_to_document(value.image)} if value.image.tiles else {}),
                "channels": value.channels,
                "encoding": value.encoding,
                "scale": _listed(value.scale),
                "bias": _listed(value.bias),
                "uv_set": value.uv_set,
                "transform": [*value.placement.offset, value.placement.rotation, *value.placement.scale],
                **({"wrap": list(value.placement.wrap)} if value.placement.wrap != REPEATS else {}),
                **({} if value.placement.smooth else {"smooth": False}),
                **({"size": list(value.placement.size)} if value.placement.has_size else {}),
            }
        }
    if isinstance(value, Stepped):
        return {
            "stepped": {
                "source": value_to_document(value.source),
                "steps": [step.model_dump() for step in value.steps],
                "factor": _listed(value.factor),
                "channels": value.channels,
            }
        }
    if isinstance(value, Resized):
        return {
            "resized": {
                "source": value_to_document(value.source),
                "size": [value.width, value.height],
                "averaging": str(value.averaging),
                "widened_by": None if value.widened_by is None else value_to_document(value.widened_by),
            }
        }
    if isinstance(value, Drawn):
        return {"drawn": {"pattern": value.pattern, "picture": value.picture, "numbers": dict(value.numbers)}}
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
        across, down = (Wrap(one) for one in stored.get("wrap", REPEATS))
        width, height = stored.get("size", (0.0, 0.0))
        tiles = tuple((number, open_image(tile["image"], tile["name"])) for number, tile in stored.get("tiles", ()))
        return Map(
            Image(stored["name"], tiles=tiles) if tiles else open_image(stored["image"], stored["name"]),
            stored["channels"],
            stored["encoding"],
            _tupled(stored["scale"]),
            _tupled(stored["bias"]),
            Placement((u, v), rotation, (scale_u, scale_v), (across, down), stored.get("smooth", True), (width, height)),
            stored["uv_set"],
        )
    if "stepped" in document:
        stored = document["stepped"]
        source = value_from_document(stored["source"], open_image)
        steps = tuple(ValueStep.model_validate(step) for step in stored["steps"])
        return Stepped(source, steps, _tupled(stored["factor"]), stored["channels"])
    if "resized" in document:
        stored = document["resized"]
        widening = stored["widened_by"]
        width, height = stored["size"]
        return Resized(
            value_from_document(stored["source"], open_image),
            width,
            height,
            Averaging(stored["averaging"]),
            None if widening is None else value_from_document(widening, open_image),
        )
    if "drawn" in document:
        stored = document["drawn"]
        return Drawn(stored["pattern"], stored["picture"], tuple(stored["numbers"].items()))
    if "computed" in document:
        stored = document["computed"]
        inputs = tuple((name, value_from_document(argument, open_image)) for name, argument in stored["inputs"].items())
        return Computed(stored["rule"], stored["output"], inputs)
    raise BrokenFileError("A stored value is of no kind that is known.")


def _tiles_to_document(image: Image) -> list[Any]:
    return [[number, {"image": tile.digest, "name": tile.name}] for number, tile in image.tiles]


def _listed(value: Plain | tuple[float, ...]) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _tupled(value: Any) -> Any:
    return tuple(value) if isinstance(value, list) else value
