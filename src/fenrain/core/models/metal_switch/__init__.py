"""A metal or a non-metal by a switch, with refraction, volume, subsurface and a top coat."""

from fenrain.core.models.metal_switch.lobes import look
from fenrain.core.models.metal_switch.parameters import PARAMETERS
from fenrain.core.models.metal_switch.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("metal_switch", "Metal or not", PARAMETERS, look, "common practice", TO_HUB)
