"""Target profiles as data: what a target may hold and how its renderer answers. Those that are shipped lie beside this file.

A profile narrows one of the targets that models declare; what it leaves out is that target's own.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fenrain.core.conversion.viewing import FEATURES
from fenrain.core.dialects.yaml_text import load_yaml
from fenrain.core.errors import InputError
from fenrain.core.models.registry import Model, target_models
from fenrain.core.models.target import ALL_ALPHA, AS_AUTHORED, Exposed, MapLimits, Profile, Target, ViewerNote

FOLDER = Path(__file__).parent
LARGEST_FILE = 64 * 1024
MEGABYTE = 1_000_000
Response = Annotated[float, Field(ge=0.05, le=20.0, allow_inf_nan=False)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class MapLimitsFile(_Part):
    """What the target takes of maps; see `MapLimits`. total_megabytes: millions of bytes, 0 for no limit."""

    largest: Annotated[int, Field(ge=0, le=16384)] = 0
    square: bool = False
    power_of_two: bool = False
    bits: Literal[8, 16] = 16
    lossy: bool = False
    atlas: bool = False
    total_megabytes: Annotated[float, Field(ge=0.0, le=1e6, allow_inf_nan=False)] = 0.0


class ExposedFile(_Part):
    """A value that stays adjustable at the target."""

    parameter: str
    low: Annotated[float, Field(allow_inf_nan=False)]
    high: Annotated[float, Field(allow_inf_nan=False)]
    title: Annotated[str, Field(max_length=80)] = ""


class ViewerNoteFile(_Part):
    """What the target's viewer needs for a feature, or that it cannot show it; one of both."""

    feature: Annotated[str, Field(max_length=40)]
    needs: Annotated[str, Field(max_length=400)] = ""
    cannot: Annotated[str, Field(max_length=400)] = ""


