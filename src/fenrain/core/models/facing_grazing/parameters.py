"""What a material with facing and grazing colours is made of: a body and the lobes `broad`, `main` and `top`."""

from fenrain.core.lobes.aspects import BODY, COAT, CUT_OUT, GLOW, REFLECTION
from fenrain.core.lobes.microfacet import BECKMANN, DISTRIBUTIONS
from fenrain.core.models.extras import Extras
from fenrain.core.models.parameter import Parameters, Role, choice, colour, flag, group_of, number
from fenrain.core.optics.arrays import Array


class GlossLobe(Parameters):
    """One specular lobe."""

    weight: Array = number(default=0.0, usual=(0.0, 1.0), group=REFLECTION, says="strength of this lobe")
    facing: Array = colour(default=0.04, high=1.0, group=REFLECTION, under="weight", says="reflectance when facing")
    grazing: Array = colour(default=1.0, high=1.0, group=REFLECTION, under="weight", says="reflectance at grazing angles")
    falloff: Array = number(
        default=5.0,
        high=100.0,
        usual=(2.0, 10.0),
        group=REFLECTION,
        under="weight",
        says="how late the grazing colour comes: 0 leaves only it, 10 almost only the facing one",
    )
    by_index: bool = flag(default=False, group=REFLECTION, under="weight", says="whether index and extinction stand for the two colours")
    index: Array = colour(default=1.5, low=0.01, high=20.0, usual=(0.1, 4.0), group=REFLECTION, under="by_index", says="index n")
    extinction: Array = colour(default=0.0, high=20.0, group=REFLECTION, under="by_index", says="extinction k")
    roughness: Array = number(default=0.3, high=1.0, usual=(0.02, 1.0), group=REFLECTION, under="weight", says="α = r²")
    distribution: int = choice(default=BECKMANN, options=DISTRIBUTIONS, group=REFLECTION, under="weight", says="shape of the highlight")
    anisotropy: Array = number(
        default=0.0, low=-1.0, high=1.0, group=REFLECTION, under="weight", says="stretches the highlight; the sign chooses the direction"
    )
    rotation: Array = number(
        default=0.0, low=-6.2831854, high=6.2831854, unit="rad", group=REFLECTION, under="anisotropy", says="turns that direction"
    )


class FacingGrazing(Extras):
    """What a material with facing and grazing colours is made of."""

    diffuse_gain: Array = number(default=1.0, usual=(0.0, 1.0), group=BODY, says="multiplies the diffuse colour; 0 for a metal")
    diffuse: Array = colour(role=Role.BASE_COLOR, default=0.5, usual=(0.02, 0.9), group=BODY, says="colour of the body")
    diffuse_roughness: Array = number(default=0.0, high=1.0, group=BODY, says="0 is Lambert; Oren & Nayar's σ in radians")
    broad: GlossLobe = group_of(GlossLobe, {"roughness": {"default": 0.6}})
    main: GlossLobe = group_of(GlossLobe, {"weight": {"default": 1.0}, "roughness": {"role": Role.ROUGHNESS}})
    top: GlossLobe = group_of(GlossLobe, {"roughness": {"default": 0.05, "role": Role.COAT_ROUGHNESS}}, group=COAT)
    emission: Array = colour(role=Role.EMISSION_COLOR, default=0.0, group=GLOW, says="own light, relative to display white")
    opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
