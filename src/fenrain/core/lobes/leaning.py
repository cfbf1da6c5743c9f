"""A lobe whose normal is not that of the surface which it is part of: a coat that lies smoothly over bumped paint."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fenrain.core.lobes.reoriented import Reoriented
from fenrain.core.optics.arrays import Array


@dataclass(frozen=True)
class Leaning(Reoriented):
    """own, surface: frames of the lobe and of the surface within that of the mesh, None for the mesh's own; with `to_local` and `to_world`
    as the engine's frames have them."""

    own: Any
    surface: Any

    def into(self, direction: Array) -> Array:
        direction = direction if self.surface is None else self.surface.to_world(direction)
        return direction if self.own is None else self.own.to_local(direction)

    def back(self, direction: Array) -> Array:
        direction = direction if self.own is None else self.own.to_world(direction)
        return direction if self.surface is None else self.surface.to_local(direction)
