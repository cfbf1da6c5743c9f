"""Pictures of looks as arrays, one or a pair by the same light paths. Import it only in a process that may render (see `probe`)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np

from fenrain.core.material import Material
from fenrain.core.rendering.body import Body, chances
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.numbers import Numbers
from fenrain.core.rendering.paths import Plan, plan_for, radiance
from fenrain.core.rendering.stage import View, coverage, lit_ground, map_edge, stage_of
from fenrain.core.surfaces import mean_surface

SAMPLE_COUNTS = (4, 16)
"""Samples per pixel that one pass may take: powers of four, which stratified numbers fill without a rest."""
MOST_LANES, MOST_SCATTERING_LANES = 1 << 17, 1 << 14
"""Paths walked at once, and where they scatter in a body; more are walked in turns, between which others may be asked for."""
Between = Callable[[], None]
"""Called between two turns; what it raises ends the picture."""


def _go_on() -> None:
    return None


def render(material: Material, view: View, samples: int, seed: int) -> np.ndarray:
    """The material by its own model's equations, (size, size, 3) float32, linear Rec.709, display white at 1.

    samples: per pixel, of `SAMPLE_COUNTS`. The same arguments give the same picture bit for bit on one machine.
    """
    body = Body(material, map_edge(view.size), view.aspects)
    return _Shot(view, plan_for(body)).taken([body], samples, seed)[0][0]


class PairShot:
    """Two looks taken by the same light paths, as often as is asked."""

    def __init__(self, original: Material, converted: Material, view: View) -> None:
        self._bodies = _bodies(original, converted, map_edge(view.size), view.aspects)
        self.plan = plan_for(*self._bodies)
        self.may_share = not (self.plan.straight or self.plan.scatters)
        self._shot = _Shot(view, self.plan)

    def taken(self, samples: int, seed: int, *, shared: bool = False, between: Between = _go_on) -> tuple[np.ndarray, np.ndarray]:
        """Original and converted, (size, size, 3) float32; another seed, other numbers, the same ones on both sides. shared: both ride
        on one path, where `may_share`."""
        return self.taken_at_once(1, samples, seed, shared=shared, between=between)[0]

    def taken_at_once(
        self, times: int, samples: int, seed: int, *, shared: bool = False, between: Between = _go_on
    ) -> list[tuple[np.ndarray, np.ndarray]]:
        """The pairs of so many seeds one after the other, for little more than the time of one where pictures are small."""
        if shared:
            first, second = self._shot.taken(self._bodies, samples, seed, between, times)
        else:
            first, second = (self._shot.taken([body], samples, seed, between, times)[0] for body in self._bodies)
        return list(zip(first, second, strict=True))


_KEPT: dict[tuple[str, str, int, tuple[str, ...]], list[Body]] = {}
MOST_KEPT = 4
"""Pairs whose values stay on the engine's side, so that another rig or stand does not load them again."""


def _bodies(original: Material, converted: Material, edge: int, aspects: tuple[str, ...]) -> list[Body]:
    key = (original.digest, converted.digest, edge, aspects)
    if key not in _KEPT:
        surfaces = [mean_surface(material) for material in (original, converted)]
        if aspects:
            surfaces = [surface.only(aspects) for surface in surfaces]
        table = chances(*surfaces)
        while len(_KEPT) >= MOST_KEPT:
            del _KEPT[next(iter(_KEPT))]
        _KEPT[key] = [Body(material, edge, aspects, table) for material in (original, converted)]
    return _KEPT[key]


class _Shot:
    """A view, and the pixels of it that have to be traced."""

    def __init__(self, view: View, plan: Plan) -> None:
        self.view, self.plan, self.stage = view, plan, stage_of(View(view.rig, view.stand, view.turn, view.size))
        self.ground = None if plan.lit else lit_ground(view.rig, view.stand, view.turn)
        whole = view.size * view.size
        self.pixels = np.arange(whole) if plan.lit else np.flatnonzero(_near(view.stand, view.size))
        self._depth = dr.opaque(mi.UInt32, plan.depth)

    def taken(self, bodies: Sequence[Body], samples: int, seed: int, between: Between = _go_on, times: int = 1) -> list[list[np.ndarray]]:
        """For each body so many pictures."""
        assert samples in SAMPLE_COUNTS
        start = np.zeros((self.view.size**2, 3), np.float32) if self.plan.lit else _backdrop(self.view)
        pictures = [[start.copy() for _ in range(times)] for _ in bodies]
        step = (MOST_SCATTERING_LANES if self.plan.scatters else MOST_LANES) // (samples * times)
        for begin in range(0, len(self.pixels), step):
            between()
            pixels = self.pixels[begin : begin + step]
            traced = self._traced(bodies, pixels, samples, seed, times)
            for of_body, found in zip(pictures, traced, strict=True):
                for picture, part in zip(of_body, np.split(found, times), strict=True):
                    picture[pixels] = part
        return [[picture.reshape(self.view.size, self.view.size, 3) for picture in of_body] for of_body in pictures]

    def _traced(self, bodies: Sequence[Body], pixels: np.ndarray, samples: int, seed: int, times: int) -> list[np.ndarray]:
        """For each body the light of the pixels, over and over by the numbers of seeds one after the other, (times · pixels, 3)."""
        count = dr.opaque(mi.UInt32, samples)
        lane = dr.arange(mi.UInt32, len(pixels) * times * samples)
        place = lane // count
        pixel = dr.gather(mi.UInt32, mi.UInt32(np.tile(pixels, times).astype(np.uint32)), place)
        seeds = dr.opaque(mi.UInt32, seed) + place // dr.opaque(mi.UInt32, len(pixels))
        numbers = Numbers.of(pixel, lane % count, samples, seeds)
        ray = self.stage.rays(pixel, numbers.next_2d())
        lights = radiance(self.stage, self.ground, bodies, self.plan, ray, numbers, self._depth)
        dr.eval(lights)  # the sums below would each walk the paths again
        sums = [[dr.block_reduce(dr.ReduceOp.Add, light[channel], samples) for channel in range(3)] for light in lights]
        dr.eval(sums)
        return [np.stack([channel.numpy() for channel in channels], axis=-1) / np.float32(samples) for channels in sums]


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
def _backdrop(view: View) -> np.ndarray:
    """Ground and sky around the body, (size², 3)."""
    stage, ground = stage_of(View(view.rig, view.stand, view.turn, view.size)), lit_ground(view.rig, view.stand, view.turn)
    samples, whole = 16, view.size * view.size
    lane = dr.arange(mi.UInt32, whole * samples)
    ray = stage.rays(lane // samples, Numbers.of(lane // samples, lane % samples, samples, mi.UInt32(5)).next_2d())
    down = stage.ground_distance(ray.o, ray.d)
    met = down < dr.inf
    light = dr.select(met, ground.radiance(ray.o + ray.d * down), stage.sky.radiance(ray.d, ~met))
    dr.eval(light)
    return np.stack([dr.block_reduce(dr.ReduceOp.Add, light[channel], samples).numpy() for channel in range(3)], axis=-1) / samples
