"""What a format can hold of a material, and what becomes of the rest. Every writer says it here, before anything is written."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fenrain.core.errors import ImageError
from fenrain.core.maps.flat import flattened
from fenrain.core.maps.mean import mean_of, thumbnail
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.material import Material, is_at_default
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.target import Profile
from fenrain.core.rules.fidelity import APPROXIMATED, DROPPED, Fidelity
from fenrain.core.values import Constant, Map, Placement, Value, Wrap, maps_of, with_maps

ANY_UV_SET = 1 << 16
"""More than any mesh has."""


@dataclass(frozen=True)
class Slot:
    """What a format can hold of one parameter beside a constant.

    map, constant: whether a map and whether a number or colour may stand for it; least, most: of what the texels of a written map can
    say; uv_sets: how many UV sets the format knows; rotates: whether a map may be placed with a rotation; shares_uv_with: parameters that
    must lie on the same UV set, since one texture holds them; tiles: whether a set of tiles can be placed; mirrors, once: whether a map
    may go on mirrored, or not at all; wraps_apart: whether it may do so differently along u and v; nearest: whether its texels may stay
    unblended; sizes: whether a map may state its size in metres.
    """

    map: bool = True
    constant: bool = True
    least: float = 0.0
    most: float = 1.0
    uv_sets: int = ANY_UV_SET
    rotates: bool = True
    shares_uv_with: tuple[str, ...] = ()
    tiles: bool = True
    mirrors: bool = True
    once: bool = True
    wraps_apart: bool = True
    nearest: bool = True
    sizes: bool = False

    def placement(self, placement: Placement) -> Placement:
        """The nearest placement that it can hold."""
        across, down = (
            Wrap.REPEAT if wrap is Wrap.MIRROR and not self.mirrors else Wrap.CLAMP if wrap is Wrap.BLACK and not self.once else wrap
            for wrap in placement.wrap
        )
        if (across is Wrap.REPEAT) != (down is Wrap.REPEAT) and not self.wraps_apart:
            across = down = Wrap.REPEAT
        return replace(placement, wrap=(across, down), smooth=placement.smooth or not self.nearest)


@dataclass(frozen=True)
class Shortfall:
    """A value that a format cannot hold as it is: whose, what becomes of it in words, and how faithful that is."""

    format: str
    parameter: str
    text: str
    fidelity: Fidelity


Slots = Callable[[Model, Profile], Mapping[str, Slot]]
"""For the parameters of a model that a format can hold, by name: what it can hold of them."""


@dataclass(frozen=True)
class Holder:
    """A format as this file sees it: its id, its title, its slots, and whether meshes are written with materials."""

    id: str
    title: str
    slots: Slots
    carries_meshes: bool = True


def held(material: Material, holder: Holder | None, profile: Profile) -> tuple[Material, tuple[Shortfall, ...]]:
    """The material as the format can hold it, and what it cannot: flat maps as constants, maps where only a number can stand as their
    mean, values without a place left out."""
    if holder is None:
        return material, ()
    model = model_of(material.model)
    slots = holder.slots(model, profile)
    values: dict[str, Value] = {}
    shortfalls: list[Shortfall] = []
    for name, value in material.values.items():
        parameter = model.parameter(name)
        slot = slots.get(name)
        if slot is None:
            if not is_at_default(material, model, name):
                shortfalls.append(Shortfall(holder.id, name, f"{holder.title} has no place for it; it is left out.", DROPPED))
            continue
        if isinstance(value, Constant) and not slot.constant:
            if not is_at_default(material, model, name):
                shortfalls.append(Shortfall(holder.id, name, f"{holder.title} holds only a map here; it is left out.", DROPPED))
            continue
        values[name] = value if parameter.is_plain else _fitting(parameter, value, slot, holder, shortfalls)
        if not slot.sizes and material.geometry.spans == (0.0, 0.0) and any(leaf.placement.has_size for leaf in maps_of(values[name])):
            values[name] = with_maps(values[name], lambda leaf: replace(leaf, placement=replace(leaf.placement, size=(0.0, 0.0))))
            text = f"{holder.title} holds no size of a map, and no mesh says how long a step of its UVs is; the map lies as they have it."
            shortfalls.append(Shortfall(holder.id, name, text, APPROXIMATED))
    mapped = next((name for name, value in values.items() if next(maps_of(value), None) is not None), None)
    if material.geometry.projection is not None and material.lacks_coordinates and mapped is not None and not holder.carries_meshes:
        text = f"{holder.title} holds no meshes; maps lie by {material.geometry.projection}, which the meshes themselves must get."
        shortfalls.append(Shortfall(holder.id, mapped, text, APPROXIMATED))
    for name, slot in slots.items():
        _one_uv_set(name, slot, values, holder, shortfalls)
    return replace(material, values=values), tuple(shortfalls)


def _fitting(parameter: Parameter, value: Value, slot: Slot, holder: Holder, shortfalls: list[Shortfall]) -> Value:
    """One value as the slot can hold it."""
    if isinstance(value, Constant):
        return value
    try:
        if slot.map:
            shortfalls += (
                Shortfall(holder.id, parameter.name, f"{holder.title} {text}", APPROXIMATED) for text in _remarks(parameter, value, slot)
            )
            return with_maps(value, lambda leaf: _laid(leaf, slot))
        value = value if parameter.kind is Kind.NORMAL else flattened(value)
        if isinstance(value, Constant):
            return value
        shortfalls.append(_mean_stands(holder, parameter, "holds one number here"))
        return _mean(parameter, value)
    except ImageError:
        return value  # a damaged map is said where it is read, and again where it is written


def _laid(leaf: Map, slot: Slot) -> Map:
    placement = slot.placement(leaf.placement)
    return leaf if placement == leaf.placement else replace(leaf, placement=placement)


def _remarks(parameter: Parameter, value: Value, slot: Slot) -> Iterator[str]:
    """What the written map will not say as this one does, in words."""
    leaves = list(maps_of(value))
    if len({leaf.uv_set for leaf in leaves}) > 1:
        yield "holds one map here; those that it comes from lie on different UV sets, and are combined as if on the first."
    if max((leaf.uv_set for leaf in leaves), default=0) >= slot.uv_sets:
        yield f"knows {slot.uv_sets} UV set; the map is placed by the first."
    turned = any(leaf.placement.rotation % (2.0 * np.pi) > 1e-6 for leaf in leaves)
    if turned and not slot.rotates:
        yield "cannot rotate a map; the rotation is worked into its texels, which may show a seam where it repeats."
    yield from _remarks_on_wraps([leaf.placement for leaf in leaves], slot)
    if not slot.tiles and any(leaf.image.tiles for leaf in leaves):
        yield "cannot place a set of tiles; only its first one, 1001, is written."
    low, high = _bounds(parameter, value, slot)
    if parameter.kind is not Kind.NORMAL:
        if high > slot.most + 1e-3:
            yield f"holds at most {slot.most:g} in a map; {high:.3g} is cut."
        if low < slot.least - 1e-3:
            yield f"holds at least {slot.least:g} in a map; {low:.3g} is cut."


def _remarks_on_wraps(placements: Sequence[Placement], slot: Slot) -> Iterator[str]:
    if len({placement.wrap for placement in placements}) > 1:
        yield "holds one map here; those that it comes from go on differently beyond their edges, and repeat as one."
    held = {placement: slot.placement(placement) for placement in placements}
    changed = sorted({f"{_in_words(one.wrap)}, not {_in_words(asked.wrap)}" for asked, one in held.items() if asked.wrap != one.wrap})
    if changed:
        yield f"lets a map go on beyond its edges {'; '.join(changed)}. Within them nothing changes."
    if any(asked.smooth != one.smooth for asked, one in held.items()):
        yield "blends the texels of a map, which are to stay apart; give it more texels where that shows."


def _in_words(wrap: tuple[Wrap, Wrap]) -> str:
    said = {Wrap.REPEAT: "by repeating", Wrap.MIRROR: "mirrored", Wrap.CLAMP: "by its outermost texels", Wrap.BLACK: "in black"}
    return said[wrap[0]] if wrap[0] is wrap[1] else f"{said[wrap[0]]} across and {said[wrap[1]]} upwards"


def _bounds(parameter: Parameter, value: Value, slot: Slot) -> tuple[float, float]:
    """The least and the largest number that a map gives; of what is computed they are looked for only where the model allows more than
    the slot."""
    if isinstance(value, Map) and not value.image.name.lower().endswith((".exr", ".hdr")):
        at_black = np.asarray(value.bias, dtype=float)
        at_white = at_black + np.asarray(value.scale, dtype=float)
        return float(min(at_black.min(), at_white.min())), float(max(at_black.max(), at_white.max()))
    if slot.least <= parameter.low and parameter.high <= slot.most:
        return slot.least, slot.most
    texels = thumbnail(value)
    return float(texels.min()), float(texels.max())


def _one_uv_set(name: str, slot: Slot, values: dict[str, Value], holder: Holder, shortfalls: list[Shortfall]) -> None:
    """Values of one texture on one UV set: of those that lie on another than the first, the mean stands."""
    leaves = list(maps_of(values.get(name, Constant(0.0))))
    first = next((leaf.uv_set for leaf in leaves), None)
    for other in slot.shares_uv_with if first is not None else ():
        value = values.get(other)
        wraps = {leaf.placement.wrap for leaf in maps_of(value)} if value is not None else set()
        if wraps and wraps != {leaf.placement.wrap for leaf in leaves}:
            text = f"{holder.title} holds it in one texture with {name}, which goes on differently beyond its edges; together they repeat."
            shortfalls.append(Shortfall(holder.id, other, text, APPROXIMATED))
        if value is not None and any(leaf.uv_set != first for leaf in maps_of(value)):
            shortfalls.append(
                Shortfall(
                    holder.id,
                    other,
                    f"{holder.title} holds it in one texture with {name}, which lies on another UV set; the mean of the map stands for it.",
                    APPROXIMATED,
                )
            )
            values[other] = Constant(mean_of(value))


def _mean_stands(holder: Holder, parameter: Parameter, why: str) -> Shortfall:
    what = "the surface's own normal" if parameter.kind is Kind.NORMAL else "the mean of the map"
    return Shortfall(holder.id, parameter.name, f"{holder.title} {why}; {what} stands for it.", APPROXIMATED)


def _mean(parameter: Parameter, value: Value) -> Constant:
    return Constant(parameter.default if parameter.kind is Kind.NORMAL else mean_of(value))


def every_parameter(model: Model, slot: Slot = Slot()) -> dict[str, Slot]:
    """The same slot for each parameter of the model; plain ones take no map."""
    return {parameter.name: replace(slot, map=slot.map and not parameter.is_plain) for parameter in model.parameters if not parameter.extra}


def largest_in(value: Value) -> float:
    """The largest number that a constant holds, or any texel of a map: what a written map is divided by, so that nothing is cut."""
    if isinstance(value, Constant):
        return float(np.max(np.asarray(value.value, dtype=float)))
    grid = grid_of([value])
    with Texels(grid) as texels:
        return max(float(np.max(texels.at(value, begin, end))) for begin, end in grid.bands())
