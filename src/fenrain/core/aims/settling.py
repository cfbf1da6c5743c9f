"""Takes out of a conversion what makes no difference: values next to their defaults, and maps that say one thing everywhere."""

from __future__ import annotations

import numpy as np

from fenrain.core.conversion.engine import Conversion, without_idle
from fenrain.core.conversion.evenness import EVEN, are_one, same_everywhere
from fenrain.core.conversion.ledger import Entry
from fenrain.core.models.parameter import Kind, Parameter, Role
from fenrain.core.models.usual import INDEX_OF_OPAQUE
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.rules.fidelity import APPROXIMATED
from fenrain.core.values import Computed, Constant, as_plain

DIGITS = 4
"""Of approximated values: more do not show."""


def settled(conversion: Conversion) -> Conversion:
    """The conversion with defaults and constants where they say the same; its ledger says so. Maps of an author stay."""
    moved = {
        entry.target: found
        for entry in conversion.ledger
        if entry.target and entry.override is None and (found := _settled(conversion.target.parameter(entry.target), entry)) is not None
    }
    moved |= _no_reflection(conversion)
    return without_idle(conversion.rederived(moved, "settled")) if moved else conversion


def _no_reflection(conversion: Conversion) -> dict[str, tuple[Constant, str]]:
    """An opaque body of index 1 reflects nothing: a weight of 0 says so, and the index keeps its default."""
    return _by_weight(conversion, "No reflection: a weight of 0 instead of an index of 1.") if _facing(conversion) == 0.0 else {}


def with_faint_reflection_by_weight(conversion: Conversion) -> Conversion:
    """The conversion with a weight below 1 in place of an index that opaque bodies do not have, where it reflects less than they do."""
    facing = _facing(conversion)
    if facing is None or not 0.0 < facing < f0_from_ior(INDEX_OF_OPAQUE[0]):
        return conversion
    moved = _by_weight(conversion, "A faint reflection by its weight instead of its index.")
    return conversion.rederived(moved, "faint") if moved else conversion


def _facing(conversion: Conversion) -> float | None:
    """F0 of an opaque dielectric by its index alone, None for all else."""
    by_role, material = conversion.target.by_role, conversion.material
    values = [material.value(by_role[role].name) for role in (Role.TRANSMISSION, Role.METALNESS) if role in by_role]
    if Role.INDEX not in by_role or any(value != Constant(0.0) for value in values):
        return None
    index = material.value(by_role[Role.INDEX].name)
    return float(f0_from_ior(index.value)) if isinstance(index, Constant) else None


def _by_weight(conversion: Conversion, text: str) -> dict[str, tuple[Constant, str]]:
    """The default index, and the weight with which it reflects as much; nothing where the model has none, or a map stands for it."""
    by_role, facing = conversion.target.by_role, _facing(conversion)
    index, weight = by_role.get(Role.INDEX), by_role.get(Role.SPECULAR_WEIGHT)
    before = None if weight is None else conversion.material.value(weight.name)
    if index is None or weight is None or facing is None or not isinstance(before, Constant):
        return {}
    share = round(float(before.value) * facing / float(f0_from_ior(index.default)), 6)  # type: ignore[arg-type]
    return {index.name: (Constant(index.default), text), weight.name: (Constant(share), text)}


def _settled(parameter: Parameter, entry: Entry) -> tuple[Constant, str] | None:
    if parameter.kind not in (Kind.NUMBER, Kind.COLOUR) or parameter.length:
        return None
    value = entry.derived
    if isinstance(value, Computed):
        found = same_everywhere(parameter, value)
        return None if found is None else (Constant(found), EVEN)
    if not isinstance(value, Constant):
        return None
    if value.value != parameter.default and are_one(parameter, value.value, parameter.default):
        return Constant(parameter.default), "The default, which looks the same."
    if parameter.kind is Kind.NUMBER and value.value != parameter.low and are_one(parameter, value.value, parameter.low):
        return Constant(parameter.low), "None of it, which looks the same."
    rounded = as_plain(np.round(np.asarray(value.value, dtype=float), DIGITS))
    if entry.fidelity is APPROXIMATED and rounded != value.value and are_one(parameter, value.value, rounded):
        return Constant(rounded), "As few digits as show."
    return None
