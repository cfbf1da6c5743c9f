"""Computes values texel by texel, a band of rows at a time, by the same rules as for constants."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from types import TracebackType
from typing import Any

import numpy as np

from fenrain.core.maps import flakes, places
from fenrain.core.maps.averaging import BandedMean
from fenrain.core.maps.caching import kept
from fenrain.core.maps.image import ImageInfo, channel_indices, decode, inspect, lacks_alpha, opened, resized, rows
from fenrain.core.models.registry import rule_of
from fenrain.core.optics.bump import normalised, widened_toksvig2005
from fenrain.core.steps import apply_steps
from fenrain.core.values import (
    IDENTITY,
    REPEATS,
    Averaging,
    Computed,
    Constant,
    Drawn,
    Image,
    Map,
    Placement,
    Resized,
    Stepped,
    Value,
    Wrap,
    is_drawn,
    maps_of,
    placements_in,
)

BAND_TEXELS = 1 << 20
"""About how many texels are held at once; keeps a 4K conversion within a few hundred MiB."""


@dataclass(frozen=True)
class Grid:
    """The texels that values are computed on: size, and the placement on the surface that they share."""

    width: int
    height: int
    placement: Placement = IDENTITY
    uv_set: int = 0

    def bands(self) -> Iterable[tuple[int, int]]:
        step = max(1, BAND_TEXELS // self.width)
        return ((begin, min(begin + step, self.height)) for begin in range(0, self.height, step))


def grid_of(values: Iterable[Value], largest: int = 0) -> Grid:
    """The largest map's size (at most `largest` on an edge, 0 for no limit; of a tile set, on an edge of a tile; never of what is drawn),
    and the placement if all maps share one, or else that of a tile set. Maps that repeat on that grid get texels enough for it; around
    maps that are placed once lies a black texel, which goes on."""
    known = list(values)
    leaves = [leaf for value in known for leaf in maps_of(value)]
    placements = placements_in(*known)
    repeats = len({replace(placement, wrap=REPEATS, smooth=True) for placement in placements}) > 1 and not any(
        leaf.image.tiles for leaf in leaves
    )
    sizes = [size for value in known for size in _sizes(value, repeats=repeats)]
    width, height = max((size[0] for size in sizes), default=1), max((size[1] for size in sizes), default=1)
    if any(is_drawn(value) for value in known):
        largest = 0
    largest *= max((max(leaf.image.columns, leaf.image.lines) for leaf in leaves), default=1)
    if largest and max(width, height) > largest:
        factor = largest / max(width, height)
        width, height = max(1, round(width * factor)), max(1, round(height * factor))
    tiled = dict.fromkeys(leaf.placement for leaf in leaves if leaf.image.tiles)
    shared = placements[0] if len(placements) == 1 else next(iter(tiled), None) or _common(placements)
    return Grid(width, height, _with_margin(shared, width, height), leaves[0].uv_set if leaves else 0)


def _common(placements: Sequence[Placement]) -> Placement:
    """Where values meet that lie in several ways: on the UV set as it is, going on as all of them do, else by repeating."""
    if not placements:
        return IDENTITY
    wrap = tuple(wraps[0] if len(set(wraps)) == 1 else Wrap.REPEAT for wraps in zip(*(one.wrap for one in placements), strict=True))
    assert len(wrap) == 2
    sizes = {one.size for one in placements}
    return Placement(wrap=wrap, smooth=any(one.smooth for one in placements), size=sizes.pop() if len(sizes) == 1 else (0.0, 0.0))


def _with_margin(placement: Placement, width: int, height: int) -> Placement:
    """The placement of so many texels of which the outermost ones are black, where the image is placed once: they go on instead."""
    if Wrap.BLACK not in placement.wrap:
        return placement
    (u, v), turn = placement.offset, placement.rotation
    margins = [1.0 / size if wrap is Wrap.BLACK else 0.0 for wrap, size in zip(placement.wrap, (width, height), strict=True)]
    across, down = (1.0 - 2.0 * margin for margin in margins)
    wrap = tuple(Wrap.CLAMP if one is Wrap.BLACK else one for one in placement.wrap)
    assert len(wrap) == 2
    if across == down or not turn:
        scale = placement.scale[0] * across, placement.scale[1] * down
        return replace(placement, offset=(margins[0] + across * u, margins[1] + down * v), scale=scale, wrap=wrap)
    # A turned image that is stretched by its margins would be sheared; the wider margin serves both axes.
    margin = max(margins)
    inner = 1.0 - 2.0 * margin
    scale = placement.scale[0] * inner, placement.scale[1] * inner
    return replace(placement, offset=(margin + inner * u, margin + inner * v), scale=scale, wrap=wrap)


FINEST_DETAIL = 2048
"""Texels on the edge of a map that is computed for the sake of a detail that repeats; a source of its own size may have more."""


def _sizes(value: Value, *, repeats: bool) -> Iterator[tuple[int, int]]:
    """Width and height of every map that a value is computed on. repeats: whether maps that repeat in the grid are to lose nothing."""
    if isinstance(value, Map):
        info, (across, down) = inspect(value.image), value.placement.scale
        margins = [2 * (wrap is Wrap.BLACK) for wrap in value.placement.wrap]
        yield info.width + margins[0], info.height + margins[1]
        if repeats:
            yield min(FINEST_DETAIL, round(info.width * abs(across))), min(FINEST_DETAIL, round(info.height * abs(down)))
    elif isinstance(value, Resized):
        yield value.width, value.height
    elif isinstance(value, Drawn):
        edge = PATTERNS[value.pattern].size_of(dict(value.numbers))
        yield edge, edge
    elif isinstance(value, Stepped):
        yield from _sizes(value.source, repeats=repeats)
    elif isinstance(value, Computed):
        for _, argument in value.inputs:
            yield from _sizes(argument, repeats=repeats)


PATTERNS = {"flakes": flakes, "places": places}
"""What can be drawn, by name: each has `size_of` and `picture_of`."""

LARGEST_TILED_EDGE = 4096


def untransformed(grid: Grid) -> Grid:
    """A grid that holds the tiles and the rotation itself, for what cannot place a map so."""
    if not grid.placement.moves:
        return grid
    repeats = [max(1, round(abs(scale))) for scale in grid.placement.scale]
    return replace(
        grid,
        width=min(grid.width * repeats[0], max(grid.width, LARGEST_TILED_EDGE)),
        height=min(grid.height * repeats[1], max(grid.height, LARGEST_TILED_EDGE)),
        placement=Placement(wrap=grid.placement.wrap, smooth=grid.placement.smooth, size=grid.placement.size),
    )


THUMBNAIL_EDGE = 48


def small_grid(values: Sequence[Value]) -> Grid:
    """A grid of at most 48 texels on an edge, for what can be said of maps without looking at every texel."""
    grid = grid_of(values)
    return replace(grid, width=min(grid.width, THUMBNAIL_EDGE), height=min(grid.height, THUMBNAIL_EDGE))


Results = dict[str, Any]


class _Recent:
    """What rules gave last over whole grids that fit in one band: a texture is looked through for its largest texel before it is written,
    and several textures come from one rule. most: bytes that are held."""

    def __init__(self, most: int) -> None:
        self._most, self._held = most, 0
        self._results: dict[Hashable, Results] = {}

    def given(self, key: Hashable, work_out: Callable[[], Results]) -> Results:
        if key in self._results:
            return self._results[key]
        made = work_out()
        for result in made.values():
            if isinstance(result, np.ndarray):
                result.flags.writeable = False
        self._held += _bytes_of(made)
        self._results[key] = made
        while self._held > self._most and self._results:
            self._held -= _bytes_of(self._results.pop(next(iter(self._results))))
        return made


def _bytes_of(results: Results) -> int:
    return sum(result.nbytes for result in results.values() if isinstance(result, np.ndarray))


_RECENT = _Recent(64 << 20)


@dataclass
class Texels:
    """Evaluates values on a grid. Use as a context; images are opened once and read forwards."""

    grid: Grid
    _open: dict[Image, tuple[Any, ImageInfo]] = field(default_factory=dict)
    _stack: ExitStack = field(default_factory=ExitStack)
    _band: tuple[int, int] = (0, 0)
    _memo: dict[Any, Any] = field(default_factory=dict)
    _whole: dict[Any, np.ndarray] = field(default_factory=dict)

    def __enter__(self) -> Texels:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._stack.close()

    def at(self, value: Value, begin: int, end: int) -> Any:
        """The value on rows begin…end: (rows, width, channels) float32, or for a constant what a rule takes."""
        if self._band != (begin, end):
            self._band, self._memo = (begin, end), {}
        if isinstance(value, Constant):
            return _argument(value)
        if isinstance(value, Map):
            return self._map(value, begin, end)
        if isinstance(value, Stepped):
            return self._stepped(value, begin, end)
        if isinstance(value, Resized):
            return self._resized(value, begin, end)
        if isinstance(value, Drawn):
            return self._drawn(value, begin, end)
        rule = rule_of(value.rule)
        key = (rule.function, value.inputs)
        if rule.whole:
            if key not in self._whole:
                self._whole[key] = self._computed(value, 0, self.grid.height)[value.output]
            return self._whole[key][begin:end]
        if key not in self._memo:
            once = end - begin == self.grid.height
            self._memo[key] = (
                _RECENT.given((self.grid, *key), lambda: self._computed(value, begin, end)) if once else self._computed(value, begin, end)
            )
        return self._memo[key][value.output]

    def full(self, value: Value, begin: int, end: int, channels: int) -> np.ndarray:
        """The same, spread to (rows, width, channels)."""
        return np.broadcast_to(self.at(value, begin, end), (end - begin, self.grid.width, channels))

    def _computed(self, value: Computed, begin: int, end: int) -> dict[str, Any]:
        arguments = {name: self.at(argument, begin, end) for name, argument in value.inputs}
        return {name: np.atleast_1d(result) for name, result in rule_of(value.rule).results(arguments).items()}

    def _stepped(self, value: Stepped, begin: int, end: int) -> np.ndarray:
        texels = np.asarray(self.at(value.source, begin, end))
        result = np.asarray(apply_steps(value.steps, texels), dtype=np.float32)
        kept = result if result.ndim == texels.ndim else result[..., None]
        return np.broadcast_to(kept, (*kept.shape[:-1], value.channels)) * np.asarray(value.factor, np.float32)

    def _resized(self, value: Resized, begin: int, end: int) -> np.ndarray:
        """Averaged where the grid is the value's own; on any other grid that is what the source is anyway."""
        if (self.grid.width, self.grid.height) != (value.width, value.height):
            return np.asarray(self.at(value.source, begin, end))
        if value not in self._whole:
            self._whole[value] = averaged(value)
        return self._whole[value][begin:end]

    def _drawn(self, value: Drawn, begin: int, end: int) -> np.ndarray:
        """The texel of the pattern at each place: nothing in between, since a flake is there or not."""
        picture = PATTERNS[value.pattern].picture_of(dict(value.numbers), value.picture)
        if not self.grid.placement.moves and len(picture) == self.grid.width == self.grid.height:
            return picture[begin:end]
        u, v = np.meshgrid((np.arange(self.grid.width) + 0.5) / self.grid.width, (np.arange(begin, end) + 0.5) / self.grid.height)
        u, v = untransformed_place(self.grid.placement, u, v)
        return picture[(v * len(picture)).astype(int) % len(picture), (u * len(picture)).astype(int) % len(picture)]

    def _map(self, value: Map, begin: int, end: int) -> np.ndarray:
        texels = self._sampled(value, begin, end)
        if value.encoding == "normal":
            return unpacked_normals(texels, float(np.max(value.scale)))
        if value.scale == 1.0 and value.bias == 0.0:
            return texels
        return texels * np.asarray(value.scale, np.float32) + np.asarray(value.bias, np.float32)

    def _sampled(self, value: Map, begin: int, end: int) -> np.ndarray:
        info = self._open[value.image][1] if value.image in self._open else inspect(value.image)
        if lacks_alpha(value.channels, info):
            return np.ones((end - begin, self.grid.width, 1), np.float32)
        indices = channel_indices(value.channels, info.channels)
        encoding = "linear" if value.channels == "a" or value.encoding == "normal" else value.encoding
        if value.placement != self.grid.placement:
            return self._placed(value, encoding, info, begin, end)[..., indices]
        if (info.width, info.height) != (self.grid.width, self.grid.height):
            return resized(value.image, encoding, self.grid.width, self.grid.height)[begin:end][..., indices]
        return decode(self._stored(value.image, begin, end)[..., indices], info.depth, encoding)

    def _stored(self, image: Image, begin: int, end: int) -> np.ndarray:
        key = ("stored", image, begin, end)
        if key not in self._memo:
            if image not in self._open:
                self._open[image] = self._stack.enter_context(opened(image))
            source, info = self._open[image]
            self._memo[key] = rows(source, info, begin, end, image.name)
        return self._memo[key]

    def _placed(self, value: Map, encoding: str, info: ImageInfo, begin: int, end: int) -> np.ndarray:
        """Samples of an image at the places that its own placement gives the grid's texels. Where it has more texels than the grid, they
        are averaged before."""
        own, shared = value.placement.scale, self.grid.placement.scale
        width = _fewer(info.width, self.grid.width, own[0], shared[0])
        height = _fewer(info.height, self.grid.height, own[1], shared[1])
        texels = resized(value.image, encoding, width, height)
        u, v = np.meshgrid((np.arange(self.grid.width) + 0.5) / self.grid.width, (np.arange(begin, end) + 0.5) / self.grid.height)
        x, y = transformed(value.placement, *untransformed_place(self.grid.placement, u, v))
        return sampled(texels, value.placement, x, y, outside=EVEN if value.encoding == "normal" else NOTHING)


