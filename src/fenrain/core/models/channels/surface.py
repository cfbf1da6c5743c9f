"""The surface of forward-shaded channels (common practice of games before energy was kept).

Standard: diffuse cosᵖ θi + specular (N·H)ⁿ; flat: the same light from everywhere; unlit: emission alone; stretched: the highlight drawn
out across the tangent. Divided by π, the unit in which a diffuse of 1 is a white Lambert surface. An additive surface adds itself to
what lies behind; a multiplied one is a tinted sheet; one that is blended below its highlight fades but for that and its own light.
"""

from dataclasses import replace

from fenrain.core.lobes.aspects import BODY, REFLECTION, TRANSMISSION
from fenrain.core.lobes.diffuse import FlatDiffuse, Lambert, PowerDiffuse
from fenrain.core.lobes.exponent import BlinnHighlight, StretchedHighlight
from fenrain.core.lobes.microfacet import Schlick
from fenrain.core.lobes.surface import Part, Surface, weighted
from fenrain.core.lobes.transmission import DiffuseTransmission
from fenrain.core.lobes.transmissive import transmissive_thin_wall
from fenrain.core.models.channels.parameters import (
    ADDITIVE,
    BLENDED,
    BLENDED_BELOW,
    CUT_OUT_BLEND,
    FLAT,
    MULTIPLIED,
    STANDARD,
    STRETCHED,
    UNLIT,
    Channels,
)
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.optics.arrays import Array, is_absent, maximum, select
from fenrain.core.optics.microfacet import SMALLEST_ALPHA

UNCHANGED = Schlick(0.0, 0.0)
"""A sheet that reflects nothing: what lies behind shows through it as it is."""


LEAST_OPACITY = 0.02
"""Of a surface whose highlight stays: that is divided by it."""


def surface(p: Channels) -> Surface:
    """Highlight over the body, and what comes through."""
    if p.blend == MULTIPLIED:
        tint = detailed(p.diffuse, p.detail_color, p.detail_mask)
        return Surface(_behind(tint), emission=with_painted(p.emission, p), thin_walled=True, relief=relief_of(p))
    parts = (*flaked(_lit(p), p), *_bled(p))
    if p.blend == ADDITIVE:
        parts = (*parts, *_behind(1.0))
    emission = with_painted(p.emission, p)
    if _keeps_highlight(p):
        parts, emission = _unfaded(parts, p), emission / _opacity(p)
    bleeds = p.lighting != UNLIT and not is_absent(p.bleed)
    return Surface(
        parts,
        emission=emission,
        opacity=_opacity(p),
        thin_walled=p.blend == ADDITIVE or bleeds,
        relief=relief_of(p),
        occlusion=p.occlusion,
        displacement=p.vertex_offset,
        bending=p.bending,
    )


def _behind(tint: Array) -> tuple[Part, ...]:
    """What lies behind, seen through the surface with a tint."""
    return transmissive_thin_wall(SMALLEST_ALPHA, SMALLEST_ALPHA, UNCHANGED, tint)


def _unfaded(parts: tuple[Part, ...], p: Channels) -> tuple[Part, ...]:
    """The parts with a highlight that the opacity leaves as it is (premultiplied alpha, Porter & Duff 1984)."""
    opacity = _opacity(p)
    shares = {REFLECTION: 1.0 / opacity}
    return tuple(replace(part, weight=part.weight * shares.get(part.aspect, p.opacity / opacity)) for part in parts)


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
    if _keeps_highlight(p):
        return maximum(p.opacity, LEAST_OPACITY)
    return p.opacity if p.blend in (BLENDED, BLENDED_BELOW) else 1.0


def _keeps_highlight(p: Channels) -> bool:
    """Whether there is a highlight, and it stays where the body fades; without one it fades as a whole."""
    return p.blend == BLENDED_BELOW and p.lighting in (STANDARD, STRETCHED)
