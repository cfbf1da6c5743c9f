"""Two materials of any model, blended."""

from fenrain.core.models.mix.lobes import look
from fenrain.core.models.mix.parameters import PARAMETERS
from fenrain.core.models.mix.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("mix", "Mix of two materials", PARAMETERS, look, "common practice", TO_HUB)