def _fewer(texels: int, of_grid: int, scale: float, shared: float) -> int:
    """Texels along an edge of an image, as many as the grid can show of it, but none where that is nearly all."""
    shown = max(1, round(of_grid * abs(shared / scale))) if scale else texels
    return shown if shown * 3 < texels * 2 else texels


NOTHING, EVEN = np.zeros(1, np.float32), np.array([0.5, 0.5, 1.0, 1.0], np.float32)
"""Beyond an image that is placed once: of normals as they are stored, one that bends nothing."""


def sampled(texels: np.ndarray, placement: Placement, x: np.ndarray, y: np.ndarray, outside: np.ndarray = NOTHING) -> np.ndarray:
    """What texels (h, w, channels) show at places x, y of their image, 0…1 within it and beyond as the placement says: blended between
    four of them, or the nearest one. outside: stands beyond an image that is placed once."""
    height, width = texels.shape[:2]
    if not placement.smooth:
        return _texel(texels, placement.wrap, np.floor(x * width).astype(int), np.floor(y * height).astype(int), outside)
    x, y = x * width - 0.5, y * height - 0.5
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = (x - left)[..., None].astype(np.float32), (y - top)[..., None].astype(np.float32)
    corners = [_texel(texels, placement.wrap, left + right, top + down, outside) for down in (0, 1) for right in (0, 1)]
    return (corners[0] * (1 - fx) + corners[1] * fx) * (1 - fy) + (corners[2] * (1 - fx) + corners[3] * fx) * fy


