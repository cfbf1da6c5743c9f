"""Sliders from 0 to 100, as in design and engineering packages."""

from fenrain.core.models.percent.lobes import look
from fenrain.core.models.percent.parameters import PARAMETERS
from fenrain.core.models.percent.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("percent", "Sliders of 0 to 100", PARAMETERS, look, "common practice", TO_HUB)
