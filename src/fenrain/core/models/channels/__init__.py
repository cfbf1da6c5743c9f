"""The channels of forward-shaded games."""

from fenrain.core.models.channels.parameters import ADDITIVE, MULTIPLIED, Channels
from fenrain.core.models.channels.surface import surface
from fenrain.core.models.channels.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model, Undrawn

BENT_THROUGH_A_SHEET = Undrawn(
    ("bending",),
    "what lies behind a surface that is added or multiplied is drawn where it is, not bent",
    lambda case: not case.is_at("bending", 0.0) and (case.is_at("blend", ADDITIVE) or case.is_at("blend", MULTIPLIED)),
)

MODEL = Model(
    "channels",
    "Forward-shaded channels",
    Channels,
    surface,
    "common practice",
    to_hub=TO_HUB,
    undrawn=(BENT_THROUGH_A_SHEET,),
)