class ProfileFile(_Part):
    """A profile as a file states it. target: id of the model's own target that it narrows, such as metal_rough.core."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")] = ""
    title: Annotated[str, Field(max_length=80)] = ""
    says: Annotated[str, Field(max_length=400)] = ""
    target: str = ""
    extensions: tuple[str, ...] | None = None
    maps: MapLimitsFile = MapLimitsFile()
    alpha_modes: tuple[Literal["opaque", "cut-out", "blended"], ...] = ALL_ALPHA  # type: ignore[assignment]
    culling: Literal["as authored", "back", "none"] = AS_AUTHORED  # type: ignore[assignment]
    white_luminance: Annotated[float, Field(ge=0.0, allow_inf_nan=False)] = 0.0
    emission_response: Response = 1.0
    metal_response: Response = 1.0
    exposed: tuple[ExposedFile, ...] = ()
    viewer: Literal["", "rasterised", "traced"] = ""
    viewer_notes: tuple[ViewerNoteFile, ...] = ()

    def narrowing(self, model: Model, target: Target, name: str = "") -> Profile:
        """The profile, narrowing this target of the model. Raises InputError for what does not fit it."""
        for place, message, remedy in self._misfits(model, target):
            raise InputError(message, place=place, remedy=remedy)
        limits = self.maps.model_dump(exclude={"total_megabytes"})
        return Profile(
            self.id or name,
            target.profile.extensions if self.extensions is None else frozenset(self.extensions),
            MapLimits(**limits, total_bytes=round(self.maps.total_megabytes * MEGABYTE)),
            self.alpha_modes,
            self.culling,
            self.white_luminance,
            self.emission_response,
            self.metal_response,
            tuple(Exposed(one.parameter, one.low, one.high, one.title) for one in self.exposed),
            target.profile.like or target.profile.name,
            self.viewer or target.profile.viewer,
            tuple(ViewerNote(note.feature, note.needs or note.cannot, bool(note.needs)) for note in self.viewer_notes),
        )

    def _misfits(self, model: Model, target: Target) -> Iterator[tuple[str, str, str]]:
        """Place, message and remedy of everything that the target cannot follow."""
        unknown = sorted(set(self.extensions or ()) - target.profile.extensions)
        if unknown:
            known = ", ".join(sorted(target.profile.extensions)) or "none for this target"
            yield "extensions", f"{target.title} is not written with {', '.join(unknown)}.", f"Extensions: {known}."
        features = {feature.id for feature in FEATURES}
        for note in self.viewer_notes:
            if note.feature not in features:
                yield "viewer_notes", f"“{note.feature}” is no feature of a look.", f"Features: {', '.join(sorted(features))}."
            if bool(note.needs) == bool(note.cannot):
                yield "viewer_notes", f"The note on {note.feature} says both or nothing.", "Give “needs” or “cannot”."
        if "opaque" not in self.alpha_modes:
            yield "alpha_modes", "A target without opaque surfaces shows nothing.", "Name opaque among the alpha modes."
        for one in self.exposed:
            parameter = model.by_name.get(one.parameter)
            if parameter is None or parameter.is_plain:
                yield "exposed", f"{model.title} has no number or colour “{one.parameter}”.", "See “fenrain models --json”."
            elif not parameter.low <= one.low < one.high <= parameter.high:
                yield "exposed", f"{one.parameter} goes from {one.low:g} to {one.high:g}.", f"It must lie {parameter.range_text()}."

    def to_yaml(self) -> str:
        """As a file, without what is left as it is."""
        return yaml.safe_dump(self.model_dump(mode="json", exclude_defaults=True), sort_keys=False, allow_unicode=True)


def profile_file(text: str, name: str) -> ProfileFile:
    """A profile from the text of a YAML or JSON file. Raises InputError, which says what is wrong and where."""
    if len(text) > LARGEST_FILE:
        raise InputError(f"“{name}” is longer than any target profile.", place=name, remedy="Upload a profile.")
    try:
        stated = load_yaml(text)
    except yaml.YAMLError as broken:
        raise InputError(f"“{name}” cannot be read ({str(broken).splitlines()[0]}).", place=name, remedy="Write YAML or JSON.") from broken
    if not isinstance(stated, dict):
        raise InputError(f"“{name}” is not a target profile.", place=name, remedy=f"Entries: {', '.join(ProfileFile.model_fields)}.")
    try:
        return ProfileFile.model_validate(stated)
    except ValidationError as refused:
        raise _refusal(refused, name) from refused


def _refusal(refused: ValidationError, name: str) -> InputError:
    """What is wrong first."""
    first: Any = refused.errors()[0]
    entry = ".".join(str(part) for part in first["loc"])
    known: dict[str, type[_Part]] = {"maps.": MapLimitsFile, "exposed.": ExposedFile, "viewer_notes.": ViewerNoteFile}
    inner = next((kind for start, kind in known.items() if entry.startswith(start)), ProfileFile)
    return InputError(f"“{name}”, {entry}: {first['msg']}.", place=entry, remedy=f"Entries: {', '.join(inner.model_fields)}.")


def based_on(stated: ProfileFile) -> tuple[Model, Target]:
    """The model and the target of its own that a profile narrows. Raises InputError."""
    for model in target_models():
        for target in model.targets:
            if own_id(model, target) == stated.target:
                return model, target
    known = ", ".join(own_id(model, target) for model in target_models() for target in model.targets)
    raise InputError(f"“{stated.target}” is not a target that a profile can narrow.", place="target", remedy=f"Targets: {known}.")


def own_id(model: Model, target: Target) -> str:
    """Id of a target that a model declares: the model's, with the profile's name for all but the first."""
    return model.id if target is model.targets[0] else f"{model.id}.{target.profile.name}"


@cache
def shipped_profiles() -> Sequence[ProfileFile]:
    """The profiles beside this file, by their names."""
    return tuple(profile_file(path.read_text("utf-8"), path.name) for path in sorted(FOLDER.glob("*.yaml")))
