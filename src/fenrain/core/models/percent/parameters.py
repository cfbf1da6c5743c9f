"""What a material of sliders from 0 to 100 is made of."""

from fenrain.core.lobes.aspects import BODY, CUT_OUT, GLOW, REFLECTION, TRANSMISSION
from fenrain.core.models.extras import Extras
from fenrain.core.models.parameter import Role, colour, number
from fenrain.core.optics.arrays import Array


class Percent(Extras):
    """What a material of sliders from 0 to 100 is made of."""

    color: Array = colour(
        role=Role.BASE_COLOR, default=0.5, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, or what shines through it"
    )
    reflectance: Array = number(default=0.0, high=100.0, unit="%", usual=(0.0, 100.0), group=REFLECTION, says="share reflected when facing")
    roughness: Array = number(default=50.0, high=100.0, unit="%", usual=(1.0, 97.0), group=REFLECTION, says="α = (r/100)²")
    translucency: Array = number(
        role=Role.TRANSMISSION, default=0.0, high=100.0, unit="%", usual=(0.0, 100.0), group=TRANSMISSION, says="share that is seen through"
    )
    index: Array = number(
        role=Role.INDEX,
        default=1.5,
        low=1.0,
        high=20.0,
        usual=(1.0, 3.0),
        group=TRANSMISSION,
        under="translucency",
        says="index of refraction",
    )
    emission_luminance: Array = number(role=Role.EMISSION_WEIGHT, default=0.0, unit="cd/m²", group=GLOW, says="own light")
    emission_color: Array = colour(
        role=Role.EMISSION_COLOR, default=1.0, high=1.0, group=GLOW, under="emission_luminance", says="colour of the own light"
    )
    white_luminance: Array = number(
        default=100.0,
        low=1e-3,
        unit="cd/m²",
        group=GLOW,
        under="emission_luminance",
        says="luminance that the project takes for display white",
    )
    sticker_color: Array = colour(default=1.0, high=1.0, group=BODY, says="picture laid over the surface")
    sticker_mask: Array = number(default=0.0, high=1.0, group=BODY, says="where the picture lies")
    tile_width: Array = number(
        role=Role.TILE_WIDTH,
        default=0.0,
        unit="m",
        group=BODY,
        says="real width of a tile of the maps; 0 where the mesh says",
    )
    tile_height: Array = number(
        role=Role.TILE_HEIGHT,
        default=0.0,
        unit="m",
        group=BODY,
        says="real height of a tile of the maps; 0 where the mesh says",
    )
    opacity: Array = number(role=Role.OPACITY, default=100.0, high=100.0, unit="%", group=CUT_OUT, says="0 lets everything behind show")
