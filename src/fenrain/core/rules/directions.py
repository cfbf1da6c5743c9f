"""Angles of directions and directions of angles, texel by texel, by the standard nodes of MaterialX: by what stretched highlights turn.

glTF holds a direction in red and green (KHR_materials_anisotropy: −1…1 as 0…1), other models the angle from the tangent.
"""

from __future__ import annotations

from fenrain.core.rules.nodes import PREFIX
from fenrain.core.steps import ValueStep
from fenrain.core.values import Computed, Constant, Stepped, Value


def angle_of(across: Value, along: Value, turned: float) -> Value:
    """Radians from the tangent towards the bitangent. across, along: components −1…1 of the direction, one channel each; turned: more."""
    angle = Computed(f"{PREFIX}.atan2", "out", (("iny", along), ("inx", across)))
    return Computed(f"{PREFIX}.add", "out", (("in1", angle), ("in2", Constant(turned)))) if turned else angle


def direction_of(angle: Value) -> tuple[Value, Value]:
    """(across, along) of the direction at this angle, −1…1 as 0…1."""
    across, along = (Stepped(Computed(f"{PREFIX}.{node}", "out", (("in", angle),)), AS_STORED, 1.0, 1) for node in ("cos", "sin"))
    return across, along


AS_STORED = (ValueStep(scale=0.5), ValueStep(offset=0.5))
