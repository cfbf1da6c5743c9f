"""USD's preview surface, both workflows."""

from fenrain.core.models.preview.from_hub import RULES as FROM_HUB
from fenrain.core.models.preview.lobes import look
from fenrain.core.models.preview.parameters import PARAMETERS
from fenrain.core.models.preview.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("preview", "USD preview surface", PARAMETERS, look, "UsdPreviewSurface 2.6; MaterialX 1.39", TO_HUB, FROM_HUB)
