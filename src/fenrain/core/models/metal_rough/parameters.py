"""The parameters of `gltf_pbr` (MaterialX 1.39), by its names and with its defaults, and what glTF adds beside the node."""

from fenrain.core.models.parameter import (
    BODY, COAT, CUT_OUT, FUZZ, GLOW, REFLECTION, RELIEF, TRANSMISSION, VOLUME, choice, colour, flag, normal, number,
)

PARAMETERS = (
    colour("base_color", default=1.0, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, and of a metal when facing"),
    number("metallic", default=1.0, high=1.0, group=BODY, says="0 dielectric, 1 metal"),
    number("roughness", default=1.0, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="perceptual roughness, α = r²"),
    number("occlusion", default=1.0, high=1.0, group=BODY, says="how much of the sky a point sees; maps only"),
    number("specular", default=1.0, high=1.0, group=REFLECTION, says="strength of the dielectric reflection (KHR_materials_specular)"),
    colour("specular_color", default=1.0, group=REFLECTION, says="tint of F0 of the dielectric (KHR_materials_specular)"),
    number("ior", default=1.5, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction; 0 means F0 = 1 (KHR_materials_ior)"),
    number("anisotropy_strength", default=0.0, high=1.0, group=REFLECTION, says="stretches the highlight (KHR_materials_anisotropy)"),
    number("anisotropy_rotation", default=0.0, low=-6.2831854, high=6.2831854, unit="rad", group=REFLECTION, under="anisotropy_strength", says="turns the stretch"),
    number("transmission", default=0.0, high=1.0, group=TRANSMISSION, says="how much of the body is clear (KHR_materials_transmission)"),
    number("dispersion", default=0.0, group=TRANSMISSION, says="20/Abbe number (KHR_materials_dispersion)"),
    number("thickness", default=0.0, unit="mesh units", group=VOLUME, under="transmission", says="depth of the volume (KHR_materials_volume)"),
    number("attenuation_distance", default=0.0, unit="metres", group=VOLUME, under="thickness", says="where the tint is reached; 0 stands for never"),
    colour("attenuation_color", default=1.0, high=1.0, group=VOLUME, under="thickness", says="tint at the attenuation distance"),
    number("iridescence", default=0.0, high=1.0, group=COAT, says="how much of an interference film there is (KHR_materials_iridescence)"),
    number("iridescence_ior", default=1.3, usual=(1.0, 3.0), group=COAT, under="iridescence", says="index of refraction of the film"),
    number("iridescence_thickness", default=100.0, unit="nm", group=COAT, under="iridescence", says="thickness of the film"),
    number("clearcoat", default=0.0, high=1.0, group=COAT, says="how much of the surface is coated (KHR_materials_clearcoat)"),
    number("clearcoat_roughness", default=0.0, high=1.0, group=COAT, under="clearcoat", says="perceptual roughness of the coat"),
    normal("clearcoat_normal", group=RELIEF, under="clearcoat", says="tangent-space normal map of the coat"),
    colour("sheen_color", default=0.0, high=1.0, group=FUZZ, says="colour of the sheen (KHR_materials_sheen)"),
    number("sheen_roughness", default=0.0, high=1.0, group=FUZZ, under="sheen_color", says="how widely the sheen spreads"),
    colour("emissive", default=0.0, high=1.0, group=GLOW, says="colour of the surface's own light"),
    number("emissive_strength", default=1.0, unit="cd/m²", group=GLOW, under="emissive", says="luminance of white emission (KHR_materials_emissive_strength)"),
    number("alpha", default=1.0, high=1.0, group=CUT_OUT, under="alpha_mode", says="0 lets everything behind show"),
    choice("alpha_mode", default=0, options=((0, "opaque"), (1, "cut-out"), (2, "blended")), group=CUT_OUT,
           says="how alpha is used"),
    number("alpha_cutoff", default=0.5, high=1.0, group=CUT_OUT, under="alpha_mode", says="alpha below which a cut-out is open"),
    flag("unlit", default=False, group=GLOW, says="shows its base colour whatever the light (KHR_materials_unlit)"),
    normal("normal", says="tangent-space normal map"),
)
