"""The look check: original and converted under the same light, each by its own model's equations and by nothing else, in numbers."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from fenrain.core.checking.figures import Figures, figures
from fenrain.core.checking.metrics.delta_e import DARKER
from fenrain.core.checking.metrics.registry import Pair, Reading, delta_e_of_pictures, metrics, readings
from fenrain.core.checking.undrawn import find_undrawn_values, find_unread_statements
from fenrain.core.checking.verdict import SURFACES, Decision, Tolerances, Verdict, decisive
from fenrain.core.material import Material
from fenrain.core.rendering.probe import load_engine
from fenrain.core.rendering.rigs.registry import rig_of, standing_rigs
from fenrain.core.rendering.stands.registry import stand_of

READ_EDGE = 64
"""Pixels on an edge of the pictures that are measured: larger ones are averaged down, so that they read the same."""
MOST_SAMPLES = 256
"""For each pixel that is measured, on each side."""
LEAST_LIGHT = 1e-3
"""Radiance below which a relative difference is taken of this much."""
PILOT_PASSES = 2
"""Of each way of sharing light paths, before the quieter is chosen."""
Progress = Callable[[float], None]


@dataclass(frozen=True)
class RigCheck:
    """One rig's result. readings: by id of the metric; unseen: what is set and was not drawn, in words; samples: for each pixel that was
    measured, on each side; passes: how many pairs of pictures went into it; final: nothing better follows. Pictures: (size, size, 3) linear
    float32; noise: about what is random in their difference; seen: (size, size) bool, where either body is; lit: whether light on the
    ground was looked for."""

    rig: str
    stand: str
    readings: Mapping[str, Reading]
    unseen: tuple[str, ...]
    samples: int
    passes: int
    final: bool
    original: np.ndarray
    converted: np.ndarray
    noise: np.ndarray
    seen: np.ndarray
    lit: bool

    @cached_property
    def delta_e(self) -> np.ndarray:
        """Of each pixel, as a display shows them."""
        return delta_e_of_pictures(self.original, self.converted).astype(np.float32)

    def planes(self) -> tuple[np.ndarray, ...]:
        """What is known of each pixel: both sides, linear; ΔE2000 at display white, and four stops below it, where light above white shows;
        the difference in linear light relative to the original; the ΔE2000 that noise alone makes; and where the body is seen."""
        dark = 2.0**DARKER
        relative = np.abs(self.converted - self.original).mean(axis=-1) / np.maximum(self.original.mean(axis=-1), LEAST_LIGHT)
        return (
            self.original,
            self.converted,
            self.delta_e,
            delta_e_of_pictures(self.original * dark, self.converted * dark),
            relative,
            delta_e_of_pictures(self.original, self.original + self.noise),
            self.seen.astype(np.float32),
        )

    def decided(self, tolerances: Tolerances) -> Decision:
        return tolerances.decided(self.readings, self.rig, self.unseen)

    def to_document(self, tolerances: Tolerances) -> dict[str, Any]:
        """All but the pictures, as JSON can hold it."""
        decision = self.decided(tolerances)
        return {
            "rig": self.rig,
            "stand": self.stand,
            "verdict": str(decision.verdict),
            "decided_by": {"reading": decision.metric, "says": str(decision)},
            "readings": {name: asdict(reading) for name, reading in self.readings.items()},
            "samples": self.samples,
        }


@dataclass(frozen=True)
class Check:
    """rigs: one result each; figures: the same two surfaces on directions; tolerances: what they are judged by; unread: what the original's
    source states and the original does not hold, in words."""

    rigs: tuple[RigCheck, ...]
    figures: Figures
    tolerances: Tolerances
    unread: tuple[str, ...] = ()

    @property
    def decided_by(self) -> Decision:
        """The verdict over all, with the rig and the reading that it depends on."""
        return decisive(
            (self.tolerances.decided(self.figures.readings, unseen=self.unread), *(rig.decided(self.tolerances) for rig in self.rigs))
        )

    @property
    def verdict(self) -> Verdict:
        return self.decided_by.verdict

    @property
    def unseen(self) -> tuple[str, ...]:
        """What was not read, and what is set and was not drawn, in words."""
        return (*self.unread, *(self.rigs[0].unseen if self.rigs else ()))

    @property
    def readings(self) -> dict[str, Mapping[str, Reading]]:
        """Of every rig by its id, and of surfaces."""
        return {SURFACES: self.figures.readings, **{result.rig: result.readings for result in self.rigs}}

    def to_document(self) -> dict[str, Any]:
        """All but the pictures, as JSON can hold it."""
        decision = self.decided_by
        return {
            "verdict": str(decision.verdict),
            "decided_by": {"rig": decision.rig, "reading": decision.metric, "says": str(decision)},
            "unseen": list(self.unseen),
            "lobe_error": self.figures.quick.lobe_error,
            "readings": {name: asdict(reading) for name, reading in self.figures.readings.items()},
            "rigs": [result.to_document(self.tolerances) for result in self.rigs],
        }


def check(
    original: Material,
    converted: Material,
    rigs: Sequence[str] | None = None,
    stand: str = "sphere",
    *,
    size: int = 2 * READ_EDGE,
    least_samples: int = 0,
    most_samples: int = MOST_SAMPLES,
    turn: float = 0.0,
    aspects: Sequence[str] = (),
    others: Sequence[tuple[Material, Material]] = (),
    tolerances: Tolerances = Tolerances(),
    progress: Progress | None = None,
) -> Check:
    """Render both and compare.

    rigs: ids of light rigs, the standing ones where None; stand: id; size: edge in pixels, a multiple of 64; least_samples: for each pixel
    that is measured, so that pictures are fit to be looked at; most_samples, aspects, others: see `refine`. Raises EngineError where the
    rendering engine cannot run here, NotFoundError for an unknown rig or stand.
    """
    how: dict[str, Any] = {"size": size, "most_samples": most_samples, "turn": turn, "tolerances": tolerances}
    how |= {"aspects": aspects, "others": others}
    how["enough"] = lambda result: result.samples >= least_samples and result.decided(tolerances).is_clear
    chosen = tuple(standing_rigs() if rigs is None else rigs)
    last: dict[str, RigCheck] = {}
    for result in refine(original, converted, chosen, stand, **how):
        last[result.rig] = result
        if result.final and progress is not None:
            progress(sum(one.final for one in last.values()) / len(chosen))
    return Check(tuple(last[rig] for rig in chosen), figures(original, converted), tolerances, find_unread_statements(original))


def refine(
    original: Material,
    converted: Material,
    rigs: Sequence[str],
    stand: str = "sphere",
    *,
    size: int = READ_EDGE,
    most_samples: int = MOST_SAMPLES,
    turn: float = 0.0,
    aspects: Sequence[str] = (),
    others: Sequence[tuple[Material, Material]] = (),
    tolerances: Tolerances = Tolerances(),
    pilot_samples: int = 4,
    shown: bool = True,
    enough: Callable[[RigCheck], bool] | None = None,
    between: Callable[[], None] = lambda: None,
) -> Iterator[RigCheck]:
    """Some rigs, better and better: a result for each after each pass over both looks, the first after a fraction of a second. Rigs that
    go the same way are drawn together.

    A rig ends when a result is enough, which is when noise cannot change the verdict any more where nothing else is said, or at
    `most_samples` for each pixel that is measured. There are no readings after a first pass: noise is told from the disagreement of two.
    aspects: of either look, that are shown alone, all where empty; others: pairs of materials that lie around it on a mesh of the asset's,
    by the names of the originals; pilot_samples: 4 or 16, of the passes by which the way is chosen; shown: whether the last results hold
    readings that are only shown, too, which take as long as all others; between: called now and then; what it raises ends the check.
    """
    stand_of(stand)
    if not rigs:
        return
    engine = load_engine()
    shot = engine.PairShot(original, converted, engine.View(rig_of(rigs[0]).id, stand, turn, size, tuple(aspects)), others)
    each = (size // READ_EDGE) ** 2
    setting = _Setting(
        shot.plan.lit,
        shot.coverage(READ_EDGE),
        shot.coverage(size),
        stand,
        tuple(str(one) for one in find_undrawn_values(original, converted)),
    )
    going = [_RigEstimate(setting, rig_of(rig).id, (True, False) if shot.may_share else (False,)) for rig in rigs]
    # Small pictures come in twos, from which noise is told at once; one that takes longer is shown as soon as it is there.
    times = 2 if size == READ_EDGE and not shot.plan.scatters else 1
    while going:
        shared, passes = min(going, key=lambda course: course.taken).next
        group = [course for course in going if course.next == (shared, passes)]
        samples = pilot_samples if passes < PILOT_PASSES else 16
        pictures = shot.taken_at_once([course.rig for course in group], times, samples, passes, shared=shared, between=between)
        for course, *sides in zip(group, *pictures, strict=True):
            course.add(shared, sides, samples, each)
            result = course.read()
            done = bool(result.readings) and (enough(result) if enough is not None else result.decided(tolerances).is_clear)
            if done or course.taken >= most_samples:
                going.remove(course)
                result = replace(result, readings=course.all_readings() if shown else result.readings, final=True)
            yield result


@dataclass(frozen=True)
class _Setting:
    """What all rigs of a check have in common. lit: whether light on the ground is looked for; seen: where the body is, of the size that
    is measured; outline: of the size that is drawn; hidden: what is set and not drawn, in words."""

    lit: bool
    seen: np.ndarray
    outline: np.ndarray
    stand: str
    hidden: tuple[str, ...]

    def pair(self, original: np.ndarray, converted: np.ndarray, noise: np.ndarray) -> Pair:
        """Pictures of any size as they are measured."""
        return Pair(average_down(original), average_down(converted), average_down(noise), self.seen, ~self.seen, self.lit)


class _RigEstimate:
    """How far one rig has come. taken: samples for each pixel that is measured, by all ways."""

    def __init__(self, setting: _Setting, rig: str, ways: tuple[bool, ...]) -> None:
        self.rig, self.taken = rig, 0
        self._setting, self._ways = setting, {shared: _RunningMeans() for shared in ways}
        self._measured: Pair | None = None
        self._means: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None

    @property
    def next(self) -> tuple[bool, int]:
        """(whether both looks share their paths in the next pass, how many passes there were): each way is tried first, then the quieter
        goes on."""
        for shared, means in self._ways.items():
            if means.passes < PILOT_PASSES:
                return shared, means.passes
        quieter = self._quieter()
        return quieter, self._ways[quieter].passes

    def add(self, shared: bool, sides: Sequence[np.ndarray], samples: int, each: int) -> None:
        """Pictures of both sides, (times, size, size, 3), by one of the ways. each: pixels to one that is measured."""
        self._measured = self._means = None
        for original, converted in zip(*sides, strict=True):
            self._ways[shared].add((original, converted), samples)
            self.taken += samples * each

    def read(self) -> RigCheck:
        """With the readings that a verdict depends on, none after the first pass."""
        original, converted, noise = self._taken_together
        means = self._quietest
        return RigCheck(
            self.rig,
            self._setting.stand,
            readings(self._pair, deciding=True) if means.passes > 1 else {},
            self._setting.hidden,
            means.samples * (original.shape[0] // READ_EDGE) ** 2,
            means.passes,
            False,
            original.astype(np.float32),
            converted.astype(np.float32),
            noise,
            self._setting.outline,
            self._setting.lit,
        )

    def all_readings(self) -> dict[str, Reading]:
        return readings(self._pair)

    @property
    def _pair(self) -> Pair:
        """Kept until there are more pictures: it holds what several readings take from it."""
        if self._measured is None:
            self._measured = self._setting.pair(*self._taken_together)
        return self._measured

    @property
    def _taken_together(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Original, converted, and the noise in their difference, of all passes of the quietest way; kept until there are more."""
        if self._means is None:
            original, converted = self._quietest.sides()
            self._means = original, converted, self._quietest.noise()
        return self._means

    @property
    def _quietest(self) -> _RunningMeans:
        return self._ways[self._quieter()]

    def _quieter(self) -> bool:
        """Of the ways that were tried to the end, the one with the lower noise; the first before that."""
        tried = [shared for shared, means in self._ways.items() if means.passes >= PILOT_PASSES] or list(self._ways)[:1]
        return min(tried, key=lambda shared: self._ways[shared].loudness(self._setting)) if len(tried) > 1 else tried[0]


