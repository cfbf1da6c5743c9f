"""The surface of a material of sliders: a reflection over a body that is opaque and clear in shares; energy is kept (common practice):
what is not reflected goes in, and is bent by the index, which has no say in how much is reflected."""

from fenrain.core.lobes.aspects import BODY, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.microfacet import Microfacet, Schlick
from fenrain.core.lobes.surface import Part, Surface, layered, weighted
from fenrain.core.lobes.transmissive import transmissive_body
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.models.percent.parameters import Percent
from fenrain.core.optics.arrays import Array, is_absent, lerp, square
from fenrain.core.optics.fresnel import fading_grazing


def surface(p: Percent) -> Surface:
    """Reflection over the mix of body and clear; stickers are opaque."""
    alpha, f0 = square(p.roughness / 100.0), p.reflectance / 100.0
    reflectance = Schlick(f0, fading_grazing(f0))
    gloss = Microfacet(alpha, alpha, reflectance)
    clear = p.translucency / 100.0 * (1.0 - p.sticker_mask)
    color = body_colour(p.color, p.detail_color, p.detail_mask, p.sticker_color, p.sticker_mask)
    body = weighted((Part(Lambert(color), BODY),), 1.0 - clear)
    seen = () if is_absent(p.translucency) else weighted(transmissive_body(alpha, alpha, p.index, p.color, reflectance=reflectance), clear)
    return Surface(
        (*flaked(layered(gloss, REFLECTION, body), p), *seen),
        emission=with_painted(p.emission_color * (p.emission_luminance / p.white_luminance), p),
        opacity=p.opacity / 100.0,
        relief=relief_of(p),
        occlusion=p.occlusion,
    )


def body_colour(color: Array, detail_color: Array, detail_mask: Array, sticker_color: Array, sticker_mask: Array) -> Array:
    """The body with the second map and the sticker over it."""
    return lerp(detailed(color, detail_color, detail_mask), sticker_color, sticker_mask)
