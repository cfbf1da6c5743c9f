"""Two materials of any model, blended."""

from fenrain.core.models.mix.parameters import Mix
from fenrain.core.models.mix.surface import surface
from fenrain.core.models.mix.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model(
    "mix",
    "Mix of two materials",
    Mix,
    surface,
    "common practice",
    to_hub=TO_HUB,
)
