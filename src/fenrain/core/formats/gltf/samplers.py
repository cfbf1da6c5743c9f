"""Samplers of glTF: how images go on beyond their edges, and whether their texels are blended (glTF 2.0 §5.26)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenrain.core.values import Placement, Wrap

WRAPS = {10497: Wrap.REPEAT, 33071: Wrap.CLAMP, 33648: Wrap.MIRROR}
NEAREST, LINEAR, NEAREST_OF_NEAREST, LINEAR_OF_LINEAR = 9728, 9729, 9984, 9987
FILTERS = (NEAREST, LINEAR, NEAREST_OF_NEAREST, 9985, 9986, LINEAR_OF_LINEAR)


def wrap_of_sampler(sampler: Mapping[str, Any]) -> tuple[tuple[Wrap, Wrap], bool, list[str]]:
    """How an image goes on along u and v, whether it is smooth, and the keys whose values mean nothing."""
    stated = {key: sampler[key] for key in ("wrapS", "wrapT") if key in sampler}
    wrong = [key for key, value in stated.items() if not isinstance(value, int) or value not in WRAPS]
    wrong += [key for key in ("magFilter", "minFilter") if key in sampler and sampler[key] not in FILTERS]
    across, down = (WRAPS[stated[key]] if key in stated and key not in wrong else Wrap.REPEAT for key in ("wrapS", "wrapT"))
    return (across, down), sampler.get("magFilter") != NEAREST, wrong


def sampler_for(placement: Placement) -> dict[str, int]:
    """The sampler that lays an image so; what is placed once is clamped, with a margin in its texels."""
    numbers = {wrap: number for number, wrap in WRAPS.items()}
    across, down = (numbers.get(wrap, numbers[Wrap.CLAMP]) for wrap in placement.wrap)
    filters = (LINEAR, LINEAR_OF_LINEAR) if placement.smooth else (NEAREST, NEAREST_OF_NEAREST)
    return {"wrapS": across, "wrapT": down, "magFilter": filters[0], "minFilter": filters[1]}
