"""The surface of a mix: the parts of both surfaces, each with its share (common practice).

By facing angle the second has (1 − cos θ)^p of the view; by slope a smooth step of the cosine between the surface and the vertical, which
the scene gives as `up`, or the mean of it over all slopes where there is no scene. What is open shows nothing of its surface: of what is
there, o = (1 − s) o₁ + s o₂, the second has the share s o₂/o (premultiplied alpha; Porter & Duff 1984, Compositing Digital Images).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fenrain.core.lobes.surface import Answers, Interior, Layer, Part, Relief, Surface, mixed, under_layer, weighted
from fenrain.core.models.mix.parameters import FACING, SLOPE, Mix
from fenrain.core.models.open_pbr.surface import surface as surface_of_part
from fenrain.core.optics.arrays import Array, clip, is_absent, is_whole, lerp, maximum, scalar_of, square
from fenrain.core.optics.fresnel import average_schlick_weight, schlick_weight


@dataclass(frozen=True)
class _Share:
    """As a layer: what of the light a part with the other share takes away."""

    amount: Array
    falloff: Array
    of_second: bool
    follows_view = True

    def directional_albedo(self, cosine: Array) -> Array:
        second = self.amount * schlick_weight(cosine, self.falloff)
        return 1.0 - second if self.of_second else second

    def average_albedo(self) -> Array:
        second = self.amount * average_schlick_weight(self.falloff)
        return 1.0 - second if self.of_second else second


def surface(p: Mix) -> Surface:
    """Both surfaces in their shares; where either is thin-walled or has an interior, that of the larger part."""
    both = p.parts if p.parts else (surface_of_part(p.first), surface_of_part(p.second))
    first, second = (_apart(name, one) for name, one in zip(("first", "second"), both, strict=True))
    area = _share(p)
    opacity = lerp(first.opacity, second.opacity, area)
    opens = not (is_whole(first.opacity) and is_whole(second.opacity))
    there = [(one.opacity + TINY) / (opacity + TINY) for one in (first, second)] if opens else [1.0, 1.0]
    share = area * there[1] if opens else area
    apart = first.answers is not None or second.answers is not None
    occluded = not (is_whole(first.occlusion) and is_whole(second.occlusion))
    return Surface(
        _blended(p, first, second, share, there),
        emission=lerp(first.emission, second.emission, share),
        opacity=opacity,
        interior=_interior(first, second, share),
        thin_walled=first.thin_walled or second.thin_walled,
        relief=(*_with_share(first.relief, 1.0 - scalar_of(share)), *_with_share(second.relief, scalar_of(share))),
        reliefs={**first.reliefs, **second.reliefs},
        displacement=lerp(first.displacement, second.displacement, share),
        occlusion=lerp(first.occlusion, second.occlusion, share) if occluded else 1.0,
        answers=Answers(
            _blended(p, first.to_surroundings, second.to_surroundings, share, there),
            _blended(p, first.to_lamps, second.to_lamps, share, there),
        )
        if apart
        else None,
    )


TINY = 1e-12
"""Opacity that both have anyway: where nothing else is there, shares are as they are stated."""


def _share(p: Mix) -> Array:
    """Of the second, over all views."""
    if p.blend_by == FACING:
        return p.amount * average_schlick_weight(p.falloff)
    return p.amount * slope_share(p) if p.blend_by == SLOPE else p.amount


def _blended(p: Mix, first: Surface, second: Surface, share: Array, there: Sequence[Array]) -> tuple[Part, ...]:
    """there: opacity of each as a multiple of that of both together."""
    if p.blend_by != FACING:
        return mixed(first.parts, second.parts, share)
    return (
        *under_layer(weighted(first.parts, there[0]), Layer(1.0, _Share(p.amount, p.falloff, False))),
        *under_layer(weighted(second.parts, there[1]), Layer(1.0, _Share(p.amount, p.falloff, True))),
    )


def _apart(name: str, surface: Surface) -> Surface:
    """A surface whose parts follow its own reliefs wherever it is mixed in."""
    answers = surface.answers
    if answers is not None:
        answers = Answers(_following(name, answers.to_surroundings), _following(name, answers.to_lamps))
    reliefs = {f"{name}/{other}": relief for other, relief in (("", surface.relief), *surface.reliefs.items())}
    return replace(surface, parts=_following(name, surface.parts), answers=answers, reliefs=reliefs)


def _following(name: str, parts: Sequence[Part]) -> tuple[Part, ...]:
    return tuple(replace(part, bent_by=f"{name}/{part.bent_by}") for part in parts)


def _with_share(relief: tuple[Relief, ...], share: Array) -> tuple[Relief, ...]:
    """The relief of one part of the mix; a part that has none is even."""
    return tuple(replace(one, share=one.share * share) for one in relief or (Relief(),))


def slope_share(p: Mix) -> Array:
    """Share of the second by slope, 0…1, before the amount."""
    if p.up is None:
        return mean_slope_share(p.slope_from, p.slope_to)
    step = clip((p.up - p.slope_from) / maximum(p.slope_to - p.slope_from, 1e-4), 0.0, 1.0)
    return square(step) * (3.0 - 2.0 * step)


def mean_slope_share(begins: Array, whole: Array) -> Array:
    """Mean of the smooth step over a sphere, on which every cosine is as frequent: what lies above its middle."""
    return clip(0.5 * (1.0 - 0.5 * (begins + whole)), 0.0, 1.0)


def _interior(first: Surface, second: Surface, share: Array) -> Interior | None:
    if is_absent(share) or second.interior is None:
        return first.interior
    if is_whole(share) or first.interior is None:
        return second.interior
    pairs = ("absorption", "scattering", "anisotropy")
    return Interior(*(lerp(getattr(first.interior, name), getattr(second.interior, name), share) for name in pairs))
