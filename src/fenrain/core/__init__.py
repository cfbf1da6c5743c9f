"""The computation: shading models, conversion, maps, formats and the look check. No web, no database, no settings."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from fenrain.core.convert.engine import Conversion, convert, convert_all
from fenrain.core.formats.registry import read, write
from fenrain.core.material import Material
from fenrain.core.models.registry import evaluate
from fenrain.core.models.target import MapLimits, Profile

if TYPE_CHECKING:
    from fenrain.core.checking.check import Check
    from fenrain.core.checking.fitting.fit import Fit

__all__ = ["Conversion", "MapLimits", "Material", "Profile", "check", "convert", "convert_all", "evaluate", "fit", "read", "write"]


def check(original: Material, converted: Material, **options: Any) -> Check:
    """Render both and compare; see `fenrain.core.checking.check.check`. Loads the rendering engine when it is first called."""
    from fenrain.core.checking.check import check as run

    return run(original, converted, **options)


def fit(conversion: Conversion, locked: Iterable[str] = (), **options: Any) -> Fit:
    """Move the constants that are not exact to where the looks differ least; see `fenrain.core.checking.fitting.fit.fit`."""
    from fenrain.core.checking.fitting.fit import fit as run

    return run(conversion, locked, **options)
