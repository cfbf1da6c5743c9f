"""The light of a kit as a latitude-longitude picture, and a light of six colours by which its orientation is seen."""

from __future__ import annotations

import numpy as np

from fenrain.core.rendering.rigs.registry import OPENED, SKY_HEIGHT, Rig, sky_directions
from fenrain.core.rendering.stands.registry import TILES

STEPS = 2 * SKY_HEIGHT
"""A light is turned by whole columns of its picture, so that nothing of it is blurred."""
SIDES = {
    "right": ((1, 0, 0), (0.9, 0.1, 0.1)),
    "left": ((-1, 0, 0), (0.1, 0.75, 0.75)),
    "above": ((0, 1, 0), (0.9, 0.9, 0.9)),
    "below": ((0, -1, 0), (0.05, 0.05, 0.05)),
    "camera": ((0, 0, 1), (0.15, 0.7, 0.15)),
    "behind": ((0, 0, -1), (0.6, 0.2, 0.75)),
}
"""By where light comes from: the direction, y up and z to the camera's side, and the colour of the orientation light there."""


def whole_turn(degrees: float) -> float:
    """The nearest turn that a picture of the light can take on, degrees."""
    return round(degrees * STEPS / 360.0) * 360.0 / STEPS


def light_picture(rig: Rig, turn: float) -> np.ndarray:
    """The rig's light, turned, (512, 1024, 3) float32: its middle is what comes from +z, the camera's side, a quarter from its left edge
    +x, as the OpenEXR library's environment maps have it."""
    return np.roll(rig.sky(), -round(turn * STEPS / 360.0), axis=1)


def orientation_light() -> np.ndarray:
    """Each of six sides in its own colour, (512, 1024, 3) float32."""
    directions = sky_directions()
    axes = np.array([axis for axis, _ in SIDES.values()], dtype=float)
    colours = np.array([colour for _, colour in SIDES.values()])
    return colours[(directions @ axes.T).argmax(axis=-1)].astype(np.float32)


def light_at(picture: np.ndarray, directions: np.ndarray) -> np.ndarray:
    """What a picture of light (h, 2h, 3) sends from unit directions (…, 3), its nearest texel."""
    height, width = picture.shape[:2]
    across = np.arctan2(directions[..., 0], -directions[..., 2]) / (2.0 * np.pi) % 1.0
    down = np.arccos(np.clip(directions[..., 1], -1.0, 1.0)) / np.pi
    return picture[np.minimum((down * height).astype(int), height - 1), np.minimum((across * width).astype(int), width - 1)]


def mirror_ball(picture: np.ndarray, edge: int) -> np.ndarray:
    """A mirror ball under this light, seen from +z from far away, (edge, edge, 3), black around it."""
    rows, columns = np.mgrid[0:edge, 0:edge]
    x, y = (2.0 * columns + 1.0) / edge - 1.0, 1.0 - (2.0 * rows + 1.0) / edge
    z = np.sqrt(np.maximum(1.0 - x * x - y * y, 0.0))
    mirrored = np.stack([2.0 * z * x, 2.0 * z * y, 2.0 * z * z - 1.0], axis=-1)
    return np.where((x * x + y * y < 1.0)[..., None], light_at(picture, mirrored), 0.0)


def irradiance(picture: np.ndarray, normal: np.ndarray, *, has_ground: bool) -> np.ndarray:
    """What falls on a surface from this light, (3,). has_ground: from below comes what the ground of a stand sends up, its shadows left
    out."""
    directions = sky_directions()
    theta = (np.arange(SKY_HEIGHT) + 0.5) / SKY_HEIGHT * np.pi
    steradians = (np.sin(theta) * (np.pi / SKY_HEIGHT) ** 2)[:, None, None]
    facing, above = np.maximum(directions @ normal, 0.0)[..., None], directions[..., 1:2] > 0.0
    if not has_ground:
        return np.asarray((picture * facing * steradians).sum(axis=(0, 1)))
    on_ground = (picture * np.maximum(directions[..., 1:2], 0.0) * steradians).sum(axis=(0, 1))
    ground = on_ground * float(np.mean(TILES)) / np.pi
    return np.asarray((np.where(above, picture, ground) * facing * steradians).sum(axis=(0, 1)))


def reoriented(rig: Rig, name: str, axes: np.ndarray) -> Rig:
    """A rig whose light comes from `axes` (3, 3) times where it should."""
    turned = axes.T
    return OPENED.keep(
        Rig(
            f"{rig.id} {name}",
            f"{rig.title}, {name}",
            rig.says,
            100,
            lambda directions: rig.surroundings(directions @ turned),
            lambda directions: rig.lamps(directions @ turned),
            stands_by=True,
        )
    )
