"""The mean difference of brightness."""

import numpy as np

from fenrain.core.checking.metrics.registry import Metric, Pair


def brightness(pair: Pair) -> float:
    return float(np.abs(pair.original.mean(axis=-1) - pair.converted.mean(axis=-1))[pair.body].mean())


METRICS = (Metric("brightness", "Brightness", "mean difference of the channels' mean", brightness, 900),)
