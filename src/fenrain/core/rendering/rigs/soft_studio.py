"""A large soft key, a dim fill and a strip: shows body colour, and the shape of highlights."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig, panel, soft_edge, towards


def surroundings(directions: np.ndarray) -> np.ndarray:
    top = 0.55 * soft_edge(directions[..., 1], 20, 70)
    room = 0.16 + 0.06 * directions[..., 1]
    return (top + room)[..., None] * np.ones(3)


def lamps(directions: np.ndarray) -> np.ndarray:
    key = 4.2 * panel(directions, towards(-48, 42), 26, 22)
    fill = 1.1 * panel(directions, towards(62, 22), 18, 30)
    strip = 2.4 * panel(directions, towards(148, 35), 8, 34)
    return (key + fill + strip)[..., None] * np.ones(3)


RIG = Rig("soft_studio", "Soft studio", "body colour and the shape of highlights", 1, surroundings, lamps)
