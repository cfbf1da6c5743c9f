"""What every lobe can do."""

from __future__ import annotations

from typing import Protocol

from fenrain.core.optics.arrays import Array


class Lobe(Protocol):
    """Directions are unit, components first; `wi` points to the light, `wo` to the viewer, normal +z, tangent +x."""

    @property
    def diffuse(self) -> bool:
        """True where light comes out in all directions, whatever way it came."""
        ...

    @property
    def side(self) -> str:
        """Where it joins directions: both "above" the surface, one on each side ("through"), or both "inside" the body."""
        ...

    def evaluate(self, wi: Array, wo: Array) -> Array:
        """BSDF times |cos θi| (1/sr); a scalar or a colour; 0 where the directions do not lie as `side` says."""
        ...

    def density(self, wi: Array, wo: Array) -> Array:
        """Density (1/sr) with which `sample` gives `wi`."""
        ...

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        """A direction `wi` for two numbers of 0…1."""
        ...

    def albedo(self, cosine: Array) -> Array:
        """About how much of the light from this angle comes back, 0…1; a scalar or a colour."""
        ...
