"""Weight times colour for diffuse, specular and refraction, added up."""

from fenrain.core.models.registry import Model
from fenrain.core.models.weighted.lobes import look
from fenrain.core.models.weighted.parameters import PARAMETERS
from fenrain.core.models.weighted.to_hub import RULES as TO_HUB

MODEL = Model("weighted", "Weights and colours", PARAMETERS, look, "common practice", TO_HUB)
