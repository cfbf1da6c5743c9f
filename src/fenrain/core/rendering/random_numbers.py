"""The random numbers of paths: stratified over the samples of a pixel, and hanging on nothing but pixel, sample, dimension and seed.

Other pixels beside it, or another turn of a picture, change nothing of a pixel's numbers.

References
- Kensler 2013, Correlated Multi-Jittered Sampling: strata both ways and along each axis, by hashed permutations. Their loops, which bring a
  number back into range, are not needed where counts are powers of two.
- Wellons 2018, Prospecting for Hash Functions: the finaliser `lowbias32`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fenrain.core.rendering.engine import dr, mi


@dataclass
class Numbers:
    """The numbers of each lane. pattern: differs by pixel and seed; sample: which of a pixel's; count, side: how many samples there are and
    the square root of that, powers of two; dimension: how many numbers were drawn."""

    pattern: mi.UInt32
    sample: mi.UInt32
    count: mi.UInt32
    side: mi.UInt32
    dimension: mi.UInt32

    @staticmethod
    def for_sample(pixel: Any, sample: Any, count: int, seed: Any) -> Numbers:
        """pixel, sample: of each lane; count: samples of a pixel, 4 or 16; seed: of all lanes or of each."""
        held = [dr.opaque(mi.UInt32, number) for number in (count, round(count**0.5), 0)]
        return Numbers(_hashed(pixel + _hashed(seed)), sample, *held)

    def next_1d(self) -> Any:
        """0…1, one in each stratum."""
        pattern = self._next_pattern()
        place = _permuted(self.sample, self.count, pattern * 0x68BC21EB)
        return (mi.Float(place) + _jitter(self.sample, pattern * 0x967A889B)) / mi.Float(self.count)

    def next_2d(self) -> Any:
        """Two of 0…1, one in each stratum of a square, and of each axis."""
        pattern = self._next_pattern()
        place = _permuted(self.sample, self.count, pattern * 0x51633E2D)
        column, row = place & (self.side - 1), place // self.side
        across = _permuted(column, self.side, pattern * 0xA511E9B3)
        down = _permuted(row, self.side, pattern * 0x63D83595)
        side = mi.Float(self.side)
        return mi.Point2f(
            (mi.Float(column) + (mi.Float(down) + _jitter(place, pattern * 0xA399D265)) / side) / side,
            (mi.Float(row) + (mi.Float(across) + _jitter(place, pattern * 0x711AD6A5)) / side) / side,
        )

    def _next_pattern(self) -> Any:
        self.dimension = self.dimension + 1
        return _hashed(self.pattern + self.dimension * 0x9E3779B9)


def means(lights: Sequence[Any], samples: int) -> list[np.ndarray]:
    """Of each light, the mean over every so many lanes, (n, 3) float32."""
    dr.eval(lights)  # the sums would each work the light out again
    sums = [[dr.block_reduce(dr.ReduceOp.Add, light[channel], samples) for channel in range(3)] for light in lights]
    dr.eval(sums)
    return [np.stack([channel.numpy() for channel in channels], axis=-1) / np.float32(samples) for channels in sums]


def _hashed(x: Any) -> Any:
    x = (x ^ (x >> 16)) * 0x7FEB352D
    x = (x ^ (x >> 15)) * 0x846CA68B
    return x ^ (x >> 16)


def _permuted(index: Any, count: Any, pattern: Any) -> Any:
    """The place of an index in a permutation of so many, a power of two (Kensler 2013, `permute`)."""
    mask = count - 1
    index = index ^ pattern
    index = index * 0xE170893D
    index = index ^ (pattern >> 16)
    index = index ^ ((index & mask) >> 4)
    index = index ^ (pattern >> 8)
    index = index * 0x0929EB3F
    index = index ^ (pattern >> 23)
    index = index ^ ((index & mask) >> 1)
    index = index * (1 | (pattern >> 27))
    index = index * 0x6935FA69
    index = index ^ ((index & mask) >> 11)
    index = index * 0x74DCB303
    index = index ^ ((index & mask) >> 2)
    index = index * 0x9E501CC3
    index = index ^ ((index & mask) >> 2)
    index = index * 0xC860A3DF
    index = index & mask
    index = index ^ (index >> 5)
    return (index + pattern) & mask


def _jitter(index: Any, pattern: Any) -> Any:
    """0…1 (Kensler 2013, `randfloat`)."""
    index = index ^ pattern
    index = index ^ (index >> 17)
    index = index ^ (index >> 10)
    index = index * 0xB36534E5
    index = index ^ (index >> 12)
    index = index ^ (index >> 21)
    index = index * 0x93FC4795
    index = index ^ 0xDF6E307F
    index = index ^ (index >> 17)
    index = index * (1 | (pattern >> 18))
    return mi.Float(index >> 8) * (1.0 / 16777216.0)
