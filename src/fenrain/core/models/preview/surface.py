"""The surface of `UsdPreviewSurface`: clearcoat over one of two workflows.

Source: UsdPreviewSurface 2.6, and the node graph `IMP_UsdPreviewSurface_surfaceshader` of MaterialX 1.39 for what the text leaves open:
in the metalness workflow the body fades with (1 − metallic)², and the coat has the F0 of `ior`. What is transparent shows what lies
straight behind it.
"""

from fenrain.core.lobes.aspects import BODY, COAT, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.microfacet import Conductor, Microfacet, Schlick
from fenrain.core.lobes.surface import Part, Relief, Surface, layered, mixed, weighted
from fenrain.core.lobes.transmissive import transmissive_thin_wall
from fenrain.core.models.preview.parameters import PRESENCE, SPECULAR_WORKFLOW, Preview
from fenrain.core.optics.arrays import Array, is_absent, is_whole, lerp, select, square
from fenrain.core.optics.fresnel import f0_from_ior, metal_of_colours
from fenrain.core.optics.microfacet import SMALLEST_ALPHA


def surface(p: Preview) -> Surface:
    """Clearcoat (specular over body) or clearcoat (mix (tinted specular over body, metal))."""
    alpha, present = square(p.roughness), _present(p)
    if p.useSpecularWorkflow == SPECULAR_WORKFLOW:
        base = _over_body(p, alpha, Schlick(p.specularColor), 1.0, present)
    else:
        tint = lerp(1.0, p.diffuseColor, p.metallic)
        schlick = Schlick(lerp(tint * f0_from_ior(p.ior), tint, p.metallic), tint)
        conductor = Conductor(*metal_of_colours(p.diffuseColor, p.diffuseColor))
        metal = (Part(Microfacet(alpha, alpha, conductor), REFLECTION),)
        base = mixed(_over_body(p, alpha, schlick, 1.0 - p.metallic, present), metal, p.metallic)
    coat_alpha = square(p.clearcoatRoughness)
    coat = Microfacet(coat_alpha, coat_alpha, Schlick(f0_from_ior(p.ior)))
    whole = is_whole(present)
    return Surface(
        layered(coat, COAT, base, weight=p.clearcoat),
        emission=p.emissiveColor,
        opacity=_opacity(p),
        thin_walled=not whole,
        relief=(Relief(p.normal),),
        occlusion=p.occlusion,
        displacement=p.displacement,
    )


def _over_body(p: Preview, alpha: Array, reflectance: Schlick, weight: Array, present: Array) -> tuple[Part, ...]:
    body = weighted((Part(Lambert(p.diffuseColor), BODY, weight),), present)
    parts = layered(Microfacet(alpha, alpha, reflectance), REFLECTION, body)
    if is_whole(present):
        return parts
    return (*parts, *weighted(transmissive_thin_wall(SMALLEST_ALPHA, SMALLEST_ALPHA, reflectance, 1.0), 1.0 - present))


def _present(p: Preview) -> Array:
    """How much of the body is there where it may be transparent."""
    if p.opacityMode == PRESENCE or is_whole(p.opacity):
        return 1.0
    return p.opacity if is_absent(p.opacityThreshold) else select(p.opacityThreshold > 0.0, 1.0, p.opacity)


def _opacity(p: Preview) -> Array:
    """How much of the surface is there at all: cut out at the threshold, or, for presence without one, the opacity."""
    if is_whole(p.opacity):
        return 1.0
    cut_out = select(p.opacity >= p.opacityThreshold, 1.0, 0.0)
    return select(p.opacityThreshold > 0.0, cut_out, p.opacity) if p.opacityMode == PRESENCE else cut_out
