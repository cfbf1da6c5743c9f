"""What is asked of the process that draws, and what it gives back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from fenrain.core.checking.metrics.registry import Reading
from fenrain.core.errors import FenrainError
from fenrain.store.documents.checking import DirectionMeasurements


@dataclass(frozen=True)
class ViewRequest:
    """A conversion as somebody looks at it. size: edge in pixels of the picture to look at; trial: constants laid over its values without
    being kept; only: aspects that are shown alone, on both sides; without: inputs of the original that are taken out, on both sides; alone:
    a value of the original and one of the converted material that are shown as they are, in place of the looks; against: a conversion whose
    converted look stands in place of the original."""

    conversion_id: int
    rig: str
    stand: str
    turn: float
    size: int
    trial: Mapping[str, Any] = field(default_factory=dict)
    only: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    alone: tuple[str, str] | None = None
    against: int | None = None

    @property
    def is_whole(self) -> bool:
        """Whether it is the conversion as it stands, of which what is measured is kept."""
        return not (self.trial or self.only or self.without or self.alone or self.against)


@dataclass(frozen=True)
class RenderTask:
    """Work that needs pictures. function: a function of a module, called with the values and `between`; by: for whom."""

    function: Callable[..., Any]
    values: Mapping[str, Any]
    by: str


@dataclass(frozen=True)
class PictureFrame:
    """What came of a pass. size: edge in pixels; samples: for each pixel that is measured; pictures: PNG bytes by side, none where the ones
    before still hold; readings, figures: none before they are there; clear: whether noise cannot change the verdict any
    more, or no more is to be had; preparing: quick pictures, shown while the renderer is compiled for such materials; answer: what a task
    gives back; problem: why there is nothing; done: whether it is the last."""

    size: int = 0
    samples: int = 0
    pictures: Mapping[str, bytes] = field(default_factory=dict)
    readings: Mapping[str, Reading] = field(default_factory=dict)
    unseen: tuple[str, ...] = ()
    figures: DirectionMeasurements | None = None
    clear: bool = False
    preparing: bool = False
    answer: Any = None
    problem: FenrainError | None = None
    done: bool = False
