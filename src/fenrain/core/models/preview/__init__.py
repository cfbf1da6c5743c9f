"""USD's preview surface, both workflows."""

from fenrain.core.models.preview.from_hub import RULES as FROM_HUB
from fenrain.core.models.preview.parameters import Preview
from fenrain.core.models.preview.surface import surface
from fenrain.core.models.preview.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model
from fenrain.core.models.target import RASTERISED, Profile, Target

MODEL = Model(
    "preview",
    "USD preview surface",
    Preview,
    surface,
    "UsdPreviewSurface 2.6; MaterialX 1.39",
    to_hub=TO_HUB,
    from_hub=FROM_HUB,
    targets=(Target(Profile(viewer=RASTERISED), "USD preview surface", "usd"),),
)
