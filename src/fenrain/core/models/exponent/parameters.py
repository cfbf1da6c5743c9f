"""What an exponent material is made of: the statements of the MTL format, by plain names."""

from fenrain.core.lobes.aspects import BODY, CUT_OUT, GLOW, REFLECTION, RELIEF, TRANSMISSION
from fenrain.core.models.extras import BumpExtras
from fenrain.core.models.parameter import Role, choice, colour, number
from fenrain.core.optics.arrays import Array

ILLUM = (
    (0, "colour, no shading"),
    (1, "diffuse"),
    (2, "diffuse and highlight"),
    (3, "and mirrored surroundings"),
    (4, "glass"),
    (5, "mirror with Fresnel"),
    (6, "refraction"),
    (7, "refraction with Fresnel"),
    (8, "mirrored image, not traced"),
    (9, "glass, not traced"),
    (10, "shadow on what is not seen"),
)


class Exponent(BumpExtras):
    """What an exponent material is made of: the statements of the MTL format, by plain names."""

    ambient: Array = colour(default=0.0, group=BODY, says="answer to even light from everywhere (Ka)")
    diffuse: Array = colour(role=Role.BASE_COLOR, default=0.8, usual=(0.02, 0.9), group=BODY, says="colour of the body (Kd)")
    specular: Array = colour(role=Role.SPECULAR_COLOR, default=0.0, usual=(0.0, 1.0), group=REFLECTION, says="colour of the highlight (Ks)")
    exponent: Array = number(default=10.0, high=100000.0, usual=(0.0, 1000.0), group=REFLECTION, says="narrowness of the highlight (Ns)")
    highlight: int = choice(
        default=0,
        options=((0, "halfway"), (1, "mirror direction")),
        group=REFLECTION,
        says="the direction that the exponent is taken about",
    )
    illum: int = choice(default=2, options=ILLUM, group=REFLECTION, says="which terms are used (illum)")
    ior: Array = number(role=Role.INDEX, default=1.0, usual=(1.0, 3.0), group=TRANSMISSION, says="index of refraction (Ni)")
    filter: Array = colour(default=1.0, group=TRANSMISSION, says="what passes through (Tf)")
    emission: Array = colour(role=Role.EMISSION_COLOR, default=0.0, group=GLOW, says="own light, relative to display white (Ke)")
    dissolve: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="1 is opaque (d)")
    displacement: Array = number(
        role=Role.DISPLACEMENT,
        default=0.0,
        low=-1000.0,
        group=RELIEF,
        says="height that moves the surface (disp)",
    )
    decal: Array = number(
        default=0.0,
        group=BODY,
        says="mask that chooses texture over colour (decal)",
        undrawn="a decal's choice between map and colour is not drawn",
    )
    reflection_image: Array = colour(default=0.0, group=REFLECTION, says="painted surroundings (refl)", role=Role.PAINTED_REFLECTION)