class _RunningMeans:
    """Running means of two halves, of two sides each: the halves' disagreement about the difference is the noise in it."""

    def __init__(self) -> None:
        self.passes = 0
        self._samples = [0, 0]
        self._halves: list[list[np.ndarray]] = [[], []]
        self._loudness: float | None = None

    def add(self, pair: tuple[np.ndarray, np.ndarray], samples: int) -> None:
        half = 0 if self._samples[0] <= self._samples[1] else 1
        self._samples[half] += samples
        share, sides = samples / self._samples[half], [side.astype(np.float64) for side in pair]
        old = self._halves[half] or sides
        self._halves[half] = [mean + (side - mean) * share for mean, side in zip(old, sides, strict=True)]
        self.passes += 1

    @property
    def samples(self) -> int:
        return sum(self._samples)

    def loudness(self, setting: _Setting) -> float:
        """How far noise alone brings readings towards their limits, as it was when this was asked first: after the pilot."""
        if self._loudness is None:
            original = self.sides()[0]
            found = readings(setting.pair(original, original, self.noise()), deciding=True)
            limits = {name: metrics()[name].limits for name in found}
            self._loudness = max(reading.floor / limit.match for name, reading in found.items() if (limit := limits[name]) is not None)
        return self._loudness

    def sides(self) -> list[np.ndarray]:
        """Original and converted of all passes."""
        first, second = self._halves
        if not second:
            return first
        share = self._samples[1] / self.samples
        return [a + (b - a) * share for a, b in zip(first, second, strict=True)]

    def noise(self) -> np.ndarray:
        """About what is random in the difference; nothing is known of it after a single pass."""
        if self.passes < 2:
            return np.zeros_like(self._halves[0][0])
        (first_original, first_converted), (second_original, second_converted) = self._halves
        return ((first_converted - first_original) - (second_converted - second_original)) / 2.0


def average_down(picture: np.ndarray) -> np.ndarray:
    """The picture at the size that is measured, each pixel the mean of those within it, in linear light."""
    each = picture.shape[0] // READ_EDGE
    return np.asarray(picture.reshape(READ_EDGE, each, READ_EDGE, each, 3).mean(axis=(1, 3)))
