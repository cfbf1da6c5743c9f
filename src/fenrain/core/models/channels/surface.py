"""The surface of forward-shaded channels (common practice of games before energy was kept).

Standard: diffuse cosᵖ θi + specular (N·H)ⁿ; flat: the same light from everywhere; unlit: emission alone; stretched: the highlight drawn
out across the tangent. Divided by π, the unit in which a diffuse of 1 is a white Lambert surface. An additive surface adds itself to
what lies behind; a multiplied one is a tinted sheet.
"""

from fenrain.core.lobes.aspects import BODY, REFLECTION, TRANSMISSION
from fenrain.core.lobes.diffuse import FlatDiffuse, Lambert, PowerDiffuse
from fenrain.core.lobes.exponent import BlinnHighlight, StretchedHighlight
from fenrain.core.lobes.microfacet import Schlick
from fenrain.core.lobes.surface import Part, Surface, weighted
from fenrain.core.lobes.transmission import DiffuseTransmission
from fenrain.core.lobes.transmissive import transmissive_thin_wall
from fenrain.core.models.channels.parameters import ADDITIVE, BLENDED, CUT_OUT_BLEND, FLAT, MULTIPLIED, STRETCHED, UNLIT, Channels
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.optics.arrays import Array, is_absent, select
from fenrain.core.optics.microfacet import SMALLEST_ALPHA

UNCHANGED = Schlick(0.0, 0.0)
"""A sheet that reflects nothing: what lies behind shows through it as it is."""


def surface(p: Channels) -> Surface:
    """Highlight over the body, and what comes through."""
    if p.blend == MULTIPLIED:
        tint = detailed(p.diffuse, p.detail_color, p.detail_mask)
        parts = transmissive_thin_wall(SMALLEST_ALPHA, SMALLEST_ALPHA, UNCHANGED, tint)
        return Surface(parts, emission=with_painted(p.emission, p), thin_walled=True, relief=relief_of(p))
    parts = (*flaked(_lit(p), p), *_bled(p))
    added = p.blend == ADDITIVE
    if added:
        parts = (*parts, *transmissive_thin_wall(SMALLEST_ALPHA, SMALLEST_ALPHA, UNCHANGED, 1.0))
    bleeds = p.lighting != UNLIT and not is_absent(p.bleed)
    return Surface(
        parts,
        emission=with_painted(p.emission, p),
        opacity=_opacity(p),
        thin_walled=added or bleeds,
        relief=relief_of(p),
        occlusion=p.occlusion,
        displacement=p.vertex_offset,
        bending=p.bending,
    )


def _lit(p: Channels) -> tuple[Part, ...]:
    diffuse = detailed(p.diffuse, p.detail_color, p.detail_mask)
    if p.lighting == UNLIT:
        return (Part(Lambert(diffuse * 0.0), BODY),)
    if p.lighting == FLAT:
        return (Part(FlatDiffuse(diffuse), BODY),)
    highlight = StretchedHighlight if p.lighting == STRETCHED else BlinnHighlight
    body = Part(PowerDiffuse(diffuse, p.diffuse_falloff), BODY)
    return (*weighted((Part(highlight(1.0, p.exponent), REFLECTION),), p.specular), body)


def _bled(p: Channels) -> tuple[Part, ...]:
    if p.lighting == UNLIT or is_absent(p.bleed):
        return ()
    return (Part(DiffuseTransmission(p.bleed), TRANSMISSION, p.bleed_mask),)


def _opacity(p: Channels) -> Array:
    if p.blend == CUT_OUT_BLEND:
        return select(p.mask >= p.mask_cutoff, 1.0, 0.0)
    return p.opacity if p.blend == BLENDED else 1.0
