"""What is usual of real surfaces, with its sources: findings, the measure of plainness, plain candidates and the fit's bounds ask here."""

from __future__ import annotations

INDEX_OF_OPAQUE, INDEX_OF_CLEAR = (1.3, 2.0), (1.0, 2.5)
"""Indices of refraction: of plastics, paints and minerals; and from thin sheets to diamond, 2.42 (index tables)."""
DARKEST_BODY, BRIGHTEST_BODY = 0.02, 0.9
"""Albedo from coal to fresh snow (common practice)."""
DULLEST_METAL = 0.35
"""Strongest channel of the dullest measured metals (Johnson & Christy 1972, 1974)."""
SMOOTHEST, ROUGHEST = 0.02, 0.98
"""Roughness of what is opaque (common practice)."""
NO_METAL, WHOLE_METAL = 0.05, 0.95
"""Metalness up to which a surface is none, and from which it is one (common practice)."""
MOST_TINT = 0.1
"""Spread of the channels of a dielectric's F0, as a share of the largest: beyond it the reflection is coloured (common practice)."""
COMMON_INDEX = 1.5
"""Of glass, plastic and varnish (index tables)."""
