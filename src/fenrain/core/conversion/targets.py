"""The one list of what can be converted to: every model's own targets and the target profiles, with the format that is written."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from fenrain.core.conversion.profiles import ProfileFile, based_on, own_id, shipped_profiles
from fenrain.core.errors import InputError, NotFoundError
from fenrain.core.formats.format import Format
from fenrain.core.formats.registry import formats
from fenrain.core.models.registry import Model, target_models
from fenrain.core.models.target import Profile


@dataclass(frozen=True)
class ServedTarget:
    """id: by which people ask for it; model, profile: what is converted to; title, says: for people; format: in which it is written, None
    where nothing here writes it; stated: the file of a target profile, None for a model's own target."""

    id: str
    model: Model
    profile: Profile
    title: str
    format: Format | None
    says: str = ""
    stated: ProfileFile | None = None


@cache
def served_targets() -> tuple[ServedTarget, ...]:
    """Every target, the hub first, the shipped profiles last."""
    own = tuple(
        ServedTarget(own_id(model, target), model, target.profile, target.title, formats().get(target.format))
        for model in target_models()
        for target in model.targets
    )
    return own + tuple(target_of_profile(stated) for stated in shipped_profiles())


def target_of_profile(stated: ProfileFile) -> ServedTarget:
    """A target profile as a target. Raises InputError where it does not fit what it narrows."""
    model, target = based_on(stated)
    profile = stated.narrowing(model, target)
    return ServedTarget(stated.id, model, profile, stated.title or stated.id, formats().get(target.format), stated.says, stated)


def served_target(model: str, profile: str, among: Sequence[ServedTarget] | None = None) -> ServedTarget:
    """By the model's id and the profile's name, as stored. among: those that are known, where there are more than the standing ones.
    Raises NotFoundError."""
    targets = served_targets() if among is None else among
    found = next((one for one in targets if (one.model.id, one.profile.name) == (model, profile)), None)
    if found is None:
        known = ", ".join(f"{one.model.id} ({one.profile.name})" for one in targets)
        raise NotFoundError(f"There is no target {model} ({profile}).", place=f"{model}/{profile}", remedy=f"Known: {known}.")
    return found


def target_called(name: str) -> ServedTarget:
    """By the name a person asks for: the id of a target, or what its model is also called. Raises InputError."""
    found = next((one for one in served_targets() if name in (one.id, one.model.called)), None)
    if found is None:
        known = ", ".join(one.model.called or one.id for one in served_targets())
        raise InputError(f"“{name}” is not a target.", place="--to", remedy=f"Targets: {known}.")
    return found
