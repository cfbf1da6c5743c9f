"""What a mix is made of: how it blends, and its two surfaces.

A mix of materials of other models holds them as `Material.parts`, which give its look; their OpenPBR forms stand in `first_…` and
`second_…` when it is converted.
"""

from dataclasses import replace

from fenrain.core.material import PART_PREFIXES
from fenrain.core.models.open_pbr.parameters import PARAMETERS as SURFACE
from fenrain.core.models.parameter import BODY, Parameter, choice, number

EVENLY, FACING, SLOPE = 0, 1, 2
FIRST, SECOND = PART_PREFIXES


def _of(prefix: str, parameter: Parameter) -> Parameter:
    return replace(parameter, name=prefix + parameter.name, under=parameter.under and prefix + parameter.under, extra=False)


PARAMETERS = (
    number("amount", default=0.5, high=1.0, group=BODY, says="how much of the second material there is"),
    choice(
        "blend_by",
        default=EVENLY,
        options=((EVENLY, "amount alone"), (FACING, "facing angle"), (SLOPE, "slope")),
        group=BODY,
        says="what the amount is multiplied by: nothing, how far the view grazes, how far the surface faces up",
    ),
    number("falloff", default=5.0, high=100.0, usual=(1.0, 10.0), group=BODY, says="facing angle: power p of (1 − cos θ)^p"),
    number("slope_from", default=0.4, low=-1.0, high=1.0, group=BODY, says="slope: cosine to the vertical where the second begins"),
    number("slope_to", default=0.7, low=-1.0, high=1.0, group=BODY, says="slope: cosine to the vertical where it is whole"),
    *(_of(FIRST, parameter) for parameter in SURFACE),
    *(_of(SECOND, parameter) for parameter in SURFACE),
)
