"""A metal or a non-metal by a switch, with refraction, volume, subsurface and a top coat."""

from fenrain.core.models.metal_switch.parameters import MetalSwitch
from fenrain.core.models.metal_switch.surface import surface
from fenrain.core.models.metal_switch.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model(
    "metal_switch",
    "Metal or not",
    MetalSwitch,
    surface,
    "common practice",
    to_hub=TO_HUB,
)