def _texel(texels: np.ndarray, wrap: tuple[Wrap, Wrap], column: np.ndarray, line: np.ndarray, outside: np.ndarray) -> np.ndarray:
    height, width = texels.shape[:2]
    found = texels[wrapped(line, height, wrap[1]), wrapped(column, width, wrap[0])]
    for place, count, how in ((column, width, wrap[0]), (line, height, wrap[1])):
        if how is Wrap.BLACK:
            found = np.where(((place >= 0) & (place < count))[..., None], found, outside[: texels.shape[-1]])
    return found


def wrapped(place: np.ndarray, count: int, wrap: Wrap) -> np.ndarray:
    """Which of so many texels in a row shows at a place, counted from the first one on."""
    if wrap is Wrap.REPEAT:
        return place % count
    if wrap is Wrap.MIRROR:
        folded = place % (2 * count)
        return np.minimum(folded, 2 * count - 1 - folded)
    return np.clip(place, 0, count - 1)


def averaged(value: Resized) -> np.ndarray:
    """A resized value on its own grid, (height, width, channels) float32. The source is read once, a band at a time."""
    size = value.width, value.height
    if value.averaging is Averaging.MEAN:
        return _averaged(value.source, size)
    if value.averaging is Averaging.NORMALS:
        return normalised(_averaged(value.source, size))
    roughness = value.source
    widths = (
        np.full((value.height, value.width, 1), float(roughness.value) ** 4, np.float32)  # type: ignore[arg-type]
        if isinstance(roughness, Constant)
        else _averaged(roughness, size, lambda texels: np.square(np.square(texels)))
    )
    if value.widened_by is not None:
        widths = widened_toksvig2005(widths, _mean_lengths(value.widened_by, *size)).astype(np.float32)
    return np.sqrt(np.sqrt(widths))


