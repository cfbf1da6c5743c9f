"""What a material of forward-shaded channels is made of."""

from fenrain.core.models.extras import EXTRAS
from fenrain.core.models.parameter import BODY, CUT_OUT, GLOW, REFLECTION, RELIEF, TRANSMISSION, choice, colour, number

STANDARD, FLAT, UNLIT, STRETCHED = 0, 1, 2, 3
OPAQUE, CUT_OUT_BLEND, BLENDED, ADDITIVE, MULTIPLIED = 0, 1, 2, 3, 4

PARAMETERS = (
    colour("diffuse", default=0.5, usual=(0.02, 0.9), group=BODY, says="colour of the body"),
    number(
        "diffuse_falloff", default=1.0, low=0.1, high=50.0, usual=(0.5, 3.0), group=BODY, says="power on the fall-off of the light, cosᵖ"
    ),
    colour("specular", default=0.0, usual=(0.0, 1.0), group=REFLECTION, says="colour of the highlight"),
    number("exponent", default=20.0, high=100000.0, usual=(1.0, 1000.0), group=REFLECTION, says="narrowness of the highlight"),
    choice(
        "lighting",
        default=STANDARD,
        options=((STANDARD, "standard"), (FLAT, "flat"), (UNLIT, "unlit"), (STRETCHED, "stretched highlight")),
        group=BODY,
        says="how light is answered",
    ),
    colour("emission", default=0.0, usual=(0.0, 10.0), group=GLOW, says="own light, relative to display white; above 1 it glows"),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show, where blended"),
    number("mask", default=1.0, high=1.0, group=CUT_OUT, says="cut-out mask; maps only"),
    number("mask_cutoff", default=0.5, high=1.0, group=CUT_OUT, says="mask below which a cut-out is open"),
    choice(
        "blend",
        default=OPAQUE,
        options=((OPAQUE, "opaque"), (CUT_OUT_BLEND, "cut-out"), (BLENDED, "blended"), (ADDITIVE, "additive"), (MULTIPLIED, "multiplied")),
        group=CUT_OUT,
        says="how the surface joins what lies behind it",
    ),
    colour("bleed", default=0.0, high=1.0, group=TRANSMISSION, says="colour of light that bleeds through thin parts"),
    number("bleed_mask", default=1.0, high=1.0, group=TRANSMISSION, under="bleed", says="where it bleeds through"),
    number("bending", default=0.0, low=-10.0, high=10.0, group=TRANSMISSION, says="shifts the picture of what lies behind"),
    colour("vertex_offset", default=0.0, low=-1000.0, group=RELIEF, unit="scene units", says="moves the surface"),
    *EXTRAS,
)
