"""FLIP: how different two pictures look when they are alternated. Reference: Andersson et al. 2020, by the authors' own evaluator."""

from __future__ import annotations

import numpy as np
from flip_evaluator import evaluate

from fenrain.core.checking.metrics.registry import Metric

FIELD_OF_VIEW_PIXELS = 67.0
"""Pixels per degree at which a picture is judged, the default of FLIP: a monitor 0.7 m away."""


def flip(original: np.ndarray, converted: np.ndarray) -> float:
    """Mean FLIP of two linear pictures, clipped at white."""
    pictures = [np.ascontiguousarray(np.clip(picture, 0.0, 1.0), dtype=np.float32) for picture in (original, converted)]
    _, mean, _ = evaluate(*pictures, "LDR", inputsRGB=False, computeMeanError=True, parameters={"ppd": FIELD_OF_VIEW_PIXELS})
    return float(mean)


METRICS = (Metric("flip", "FLIP, mean", "of the whole picture, ground included", lambda pair: flip(pair.original, pair.converted), 21),)
