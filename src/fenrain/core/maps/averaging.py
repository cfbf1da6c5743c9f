"""The mean over texels that become fewer, a band of rows at a time."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from scipy.sparse import csr_array


class BandedMean:
    """Averages a grid of texels onto a smaller one as its rows come in: each texel counts as far as it is covered."""

    def __init__(self, width: int, height: int, fewer_across: int, fewer_down: int) -> None:
        self._across, self._down = shares_of_texels(width, fewer_across), shares_of_texels(height, fewer_down)
        self._height, self._size = height, (fewer_down, fewer_across)
        self._found: np.ndarray | None = None

    def add(self, begin: int, end: int, band: np.ndarray) -> None:
        """Rows begin…end, (rows, width, channels)."""
        width, channels = band.shape[1], band.shape[-1]
        if self._found is None:
            self._found = np.zeros((*self._size, channels), np.float32)
        first, last = begin * self._size[0] // self._height, -(-end * self._size[0] // self._height)
        lines = (self._down[first:last, begin:end] @ band.reshape(end - begin, -1)).reshape(last - first, width, -1)
        for channel in range(channels):
            self._found[first:last, :, channel] += (self._across @ np.ascontiguousarray(lines[..., channel].T)).T

    def result(self) -> np.ndarray:
        """(fewer_down, fewer_across, channels) float32, once every row has come in."""
        assert self._found is not None
        return self._found


@lru_cache(maxsize=16)
def shares_of_texels(count: int, fewer: int) -> csr_array:
    """What share each of `count` texels in a row has in each of `fewer` that cover the same length, (fewer, count); rows add up to 1."""
    from scipy.sparse import csr_array  # takes as long to load as all else together

    ends = np.arange(fewer + 1) * (count / fewer)
    first = np.floor(ends[:-1] + 1e-9).astype(int)
    reach = int(np.ceil(count / fewer)) + 1
    columns = first[:, None] + np.arange(reach)
    covered = np.minimum(columns + 1, ends[1:, None]) - np.maximum(columns, ends[:-1, None])
    inside = (covered > 1e-9) & (columns < count)
    rows_of, _ = np.nonzero(inside)
    weights = (covered[inside] * (fewer / count)).astype(np.float32)
    return csr_array((weights, (rows_of, columns[inside])), shape=(fewer, count))
