"""Pictures of looks as arrays, one or a pair by the same light paths. Import it only in a process that may render (see `probe`)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from fenrain.core.material import Material
from fenrain.core.rendering.body import Body, chances
from fenrain.core.rendering.displaced import stages
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.paths import Views, plan_for, radiance, views
from fenrain.core.rendering.random_numbers import Numbers, means
from fenrain.core.rendering.stage import Light, Stage, View, coverage, light_of, map_edge, stage_of
from fenrain.core.rendering.stands.registry import Spans, spans_of, stand_of
from fenrain.core.surfaces import mean_surface

SAMPLE_COUNTS = (4, 16)
"""Samples per pixel that one pass may take: powers of four, which stratified numbers fill without a rest."""
MOST_LANES, MOST_SCATTERING_LANES = 1 << 17, 1 << 14
"""Paths walked at once, and where they scatter in a body; more are walked in turns, between which others may be asked for."""
Between = Callable[[], None]
"""Called between two turns; what it raises ends the picture."""


def _go_on() -> None:
    return None


def _spans(material: Material, view: View) -> Spans:
    return spans_of(view.stand, material.geometry.unit)


def render(material: Material, view: View, samples: int, seed: int) -> np.ndarray:
    """The material by its own model's equations, (size, size, 3) float32, linear Rec.709, display white at 1.

    samples: per pixel, of `SAMPLE_COUNTS`. The same arguments give the same picture bit for bit on one machine.
    """
    body = Body(material, map_edge(view.size), view.aspects, spans=_spans(material, view))
    return _Shot(view, [body], stages([material], view.stand, view.size)).taken([body], (view.rig,), samples, seed)[0][0, 0]


class PairShot:
    """Two looks taken by the same light paths, as often as is asked. view: its rig is the one that is meant where none is named."""

    def __init__(self, original: Material, converted: Material, view: View, others: Others = ()) -> None:
        """others: pairs of further materials that lie on the stand, by the names of the originals."""
        self._materials, dressed = (original, converted), _dressed(view.stand, others)
        self._dressed = tuple(first.name for first, _ in dressed)
        pairs = [_bodies(*pair, map_edge(view.size), (), _spans(pair[0], view), shallow=True) for pair in dressed]
        self._crowds = [list(side) for side in zip(*pairs, strict=True)] if pairs else [None, None]
        self._bodies = _bodies(original, converted, map_edge(view.size), view.aspects, _spans(original, view))
        self._stages = self._at(view.size, view.stand)
        self._rig, self._shot = view.rig, _Shot(view, self._bodies, self._stages, self._crowds)
        self.plan = self._shot.plan
        self._view = view
        same = self._stages[0] is self._stages[1]
        self.may_share = same and not (self.plan.straight or self.plan.scatters or dressed)

    def coverage(self, size: int) -> np.ndarray:
        """Where either body is seen at the middle of a pixel, (size, size) bool."""
        first, second = (stage.coverage for stage in self._at(size, self._view.stand))
        return first | second

    def _at(self, size: int, stand: str) -> list[Stage]:
        return stages(self._materials, stand, size, self._dressed)

    def taken(self, samples: int, seed: int, *, shared: bool = False, between: Between = _go_on) -> tuple[np.ndarray, np.ndarray]:
        """Original and converted, (size, size, 3) float32; another seed, other numbers, the same ones on both sides. shared: both ride
        on one path, where `may_share`."""
        first, second = self.taken_at_once((self._rig,), 1, samples, seed, shared=shared, between=between)
        return first[0, 0], second[0, 0]

    def taken_at_once(
        self, rigs: Sequence[str], times: int, samples: int, seed: int, *, shared: bool = False, between: Between = _go_on
    ) -> tuple[np.ndarray, np.ndarray]:
        """Original and converted under several rigs by so many seeds one after the other, each (rigs, times, size, size, 3): for little
        more than the time of one where pictures are small."""
        how = tuple(rigs), samples, seed, between, times
        if shared:
            first, second = self._shot.taken(self._bodies, *how)
        else:
            sides = zip(self._bodies, self._stages, self._crowds, strict=True)
            first, second = (self._shot.taken([body], *how, stage=stage, crowd=crowd)[0] for body, stage, crowd in sides)
        return first, second


Others = Sequence[tuple[Material, Material]]


def _dressed(stand: str, others: Others) -> list[tuple[Material, Material]]:
    """Those of the others that lie on the stand."""
    names = {prop.mesh.material for prop in stand_of(stand).props()}
    return [pair for pair in others if pair[0].name in names]


_KEPT: dict[tuple[Any, ...], list[Body]] = {}
_AROUND: dict[tuple[Any, ...], list[Body]] = {}
MOST_KEPT, MOST_AROUND = 4, 24
"""Pairs whose values stay on the engine's side, so that another rig or stand does not load them again; and of those around a look."""


def _bodies(
    original: Material, converted: Material, edge: int, aspects: tuple[str, ...], spans: Spans, *, shallow: bool = False
) -> list[Body]:
    key = (original.digest, converted.digest, edge, aspects, spans)
    kept, most = (_AROUND, MOST_AROUND) if shallow else (_KEPT, MOST_KEPT)
    if key not in kept:
        surfaces = [mean_surface(material) for material in (original, converted)]
        if aspects:
            surfaces = [surface.only(aspects) for surface in surfaces]
        table = chances(*surfaces)
        while len(kept) >= most:
            del kept[next(iter(kept))]
        kept[key] = [Body(material, edge, aspects, table, spans, shallow=shallow) for material in (original, converted)]
    return kept[key]


