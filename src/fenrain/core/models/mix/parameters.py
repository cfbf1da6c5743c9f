"""What a mix is made of: how it blends, and its two surfaces.

A mix of materials of other models holds them as `Material.parts`, which give its surface; their OpenPBR forms stand in `first_…` and
`second_…` when it is converted.
"""

from fenrain.core.lobes.aspects import BODY
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.parameter import Parameters, choice, group_of, number
from fenrain.core.optics.arrays import Array

EVENLY, FACING, SLOPE = 0, 1, 2
FIRST, SECOND = PART_PREFIXES = ("first_", "second_")
"""How the values of the two parts are told apart."""


class Mix(Parameters):
    """What a mix is made of."""

    amount: Array = number(default=0.5, high=1.0, group=BODY, says="how much of the second material there is")
    blend_by: int = choice(
        default=EVENLY,
        options=((EVENLY, "amount alone"), (FACING, "facing angle"), (SLOPE, "slope")),
        group=BODY,
        says="what the amount is multiplied by: nothing, how far the view grazes, how far the surface faces up",
    )
    falloff: Array = number(default=5.0, high=100.0, usual=(1.0, 10.0), group=BODY, says="facing angle: power p of (1 − cos θ)^p")
    slope_from: Array = number(default=0.4, low=-1.0, high=1.0, group=BODY, says="slope: cosine to the vertical where the second begins")
    slope_to: Array = number(default=0.7, low=-1.0, high=1.0, group=BODY, says="slope: cosine to the vertical where it is whole")
    first: OpenPbr = group_of(OpenPbr, extra=False)
    second: OpenPbr = group_of(OpenPbr, extra=False)
