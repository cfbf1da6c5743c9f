"""What every lobe can do, and what one must tell that lies over others."""

from __future__ import annotations

from enum import Enum, auto
from typing import Protocol

from fenrain.core.optics.arrays import Array


class Side(Enum):
    """Where a lobe joins directions: both above the surface, one on each side of it, or both inside the body."""

    ABOVE = auto()
    THROUGH = auto()
    INSIDE = auto()


class Lobe(Protocol):
    """Directions are unit, components first; `wi` points to the light, `wo` to the viewer, normal +z, tangent +x."""

    @property
    def diffuse(self) -> bool:
        """True where light comes out in all directions, whatever way it came."""
        ...

    @property
    def side(self) -> Side: ...

    def evaluate(self, wi: Array, wo: Array) -> Array:
        """BSDF times |cos θi| (1/sr); a scalar or a colour; 0 where the directions do not lie as `side` says."""
        ...

    def pdf(self, wi: Array, wo: Array) -> Array:
        """Probability density (1/sr) with which `sample` gives `wi`."""
        ...

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        """A direction `wi` for two numbers of 0…1."""
        ...

    def sampling_weight(self, cosine: Array) -> Array:
        """About how much of the light from this angle comes back, 0…1, for choosing what to sample; a scalar or a colour."""
        ...


class LayerLobe(Protocol):
    """What a lobe must tell to lie over others."""

    @property
    def follows_view(self) -> bool:
        """True where what it takes from below depends on the viewer's direction alone, so that it is not reciprocal."""
        ...

    def directional_albedo(self, cosine: Array) -> Array:
        """Share of the light from this angle that it sends back and that is missing below, 0…1; a scalar."""
        ...

    def average_albedo(self) -> Array:
        """The same of light from everywhere."""
        ...


class TopLobe(Lobe, LayerLobe, Protocol):
    """A lobe that may lie over others."""


class GlossyLobe(Lobe, Protocol):
    """A lobe about the mirror direction."""

    def widened(self, slope: Array) -> GlossyLobe:
        """The same over facets that lean by this slope (the tangent of an angle), with the same energy."""
        ...
