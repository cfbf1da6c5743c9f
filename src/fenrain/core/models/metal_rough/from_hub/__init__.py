"""OpenPBR to glTF metallic-roughness, with whatever extensions the target allows: one file an aspect, each of which adds its rules."""

from fenrain.core.models.metal_rough.from_hub import base, glow_and_openings, layers, reflection, transmission
from fenrain.core.models.metal_rough.from_hub.allowed import RULES

__all__ = ["RULES", "base", "glow_and_openings", "layers", "reflection", "transmission"]
