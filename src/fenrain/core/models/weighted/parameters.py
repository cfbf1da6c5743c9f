"""What a weighted material is made of."""

from fenrain.core.lobes.aspects import BODY, CUT_OUT, GLOW, REFLECTION, TRANSMISSION, VOLUME
from fenrain.core.lobes.microfacet import DISTRIBUTIONS, GGX
from fenrain.core.models.extras import Extras
from fenrain.core.models.parameter import Role, choice, colour, flag, number
from fenrain.core.optics.arrays import Array


class Weighted(Extras):
    """What a weighted material is made of."""

    diffuse_weight: Array = number(default=0.8, usual=(0.0, 1.0), group=BODY, says="multiplies the diffuse colour")
    diffuse_color: Array = colour(role=Role.BASE_COLOR, default=1.0, usual=(0.02, 1.0), group=BODY, says="colour of the body")
    diffuse_roughness: Array = number(default=0.0, high=1.0, group=BODY, says="0 is Lambert; Oren & Nayar's σ in radians")
    specular_weight: Array = number(
        role=Role.SPECULAR_WEIGHT, default=0.0, usual=(0.0, 1.0), group=REFLECTION, says="multiplies the specular colour"
    )
    specular_color: Array = colour(
        role=Role.SPECULAR_COLOR, default=1.0, usual=(0.0, 1.0), group=REFLECTION, says="colour of the reflection"
    )
    specular_roughness: Array = number(role=Role.ROUGHNESS, default=0.4, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="α = r²")
    distribution: int = choice(default=GGX, options=DISTRIBUTIONS, group=REFLECTION, says="shape of the highlight")
    angle_dependent: bool = flag(default=True, group=REFLECTION, says="whether reflection grows towards grazing, by the index")
    ior: Array = number(role=Role.INDEX, default=1.5, low=0.01, high=100.0, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction")
    refraction_weight: Array = number(
        role=Role.TRANSMISSION, default=0.0, usual=(0.0, 1.0), group=TRANSMISSION, says="multiplies the refraction colour"
    )
    refraction_color: Array = colour(
        role=Role.TRANSMISSION_COLOR,
        default=1.0,
        usual=(0.0, 1.0),
        group=TRANSMISSION,
        under="refraction_weight",
        says="tint of what goes through the surface",
    )
    refraction_roughness: Array = number(
        default=0.0, high=1.0, group=TRANSMISSION, under="refraction_weight", says="roughness of what goes through"
    )
    transmittance: Array = colour(
        default=1.0, high=1.0, group=VOLUME, under="refraction_weight", says="what is left after one scene unit inside"
    )
    emission: Array = colour(role=Role.EMISSION_COLOR, default=0.0, group=GLOW, says="own light, relative to display white")
    opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
