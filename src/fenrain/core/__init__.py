"""The computation: shading models, conversion, maps, formats and the look check. No web, no database, no settings.

What is exported is loaded when it is first asked for, so that whoever needs little waits for little.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from fenrain.core.aims.choosing import convert, convert_all
    from fenrain.core.checking.check import check
    from fenrain.core.checking.fitting.fit import fit
    from fenrain.core.conversion.engine import Conversion
    from fenrain.core.formats.reading import read
    from fenrain.core.formats.writing import write
    from fenrain.core.material import Material
    from fenrain.core.models.registry import evaluate
    from fenrain.core.models.target import MapLimits, Profile

__all__ = ["Conversion", "MapLimits", "Material", "Profile", "check", "convert", "convert_all", "evaluate", "fit", "read", "write"]

_PLACES = {
    "Conversion": "conversion.engine",
    "MapLimits": "models.target",
    "Material": "material",
    "Profile": "models.target",
    "check": "checking.check",
    "convert": "aims.choosing",
    "convert_all": "aims.choosing",
    "evaluate": "models.registry",
    "fit": "checking.fitting.fit",
    "read": "formats.reading",
    "write": "formats.writing",
}
"""The module of each name that is exported."""


def __getattr__(name: str) -> Any:
    if name not in _PLACES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_PLACES[name]}"), name)
