"""The light of rigs as it falls on a sphere, along the fixed directions of the quick check: what pictures show, without one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path

import numpy as np

from fenrain.core.checking.directions import Directions, by_view, directions
from fenrain.core.rendering.rigs.registry import SKY_HEIGHT, rig_of
from fenrain.core.rendering.stands.registry import TILES, stand_of

AROUND = 6
"""Places on the sphere for each view, about the axis to the camera."""
STAND = "sphere"


TABLE = Path(__file__).with_name("rig_light.npz")
"""What the standing rigs send along every `TABLE_EVERY`th direction, as `compute_light_along` has it (`python -m bench.rig_light`):
working it out takes a second a rig, which every process would wait for."""
TABLE_EVERY = 4


@cache
def light_along(rig: str, every: int) -> np.ndarray:
    """Radiance times steradians from each of `directions(every)`, at each place: (3, views, directions, AROUND)."""
    known = _table() if every == TABLE_EVERY else {}
    return known[rig].astype(float) if rig in known else compute_light_along(rig, every)


@cache
def _table() -> Mapping[str, np.ndarray]:
    with np.load(TABLE) as stored:
        return {name: stored[name] for name in stored.files}


def compute_light_along(rig: str, every: int) -> np.ndarray:
    """The same, worked out from the rig."""
    at = directions(every)
    found = np.zeros((3, at.wi.shape[1], AROUND))
    for view in range(int(at.view[-1]) + 1):
        among = slice(*np.searchsorted(at.view, [view, view + 1]))
        steradians = at.weight[among] / at.cosines[view]
        for place in range(AROUND):
            # Views take turns in where they begin, so that together they cover the sphere more evenly.
            turn = 2.0 * np.pi * (place + view % 3 / 3.0) / AROUND
            found[:, among, place] = _radiance(rig, _in_the_scene(at, among, turn), steradians) * steradians
    return np.moveaxis(by_view(np.moveaxis(found, -1, 0), at.view), 0, -1)


def _in_the_scene(at: Directions, among: slice, turn: float) -> np.ndarray:
    """Directions to the light in the scene's frame, for a place on the sphere that is seen under the view's angle, `turn` about the axis to
    the camera: (3, n)."""
    eye, target = (np.array(place) for place in stand_of(STAND).camera)
    to_camera = (eye - target) / np.linalg.norm(eye - target)
    right = np.cross([0.0, 1.0, 0.0], to_camera)
    right /= np.linalg.norm(right)
    view = at.wo[:, among][:, 0]
    sine = float(np.hypot(view[0], view[1]))
    normal = view[2] * to_camera + sine * (np.cos(turn) * right + np.sin(turn) * np.cross(to_camera, right))
    towards = (to_camera - view[2] * normal) / sine
    across = np.cross(normal, towards)
    tangent, bitangent = (towards, across) if view[0] > view[1] else (-across, towards)
    return np.stack([tangent, bitangent, normal], axis=1) @ at.wi[:, among]


def _radiance(rig: str, direction: np.ndarray, steradians: np.ndarray) -> np.ndarray:
    """Mean radiance about each direction, over about as many steradians: (3, n)."""
    levels = _averaged(rig)
    texel = (np.pi / SKY_HEIGHT) ** 2
    level = np.clip(np.round(0.5 * np.log2(np.maximum(steradians / texel, 1.0))), 0, len(levels) - 1).astype(int)
    theta = np.arccos(np.clip(direction[1], -1.0, 1.0)) / np.pi
    phi = np.arctan2(direction[0], -direction[2]) / np.pi % 2.0
    found = np.zeros(direction.shape)
    for index in np.unique(level):
        here, sky = level == index, levels[index]
        row, column = ((share[here] * sky.shape[0]).astype(int) for share in (theta, phi))
        found[:, here] = sky[np.minimum(row, sky.shape[0] - 1), np.minimum(column, sky.shape[1] - 1)].T
    return found


@cache
def _averaged(rig: str) -> Sequence[np.ndarray]:
    """The sky above an even ground, at full size and averaged down by halves, weighted by the steradians of its rows."""
    sky = rig_of(rig).sky().astype(float)
    theta = (np.arange(SKY_HEIGHT) + 0.5) / SKY_HEIGHT * np.pi
    share = (np.sin(theta) * np.maximum(np.cos(theta), 0.0) * (np.pi / SKY_HEIGHT) ** 2)[:, None, None]
    sky[SKY_HEIGHT // 2 :] = np.mean(TILES) * (sky * share).sum(axis=(0, 1)) / np.pi
    levels = [sky]
    while levels[-1].shape[0] > 4:
        finer = levels[-1]
        weight = np.sin((np.arange(finer.shape[0]) + 0.5) / finer.shape[0] * np.pi).reshape(-1, 2, 1, 1, 1)
        pairs = finer.reshape(finer.shape[0] // 2, 2, finer.shape[1] // 2, 2, 3)
        levels.append((pairs * weight).sum(axis=(1, 3)) / (2.0 * weight.sum(axis=1)[:, 0]))
    return levels
