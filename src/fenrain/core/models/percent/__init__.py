"""Sliders from 0 to 100, as in design and engineering packages."""

from fenrain.core.models.percent.parameters import Percent
from fenrain.core.models.percent.surface import surface
from fenrain.core.models.percent.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model(
    "percent",
    "Sliders of 0 to 100",
    Percent,
    surface,
    "common practice",
    to_hub=TO_HUB,
)