@kept(256 << 20)
def _mean_lengths(normals: Value, width: int, height: int) -> np.ndarray:
    """Lengths 0…1 of averaged normals, (height, width, 1): what a roughness that is dragged over them needs again and again."""
    return np.minimum(np.linalg.norm(_averaged(normals, (width, height)), axis=-1, keepdims=True), 1.0)


def _averaged(value: Value, size: tuple[int, int], of: Callable[[np.ndarray], np.ndarray] = np.asarray) -> np.ndarray:
    """The mean of a function of the texels over each texel of a grid of this size."""
    grid = grid_of([value])
    mean = BandedMean(grid.width, grid.height, *size)
    with Texels(grid) as texels:
        for begin, end in grid.bands():
            given = np.asarray(texels.at(value, begin, end))
            mean.add(begin, end, of(np.broadcast_to(given, (end - begin, grid.width, given.shape[-1]))))
    return mean.result()


def transformed(placement: Placement, u: Any, v: Any) -> tuple[Any, Any]:
    """uv' = offset + R(rotation) · (scale · uv), v downwards as in images (KHR_texture_transform)."""
    su, sv = u * placement.scale[0], v * placement.scale[1]
    c, s = math.cos(placement.rotation), math.sin(placement.rotation)
    return placement.offset[0] + c * su + s * sv, placement.offset[1] - s * su + c * sv


def untransformed_place(placement: Placement, u: Any, v: Any) -> tuple[Any, Any]:
    """The place on the surface that a transform brings to (u, v) of a map."""
    if not placement.moves:
        return u, v
    c, s = math.cos(placement.rotation), math.sin(placement.rotation)
    u, v = u - placement.offset[0], v - placement.offset[1]
    return (c * u - s * v) / placement.scale[0], (s * u + c * v) / placement.scale[1]


def unpacked_normals(texels: np.ndarray, strength: float) -> np.ndarray:
    """Unit normals from a normal map's texels 0…1; strength scales the slopes (glTF 2.0 §3.9.3)."""
    return normalised((texels * 2.0 - 1.0) * np.array([strength, strength, 1.0], np.float32))


def _argument(value: Constant) -> Any:
    plain = value.value
    if isinstance(plain, (bool, str)) or (isinstance(plain, int) and not isinstance(plain, float)):
        return plain
    return np.atleast_1d(np.asarray(plain, dtype=np.float32))
