"""The look of a mix: the parts of both looks, each with its share (common practice).

By facing angle the second has (1 − cos θ)^p of the view; by slope a smooth step of the cosine between the surface and the vertical, which
the scene gives as `up`, or the mean of it over all slopes where there is no scene.
"""

from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

from fenrain.core.lobes.look import Cover, Look, Volume, covered, mixed
from fenrain.core.models.mix.parameters import FACING, FIRST, SECOND, SLOPE
from fenrain.core.models.open_pbr.lobes import look as surface_look
from fenrain.core.optics.arrays import Array, clip, is_absent, is_whole, lerp, maximum, square
from fenrain.core.optics.fresnel import average_schlick_weight, schlick_weight


@dataclass(frozen=True)
class _Share:
    """As a cover: what of the light a part with the other share takes away."""

    amount: Array
    falloff: Array
    of_second: bool

    def cover(self, cosine: Array) -> Array:
        second = self.amount * schlick_weight(cosine, self.falloff)
        return 1.0 - second if self.of_second else second


def look(p: Any) -> Look:
    """Both looks in their shares; where either is a sheet or has an inside, that of the larger part."""
    first, second = _looks(p)
    if p.blend_by == FACING:
        parts = (
            *covered(first.parts, Cover(1.0, _Share(p.amount, p.falloff, False))),
            *covered(second.parts, Cover(1.0, _Share(p.amount, p.falloff, True))),
        )
        share = p.amount * average_schlick_weight(p.falloff)
    else:
        share = p.amount * slope_share(p) if p.blend_by == SLOPE else p.amount
        parts = mixed(first.parts, second.parts, share)
    return Look(
        parts,
        emission=lerp(first.emission, second.emission, share),
        opacity=lerp(first.opacity, second.opacity, share),
        volume=_inside(first, second, share),
        sheet=first.sheet or second.sheet,
    )


def slope_share(p: Any) -> Array:
    """Share of the second by slope, 0…1, before the amount."""
    up = getattr(p, "up", None)
    if up is None:
        return mean_slope_share(p.slope_from, p.slope_to)
    step = clip((up - p.slope_from) / maximum(p.slope_to - p.slope_from, 1e-4), 0.0, 1.0)
    return square(step) * (3.0 - 2.0 * step)


def mean_slope_share(begins: Array, whole: Array) -> Array:
    """Mean of the smooth step over a sphere, on which every cosine is as frequent: what lies above its middle."""
    return clip(0.5 * (1.0 - 0.5 * (begins + whole)), 0.0, 1.0)


def _looks(p: Any) -> tuple[Look, Look]:
    parts = getattr(p, "parts", ())
    if parts:
        return parts[0], parts[1]
    values = vars(p)

    def surface(prefix: str) -> Look:
        return surface_look(
            SimpleNamespace(**{name.removeprefix(prefix): value for name, value in values.items() if name.startswith(prefix)})
        )

    return surface(FIRST), surface(SECOND)


def _inside(first: Look, second: Look, share: Array) -> Volume | None:
    if is_absent(share) or second.volume is None:
        return first.volume
    if is_whole(share) or first.volume is None:
        return second.volume
    pairs = ("absorption", "scattering", "anisotropy")
    return Volume(*(lerp(getattr(first.volume, name), getattr(second.volume, name), share) for name in pairs))
