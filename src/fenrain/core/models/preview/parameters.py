"""The parameters of `UsdPreviewSurface` (MaterialX 1.39), by its names and with its defaults."""

from fenrain.core.models.parameter import BODY, COAT, CUT_OUT, GLOW, REFLECTION, RELIEF, choice, colour, normal, number

METALNESS_WORKFLOW, SPECULAR_WORKFLOW = 0, 1
TRANSPARENT, PRESENCE = 0, 1
DEFAULT_IOR = 1.5

PARAMETERS = (
    colour("diffuseColor", default=0.18, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, and of a metal when facing"),
    colour("emissiveColor", default=0.0, group=GLOW, says="own light, relative to display white"),
    choice(
        "useSpecularWorkflow",
        default=METALNESS_WORKFLOW,
        options=((METALNESS_WORKFLOW, "metalness"), (SPECULAR_WORKFLOW, "specular colour")),
        group=REFLECTION,
        says="whether a metalness or a specular colour says how it reflects",
    ),
    colour(
        "specularColor", default=0.0, high=1.0, group=REFLECTION, under="useSpecularWorkflow", says="reflectance at normal incidence (F0)"
    ),
    number("metallic", default=0.0, high=1.0, group=BODY, says="0 dielectric, 1 metal; in the metalness workflow"),
    number("roughness", default=0.5, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="perceptual roughness, α = r²"),
    number("clearcoat", default=0.0, high=1.0, group=COAT, says="how much of the surface is coated"),
    number("clearcoatRoughness", default=0.01, high=1.0, group=COAT, under="clearcoat", says="perceptual roughness of the coat"),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show"),
    choice(
        "opacityMode",
        default=TRANSPARENT,
        options=((TRANSPARENT, "transparent"), (PRESENCE, "presence")),
        group=CUT_OUT,
        says="transparent keeps the reflection, presence takes the whole surface away",
    ),
    number("opacityThreshold", default=0.0, high=1.0, group=CUT_OUT, says="above 0: opacity below which the surface is open"),
    number("ior", default=DEFAULT_IOR, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction, of the coat too"),
    normal("normal", says="tangent-space normal map"),
    number("displacement", default=0.0, low=-1000.0, group=RELIEF, says="height that moves the surface"),
    number("occlusion", default=1.0, high=1.0, group=BODY, says="how much of the sky a point sees; maps only"),
)
