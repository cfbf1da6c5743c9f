"""What a material with a metal switch is made of."""

from fenrain.core.models.extras import EXTRAS
from fenrain.core.models.parameter import BODY, COAT, CUT_OUT, GLOW, REFLECTION, TRANSMISSION, VOLUME, choice, colour, flag, number

ROUGHNESS, GLOSSINESS = 0, 1

PARAMETERS = (
    flag("metal", default=False, group=BODY, says="metal or non-metal, nothing between"),
    colour("base_color", default=0.5, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, or of the metal when facing"),
    choice(
        "stated_as",
        default=ROUGHNESS,
        options=((ROUGHNESS, "roughness"), (GLOSSINESS, "glossiness")),
        group=REFLECTION,
        says="what the three finish values say",
    ),
    number("finish", default=0.3, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="of the reflection; as roughness, α = r²"),
    number("ior", default=1.5, low=1.0, high=20.0, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction of a non-metal"),
    number("refraction", default=0.0, high=1.0, group=TRANSMISSION, says="share of the body that is clear"),
    number("refraction_finish", default=0.0, high=1.0, group=TRANSMISSION, under="refraction", says="of what goes through"),
    flag("thin_walled", default=False, group=TRANSMISSION, says="a sheet without an inside"),
    colour("absorption_color", default=1.0, high=1.0, group=VOLUME, under="refraction", says="colour at the absorption distance"),
    number(
        "absorption_distance",
        default=1.0,
        unit="scene units",
        group=VOLUME,
        under="refraction",
        says="where that colour is reached; 0 tints at the surface",
    ),
    colour("scattering", default=0.0, high=1.0, group=VOLUME, under="refraction", says="share scattered over the absorption distance"),
    number("subsurface", default=0.0, high=1.0, group=VOLUME, says="share of the body in which light wanders"),
    colour("subsurface_color", default=0.5, high=1.0, group=VOLUME, under="subsurface", says="colour that comes back out"),
    colour("subsurface_radius", default=0.1, unit="scene units", group=VOLUME, under="subsurface", says="how far light wanders"),
    number("coat", default=0.0, high=1.0, group=COAT, says="amount of the top coat"),
    number("coat_finish", default=0.0, high=1.0, group=COAT, under="coat", says="of the top coat"),
    number("coat_ior", default=1.5, low=1.0, high=20.0, usual=(1.0, 3.0), group=COAT, under="coat", says="index of the top coat"),
    colour("emission", default=0.0, group=GLOW, says="own light, relative to display white"),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show"),
    *EXTRAS,
)
