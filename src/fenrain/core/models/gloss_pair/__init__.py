"""Diffuse, reflection and refraction, each of the last two with a colour and a glossiness of its own."""

from fenrain.core.models.gloss_pair.parameters import GlossPair
from fenrain.core.models.gloss_pair.surface import surface
from fenrain.core.models.gloss_pair.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model, Undrawn

LAMPS_APART = Undrawn(
    ("lamp_glossiness",),
    "no light rig tells lamps from everything else around yet, so half of the reflection is drawn with each glossiness",
    lambda case: case.is_at("lamps_apart", True) and case.value("lamp_glossiness") != case.value("reflection_glossiness"),
)

MODEL = Model(
    "gloss_pair",
    "Reflection and refraction glossiness",
    GlossPair,
    surface,
    "common practice",
    to_hub=TO_HUB,
    undrawn=(LAMPS_APART,),
)
