"""What a specular-glossiness material is made of. Defaults are those of KHR_materials_pbrSpecularGlossiness."""

from fenrain.core.models.extras import EXTRAS
from fenrain.core.models.parameter import BODY, CUT_OUT, GLOW, REFLECTION, choice, colour, number

PARAMETERS = (
    colour("diffuse", default=1.0, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body under even light"),
    colour("specular", default=1.0, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="reflectance at normal incidence (F0)"),
    number("glossiness", default=1.0, high=1.0, usual=(0.2, 0.95), group=REFLECTION, says="1 is a perfect mirror, 0 fully rough"),
    colour("emission", default=0.0, group=GLOW, says="colour of the surface's own light"),
    number("emission_strength", default=1.0, unit="cd/m²", group=GLOW, under="emission", says="luminance of white emission"),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, under="alpha_mode", says="0 lets everything behind show"),
    choice("alpha_mode", default=0, options=((0, "opaque"), (1, "cut-out"), (2, "blended")), group=CUT_OUT, says="how opacity is used"),
    number("alpha_cutoff", default=0.5, high=1.0, group=CUT_OUT, under="alpha_mode", says="opacity below which a cut-out is open"),
    *EXTRAS,
)
