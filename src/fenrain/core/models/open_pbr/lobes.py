"""The look of OpenPBR Surface 1.1: fuzz over coat over a mix of metal and glossy-diffuse.

Source: OpenPBR 1.1 and the node graph `NG_open_pbr_surface_surfaceshader` of MaterialX 1.39. Where the graph uses fits and
view-only energy factors, the tables and reciprocal factors of `lobes.look` stand instead.
"""

from typing import Any

from fenrain.core.lobes.diffuse import RoughDiffuse
from fenrain.core.lobes.look import Look, Part, layered, mixed, weighted
from fenrain.core.lobes.microfacet import Dielectric, MetalTint, Microfacet
from fenrain.core.lobes.sheen import Fuzz
from fenrain.core.models.parameter import BODY, COAT, FUZZ, REFLECTION
from fenrain.core.models.surface import shown_radiance
from fenrain.core.optics.arrays import Array, is_absent, lerp, maximum, minimum, raw_sqrt, select, square
from fenrain.core.optics.fresnel import f0_from_ior, fresnel_schlick1994, modulated_ior
from fenrain.core.optics.microfacet import widths_openpbr


def look(p: Any) -> Look:
    """Fuzz (coat (mix (glossy-diffuse, metal)))."""
    along, across = widths_openpbr(roughness_below_coat(p), p.specular_roughness_anisotropy)
    gloss = Microfacet(along, across, Dielectric(ior_below_coat(p)), colour=p.specular_color)
    body = Part(RoughDiffuse(p.base_color, p.base_diffuse_roughness), BODY, p.base_weight)
    metal = Part(Microfacet(along, across, MetalTint(p.base_color * p.base_weight, p.specular_color)), REFLECTION, p.specular_weight)
    substrate = mixed(layered(Part(gloss, REFLECTION), (body,)), (metal,), p.base_metalness)

    coat_widths = widths_openpbr(p.coat_roughness, p.coat_roughness_anisotropy)
    coat = Part(Microfacet(*coat_widths, Dielectric(p.coat_ior)), COAT, p.coat_weight)
    coated = layered(coat, weighted(substrate, seen_through_coat(p)))
    fuzz = Part(Fuzz(p.fuzz_color, p.fuzz_roughness), FUZZ, p.fuzz_weight)
    return Look(layered(fuzz, coated), emission=_emission(p), opacity=p.geometry_opacity)


def roughness_below_coat(p: Any) -> Array:
    """Roughness of the base as a rough coat spreads it: (2 rc⁴ + r⁴)^¼ (OpenPBR 1.1, coat)."""
    if is_absent(p.coat_weight):
        return p.specular_roughness
    widened = raw_sqrt(raw_sqrt(minimum(1.0, 2.0 * square(square(p.coat_roughness)) + square(square(p.specular_roughness)))))
    return lerp(p.specular_roughness, widened, p.coat_weight)


def ior_below_coat(p: Any) -> Array:
    """Index of the base relative to what lies above it, scaled by `specular_weight`; below one it is inverted, as the graph does."""
    if is_absent(p.coat_weight):
        return modulated_ior(p.specular_ior, p.specular_weight)
    ratio = p.specular_ior / maximum(p.coat_ior, 1e-3)
    outward = select(ratio > 1.0, ratio, 1.0 / maximum(ratio, 1e-3))
    return modulated_ior(lerp(p.specular_ior, outward, p.coat_weight), p.specular_weight)


def seen_through_coat(p: Any) -> Array:
    """Colour of the coat, and the darkening by reflections inside it: (1 − K)/(1 − E K), K = 1 − (1 − F0)/n²."""
    if is_absent(p.coat_weight):
        return 1.0
    inside = 1.0 - (1.0 - f0_from_ior(p.coat_ior)) / square(maximum(p.coat_ior, 1e-3))
    base_albedo = lerp(p.base_color, p.base_color * p.specular_weight, p.base_metalness)
    darkening = (1.0 - inside) / maximum(1.0 - base_albedo * inside, 1e-4)
    return lerp(1.0, darkening, p.coat_weight * p.coat_darkening) * lerp(1.0, p.coat_color, p.coat_weight)


def _emission(p: Any) -> Array:
    """Seen head-on: the coat takes its F0 and its colour (generalised Schlick EDF of the node graph)."""
    if is_absent(p.coat_weight):
        return shown_radiance(p.emission_color, p.emission_luminance)
    passed = p.coat_color * fresnel_schlick1994(1.0, 1.0 - f0_from_ior(p.coat_ior), 0.0)
    return shown_radiance(p.emission_color, p.emission_luminance) * lerp(1.0, passed, p.coat_weight)
