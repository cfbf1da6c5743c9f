"""One small lamp and nothing else: shows the highlight alone, and how dark the rest is."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig, disc, towards

LAMP, LAMP_RADIUS = 830.0, 2.0


def lamps(directions: np.ndarray) -> np.ndarray:
    return LAMP * disc(directions, towards(-34.0, 44.0), LAMP_RADIUS) * np.ones(3)


RIG = Rig("single_lamp", "Single lamp", "the highlight alone, without surroundings", 6, lamps=lamps, stands_by=True)
