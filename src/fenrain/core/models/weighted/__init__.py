"""Weight times colour for diffuse, specular and refraction, added up."""

from fenrain.core.models.registry import Model
from fenrain.core.models.weighted.parameters import Weighted
from fenrain.core.models.weighted.surface import surface
from fenrain.core.models.weighted.to_hub import RULES as TO_HUB

MODEL = Model(
    "weighted",
    "Weights and colours",
    Weighted,
    surface,
    "common practice",
    to_hub=TO_HUB,
)
