"""The light of rigs, turned about the vertical: what comes from a direction, and directions drawn by it.

The skies of several rigs lie in one table, and each lane says which lights it, so that pictures under all of them are taken in one go.

Reference: Pharr, Jakob & Humphreys 2016, Physically Based Rendering, §14.2.4: an environment sampled by its rows, then within a row.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from fenrain.core.optics.arrays import PI
from fenrain.core.rendering.engine import dr, held, held_table, mi
from fenrain.core.rendering.rigs.registry import SKY_HEIGHT, Rig, rig_of

WIDTH = 2 * SKY_HEIGHT
DARKEST = 1e-3
"""Share of the mean that the darkest place of a sky counts as where directions are drawn."""


class Sky:
    """Light from infinitely far away. chosen: rigs by their ids, to which lanes point by number; turn: degrees about the vertical, held as
    opaque numbers, so that another turn needs no new kernel."""

    def __init__(self, chosen: tuple[str, ...], turn: float) -> None:
        self._tables = _tables(chosen)
        angle = np.radians(turn)
        self._cos, self._sin = held(np.cos(angle)), held(np.sin(angle))

    def radiance(self, rig: Any, direction: Any, active: Any) -> Any:
        """From unit directions of the scene."""
        texel = self._texel(rig, direction, active)
        return mi.Color3f(texel[0], texel[1], texel[2])

    def lamp_share(self, rig: Any, direction: Any, active: Any) -> Any:
        """How much of that comes from lamps, 0…1."""
        return self._texel(rig, direction, active)[3]

    def _texel(self, rig: Any, direction: Any, active: Any) -> Any:
        across, down = self._place(direction)
        x, y = across * WIDTH + (WIDTH - 0.5), dr.clip(down * SKY_HEIGHT - 0.5, 0.0, SKY_HEIGHT - 1.001)
        left, top = mi.UInt32(x), mi.UInt32(y)
        first, second = ((rig * SKY_HEIGHT + top) * WIDTH + column % WIDTH for column in (left, left + 1))
        texels = [[dr.gather(mi.Vector4f, self._tables.radiance, index + row, active) for index in (first, second)] for row in (0, WIDTH)]
        upper, lower = (dr.lerp(before, after, x - mi.Float(left)) for before, after in texels)
        return dr.select(active, dr.lerp(upper, lower, y - mi.Float(top)), 0.0)

    def pdf(self, rig: Any, direction: Any, active: Any) -> Any:
        """Density (1/sr) with which `sample` gives a direction."""
        across, down = self._place(direction)
        column, row = (dr.minimum(mi.UInt32(part * size), size - 1) for part, size in ((across, WIDTH), (down, SKY_HEIGHT)))
        return dr.select(active, self._density(rig, row, column, direction.y), 0.0)

    def sample(self, rig: Any, numbers: Any, active: Any) -> tuple[Any, Any, Any]:
        """(direction, radiance divided by its density, density) for two numbers of 0…1."""
        begin = rig * SKY_HEIGHT
        row, down = _drawn(self._tables.rows, begin, SKY_HEIGHT, numbers.y)
        column, across = _drawn(self._tables.columns, (begin + row) * WIDTH, WIDTH, numbers.x)
        theta, phi = (mi.Float(row) + down) * (PI / SKY_HEIGHT), (mi.Float(column) + across) * (2.0 * PI / WIDTH)
        (sin_theta, cos_theta), (sin_phi, cos_phi) = dr.sincos(theta), dr.sincos(phi)
        direction = self._out_of(mi.Vector3f(sin_theta * sin_phi, cos_theta, -sin_theta * cos_phi))
        density = dr.select(active, self._density(rig, row, column, cos_theta), 0.0)
        return direction, self.radiance(rig, direction, active) / dr.maximum(density, 1e-12), density

    def _density(self, rig: Any, row: Any, column: Any, cos_theta: Any) -> Any:
        sin_theta = dr.sqrt(dr.maximum(1.0 - cos_theta * cos_theta, 1e-12))
        return dr.gather(mi.Float, self._tables.density, (rig * SKY_HEIGHT + row) * WIDTH + column) / sin_theta

    def _place(self, direction: Any) -> tuple[Any, Any]:
        """Across and down the picture of a sky, 0…1 each."""
        x = self._cos * direction.x - self._sin * direction.z
        z = self._sin * direction.x + self._cos * direction.z
        across = dr.atan2(x, -z) * (0.5 / PI)
        return across - dr.floor(across), dr.safe_acos(direction.y) / PI

    def _out_of(self, d: Any) -> Any:
        return mi.Vector3f(self._cos * d.x + self._sin * d.z, d.y, self._cos * d.z - self._sin * d.x)


@dataclass(frozen=True)
class _Tables:
    """Of some rigs. radiance: colour and share of lamps of each texel, skies below each other; rows, columns: cumulative shares of rows,
    and of texels within their row; density: of each texel, per unit of the sphere's azimuth and inclination."""

    radiance: Any
    rows: Any
    columns: Any
    density: Any


@lru_cache(maxsize=6)
def _tables(chosen: tuple[str, ...]) -> _Tables:
    return _Tables(*(held_table(np.concatenate(parts)) for parts in zip(*(_of_rig(rig_of(rig)) for rig in chosen), strict=True)))


@lru_cache(maxsize=8)
def _of_rig(rig: Rig) -> tuple[np.ndarray, ...]:
    """A rig's part of each table, (n,) float32."""
    sky = rig.sky()
    shares = _shares(sky)
    of_rows = shares.sum(axis=1)
    texels = np.concatenate([sky, rig.lamp_shares()[..., None]], axis=2)
    columns = np.cumsum(shares, axis=1) / of_rows[:, None]
    density = shares * (SKY_HEIGHT * WIDTH / (2.0 * np.pi**2))
    return tuple(table.astype(np.float32).ravel() for table in (texels, np.cumsum(of_rows), columns, density))


def _shares(sky: np.ndarray) -> np.ndarray:
    """How often each texel is drawn, (height, width), 1 in all: by its light, as it is blended into its neighbours."""
    light = sky.mean(axis=2, dtype=np.float64)
    for axis, mode in ((0, "edge"), (1, "wrap")):
        padded = np.pad(light, [(1, 1) if along == axis else (0, 0) for along in (0, 1)], mode=mode)  # type: ignore[call-overload]
        before, after = np.delete(padded, (-2, -1), axis), np.delete(padded, (0, 1), axis)
        light = 0.125 * before + 0.75 * light + 0.125 * after
    light = np.maximum(light, DARKEST * light.mean())
    light *= np.sin((np.arange(SKY_HEIGHT) + 0.5) / SKY_HEIGHT * np.pi)[:, None]
    return np.asarray(light / light.sum())


def _drawn(cumulative: Any, begin: Any, count: int, number: Any) -> tuple[Any, Any]:
    """(which of so many cells, where in it 0…1), from the cumulative shares that begin at a place of a table."""
    cell: Any = dr.binary_search(  # type: ignore[no-untyped-call]
        0, count - 1, lambda at: dr.gather(mi.Float, cumulative, begin + at) <= number
    )
    above = dr.gather(mi.Float, cumulative, begin + cell)
    below = dr.select(cell > 0, dr.gather(mi.Float, cumulative, begin + dr.maximum(cell, 1) - 1), 0.0)
    return cell, dr.clip((number - below) / dr.maximum(above - below, 1e-12), 0.0, 1.0 - 1e-6)
