"""The one list of what can be converted to: every model's profiles, with the format that is written."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from fenrain.core.errors import InputError, NotFoundError
from fenrain.core.formats.registry import Format, formats
from fenrain.core.models.registry import Model, target_models
from fenrain.core.models.target import Profile


@dataclass(frozen=True)
class ServedTarget:
    """model, profile: what is converted to; title: for people; format: in which it is written, None where nothing here writes it."""

    model: Model
    profile: Profile
    title: str
    format: Format | None

    @property
    def id(self) -> str:
        """The model's id, with the profile's name where the model has several."""
        return (
            self.model.id
            if len(self.model.targets) == 1 or self.profile is self.model.targets[0].profile
            else (f"{self.model.id}.{self.profile.name}")
        )


@cache
def served_targets() -> tuple[ServedTarget, ...]:
    """Every target, the hub first."""
    return tuple(
        ServedTarget(model, target.profile, target.title, formats().get(target.format))
        for model in target_models()
        for target in model.targets
    )


def served_target(model: str, profile: str) -> ServedTarget:
    """By the model's id and the profile's name, as stored. Raises NotFoundError."""
    found = next((one for one in served_targets() if (one.model.id, one.profile.name) == (model, profile)), None)
    if found is None:
        known = ", ".join(f"{one.model.id} ({one.profile.name})" for one in served_targets())
        raise NotFoundError(f"There is no target {model} ({profile}).", place=f"{model}/{profile}", remedy=f"Known: {known}.")
    return found


def target_called(name: str) -> ServedTarget:
    """By the name a person asks for: the id of a target, or what its model is also called. Raises InputError."""
    found = next((one for one in served_targets() if name in (one.id, one.model.called)), None)
    if found is None:
        known = ", ".join(one.model.called or one.id for one in served_targets())
        raise InputError(f"“{name}” is not a target.", place="--to", remedy=f"Targets: {known}.")
    return found
