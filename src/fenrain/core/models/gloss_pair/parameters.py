"""What a material with two glossinesses is made of."""

from fenrain.core.lobes.microfacet import DISTRIBUTIONS, GGX
from fenrain.core.models.extras import EXTRAS
from fenrain.core.models.parameter import BODY, CUT_OUT, GLOW, REFLECTION, TRANSMISSION, VOLUME, choice, colour, flag, number

PARAMETERS = (
    colour("diffuse", default=0.5, usual=(0.02, 0.9), group=BODY, says="colour of the body"),
    colour("reflection", default=0.0, high=1.0, usual=(0.0, 1.0), group=REFLECTION, says="share of light that the surface reflects"),
    number("reflection_glossiness", default=1.0, high=1.0, usual=(0.4, 0.99), group=REFLECTION, says="1 is a mirror, α = (1 − g)²"),
    flag("highlight_apart", default=False, group=REFLECTION, says="whether lights are mirrored with a glossiness of their own"),
    number(
        "highlight_glossiness",
        default=1.0,
        high=1.0,
        usual=(0.4, 0.99),
        group=REFLECTION,
        under="highlight_apart",
        says="glossiness of what mirrors lights",
    ),
    flag("angle_dependent", default=True, group=REFLECTION, says="whether reflection grows towards grazing, by the index"),
    choice("distribution", default=GGX, options=DISTRIBUTIONS, group=REFLECTION, says="shape of the highlight"),
    number("ior", default=1.5, low=0.01, high=100.0, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction"),
    colour("refraction", default=0.0, high=1.0, usual=(0.0, 1.0), group=TRANSMISSION, says="share of light that goes through"),
    number(
        "refraction_glossiness",
        default=1.0,
        high=1.0,
        usual=(0.4, 0.99),
        group=TRANSMISSION,
        under="refraction",
        says="1 is clear; about 0.8 frosted",
    ),
    flag("thin_walled", default=False, group=TRANSMISSION, under="refraction", says="a sheet without an inside"),
    colour("volume_color", default=1.0, high=1.0, group=VOLUME, under="refraction", says="tint of the inside"),
    number(
        "volume_strength",
        default=1.0,
        usual=(0.0, 10.0),
        unit="1/scene unit",
        group=VOLUME,
        under="refraction",
        says="deepens the tint; the colour is reached after 1 ÷ strength",
    ),
    colour("emission", default=0.0, group=GLOW, says="own light, relative to display white"),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show"),
    *EXTRAS,
)
