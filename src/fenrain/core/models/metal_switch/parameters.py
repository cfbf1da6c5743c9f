"""What a material with a metal switch is made of."""

from fenrain.core.lobes.aspects import BODY, COAT, CUT_OUT, GLOW, REFLECTION, TRANSMISSION, VOLUME
from fenrain.core.models.extras import Extras
from fenrain.core.models.parameter import Role, choice, colour, flag, number
from fenrain.core.optics.arrays import Array

ROUGHNESS, GLOSSINESS = 0, 1


class MetalSwitch(Extras):
    """What a material with a metal switch is made of."""

    metal: bool = flag(default=False, group=BODY, says="metal or non-metal, nothing between")
    base_color: Array = colour(
        role=Role.BASE_COLOR, default=0.5, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, or of the metal when facing"
    )
    stated_as: int = choice(
        default=ROUGHNESS,
        options=((ROUGHNESS, "roughness"), (GLOSSINESS, "glossiness")),
        group=REFLECTION,
        says="what the three finish values say",
    )
    finish: Array = number(
        default=0.3,
        high=1.0,
        usual=(0.02, 1.0),
        group=REFLECTION,
        says="of the reflection; as roughness, α = r²",
        turned_by=("stated_as", GLOSSINESS),
    )
    ior: Array = number(
        role=Role.INDEX, default=1.5, low=1.0, high=20.0, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction of a non-metal"
    )
    refraction: Array = number(role=Role.TRANSMISSION, default=0.0, high=1.0, group=TRANSMISSION, says="share of the body that is clear")
    refraction_finish: Array = number(
        default=0.0, high=1.0, group=TRANSMISSION, under="refraction", says="of what goes through", turned_by=("stated_as", GLOSSINESS)
    )
    thin_walled: bool = flag(default=False, group=TRANSMISSION, says="a sheet without an inside")
    absorption_color: Array = colour(
        role=Role.TRANSMISSION_COLOR, default=1.0, high=1.0, group=VOLUME, under="refraction", says="colour at the absorption distance"
    )
    absorption_distance: Array = number(
        role=Role.TRANSMISSION_DEPTH,
        default=1.0,
        unit="scene units",
        group=VOLUME,
        under="refraction",
        says="where that colour is reached; 0 tints at the surface",
    )
    scattering: Array = colour(default=0.0, high=1.0, group=VOLUME, under="refraction", says="share scattered over the absorption distance")
    subsurface: Array = number(
        role=Role.SUBSURFACE, default=0.0, high=1.0, group=VOLUME, says="share of the body that scatters light below its surface"
    )
    subsurface_color: Array = colour(
        role=Role.SUBSURFACE_COLOR, default=0.5, high=1.0, group=VOLUME, under="subsurface", says="colour that comes back out"
    )
    subsurface_radius: Array = colour(
        default=0.1, unit="scene units", group=VOLUME, under="subsurface", says="how far light travels below the surface"
    )
    coat: Array = number(role=Role.COAT, default=0.0, high=1.0, group=COAT, says="amount of the top coat")
    coat_finish: Array = number(
        default=0.0, high=1.0, group=COAT, under="coat", says="of the top coat", turned_by=("stated_as", GLOSSINESS)
    )
    coat_ior: Array = number(
        role=Role.COAT_INDEX, default=1.5, low=1.0, high=20.0, usual=(1.0, 3.0), group=COAT, under="coat", says="index of the top coat"
    )
    emission: Array = colour(role=Role.EMISSION_COLOR, default=0.0, group=GLOW, says="own light, relative to display white")
    opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
