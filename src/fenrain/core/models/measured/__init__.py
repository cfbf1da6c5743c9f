"""A metal by its measured index and extinction."""

from fenrain.core.models.measured.parameters import Measured
from fenrain.core.models.measured.surface import surface
from fenrain.core.models.measured.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model(
    "measured",
    "Measured conductor",
    Measured,
    surface,
    "Born & Wolf §14.2; CIE 015:2018",
    to_hub=TO_HUB,
)
