"""The optical aspects that a surface is sorted by, in the interface's words."""

from __future__ import annotations

from collections.abc import Sequence

from fenrain.core.errors import InputError

BODY, REFLECTION, TRANSMISSION, VOLUME = "body", "reflection", "transmission", "volume"
COAT, FUZZ, GLOW, RELIEF, CUT_OUT = "coat", "fuzz", "glow", "relief", "cut-out"
ASPECTS = (BODY, REFLECTION, TRANSMISSION, VOLUME, COAT, FUZZ, GLOW, RELIEF, CUT_OUT)


def known_aspects(names: Sequence[str], place: str) -> tuple[str, ...]:
    """Aspects as somebody named them. place: where. Raises InputError for one that there is not."""
    for name in names:
        if name not in ASPECTS:
            raise InputError(f"There is no aspect “{name}”.", place=place, remedy=f"Known: {', '.join(ASPECTS)}.")
    return tuple(names)
