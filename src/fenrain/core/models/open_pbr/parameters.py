"""The parameters of `open_pbr_surface` (MaterialX 1.39), by its names and with its defaults; its tangents as turns of the mesh's own."""

from fenrain.core.lobes.aspects import BODY, COAT, CUT_OUT, FUZZ, GLOW, REFLECTION, RELIEF, TRANSMISSION, VOLUME
from fenrain.core.models.parameter import WHITE, Parameters, Role, colour, flag, normal_map, number
from fenrain.core.optics.arrays import Array


class OpenPbr(Parameters):
    """The parameters of `open_pbr_surface`, by its names and with its defaults."""

    base_weight: Array = number(default=1.0, high=1.0, group=BODY, says="multiplies the base colour")
    base_color: Array = colour(
        role=Role.BASE_COLOR, default=0.8, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, and of a metal when facing"
    )
    base_diffuse_roughness: Array = number(role=Role.BODY_ROUGHNESS, default=0.0, high=1.0, group=BODY, says="0 is Lambert, 1 is chalk")
    base_metalness: Array = number(role=Role.METALNESS, default=0.0, high=1.0, group=BODY, says="0 dielectric, 1 metal")
    subsurface_weight: Array = number(
        role=Role.SUBSURFACE, default=0.0, high=1.0, group=VOLUME, says="how much of the body scatters light below its surface"
    )
    subsurface_color: Array = colour(
        role=Role.SUBSURFACE_COLOR, default=0.8, high=1.0, group=VOLUME, under="subsurface_weight", says="colour that comes back out"
    )
    subsurface_radius: Array = number(
        default=1.0, unit="scene units", group=VOLUME, under="subsurface_weight", says="how far light travels below the surface"
    )
    subsurface_radius_scale: Array = colour(
        default=(1.0, 0.5, 0.25), high=1.0, group=VOLUME, under="subsurface_weight", says="the same by channel"
    )
    subsurface_scatter_anisotropy: Array = number(
        default=0.0, low=-1.0, high=1.0, group=VOLUME, under="subsurface_weight", says="forward above 0, back below"
    )
    specular_weight: Array = number(
        role=Role.SPECULAR_WEIGHT, default=1.0, usual=(0.0, 1.0), group=REFLECTION, says="scales F0, or the whole lobe of a metal"
    )
    specular_color: Array = colour(
        role=Role.SPECULAR_COLOR, default=1.0, high=1.0, group=REFLECTION, says="tint of the reflection; of a metal near 82°"
    )
    specular_roughness: Array = number(
        role=Role.ROUGHNESS, default=0.3, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="perceptual roughness, α = r²"
    )
    specular_ior: Array = number(
        role=Role.INDEX,
        default=1.5,
        usual=(1.0, 3.0),
        group=REFLECTION,
        says="index of refraction",
        idle_at=("base_metalness", 1.0),
    )
    specular_roughness_anisotropy: Array = number(
        role=Role.ANISOTROPY, default=0.0, high=1.0, group=REFLECTION, says="stretches the highlight across the tangent"
    )
    geometry_tangent_rotation: Array = number(
        role=Role.ROTATION,
        default=0.0,
        low=-6.2831854,
        high=6.2831854,
        unit="rad",
        group=REFLECTION,
        under="specular_roughness_anisotropy",
        says="turns geometry_tangent about the normal",
    )
    transmission_weight: Array = number(
        role=Role.TRANSMISSION, default=0.0, high=1.0, group=TRANSMISSION, says="how much of the body is clear"
    )
    transmission_color: Array = colour(
        role=Role.TRANSMISSION_COLOR,
        default=1.0,
        high=1.0,
        group=TRANSMISSION,
        under="transmission_weight",
        says="tint, at the depth if one is given",
    )
    transmission_depth: Array = number(
        role=Role.TRANSMISSION_DEPTH,
        default=0.0,
        unit="scene units",
        group=VOLUME,
        under="transmission_weight",
        says="where the tint is reached; 0 tints at the surface",
    )
    transmission_scatter: Array = colour(default=0.0, high=1.0, group=VOLUME, under="transmission_weight", says="scattering inside")
    transmission_scatter_anisotropy: Array = number(
        default=0.0, low=-1.0, high=1.0, group=VOLUME, under="transmission_weight", says="forward above 0, back below"
    )
    transmission_dispersion_scale: Array = number(
        default=0.0, high=1.0, group=TRANSMISSION, under="transmission_weight", says="how much colours part"
    )
    transmission_dispersion_abbe_number: Array = number(
        default=20.0, group=TRANSMISSION, under="transmission_weight", says="Abbe number of the parting"
    )
    fuzz_weight: Array = number(role=Role.FUZZ, default=0.0, high=1.0, group=FUZZ, says="how much fuzz lies on top")
    fuzz_color: Array = colour(default=1.0, high=1.0, group=FUZZ, under="fuzz_weight", says="colour of the fibres")
    fuzz_roughness: Array = number(
        role=Role.FUZZ_ROUGHNESS, default=0.5, high=1.0, group=FUZZ, under="fuzz_weight", says="how widely the fibres spread"
    )
    coat_weight: Array = number(role=Role.COAT, default=0.0, high=1.0, group=COAT, says="how much of the surface is coated")
    coat_color: Array = colour(default=1.0, high=1.0, group=COAT, under="coat_weight", says="what the coat lets through, there and back")
    coat_roughness: Array = number(
        role=Role.COAT_ROUGHNESS, default=0.0, high=1.0, group=COAT, under="coat_weight", says="perceptual roughness of the coat"
    )
    coat_roughness_anisotropy: Array = number(default=0.0, high=1.0, group=COAT, under="coat_weight", says="stretches the coat's highlight")
    geometry_coat_tangent_rotation: Array = number(
        default=0.0,
        low=-6.2831854,
        high=6.2831854,
        unit="rad",
        group=COAT,
        under="coat_roughness_anisotropy",
        says="turns geometry_coat_tangent about the normal",
    )
    coat_ior: Array = number(
        role=Role.COAT_INDEX, default=1.6, usual=(1.0, 3.0), group=COAT, under="coat_weight", says="index of refraction of the coat"
    )
    coat_darkening: Array = number(default=1.0, high=1.0, group=COAT, under="coat_weight", says="darkening by reflections inside the coat")
    thin_film_weight: Array = number(default=0.0, high=1.0, group=COAT, says="how much of an interference film there is")
    thin_film_thickness: Array = number(default=0.5, unit="µm", group=COAT, under="thin_film_weight", says="thickness of the film")
    thin_film_ior: Array = number(
        role=Role.FILM_INDEX, default=1.4, usual=(1.0, 3.0), group=COAT, under="thin_film_weight", says="index of refraction of the film"
    )
    emission_luminance: Array = number(role=Role.EMISSION_WEIGHT, default=0.0, unit=WHITE, group=GLOW, says="multiplies the emission")
    emission_color: Array = colour(
        role=Role.EMISSION_COLOR, default=1.0, group=GLOW, under="emission_luminance", says="colour of the surface's own light"
    )
    geometry_opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
    geometry_thin_walled: bool = flag(default=False, group=CUT_OUT, says="a sheet without an inside")
    geometry_normal: Array = normal_map(role=Role.NORMAL, says="tangent-space normal map")
    occlusion: Array = number(
        role=Role.OCCLUSION,
        default=1.0,
        high=1.0,
        group=BODY,
        extra=True,
        says="how much of the sky a point sees; for real-time targets",
    )
    geometry_coat_normal: Array = normal_map(
        role=Role.COAT_NORMAL,
        group=RELIEF,
        under="coat_weight",
        says="tangent-space normal map of the coat",
    )
