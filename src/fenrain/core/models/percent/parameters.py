"""What a material of sliders from 0 to 100 is made of."""

from fenrain.core.models.extras import EXTRAS
from fenrain.core.models.parameter import BODY, CUT_OUT, GLOW, REFLECTION, TRANSMISSION, colour, number

PARAMETERS = (
    colour("color", default=0.5, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, or what shines through it"),
    number("reflectance", default=0.0, high=100.0, unit="%", usual=(0.0, 100.0), group=REFLECTION, says="share reflected when facing"),
    number("roughness", default=50.0, high=100.0, unit="%", usual=(1.0, 97.0), group=REFLECTION, says="α = (r/100)²"),
    number("translucency", default=0.0, high=100.0, unit="%", usual=(0.0, 100.0), group=TRANSMISSION, says="share that is seen through"),
    number(
        "index", default=1.5, low=1.0, high=20.0, usual=(1.0, 3.0), group=TRANSMISSION, under="translucency", says="index of refraction"
    ),
    number("luminance", default=0.0, unit="cd/m²", group=GLOW, says="own light"),
    colour("filter_color", default=1.0, high=1.0, group=GLOW, under="luminance", says="colour of the own light"),
    colour("sticker_color", default=1.0, high=1.0, group=BODY, says="picture laid over the surface"),
    number("sticker_mask", default=0.0, high=1.0, group=BODY, says="where the picture lies"),
    number("tile_width", default=0.0, unit="m", group=BODY, says="real width of a tile of the maps; 0 where the mesh says"),
    number("tile_height", default=0.0, unit="m", group=BODY, says="real height of a tile of the maps; 0 where the mesh says"),
    number("opacity", default=100.0, high=100.0, unit="%", group=CUT_OUT, says="0 lets everything behind show"),
    *EXTRAS,
)
