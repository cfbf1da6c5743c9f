"""Targets of a project: those that come with Fenrain, and the target profiles that its people wrote."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from fenrain.core.conversion.profiles import ProfileFile, profile_file
from fenrain.core.conversion.targets import ServedTarget, served_target, served_targets, target_of_profile
from fenrain.core.errors import ConflictError, InputError, NotFoundError
from fenrain.store.rows import find_project
from fenrain.store.tables import ConversionRow, MaterialRow, TargetProfileRow


def project_targets(database: Session, project_id: int) -> tuple[ServedTarget, ...]:
    """Every target, the hub first, the project's own profiles last."""
    rows = database.scalars(select(TargetProfileRow).where(TargetProfileRow.project_id == project_id).order_by(TargetProfileRow.id))
    return served_targets() + tuple(target_of_profile(ProfileFile.model_validate(row.document)) for row in rows)


def project_target(database: Session, project_id: int, model: str, profile: str) -> ServedTarget:
    """By the model's id and the profile's name, as stored. Raises NotFoundError."""
    standing = next((one for one in served_targets() if (one.model.id, one.profile.name) == (model, profile)), None)
    return standing or served_target(model, profile, project_targets(database, project_id))


def find_profile(database: Session, project_id: int, key: str) -> tuple[ProfileFile, int]:
    """(what it says, version) of a target profile; version 0 for one that was shipped. Raises NotFoundError."""
    row = _find_row(database, project_id, key)
    if row is not None:
        return ProfileFile.model_validate(row.document), row.version
    found = next((one.stated for one in served_targets() if one.id == key and one.stated is not None), None)
    if found is None:
        raise NotFoundError("There is no such target profile.", place=f"profiles/{key}", remedy="Load the list again.")
    return found, 0


def save_profile(database: Session, project_id: int, stated: ProfileFile, *, expected: int) -> TargetProfileRow:
    """Keep a target profile with the project. What was converted to it is computed again. expected: the version it was made from, 0 for
    a new one. Raises InputError for what does not fit the target or for a name that is taken, ConflictError."""
    find_project(database, project_id)
    if not stated.id or not stated.title:
        raise InputError("A target profile has an id and a title.", place="id", remedy="Give it both.")
    target = target_of_profile(stated)
    if any(stated.id in (one.id, one.profile.name) for one in served_targets()):
        raise InputError(f"“{stated.id}” comes with Fenrain.", place="id", remedy="Choose another id for your own.")
    row = _find_row(database, project_id, stated.id)
    if (row.version if row is not None else 0) != expected:
        raise ConflictError("Somebody else saved this profile first.", place=f"profiles/{stated.id}", remedy="Load it again.")
    if row is None:
        row = TargetProfileRow(project_id=project_id, key=stated.id, document=stated.model_dump(mode="json"))
        database.add(row)
    else:
        if row.document["target"] != stated.target and _conversions(database, project_id, stated.id):
            raise InputError("There are conversions to this profile.", place="target", remedy="Make a new profile for another target.")
        row.document = stated.model_dump(mode="json")
    database.flush()
    _make_stale(database, _conversions(database, project_id, target.profile.name))
    return row


def delete_profile(database: Session, project_id: int, key: str) -> None:
    """Take a profile of the project away, with what was converted to it. Raises NotFoundError, InputError where somebody set
    values there."""
    row = _find_row(database, project_id, key)
    if row is None:
        raise NotFoundError("Nobody wrote such a target profile.", place=f"profiles/{key}")
    converted = _conversions(database, project_id, key)
    edited = [conversion for conversion in converted if conversion.overrides]
    if edited:
        raise InputError(
            f"{len(edited)} materials have values set by hand for this target.",
            place=f"profiles/{key}",
            remedy="Put them back first, or keep the profile.",
        )
    for conversion in converted:
        database.delete(conversion)
    database.delete(row)


def list_converted(database: Session, project_id: int, key: str) -> list[int]:
    """Ids of the project's materials that are converted to a profile."""
    return [row.material_id for row in _conversions(database, project_id, key)]


def read_profile(text: str) -> ProfileFile:
    """A profile from the text of its file, once it fits its target. Raises InputError."""
    stated = profile_file(text, "the profile")
    target_of_profile(stated)
    return stated


def _find_row(database: Session, project_id: int, key: str) -> TargetProfileRow | None:
    return database.scalar(select(TargetProfileRow).where(TargetProfileRow.project_id == project_id, TargetProfileRow.key == key))


def _make_stale(database: Session, conversions: Sequence[ConversionRow]) -> None:
    """Have conversions written again when they are next read; what they cost is known from before until then."""
    ids = [conversion.id for conversion in conversions]
    stale = func.json_set(ConversionRow.document, "$.edition", 0)
    database.execute(
        update(ConversionRow).where(ConversionRow.id.in_(ids)).values(document=stale), execution_options={"synchronize_session": False}
    )
    for conversion in conversions:
        database.expire(conversion)


def _conversions(database: Session, project_id: int, profile: str) -> list[ConversionRow]:
    query = select(ConversionRow).join(MaterialRow).where(MaterialRow.project_id == project_id, ConversionRow.profile == profile)
    return list(database.scalars(query))
