"""FLIP: how different two pictures look when they are alternated. Reference: Andersson et al. 2020, by the authors' own evaluator."""

from __future__ import annotations

import numpy as np
from flip_evaluator import evaluate

from fenrain.core.checking.metrics.registry import Metric

FIELD_OF_VIEW_PIXELS = 67.0
"""Pixels per degree at which a picture is judged, the default of FLIP: a monitor 0.7 m away."""


def flip_map(original: np.ndarray, converted: np.ndarray) -> np.ndarray:
    """FLIP of each pixel of two linear pictures (h, w, 3), clipped at white: (h, w) float32, 0 for equal ones to 1."""
    pictures = [np.ascontiguousarray(np.clip(picture, 0.0, 1.0), dtype=np.float32) for picture in (original, converted)]
    found, _, _ = evaluate(*pictures, "LDR", inputsRGB=False, applyMagma=False, parameters={"ppd": FIELD_OF_VIEW_PIXELS})
    return np.asarray(found, np.float32)[..., 0]


def flip(original: np.ndarray, converted: np.ndarray) -> float:
    """The mean over the picture."""
    return float(flip_map(original, converted).mean(dtype=np.float64))


METRICS = (Metric("flip", "FLIP, mean", "of the whole picture, ground included", lambda pair: flip(pair.original, pair.converted), 21),)
