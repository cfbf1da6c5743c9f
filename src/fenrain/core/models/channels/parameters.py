"""What a material of forward-shaded channels is made of."""

from fenrain.core.lobes.aspects import BODY, CUT_OUT, GLOW, REFLECTION, RELIEF, TRANSMISSION
from fenrain.core.models.extras import Extras
from fenrain.core.models.parameter import Role, choice, colour, number
from fenrain.core.optics.arrays import Array

STANDARD, FLAT, UNLIT, STRETCHED = 0, 1, 2, 3
OPAQUE, CUT_OUT_BLEND, BLENDED, ADDITIVE, MULTIPLIED, BLENDED_BELOW = 0, 1, 2, 3, 4, 5


class Channels(Extras):
    """What a material of forward-shaded channels is made of."""

    diffuse: Array = colour(role=Role.BASE_COLOR, default=0.5, usual=(0.02, 0.9), group=BODY, says="colour of the body")
    diffuse_falloff: Array = number(
        default=1.0, low=0.1, high=50.0, usual=(0.5, 3.0), group=BODY, says="power on the fall-off of the light, cosᵖ"
    )
    specular: Array = colour(role=Role.SPECULAR_COLOR, default=0.0, usual=(0.0, 1.0), group=REFLECTION, says="colour of the highlight")
    exponent: Array = number(default=20.0, high=100000.0, usual=(1.0, 1000.0), group=REFLECTION, says="narrowness of the highlight")
    lighting: int = choice(
        default=STANDARD,
        options=((STANDARD, "standard"), (FLAT, "flat"), (UNLIT, "unlit"), (STRETCHED, "stretched highlight")),
        group=BODY,
        says="how light is answered",
    )
    emission: Array = colour(
        role=Role.EMISSION_COLOR, default=0.0, usual=(0.0, 10.0), group=GLOW, says="own light, relative to display white; above 1 it glows"
    )
    opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show, where blended")
    mask: Array = number(default=1.0, high=1.0, group=CUT_OUT, says="cut-out mask; maps only")
    mask_cutoff: Array = number(default=0.5, high=1.0, group=CUT_OUT, says="mask below which a cut-out is open")
    blend: int = choice(
        default=OPAQUE,
        options=(
            (OPAQUE, "opaque"),
            (CUT_OUT_BLEND, "cut-out"),
            (BLENDED, "blended"),
            (ADDITIVE, "additive"),
            (MULTIPLIED, "multiplied"),
            (BLENDED_BELOW, "blended below the highlight"),
        ),
        group=CUT_OUT,
        says="how the surface joins what lies behind it",
    )
    bleed: Array = colour(default=0.0, high=1.0, group=TRANSMISSION, says="colour of light that bleeds through thin parts")
    bleed_mask: Array = number(default=1.0, high=1.0, group=TRANSMISSION, under="bleed", says="where it bleeds through")
    bending: Array = number(
        default=0.0,
        low=-10.0,
        high=10.0,
        group=TRANSMISSION,
        says="shifts the picture of what lies behind",
    )
    vertex_offset: Array = colour(
        role=Role.DISPLACEMENT,
        default=0.0,
        low=-1000.0,
        group=RELIEF,
        unit="scene units",
        says="moves the surface",
    )
