"""The channels of forward-shaded games."""

from fenrain.core.models.channels.lobes import look
from fenrain.core.models.channels.parameters import PARAMETERS
from fenrain.core.models.channels.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("channels", "Forward-shaded channels", PARAMETERS, look, "common practice", TO_HUB)
