"""What is known of every pixel of a pair, as bytes: whoever looks can expose, compare and read pixels for themselves."""

from __future__ import annotations

import zlib
from collections.abc import Sequence

import numpy as np

MOST = 65504.0
"""The largest half float (IEEE 754-2008, binary16)."""


def packed(planes: Sequence[np.ndarray]) -> bytes:
    """Pictures (h, w, 3) and maps (h, w), plane after plane, a colour as three, row by row, as little-endian half floats, deflated
    (RFC 1950)."""
    flat = [plane[None] if plane.ndim == 2 else np.moveaxis(plane, -1, 0) for plane in planes]
    return zlib.compress(np.clip(np.concatenate(flat), -MOST, MOST).astype("<f2").tobytes(), 1)


def unpacked(data: bytes, edge: int) -> np.ndarray:
    """The planes that were packed, (n, edge, edge) float32."""
    return np.frombuffer(zlib.decompress(data), "<f2").reshape(-1, edge, edge).astype(np.float32)
