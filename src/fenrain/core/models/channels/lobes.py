"""The look of forward-shaded channels (common practice of games before energy was kept).

Standard: diffuse cosᵖ θi + specular (N·H)ⁿ; flat: the same light from everywhere; unlit: emission alone; stretched: the highlight drawn
out across the tangent. Divided by π, the unit in which a diffuse of 1 is a white Lambert surface. An additive surface adds itself to
what lies behind; a multiplied one is a tinted sheet.
"""

from typing import Any

from fenrain.core.lobes.diffuse import FlatDiffuse, Lambert, PowerDiffuse
from fenrain.core.lobes.exponent import BlinnHighlight, StretchedHighlight
from fenrain.core.lobes.look import Look, Part, weighted
from fenrain.core.lobes.microfacet import Schlick
from fenrain.core.lobes.solid import clear_sheet
from fenrain.core.lobes.transmission import DiffuseTransmission
from fenrain.core.models.channels.parameters import ADDITIVE, BLENDED, CUT_OUT_BLEND, FLAT, MULTIPLIED, STRETCHED, UNLIT
from fenrain.core.models.extras import detailed, flaked
from fenrain.core.models.parameter import BODY, REFLECTION, TRANSMISSION
from fenrain.core.optics.arrays import Array, is_absent, select
from fenrain.core.optics.microfacet import SMALLEST_ALPHA

UNCHANGED = Schlick(0.0, 0.0)
"""A sheet that reflects nothing: what lies behind shows through it as it is."""


def look(p: Any) -> Look:
    """Highlight over the body, and what comes through."""
    if p.blend == MULTIPLIED:
        tint = detailed(p.diffuse, p.detail_color, p.detail_mask)
        return Look(clear_sheet(SMALLEST_ALPHA, SMALLEST_ALPHA, UNCHANGED, tint), emission=p.emission, sheet=True)
    parts = (*_lit(p), *_bled(p))
    added = p.blend == ADDITIVE
    if added:
        parts = (*parts, *clear_sheet(SMALLEST_ALPHA, SMALLEST_ALPHA, UNCHANGED, 1.0))
    bleeds = p.lighting != UNLIT and not is_absent(p.bleed)
    return Look(parts, emission=p.emission, opacity=_opacity(p), sheet=added or bleeds)


def _lit(p: Any) -> tuple[Part, ...]:
    diffuse = detailed(p.diffuse, p.detail_color, p.detail_mask)
    if p.lighting == UNLIT:
        return (Part(Lambert(diffuse * 0.0), BODY),)
    if p.lighting == FLAT:
        return flaked((Part(FlatDiffuse(diffuse), BODY),), p)
    highlight = StretchedHighlight if p.lighting == STRETCHED else BlinnHighlight
    body = flaked((Part(PowerDiffuse(diffuse, p.diffuse_falloff), BODY),), p)
    return (*weighted((Part(highlight(1.0, p.exponent), REFLECTION),), p.specular), *body)


def _bled(p: Any) -> tuple[Part, ...]:
    if p.lighting == UNLIT or is_absent(p.bleed):
        return ()
    return (Part(DiffuseTransmission(p.bleed), TRANSMISSION, p.bleed_mask),)


def _opacity(p: Any) -> Array:
    if p.blend == CUT_OUT_BLEND:
        return select(p.mask >= p.mask_cutoff, 1.0, 0.0)
    return p.opacity if p.blend == BLENDED else 1.0
