"""A lattice of thin bars that stands behind what light goes through: what bends or blurs shows in it, and little light is kept off."""

import numpy as np

from fenrain.core.geometry import box, joined
from fenrain.core.rendering.stands.registry import Prop

HALF_WIDTH, HEIGHT, STEP, BAR, REFLECTANCE = 2.4, 2.6, 0.4, 0.045, 0.7


def lattice(floor: float, behind: float = -2.2) -> Prop:
    """floor: where it stands; behind: its place on z."""
    across, up = np.arange(-HALF_WIDTH, HALF_WIDTH + 0.01, STEP), floor + 0.02 + np.arange(STEP, HEIGHT + 0.01, STEP)
    upright = [box("bar", (x - BAR, floor + 0.02, behind - BAR), (x + BAR, up[-1], behind + BAR)) for x in across]
    level = [box("bar", (-HALF_WIDTH, y - BAR, behind - 3 * BAR), (HALF_WIDTH, y + BAR, behind - BAR)) for y in up]
    return Prop(joined("lattice", [*upright, *level]), REFLECTANCE)
