"""Light rigs, one file each: an environment picture that shows what matters."""

from fenrain.core.looks.rigs.registry import Rig, rig_of, rigs

__all__ = ["Rig", "rig_of", "rigs"]
