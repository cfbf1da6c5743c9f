"""Diffuse, specular and an exponent: the model of the MTL material file."""

from fenrain.core.models.exponent.from_hub import RULES as FROM_HUB
from fenrain.core.models.exponent.parameters import Exponent
from fenrain.core.models.exponent.surface import surface
from fenrain.core.models.exponent.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model
from fenrain.core.models.target import RASTERISED, Profile, Target

MODEL = Model(
    "exponent",
    "Diffuse, specular, exponent",
    Exponent,
    surface,
    "MTL material file format, 1995",
    to_hub=TO_HUB,
    from_hub=FROM_HUB,
    targets=(Target(Profile(viewer=RASTERISED), "MTL", "mtl"),),
    called="mtl",
)
