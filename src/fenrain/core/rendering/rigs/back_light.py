"""A small bright lamp behind the body, in a dim room: shows what comes through, and what scatters on the way."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig, disc, soft_edge, towards

LAMP, LAMP_RADIUS = 560.0, 2.0
BEHIND = towards(168.0, 14.0)


def surroundings(directions: np.ndarray) -> np.ndarray:
    wall = 0.34 * soft_edge(directions @ towards(180.0, 10.0), 10, 60)
    room = 0.1 + 0.05 * np.clip(directions[..., 1], 0.0, 1.0)
    return (wall + room)[..., None] * np.ones(3)


def lamps(directions: np.ndarray) -> np.ndarray:
    return LAMP * disc(directions, BEHIND, LAMP_RADIUS) * np.ones(3)


RIG = Rig("back_light", "Back light", "what comes through and what scatters on the way", 4, surroundings, lamps, stands_by=True)
