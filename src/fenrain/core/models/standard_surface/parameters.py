"""The parameters of `standard_surface` (MaterialX 1.39, version 1.0.1), by its names and with its defaults."""

from fenrain.core.lobes.aspects import BODY, COAT, CUT_OUT, FUZZ, GLOW, REFLECTION, RELIEF, TRANSMISSION, VOLUME
from fenrain.core.models.parameter import Parameters, Role, colour, flag, normal_map, number
from fenrain.core.optics.arrays import Array


class StandardSurface(Parameters):
    """The parameters of `standard_surface` (MaterialX 1.39, version 1.0.1), by its names and with its defaults."""

    base: Array = number(default=1.0, high=1.0, group=BODY, says="multiplies the base colour")
    base_color: Array = colour(
        role=Role.BASE_COLOR, default=0.8, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, and of a metal when facing"
    )
    diffuse_roughness: Array = number(
        role=Role.BODY_ROUGHNESS, default=0.0, high=1.0, group=BODY, says="0 is Lambert; rougher is flatter and darker"
    )
    metalness: Array = number(role=Role.METALNESS, default=0.0, high=1.0, group=BODY, says="0 dielectric, 1 metal")
    specular: Array = number(
        role=Role.SPECULAR_WEIGHT, default=1.0, high=1.0, group=REFLECTION, says="multiplies the reflection of a dielectric"
    )
    specular_color: Array = colour(
        role=Role.SPECULAR_COLOR, default=1.0, high=1.0, group=REFLECTION, says="tint of the reflection; of a metal, its edge colour"
    )
    specular_roughness: Array = number(
        role=Role.ROUGHNESS, default=0.2, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="perceptual roughness, α = r²"
    )
    specular_IOR: Array = number(
        role=Role.INDEX, default=1.5, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction", idle_at=("metalness", 1.0)
    )
    specular_anisotropy: Array = number(role=Role.ANISOTROPY, default=0.0, high=1.0, group=REFLECTION, says="stretches the highlight")
    specular_rotation: Array = number(
        role=Role.ROTATION,
        default=0.0,
        high=1.0,
        unit="turns",
        group=REFLECTION,
        under="specular_anisotropy",
        says="turns the stretch backwards about the normal",
    )
    transmission: Array = number(role=Role.TRANSMISSION, default=0.0, high=1.0, group=TRANSMISSION, says="how much of the body is clear")
    transmission_color: Array = colour(
        role=Role.TRANSMISSION_COLOR,
        default=1.0,
        high=1.0,
        group=TRANSMISSION,
        under="transmission",
        says="tint, at the depth if one is given",
    )
    transmission_depth: Array = number(
        role=Role.TRANSMISSION_DEPTH,
        default=0.0,
        unit="scene units",
        group=VOLUME,
        under="transmission",
        says="where the tint is reached; 0 tints at the surface",
    )
    transmission_scatter: Array = colour(default=0.0, high=1.0, group=VOLUME, under="transmission", says="scattering inside")
    transmission_scatter_anisotropy: Array = number(
        default=0.0, low=-1.0, high=1.0, group=VOLUME, under="transmission", says="forward above 0, back below"
    )
    transmission_dispersion: Array = number(
        default=0.0, group=TRANSMISSION, under="transmission", says="Abbe number of the parting of colours; 0 for none"
    )
    transmission_extra_roughness: Array = number(
        default=0.0, low=-1.0, high=1.0, group=TRANSMISSION, under="transmission", says="added to the roughness for what goes through"
    )
    subsurface: Array = number(
        role=Role.SUBSURFACE, default=0.0, high=1.0, group=VOLUME, says="how much of the body scatters light below its surface"
    )
    subsurface_color: Array = colour(
        role=Role.SUBSURFACE_COLOR, default=1.0, high=1.0, group=VOLUME, under="subsurface", says="colour that comes back out"
    )
    subsurface_radius: Array = colour(
        default=1.0, unit="scene units", group=VOLUME, under="subsurface", says="how far light travels below the surface, by channel"
    )
    subsurface_scale: Array = number(default=1.0, group=VOLUME, under="subsurface", says="multiplies the radius")
    subsurface_anisotropy: Array = number(
        default=0.0, low=-1.0, high=1.0, group=VOLUME, under="subsurface", says="forward above 0, back below"
    )
    sheen: Array = number(role=Role.FUZZ, default=0.0, high=1.0, group=FUZZ, says="how much sheen lies over the body")
    sheen_color: Array = colour(default=1.0, high=1.0, group=FUZZ, under="sheen", says="colour of the sheen")
    sheen_roughness: Array = number(
        role=Role.FUZZ_ROUGHNESS, default=0.3, high=1.0, group=FUZZ, under="sheen", says="how widely the sheen spreads"
    )
    coat: Array = number(role=Role.COAT, default=0.0, high=1.0, group=COAT, says="how much of the surface is coated")
    coat_color: Array = colour(default=1.0, high=1.0, group=COAT, under="coat", says="what the coat lets through, there and back")
    coat_roughness: Array = number(
        role=Role.COAT_ROUGHNESS, default=0.1, high=1.0, group=COAT, under="coat", says="perceptual roughness of the coat"
    )
    coat_anisotropy: Array = number(default=0.0, high=1.0, group=COAT, under="coat", says="stretches the coat's highlight")
    coat_rotation: Array = number(default=0.0, high=1.0, unit="turns", group=COAT, under="coat_anisotropy", says="turns the coat's stretch")
    coat_IOR: Array = number(
        role=Role.COAT_INDEX, default=1.5, usual=(1.0, 3.0), group=COAT, under="coat", says="index of refraction of the coat"
    )
    coat_normal: Array = normal_map(
        role=Role.COAT_NORMAL,
        group=RELIEF,
        under="coat",
        says="tangent-space normal map of the coat",
    )
    coat_affect_color: Array = number(default=0.0, high=1.0, group=COAT, under="coat", says="deepens the colours below the coat")
    coat_affect_roughness: Array = number(default=0.0, high=1.0, group=COAT, under="coat", says="roughens what lies below a rough coat")
    thin_film_thickness: Array = number(default=0.0, unit="nm", group=COAT, says="thickness of an interference film; 0 for none")
    thin_film_IOR: Array = number(
        role=Role.FILM_INDEX, default=1.5, usual=(1.0, 3.0), group=COAT, under="thin_film_thickness", says="index of refraction of the film"
    )
    emission: Array = number(role=Role.EMISSION_WEIGHT, default=0.0, group=GLOW, says="amount of own light, relative to display white")
    emission_color: Array = colour(
        role=Role.EMISSION_COLOR, default=1.0, group=GLOW, under="emission", says="colour of the surface's own light"
    )
    opacity: Array = colour(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
    thin_walled: bool = flag(default=False, group=CUT_OUT, says="a sheet without an inside")
    normal: Array = normal_map(role=Role.NORMAL, says="tangent-space normal map")
