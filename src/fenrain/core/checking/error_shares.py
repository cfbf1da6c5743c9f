"""Where a remaining difference comes from: which approximated value, or which loss, causes how much of it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from fenrain.core.checking.fitting.free import Vector, free_values
from fenrain.core.checking.quick import Response, differences, lobe_error, response
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import Entry
from fenrain.core.lobes.aspects import ASPECTS, BODY, COAT, FUZZ, GLOW, REFLECTION, TRANSMISSION, VOLUME
from fenrain.core.lobes.surface import Surface
from fenrain.core.surfaces import mean_surface


@dataclass(frozen=True)
class Shares:
    """What causes the remaining difference, as shares of the normalised lobe error: by name of the approximated target value, and by name
    of the lost source value."""

    values: dict[str, float] = field(default_factory=dict)
    losses: dict[str, float] = field(default_factory=dict)


def shares(conversion: Conversion) -> Shares:
    """Where the remaining difference comes from.

    All is measured by taking something out of both sides: a lost effect counts by how much nearer the original is without it, an optical
    aspect by how much smaller the difference is without it. Within an aspect, which cannot be taken apart further, it goes to the
    approximated values by how strongly the surface depends on each.
    """
    wanted, seen = response(mean_surface(conversion.original)), response(mean_surface(conversion.material))
    whole = lobe_error(wanted, seen)
    if whole < 1e-6:
        return Shares()
    lost = {name: _gain_without(conversion, name, seen, whole) for entry in conversion.ledger for name in _lost(entry)}
    total = sum(lost.values())
    lost = {name: gain * min(1.0, whole / total) for name, gain in lost.items() if gain > 0.01 * whole} if total > 0 else {}
    rest = max(whole - sum(lost.values()), 0.0)
    by_aspects = _differences_by_aspects(conversion)
    hangs = _sensitivities(conversion)
    found: dict[str, float] = {}
    together = sum(difference for aspects, difference in by_aspects.items() if any(group in aspects for group, _ in hangs.values()))
    for aspects, difference in by_aspects.items():
        members = {name: strength for name, (group, strength) in hangs.items() if group in aspects}
        for name, strength in members.items():
            found[name] = rest * difference / together * strength / max(sum(members.values()), 1e-12)
    return Shares(found, lost)


def _lost(entry: Entry) -> tuple[str, ...]:
    return () if entry.target else entry.sources[:1]


def _gain_without(conversion: Conversion, name: str, seen: Response, whole: float) -> float:
    """How much nearer the original comes when this value of it is at its default."""
    values = {other: value for other, value in conversion.original.values.items() if other != name}
    return max(whole - lobe_error(response(mean_surface(replace(conversion.original, values=values))), seen), 0.0)


def _differences_by_aspects(conversion: Conversion) -> dict[tuple[str, ...], float]:
    """How much smaller the difference is without some aspects on both sides."""
    surfaces = [mean_surface(material) for material in (conversion.original, conversion.material)]
    whole, found = _apart(*surfaces), {}
    for aspects in _groups(*surfaces):
        others = [other for other in ASPECTS if other not in aspects]
        found[aspects] = max(whole - _apart(*(surface.only(others) for surface in surfaces)), 0.0)
    return {aspects: difference for aspects, difference in found.items() if difference > 1e-9}


def _groups(ours: Surface, theirs: Surface) -> list[tuple[str, ...]]:
    """Aspects that are taken out together: one that only one side has stands for something of another aspect on the other side, what lies
    over the body for the reflection, what goes through it for the body."""
    first, second = ({part.aspect for part in surface.parts} for surface in (ours, theirs))
    lone = first ^ second
    above, below = ({REFLECTION, COAT, FUZZ}, {BODY, TRANSMISSION, VOLUME})
    groups: list[set[str]] = [{GLOW}]
    for alike in (above, below):
        held = alike & (first | second)
        if held & lone:
            groups.append(held)
        else:
            groups.extend({aspect} for aspect in held)
    return [tuple(aspect for aspect in ASPECTS if aspect in group) for group in groups]


def _apart(ours: Surface, theirs: Surface) -> float:
    return float(np.abs(differences(response(ours), response(theirs))).sum())


def _sensitivities(conversion: Conversion) -> dict[str, tuple[str, float]]:
    """(aspect, how much the surface changes) for a small step of each approximated value."""
    here = response(mean_surface(conversion.material))
    found = {}
    for parameter in free_values(conversion):
        vector = Vector((parameter,))
        start = vector.values_of(conversion.material)
        step = 0.01 * (vector.high - vector.low)
        moved = response(
            mean_surface(vector.laid_over(conversion.material, np.where(start + step > vector.high, start - step, start + step)))
        )
        found[parameter.name] = (parameter.group, float(np.abs(differences(here, moved)).sum()))
    return found
