"""The same light from everywhere: shows what a surface keeps of it, and nothing else."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig


def surroundings(directions: np.ndarray) -> np.ndarray:
    return np.ones(directions.shape)


RIG = Rig("even_white", "Even white", "what a surface keeps of the light, without shadow or highlight", 7, surroundings, stands_by=True)
