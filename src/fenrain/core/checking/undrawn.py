"""What a check cannot see: what of the source did not reach the material, and values that a surface does not draw and that do not come
through unchanged."""

from __future__ import annotations

from dataclasses import dataclass

from fenrain.core.material import Material, matters
from fenrain.core.models.registry import Model, model_of
from fenrain.core.values import Value


def find_unread_statements(material: Material) -> tuple[str, ...]:
    """What the source states and the material, or a part of it, does not hold, in words; without what somebody has accepted."""
    own = (finding.message for finding in material.findings if finding.unread and not finding.accepted)
    return (*(f"not read: {message}" for message in own), *(one for part in material.parts for one in find_unread_statements(part)))


@dataclass(frozen=True)
class UndrawnValue:
    """A value that is set but not drawn: of the original or of the converted material, its name, and why."""

    of_original: bool
    name: str
    why: str

    def __str__(self) -> str:
        return f"{self.name} of the {'original' if self.of_original else 'converted material'}: {self.why}."


def find_undrawn_values(original: Material, converted: Material) -> tuple[UndrawnValue, ...]:
    """Every such value of either side; empty where the check sees all that is set."""
    return (*_find_undrawn_values(original, converted, of_original=True), *_find_undrawn_values(converted, original, of_original=False))


def _find_undrawn_values(material: Material, other: Material, *, of_original: bool) -> list[UndrawnValue]:
    model = model_of(material.model)
    found = [
        UndrawnValue(of_original, name, why)
        for name, why in model.not_drawn(material.values).items()
        if matters(material, model, name) and not _is_carried(material.values[name], model, name, other)
    ]
    return found + [one for part in material.parts for one in _find_undrawn_values(part, other, of_original=of_original)]


def _is_carried(value: Value, model: Model, name: str, other: Material) -> bool:
    """Whether the other side says the same, and means the same by it."""
    theirs, role = model_of(other.model), model.parameter(name).role
    if theirs is model:
        return other.value(name) == value
    twin = theirs.by_role.get(role) if role is not None else None
    return twin is not None and other.value(twin.name) == value
