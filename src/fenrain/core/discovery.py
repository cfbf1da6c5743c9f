"""Finds what modules of a package declare: shading models, formats, rigs and stands are added by adding a file or a folder.

Installed packages add theirs by an entry point: `[project.entry-points."fenrain.models"]`, `name = "package.module"`.
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from importlib.metadata import entry_points
from typing import Any


def declarations(package: str, name: str, group: str = "") -> list[Any]:
    """The object called `name` of each module or folder of the package that declares one, in the order of their names.

    package: its dotted name; group: of entry points that name further modules with such an object, "" for none.
    """
    modules = [f"{package}.{entry.name}" for entry in pkgutil.iter_modules(importlib.import_module(package).__path__)]
    modules += [entry.value for entry in sorted(entry_points(group=group), key=lambda entry: entry.name)] if group else []
    found = (importlib.import_module(module) for module in modules)
    return [getattr(module, name) for module in found if hasattr(module, name)]


def deferred(place: str) -> Callable[..., Any]:
    """A function that is imported when it is first called, so that nobody waits for libraries that are not used.

    place: `package.module:function`.
    """
    module, _, name = place.partition(":")

    def call(*arguments: Any, **named: Any) -> Any:
        return getattr(importlib.import_module(module), name)(*arguments, **named)

    return call
