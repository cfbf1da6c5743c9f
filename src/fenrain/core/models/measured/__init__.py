"""A metal by its measured index and extinction."""

from fenrain.core.models.measured.lobes import look
from fenrain.core.models.measured.parameters import PARAMETERS
from fenrain.core.models.measured.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("measured", "Measured conductor", PARAMETERS, look, "Born & Wolf §14.2; CIE 015:2018", TO_HUB)
