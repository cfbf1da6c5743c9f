"""What a weighted material is made of."""

from fenrain.core.lobes.microfacet import DISTRIBUTIONS, GGX
from fenrain.core.models.extras import EXTRAS
from fenrain.core.models.parameter import BODY, CUT_OUT, GLOW, REFLECTION, TRANSMISSION, VOLUME, choice, colour, flag, number

PARAMETERS = (
    number("diffuse_weight", default=0.8, usual=(0.0, 1.0), group=BODY, says="multiplies the diffuse colour"),
    colour("diffuse_color", default=1.0, usual=(0.02, 1.0), group=BODY, says="colour of the body"),
    number("diffuse_roughness", default=0.0, high=1.0, group=BODY, says="0 is Lambert; Oren & Nayar's σ in radians"),
    number("specular_weight", default=0.0, usual=(0.0, 1.0), group=REFLECTION, says="multiplies the specular colour"),
    colour("specular_color", default=1.0, usual=(0.0, 1.0), group=REFLECTION, says="colour of the reflection"),
    number("specular_roughness", default=0.4, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="α = r²"),
    choice("distribution", default=GGX, options=DISTRIBUTIONS, group=REFLECTION, says="shape of the highlight"),
    flag("angle_dependent", default=True, group=REFLECTION, says="whether reflection grows towards grazing, by the index"),
    number("ior", default=1.5, low=0.01, high=100.0, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction"),
    number("refraction_weight", default=0.0, usual=(0.0, 1.0), group=TRANSMISSION, says="multiplies the refraction colour"),
    colour(
        "refraction_color",
        default=1.0,
        usual=(0.0, 1.0),
        group=TRANSMISSION,
        under="refraction_weight",
        says="tint of what goes through the surface",
    ),
    number(
        "refraction_roughness",
        default=0.0,
        high=1.0,
        group=TRANSMISSION,
        under="refraction_weight",
        says="roughness of what goes through",
    ),
    colour(
        "transmittance",
        default=1.0,
        high=1.0,
        group=VOLUME,
        under="refraction_weight",
        says="what is left after one scene unit inside",
    ),
    colour("emission", default=0.0, group=GLOW, says="own light, relative to display white"),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show"),
    *EXTRAS,
)