class _Shot:
    """A view under any rig, and the pixels of it that have to be traced."""

    def __init__(
        self, view: View, bodies: Sequence[Body], stages: Sequence[Stage], crowds: Sequence[Sequence[Body] | None] = (None,)
    ) -> None:
        self.view, self.stage = view, stages[0]
        moved = any(stage.is_moved for stage in stages)
        every = [*bodies, *(body for crowd in crowds for body in crowd or ())]
        self.plan = plan = plan_for(*every, props=self.stage.props is not None, moved=moved)
        whole = view.size * view.size
        self.pixels = np.arange(whole) if plan.lit else np.flatnonzero(_near(view.stand, view.size))
        self._depth = dr.opaque(mi.UInt32, plan.depth)

    def taken(
        self,
        bodies: Sequence[Body],
        rigs: tuple[str, ...],
        samples: int,
        seed: int,
        between: Between = _go_on,
        times: int = 1,
        stage: Stage | None = None,
        crowd: Sequence[Body] | None = None,
    ) -> list[np.ndarray]:
        """For each body so many pictures under each rig, (rigs, times, size, size, 3). stage: in place of the first look's; crowd: of
        the other bodies on it."""
        assert samples in SAMPLE_COUNTS
        size, stand, turn = self.view.size, self.view.stand, self.view.turn
        light = light_of(rigs, stand, turn, with_ground=not self.plan.lit)
        start = np.zeros((len(rigs), 1, size * size, 3), np.float32)
        if not self.plan.lit:
            start[:, 0] = [_backdrop(rig, stand, turn, size) for rig in rigs]
        pictures = [np.repeat(start, times, axis=1) for _ in bodies]
        step = (MOST_SCATTERING_LANES if self.plan.scatters else MOST_LANES) // (samples * times * len(rigs))
        for begin in range(0, len(self.pixels), step):
            between()
            pixels = self.pixels[begin : begin + step]
            traced = self._traced(stage or self.stage, bodies, crowd, light, len(rigs), pixels, samples, seed, times)
            for picture, found in zip(pictures, traced, strict=True):
                picture[:, :, pixels] = found.reshape(len(rigs), times, len(pixels), 3)
        return [picture.reshape(len(rigs), times, size, size, 3) for picture in pictures]

    def _traced(
        self,
        stage: Stage,
        bodies: Sequence[Body],
        crowd: Sequence[Body] | None,
        light: Light,
        rigs: int,
        pixels: np.ndarray,
        samples: int,
        seed: int,
        times: int,
    ) -> list[np.ndarray]:
        """For each body the light of the pixels, under one rig after the other, over and over by the numbers of seeds one after the other,
        (rigs · times · pixels, 3)."""
        begun = self._begun(stage, light, rigs, pixels, samples, seed, times)
        return means(radiance(stage, light, begun, bodies, self.plan, self._depth, crowd), samples)

    def _begun(self, stage: Stage, light: Light, rigs: int, pixels: np.ndarray, samples: int, seed: int, times: int) -> Views:
        """Every picture of a size begins with the same views: the last are kept."""
        key = light, stage, rigs, int(pixels[0]), len(pixels), samples, seed, times
        if key in _BEGUN:
            return _BEGUN[key]
        count, of_picture = dr.opaque(mi.UInt32, samples), dr.opaque(mi.UInt32, len(pixels))
        lane = dr.arange(mi.UInt32, len(pixels) * rigs * times * samples)
        place = lane // count
        picture, of_rig = place // of_picture, dr.opaque(mi.UInt32, times)
        pixel = dr.gather(mi.UInt32, mi.UInt32(pixels.astype(np.uint32)), place % of_picture)
        numbers = Numbers.for_sample(pixel, lane % count, samples, dr.opaque(mi.UInt32, seed) + picture % of_rig)
        begun = views(stage, light, picture // of_rig, pixel, numbers)
        dr.eval(begun)
        _BEGUN[key] = begun
        while sum(map(_lanes, _BEGUN.values())) > MOST_BEGUN and len(_BEGUN) > 1:
            del _BEGUN[next(iter(_BEGUN))]
        return begun


_BEGUN: dict[tuple[Any, ...], Views] = {}
MOST_BEGUN = 1 << 19
"""Lanes whose beginnings are kept, about a hundred bytes each."""


def _lanes(begun: Views) -> int:
    return int(dr.width(begun.on_body))


@lru_cache(maxsize=64)
def _near(stand: str, size: int) -> np.ndarray:
    """Pixels that see the body, and those beside them: (size²) bool."""
    seen = coverage(stand, size)
    grown = seen.copy()
    for axis in (0, 1):
        for step in (-1, 1):
            grown |= np.roll(seen, step, axis)
    return grown.ravel()


@lru_cache(maxsize=24)
def _backdrop(rig: str, stand: str, turn: float, size: int) -> np.ndarray:
    """Ground and sky around the body, (size², 3)."""
    stage, light, alone = stage_of(stand, size), light_of((rig,), stand, turn, with_ground=True), mi.UInt32(0)
    assert light.ground is not None
    samples, whole = 16, size * size
    lane = dr.arange(mi.UInt32, whole * samples)
    ray = stage.rays(lane // samples, Numbers.for_sample(lane // samples, lane % samples, samples, mi.UInt32(5)).next_2d())
    down = stage.ground_distance(ray.o, ray.d)
    met = down < dr.inf
    seen = dr.select(met, light.ground.radiance(alone, ray.o + ray.d * down), light.sky.radiance(alone, ray.d, ~met))
    return means([seen], samples)[0]
