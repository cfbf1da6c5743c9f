"""Finds what modules of a package declare: shading models, formats, rigs and stands are added by adding a file or a folder."""

from __future__ import annotations

import importlib
import pkgutil
from types import ModuleType
from typing import Any


def declarations(package: ModuleType, name: str) -> list[Any]:
    """The object called `name` of each module or folder of the package that declares one, in the order of their names."""
    modules = (importlib.import_module(f"{package.__name__}.{entry.name}") for entry in pkgutil.iter_modules(package.__path__))
    return [getattr(module, name) for module in modules if hasattr(module, name)]
