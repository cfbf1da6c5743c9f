"""Tileable patterns from fixed seeds, and images of them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from fenrain.core.colour import linear_to_srgb
from fenrain.core.maps.image import write_png


def noise(size: int, seed: int, slope: float = 1.6, lowest: float = 2.0) -> np.ndarray:
    """Tileable noise 0…1 whose spectrum falls as 1/f^slope above `lowest` waves a tile, (size, size)."""
    random = np.random.default_rng(seed)
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(size) * size, np.fft.rfftfreq(size) * size, indexing="ij"))
    spectrum = np.where(frequency >= lowest, np.maximum(frequency, lowest) ** -slope, 0.0)
    field = np.fft.irfft2(spectrum * np.fft.rfft2(random.standard_normal((size, size))), s=(size, size))
    ranks = np.argsort(np.argsort(field.ravel()))
    return (ranks / (ranks.size - 1)).reshape(size, size)


def cells(size: int, count: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Tileable cells: (a random shade for each texel's cell, distance to the nearest border 0…1)."""
    random = np.random.default_rng(seed)
    points = random.random((count, 2))
    tiled = np.concatenate([points + np.array([x, y]) for x in (-1, 0, 1) for y in (-1, 0, 1)])
    places = np.stack(np.meshgrid(np.arange(size), np.arange(size), indexing="xy"), axis=-1) / size
    distance, index = cKDTree(tiled).query(places.reshape(-1, 2), k=2)
    border = (distance[:, 1] - distance[:, 0]) * np.sqrt(count)
    shade = random.random(count)[index[:, 0] % count]
    return shade.reshape(size, size), np.clip(border, 0, 1).reshape(size, size)


def bricks(size: int, rows: int, columns: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Running bond: (a shade for each brick, height 0 in the joints to 1 on the face)."""
    y, x = np.meshgrid(np.arange(size) / size * rows, np.arange(size) / size * columns, indexing="ij")
    row = np.floor(y).astype(int)
    x = x + 0.5 * (row % 2)
    column = np.floor(x).astype(int) % columns
    shade = np.random.default_rng(seed).random((rows, columns))[row % rows, column]
    edge = np.minimum(np.minimum(y % 1, 1 - y % 1) / rows, np.minimum(x % 1, 1 - x % 1) / columns)
    return shade, smoothstep(0.004, 0.014, edge)


def weave(size: int, threads: int) -> np.ndarray:
    """Height 0…1 of a plain weave."""
    y, x = np.meshgrid(np.arange(size) / size * threads, np.arange(size) / size * threads, indexing="ij")
    over = (np.floor(x) + np.floor(y)) % 2
    warp, weft = np.sin(np.pi * (x % 1)), np.sin(np.pi * (y % 1))
    return np.where(over == 0, warp * (0.55 + 0.45 * weft), weft * (0.55 + 0.45 * warp))


def smoothstep(low: float, high: float, x: np.ndarray) -> np.ndarray:
    t = np.clip((x - low) / (high - low), 0.0, 1.0)
    return t * t * (3 - 2 * t)


def mixed(a: tuple[float, float, float], b: tuple[float, float, float], t: np.ndarray) -> np.ndarray:
    """Colour a where t = 0, b where t = 1, (…, 3)."""
    return np.asarray(a) + (np.asarray(b) - np.asarray(a)) * t[..., None]


def save(path: Path, colour: np.ndarray, alpha: np.ndarray | None = None, *, srgb: bool = True) -> Path:
    """Write values 0…1 as an 8-bit PNG; colours encoded as sRGB where `srgb`, alpha never."""
    texels = linear_to_srgb(colour) if srgb else np.clip(colour, 0, 1)
    texels = texels if texels.ndim == 3 else texels[..., None]
    if alpha is not None:
        texels = np.concatenate([texels, np.clip(alpha, 0, 1)[..., None]], axis=-1)
    write_png(path, texels)
    return path
