"""What a specular-glossiness material is made of. Defaults are those of KHR_materials_pbrSpecularGlossiness."""

from fenrain.core.lobes.aspects import BODY, CUT_OUT, GLOW, REFLECTION
from fenrain.core.models.extras import Extras
from fenrain.core.models.parameter import WHITE, Role, choice, colour, number
from fenrain.core.optics.arrays import Array


class SpecGloss(Extras):
    """What a specular-glossiness material is made of. Defaults are those of KHR_materials_pbrSpecularGlossiness."""

    diffuse: Array = colour(
        role=Role.BASE_COLOR, default=1.0, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body under even light"
    )
    specular: Array = colour(
        role=Role.SPECULAR_COLOR, default=1.0, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="reflectance at normal incidence (F0)"
    )
    glossiness: Array = number(
        role=Role.GLOSSINESS, default=1.0, high=1.0, usual=(0.2, 0.95), group=REFLECTION, says="1 is a perfect mirror, 0 fully rough"
    )
    emission: Array = colour(role=Role.EMISSION_COLOR, default=0.0, group=GLOW, says="colour of the surface's own light")
    emission_strength: Array = number(
        role=Role.EMISSION_WEIGHT, default=1.0, unit=WHITE, group=GLOW, under="emission", says="multiplies it"
    )
    opacity: Array = number(
        role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, under="alpha_mode", says="0 lets everything behind show"
    )
    alpha_mode: int = choice(default=0, options=((0, "opaque"), (1, "cut-out"), (2, "blended")), group=CUT_OUT, says="how opacity is used")
    alpha_cutoff: Array = number(default=0.5, high=1.0, group=CUT_OUT, under="alpha_mode", says="opacity below which a cut-out is open")
