"""What a material with two glossinesses is made of."""

from fenrain.core.lobes.aspects import BODY, CUT_OUT, GLOW, REFLECTION, TRANSMISSION, VOLUME
from fenrain.core.lobes.microfacet import DISTRIBUTIONS, GGX
from fenrain.core.models.extras import Extras
from fenrain.core.models.parameter import Role, choice, colour, flag, number
from fenrain.core.optics.arrays import Array


class GlossPair(Extras):
    """What a material with two glossinesses is made of."""

    diffuse: Array = colour(role=Role.BASE_COLOR, default=0.5, usual=(0.02, 0.9), group=BODY, says="colour of the body")
    reflection: Array = colour(
        role=Role.SPECULAR_COLOR, default=0.0, high=1.0, usual=(0.0, 1.0), group=REFLECTION, says="share of light that the surface reflects"
    )
    reflection_glossiness: Array = number(
        role=Role.GLOSSINESS, default=1.0, high=1.0, usual=(0.4, 0.99), group=REFLECTION, says="1 is a mirror, α = (1 − g)²"
    )
    lamps_apart: bool = flag(default=False, group=REFLECTION, says="whether lights are mirrored with a glossiness of their own")
    lamp_glossiness: Array = number(
        default=1.0, high=1.0, usual=(0.4, 0.99), group=REFLECTION, under="lamps_apart", says="glossiness of what mirrors lights"
    )
    lamp_color: Array = colour(
        default=1.0, high=1.0, group=REFLECTION, under="lamps_apart", says="what lights are mirrored with, times the reflection"
    )
    angle_dependent: bool = flag(default=True, group=REFLECTION, says="whether reflection grows towards grazing, by the index")
    distribution: int = choice(default=GGX, options=DISTRIBUTIONS, group=REFLECTION, says="shape of the highlight")
    ior: Array = number(role=Role.INDEX, default=1.5, low=0.01, high=100.0, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction")
    refraction: Array = colour(
        role=Role.TRANSMISSION, default=0.0, high=1.0, usual=(0.0, 1.0), group=TRANSMISSION, says="share of light that goes through"
    )
    refraction_glossiness: Array = number(
        default=1.0, high=1.0, usual=(0.4, 0.99), group=TRANSMISSION, under="refraction", says="1 is clear; about 0.8 frosted"
    )
    thin_walled: bool = flag(default=False, group=TRANSMISSION, under="refraction", says="a sheet without an inside")
    volume_color: Array = colour(default=1.0, high=1.0, group=VOLUME, under="refraction", says="tint of the inside")
    volume_strength: Array = number(
        default=1.0,
        usual=(0.0, 10.0),
        unit="1/scene unit",
        group=VOLUME,
        under="refraction",
        says="deepens the tint; the colour is reached after 1 ÷ strength",
    )
    emission: Array = colour(role=Role.EMISSION_COLOR, default=0.0, group=GLOW, says="own light, relative to display white")
    opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
