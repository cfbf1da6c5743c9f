"""Diffuse, reflection and refraction, each of the last two with a colour and a glossiness of its own."""

from fenrain.core.models.gloss_pair.parameters import GlossPair
from fenrain.core.models.gloss_pair.surface import surface
from fenrain.core.models.gloss_pair.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model(
    "gloss_pair",
    "Reflection and refraction glossiness",
    GlossPair,
    surface,
    "common practice",
    to_hub=TO_HUB,
)
