"""The look check: original and converted under the same light, each by its own model's equations and by nothing else, in numbers."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fenrain.core.checking.metrics.delta_e import picture_delta_e
from fenrain.core.checking.metrics.registry import Pair, readings
from fenrain.core.checking.quick import QuickCheck, quick_check
from fenrain.core.checking.undrawn import unseen
from fenrain.core.checking.verdict import Tolerances, Verdict, worst
from fenrain.core.material import Material
from fenrain.core.rendering.probe import load_engine
from fenrain.core.rendering.rigs.registry import rig_of
from fenrain.core.rendering.stands.registry import stand_of

DEFAULT_RIGS = ("soft_studio", "low_sun")
Progress = Callable[[float], None]


@dataclass(frozen=True)
class RigCheck:
    """One rig's result. readings: by id of the metric; decided_by: the one that decided; unseen: what is set and was not drawn, in words;
    floor: 95th percentile of the ΔE2000 that noise alone makes in the difference; samples: per pixel and side. Pictures:
    (size, size, 3) linear float32; delta_e: of each pixel."""

    rig: str
    stand: str
    verdict: Verdict
    readings: Mapping[str, float]
    decided_by: str
    unseen: tuple[str, ...]
    floor: float
    samples: int
    original: np.ndarray
    converted: np.ndarray
    delta_e: np.ndarray


@dataclass(frozen=True)
class Check:
    """verdict: the worst of the rigs'; unseen: what is set and was not drawn, in words; quick: the same two surfaces on directions."""

    verdict: Verdict
    rigs: tuple[RigCheck, ...]
    quick: QuickCheck

    @property
    def unseen(self) -> tuple[str, ...]:
        return self.rigs[0].unseen

    @property
    def decided_by(self) -> str:
        """Rig and reading that decided the verdict; empty where it is undecided."""
        if self.verdict is Verdict.UNDECIDED:
            return ""
        rig = max(self.rigs, key=lambda result: (result.verdict.rank, result.readings[result.decided_by]))
        return f"{rig.rig}: {rig.decided_by}"

    @property
    def readings(self) -> dict[str, Mapping[str, float]]:
        """Of every rig by its id."""
        return {result.rig: result.readings for result in self.rigs}


def check(
    original: Material,
    converted: Material,
    rigs: Sequence[str] = DEFAULT_RIGS,
    stand: str = "sphere",
    *,
    size: int = 256,
    samples: int = 64,
    most_samples: int = 128,
    turn: float = 0.0,
    tolerances: Tolerances = Tolerances(),
    progress: Progress | None = None,
) -> Check:
    """Render both and compare.

    rigs: ids of light rigs; stand: id; size: edge in pixels; samples: per pixel to begin with, doubled up to `most_samples` until noise
    cannot change the verdict. Raises EngineError where the rendering engine cannot run here, NotFoundError for an unknown rig or stand.
    """
    done: list[RigCheck] = []
    for rig in rigs:
        done.append(
            check_rig(
                original, converted, rig, stand, size=size, samples=samples, most_samples=most_samples, turn=turn, tolerances=tolerances
            )
        )
        if progress is not None:
            progress(len(done) / len(rigs))
    return Check(worst([result.verdict for result in done]), tuple(done), quick_check(original, converted))


def check_rig(
    original: Material,
    converted: Material,
    rig: str,
    stand: str,
    *,
    size: int,
    samples: int,
    most_samples: int,
    turn: float,
    tolerances: Tolerances,
) -> RigCheck:
    """One rig. Each side is rendered in two halves with different seeds, the same on both sides: the halves' disagreement about the
    difference is the noise in it."""
    rig_of(rig), stand_of(stand)
    scene = load_engine()
    view = scene.View(rig, stand, turn, size)
    hidden = tuple(str(one) for one in unseen(original, converted))
    halves, taken = _Halves(), 0
    while True:
        each = max(samples // 2, 1) if taken == 0 else taken // 2
        takes = [(each, halves.rounds * 2), (each, halves.rounds * 2 + 1)]
        halves.add([scene.pictures(material, view, takes) for material in (original, converted)], each)
        taken += 2 * each
        result = _measured(halves, scene.coverage(stand, size), rig, stand, taken, tolerances, hidden)
        if taken >= most_samples or tolerances.is_clear(result.readings, result.floor):
            return result


class _Halves:
    """Running means: two halves (first index) of two sides (second index)."""

    def __init__(self) -> None:
        self.rounds, self.samples = 0, 0
        self.means: list[list[np.ndarray]] = []

    def add(self, sides: list[list[np.ndarray]], each: int) -> None:
        """sides: for original and converted, the pictures of both halves."""
        taken = [[side[half].astype(np.float64) for side in sides] for half in (0, 1)]
        share = each / (self.samples + each)
        self.means = (
            taken
            if not self.means
            else [
                [old + (new - old) * share for old, new in zip(olds, news, strict=True)]
                for olds, news in zip(self.means, taken, strict=True)
            ]
        )
        self.rounds, self.samples = self.rounds + 1, self.samples + each


def _measured(
    halves: _Halves, seen: np.ndarray, rig: str, stand: str, samples: int, tolerances: Tolerances, hidden: tuple[str, ...]
) -> RigCheck:
    first, second = halves.means
    original, converted = ((a + b) / 2 for a, b in zip(first, second, strict=True))
    noise = ((first[1] - first[0]) - (second[1] - second[0])) / 2
    delta_e = picture_delta_e(original, converted)
    measured = readings(Pair(original, converted, seen, delta_e[seen]))
    verdict = tolerances.verdict(measured)
    floor = float(np.percentile(picture_delta_e(original, original + noise)[seen], 95))
    return RigCheck(
        rig,
        stand,
        worst((verdict, Verdict.UNDECIDED)) if hidden else verdict,
        measured,
        tolerances.decided_by(measured),
        hidden,
        floor,
        samples,
        original.astype(np.float32),
        converted.astype(np.float32),
        delta_e.astype(np.float32),
    )
