"""The parameters of `gltf_pbr` (MaterialX 1.39), by its names and with its defaults, and what glTF adds beside the node."""

from fenrain.core.lobes.aspects import BODY, COAT, CUT_OUT, FUZZ, GLOW, REFLECTION, RELIEF, TRANSMISSION, VOLUME
from fenrain.core.models.parameter import WHITE, Parameters, Role, choice, colour, flag, normal_map, number
from fenrain.core.optics.arrays import Array


class MetalRough(Parameters):
    """The parameters of `gltf_pbr` (MaterialX 1.39), by its names and with its defaults, and what glTF adds beside the node."""

    base_color: Array = colour(
        role=Role.BASE_COLOR, default=1.0, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, and of a metal when facing"
    )
    metallic: Array = number(role=Role.METALNESS, default=1.0, high=1.0, group=BODY, says="0 dielectric, 1 metal")
    roughness: Array = number(
        role=Role.ROUGHNESS, default=1.0, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="perceptual roughness, α = r²"
    )
    occlusion: Array = number(
        role=Role.OCCLUSION,
        default=1.0,
        high=1.0,
        group=BODY,
        says="how much of the sky a point sees; maps only",
    )
    specular: Array = number(
        role=Role.SPECULAR_WEIGHT,
        default=1.0,
        high=1.0,
        group=REFLECTION,
        says="strength of the dielectric reflection (KHR_materials_specular)",
        idle_at=("metallic", 1.0),
    )
    specular_color: Array = colour(
        role=Role.SPECULAR_COLOR,
        default=1.0,
        group=REFLECTION,
        says="tint of F0 of the dielectric (KHR_materials_specular)",
        idle_at=("metallic", 1.0),
    )
    ior: Array = number(
        role=Role.INDEX,
        default=1.5,
        usual=(1.0, 3.0),
        group=REFLECTION,
        says="index of refraction; 0 means F0 = 1 (KHR_materials_ior)",
        idle_at=("metallic", 1.0),
    )
    anisotropy_strength: Array = number(
        role=Role.ANISOTROPY, default=0.0, high=1.0, group=REFLECTION, says="stretches the highlight (KHR_materials_anisotropy)"
    )
    anisotropy_rotation: Array = number(
        role=Role.ROTATION,
        default=0.0,
        low=-6.2831854,
        high=6.2831854,
        unit="rad",
        group=REFLECTION,
        under="anisotropy_strength",
        says="turns the stretch",
    )
    transmission: Array = number(
        role=Role.TRANSMISSION, default=0.0, high=1.0, group=TRANSMISSION, says="how much of the body is clear (KHR_materials_transmission)"
    )
    diffuse_transmission: Array = number(
        default=0.0,
        high=1.0,
        group=TRANSMISSION,
        says="share of the body's light that comes out behind (KHR_materials_diffuse_transmission)",
    )
    diffuse_transmission_color: Array = colour(
        default=1.0, high=1.0, group=TRANSMISSION, under="diffuse_transmission", says="colour of the light that comes out behind"
    )
    dispersion: Array = number(default=0.0, group=TRANSMISSION, says="20/Abbe number (KHR_materials_dispersion)")
    thickness: Array = number(
        default=0.0, unit="mesh units", group=VOLUME, under="transmission", says="depth of the volume (KHR_materials_volume)"
    )
    attenuation_distance: Array = number(
        role=Role.TRANSMISSION_DEPTH,
        default=0.0,
        unit="metres",
        group=VOLUME,
        under="thickness",
        says="where the tint is reached; 0 stands for never",
    )
    attenuation_color: Array = colour(
        role=Role.TRANSMISSION_COLOR, default=1.0, high=1.0, group=VOLUME, under="thickness", says="tint at the attenuation distance"
    )
    iridescence: Array = number(
        default=0.0, high=1.0, group=COAT, says="how much of an interference film there is (KHR_materials_iridescence)"
    )
    iridescence_ior: Array = number(
        role=Role.FILM_INDEX, default=1.3, usual=(1.0, 3.0), group=COAT, under="iridescence", says="index of refraction of the film"
    )
    iridescence_thickness: Array = number(default=100.0, unit="nm", group=COAT, under="iridescence", says="thickness of the film")
    clearcoat: Array = number(
        role=Role.COAT, default=0.0, high=1.0, group=COAT, says="how much of the surface is coated (KHR_materials_clearcoat)"
    )
    clearcoat_roughness: Array = number(
        role=Role.COAT_ROUGHNESS, default=0.0, high=1.0, group=COAT, under="clearcoat", says="perceptual roughness of the coat"
    )
    clearcoat_normal: Array = normal_map(
        role=Role.COAT_NORMAL,
        group=RELIEF,
        under="clearcoat",
        says="tangent-space normal map of the coat",
    )
    sheen_color: Array = colour(role=Role.FUZZ, default=0.0, high=1.0, group=FUZZ, says="colour of the sheen (KHR_materials_sheen)")
    sheen_roughness: Array = number(
        role=Role.FUZZ_ROUGHNESS, default=0.0, high=1.0, group=FUZZ, under="sheen_color", says="how widely the sheen spreads"
    )
    emissive: Array = colour(role=Role.EMISSION_COLOR, default=0.0, high=1.0, group=GLOW, says="colour of the surface's own light")
    emissive_strength: Array = number(
        role=Role.EMISSION_WEIGHT,
        default=1.0,
        unit=WHITE,
        group=GLOW,
        under="emissive",
        says="multiplies the emission (KHR_materials_emissive_strength)",
    )
    alpha: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, under="alpha_mode", says="0 lets everything behind show")
    alpha_mode: int = choice(default=0, options=((0, "opaque"), (1, "cut-out"), (2, "blended")), group=CUT_OUT, says="how alpha is used")
    alpha_cutoff: Array = number(default=0.5, high=1.0, group=CUT_OUT, under="alpha_mode", says="alpha below which a cut-out is open")
    unlit: bool = flag(default=False, group=GLOW, says="shows its base colour whatever the light (KHR_materials_unlit)")
    normal: Array = normal_map(role=Role.NORMAL, says="tangent-space normal map")
