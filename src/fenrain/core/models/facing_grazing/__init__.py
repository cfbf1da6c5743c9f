"""Up to three specular lobes, each with a facing and a grazing colour."""

from fenrain.core.models.facing_grazing.parameters import FacingGrazing
from fenrain.core.models.facing_grazing.surface import surface
from fenrain.core.models.facing_grazing.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model(
    "facing_grazing",
    "Facing and grazing colours",
    FacingGrazing,
    surface,
    "common practice",
    to_hub=TO_HUB,
)
