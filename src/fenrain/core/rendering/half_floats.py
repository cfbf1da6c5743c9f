"""What is known of every pixel of a pair, as bytes: whoever looks can expose, compare and read pixels for themselves."""

from __future__ import annotations

import math
import zlib
from collections.abc import Sequence

import numpy as np

from fenrain.core.errors import ImageError

MOST = 65504.0
"""The largest half float (IEEE 754-2008, binary16)."""


def pack_planes(planes: Sequence[np.ndarray]) -> bytes:
    """Pictures (h, w, 3) and maps (h, w), plane after plane, a colour as three, row by row, as little-endian half floats, deflated
    (RFC 1950)."""
    flat = [plane[None] if plane.ndim == 2 else np.moveaxis(plane, -1, 0) for plane in planes]
    return zlib.compress(to_half_floats(np.concatenate(flat)), 1)


def to_half_floats(values: np.ndarray) -> bytes:
    """Little-endian half floats of values of any shape."""
    return np.clip(values, -MOST, MOST).astype("<f2").tobytes()


OF_A_PAIR = 6
"""Planes of both sides' colours."""


def largest_pair_bytes(edge: int) -> int:
    """Bytes of both sides' pictures of this edge."""
    return 2 * OF_A_PAIR * edge * edge


def unpack_pair(data: bytes) -> tuple[np.ndarray, np.ndarray]:
    """Both sides' pictures, (edge, edge, 3) float32 each, from their planes of half floats. Raises ImageError."""
    edge = math.isqrt(len(data) // (2 * OF_A_PAIR))
    if edge == 0 or len(data) != largest_pair_bytes(edge):
        raise ImageError("These are no pixels of a pair.", place="pixels", remedy="Send six square planes of half floats.")
    planes = np.nan_to_num(np.frombuffer(data, "<f2").astype(np.float32), posinf=MOST, neginf=-MOST)
    first, second = np.moveaxis(planes.reshape(2, 3, edge, edge), 1, -1)
    return first, second
