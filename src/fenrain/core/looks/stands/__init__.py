"""Stands, one file each: the shapes that a look is judged on."""

from fenrain.core.looks.stands.registry import Stand, stand_of, stands

__all__ = ["Stand", "stand_of", "stands"]
