"""The parameters of `UsdPreviewSurface` (MaterialX 1.39), by its names and with its defaults."""

from fenrain.core.lobes.aspects import BODY, COAT, CUT_OUT, GLOW, REFLECTION, RELIEF
from fenrain.core.models.parameter import Parameters, Role, choice, colour, normal_map, number
from fenrain.core.optics.arrays import Array

METALNESS_WORKFLOW, SPECULAR_WORKFLOW = 0, 1
TRANSPARENT, PRESENCE = 0, 1
DEFAULT_IOR = 1.5


class Preview(Parameters):
    """The parameters of `UsdPreviewSurface` (MaterialX 1.39), by its names and with its defaults."""

    diffuseColor: Array = colour(
        role=Role.BASE_COLOR, default=0.18, high=1.0, usual=(0.02, 0.9), group=BODY, says="colour of the body, and of a metal when facing"
    )
    emissiveColor: Array = colour(role=Role.EMISSION_COLOR, default=0.0, group=GLOW, says="own light, relative to display white")
    useSpecularWorkflow: int = choice(
        default=METALNESS_WORKFLOW,
        options=((METALNESS_WORKFLOW, "metalness"), (SPECULAR_WORKFLOW, "specular colour")),
        group=REFLECTION,
        says="whether a metalness or a specular colour says how it reflects",
    )
    specularColor: Array = colour(
        role=Role.SPECULAR_COLOR,
        default=0.0,
        high=1.0,
        group=REFLECTION,
        under="useSpecularWorkflow",
        says="reflectance at normal incidence (F0)",
    )
    metallic: Array = number(
        role=Role.METALNESS, default=0.0, high=1.0, group=BODY, says="0 dielectric, 1 metal; in the metalness workflow"
    )
    roughness: Array = number(
        role=Role.ROUGHNESS, default=0.5, high=1.0, usual=(0.02, 1.0), group=REFLECTION, says="perceptual roughness, α = r²"
    )
    clearcoat: Array = number(role=Role.COAT, default=0.0, high=1.0, group=COAT, says="how much of the surface is coated")
    clearcoatRoughness: Array = number(
        role=Role.COAT_ROUGHNESS, default=0.01, high=1.0, group=COAT, under="clearcoat", says="perceptual roughness of the coat"
    )
    opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
    opacityMode: int = choice(
        default=TRANSPARENT,
        options=((TRANSPARENT, "transparent"), (PRESENCE, "presence")),
        group=CUT_OUT,
        says="transparent keeps the reflection, presence takes the whole surface away",
    )
    opacityThreshold: Array = number(default=0.0, high=1.0, group=CUT_OUT, says="above 0: opacity below which the surface is open")
    ior: Array = number(
        role=Role.INDEX, default=DEFAULT_IOR, usual=(1.0, 3.0), group=REFLECTION, says="index of refraction, of the coat too"
    )
    normal: Array = normal_map(role=Role.NORMAL, says="tangent-space normal map")
    displacement: Array = number(
        role=Role.DISPLACEMENT,
        default=0.0,
        low=-1000.0,
        group=RELIEF,
        says="height that moves the surface",
    )
    occlusion: Array = number(
        role=Role.OCCLUSION,
        default=1.0,
        high=1.0,
        group=BODY,
        says="how much of the sky a point sees; maps only",
    )
