"""Diffuse, specular and an exponent: the model of the MTL material file."""

from fenrain.core.models.exponent.from_hub import RULES as FROM_HUB
from fenrain.core.models.exponent.lobes import look
from fenrain.core.models.exponent.parameters import PARAMETERS
from fenrain.core.models.exponent.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("exponent", "Diffuse, specular, exponent", PARAMETERS, look, "MTL material file format, 1995", TO_HUB, FROM_HUB)
