"""What an exponent material is made of: the statements of the MTL format, by plain names."""

from fenrain.core.models.extras import RELIEF_EXTRAS
from fenrain.core.models.parameter import (
    BODY,
    CUT_OUT,
    GLOW,
    REFLECTION,
    RELIEF,
    TRANSMISSION,
    choice,
    colour,
    number,
)

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

PARAMETERS = (
    colour("ambient", default=0.0, group=BODY, says="answer to even light from everywhere (Ka)"),
    colour("diffuse", default=0.8, usual=(0.02, 0.9), group=BODY, says="colour of the body (Kd)"),
    colour("specular", default=0.0, usual=(0.0, 1.0), group=REFLECTION, says="colour of the highlight (Ks)"),
    number("exponent", default=10.0, high=100000.0, usual=(0.0, 1000.0), group=REFLECTION, says="narrowness of the highlight (Ns)"),
    choice(
        "highlight",
        default=0,
        options=((0, "halfway"), (1, "mirror direction")),
        group=REFLECTION,
        says="the direction that the exponent is taken about",
    ),
    choice("illum", default=2, options=ILLUM, group=REFLECTION, says="which terms are used (illum)"),
    number("ior", default=1.0, usual=(1.0, 3.0), group=TRANSMISSION, says="index of refraction (Ni)"),
    colour("filter", default=1.0, group=TRANSMISSION, says="what passes through (Tf)"),
    colour("emission", default=0.0, group=GLOW, says="own light, relative to display white (Ke)"),
    number("dissolve", default=1.0, high=1.0, group=CUT_OUT, says="1 is opaque (d)"),
    *RELIEF_EXTRAS,
    number("displacement", default=0.0, low=-1000.0, group=RELIEF, says="height that moves the surface (disp)"),
    number("decal", default=0.0, group=BODY, says="mask that chooses texture over colour (decal)"),
    colour("reflection_image", default=0.0, group=REFLECTION, says="painted surroundings (refl)"),
)
