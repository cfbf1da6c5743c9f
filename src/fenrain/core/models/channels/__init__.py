"""The channels of forward-shaded games."""

from fenrain.core.models.channels.parameters import Channels
from fenrain.core.models.channels.surface import surface
from fenrain.core.models.channels.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model(
    "channels",
    "Forward-shaded channels",
    Channels,
    surface,
    "common practice",
    to_hub=TO_HUB,
)
