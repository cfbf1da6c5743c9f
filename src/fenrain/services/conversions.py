"""Conversions as people work on them: made, edited, fitted, mended, and reset, each edit one version."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import lru_cache
from types import MappingProxyType
from typing import Any

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, object_session

from fenrain.core.aims.choosing import convert
from fenrain.core.aims.plainness import plainness_of
from fenrain.core.aims.remedies import with_rehearsed_remedies
from fenrain.core.checking.code_version import rules_version
from fenrain.core.checking.cost import cost_of
from fenrain.core.checking.error_shares import shares
from fenrain.core.checking.figures import figures
from fenrain.core.checking.fitting.fit import Fit
from fenrain.core.checking.fitting.free import free_values
from fenrain.core.checking.quick import quick_check
from fenrain.core.checking.undrawn import find_undrawn_values, find_unread_statements
from fenrain.core.checking.value_findings.registry import findings_of
from fenrain.core.conversion.aim import Aim
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.conversion.viewing import features_of
from fenrain.core.errors import InputError, NotFoundError, ParameterError
from fenrain.core.lobes.aspects import ASPECTS
from fenrain.core.material import Geometry, Material
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.models.target import Profile
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.steps import GRADES, OF_COLOURS, ValueStep
from fenrain.core.tables import Preset
from fenrain.core.values import Constant, value_from_document
from fenrain.services.checks import direction_measurements
from fenrain.services.history import find_conversion_at_version, record_edit
from fenrain.services.source_values import list_source_values
from fenrain.services.targets import project_target
from fenrain.store import blobs
from fenrain.store.documents.boards import Outline
from fenrain.store.documents.checking import DirectionMeasurements, Measurements
from fenrain.store.documents.conversions import ChoiceDocument, ConversionDocument, LedgerEntry, PlainnessDocument
from fenrain.store.rows import find_conversion, find_conversion_to, find_project, load_material, write_reading
from fenrain.store.status_changes import save_outline
from fenrain.store.tables import ActRow, ConversionRow, MaterialRow

GRADE, RESET = "grade", "reset"
"""Kinds of edits, beside whose a value is."""

LARGEST_GRADED = 1e6
"""What a graded value without an end is cut at."""


def ensure_conversion(
    database: Session, row: MaterialRow, target: str, profile: str, overrides: Mapping[str, Any] = MappingProxyType({}), aim: str = ""
) -> ConversionRow:
    """The material's conversion to a target, made if it is not there yet, with these overrides and this aim of its own."""
    existing = find_conversion_to(database, row.id, target, profile)
    if existing is not None:
        return refresh_conversion(existing)
    made = ConversionRow(material_id=row.id, target=target, profile=profile, overrides=dict(overrides), aim=aim, document=None, digest="")
    try:
        with database.begin_nested(), database.no_autoflush:
            made.material = row
            _write(made, load_conversion(made))
            database.add(made)
    except IntegrityError:
        found = find_conversion_to(database, row.id, target, profile)
        assert found is not None  # somebody else has made it meanwhile
        return found
    _flush(made)
    return made


def refresh_conversion(row: ConversionRow) -> ConversionRow:
    """The row as today's rules make it, with a document of today's edition."""
    return row if is_current(row) else rewrite_conversion(row)


def rewrite_conversion(row: ConversionRow) -> ConversionRow:
    """The row, computed again from all that it depends on."""
    _write(row, load_conversion(row))
    _flush(row)
    return row


def apply_reading(database: Session, row: MaterialRow, material: Material) -> None:
    """Let an original say this, and convert it again to all that it is converted to."""
    write_reading(row, material)
    database.flush()
    for conversion in row.conversions:
        rewrite_conversion(conversion)


def is_current(row: ConversionRow) -> bool:
    """Whether it was made by today's rules, and written by today's code."""
    return row.document is not None and row.rules == rules_version()


def _flush(row: ConversionRow) -> None:
    """Send what was written to the database, and mark how it stands for the board."""
    database = object_session(row)
    assert database is not None
    database.flush()
    save_outline(database, row.id, outline(row.document))


def load_conversion(row: ConversionRow) -> Conversion:
    """The conversion, computed by today's rules with the person's values over it. Raises NotFoundError for an unknown target."""
    return convert_as(row, load_material(row.material), target_for(row).profile)


def convert_as(row: ConversionRow, material: Material, profile: Profile) -> Conversion:
    """What a conversion would be of another reading of its material, or by another profile, with the person's values over it."""
    return convert_with_aim(row, material, profile, aim_of(row))


def aim_of(row: ConversionRow) -> Aim:
    """Its own, or that of its project."""
    if row.aim:
        return Aim(row.aim)
    database = object_session(row.material)
    assert database is not None
    return Aim(find_project(database, row.material.project_id).aim)


def convert_with_aim(row: ConversionRow, material: Material, profile: Profile, aim: Aim) -> Conversion:
    """What it would be by another aim."""
    derived = choose_conversion(material, row.target, profile, aim)
    overrides = {name: _override_from(stored) for name, stored in row.overrides.items()}
    return derived.having(overrides) if overrides else derived


@dataclass(frozen=True)
class _Question:
    """All that an answer depends on, and the material itself."""

    digest: str
    geometry: Geometry
    target: str
    profile: Profile
    aim: Aim
    material: Material = field(compare=False)


def choose_conversion(material: Material, target: str, profile: Profile, aim: Aim) -> Conversion:
    """What a material becomes by an aim; the same for the same question, and worked out once. Candidates are held against the standing
    rigs and the metrics' own limits, so that values do not move when somebody changes a tolerance of the project."""
    answer = _answer(_Question(material.digest, material.geometry, target, profile, aim, material))
    converted = replace(material, model=answer.material.model, values=answer.material.values, findings=(), parts=answer.material.parts)
    return replace(answer, original=material, material=converted)


@lru_cache(maxsize=1024)
def _answer(asked: _Question) -> Conversion:
    return convert(asked.material, asked.target, asked.profile, asked.aim)


def target_for(row: ConversionRow) -> ServedTarget:
    """The target of a conversion, as its project knows it. Raises NotFoundError."""
    database = object_session(row.material)
    assert database is not None
    return project_target(database, row.material.project_id, row.target, row.profile)


def _override_from(stored: dict[str, Any]) -> Override:
    value = None if stored["value"] is None else value_from_document(stored["value"], blobs.open_image)
    return Override(value, By(stored["by"]), stored["why"], tuple(ValueStep.model_validate(step) for step in stored.get("grade", ())))


def override_value(database: Session, conversion_id: int, name: str, raw: Any, *, expected: int) -> ConversionRow:
    """Set a person's value over the derived one. Raises ConflictError, ParameterError, NotFoundError."""
    return override_values(database, conversion_id, {name: raw}, By.HAND, "", expected=expected)


def override_values(database: Session, conversion_id: int, values: Mapping[str, Any], by: By, why: str, *, expected: int) -> ConversionRow:
    """Set constants over the derived values, as one edit. Raises ConflictError, ParameterError, NotFoundError."""
    row = find_conversion_at_version(database, conversion_id, expected)
    model = model_of(row.target)
    laid = {name: Override(Constant(model.parameter(name).accept(raw)), by, why) for name, raw in values.items()}
    return apply_overrides(database, row, {**row.overrides, **{name: override.to_document() for name, override in laid.items()}}, by)


def grade_value(database: Session, conversion_id: int, name: str, steps: Sequence[ValueStep], *, expected: int) -> ConversionRow:
    """Take these steps on a value, in place of those taken before; none puts it back to what it was without. Raises ConflictError,
    ParameterError for steps that the value cannot take, NotFoundError."""
    row = find_conversion_at_version(database, conversion_id, expected)
    taken = accept_grade(model_of(row.target).parameter(name), steps)
    known = _override_from(row.overrides[name]) if name in row.overrides else Override(None)
    others = {key: value for key, value in row.overrides.items() if key != name}
    if not taken and known.value is None:
        return apply_overrides(database, row, others, GRADE)
    return apply_overrides(database, row, {**others, name: replace(known, grade=taken).to_document()}, GRADE)


def accept_grade(parameter: Parameter, steps: Sequence[ValueStep]) -> tuple[ValueStep, ...]:
    """The steps as the value can take them, and back into its range. Raises ParameterError."""
    if not steps:
        return ()
    if parameter.kind not in (Kind.NUMBER, Kind.COLOUR):
        raise ParameterError(f"{parameter.name} is a {parameter.kind}, which cannot be graded.", place=parameter.name)
    for step in steps:
        name, _ = step.said
        if name not in GRADES or (name in OF_COLOURS and parameter.kind is not Kind.COLOUR):
            fitting = GRADES if parameter.kind is Kind.COLOUR else GRADES - OF_COLOURS
            raise ParameterError(
                f"{parameter.name} cannot take the step “{name}”.", place=parameter.name, remedy=f"Steps: {', '.join(sorted(fitting))}."
            )
    range_ends = ValueStep(clamp=(max(parameter.low, -LARGEST_GRADED), min(parameter.high, LARGEST_GRADED)))
    return (*(step for step in steps if step != range_ends), range_ends)


def copy_value(database: Session, conversion_id: int, name: str, from_id: int, from_name: str, *, expected: int) -> ConversionRow:
    """Copy a target value, map or constant, from another slot or from a sibling's conversion. Raises ConflictError, ParameterError where
    the two do not hold the same kind of value, NotFoundError."""
    row = find_conversion_at_version(database, conversion_id, expected)
    source = find_conversion(database, from_id)
    wanted, given = model_of(row.target).parameter(name), model_of(source.target).parameter(from_name)
    if wanted.kind is not given.kind:
        raise ParameterError(
            f"{from_name} is a {given.kind}, {name} a {wanted.kind}.", place=name, remedy="Copy from the same kind of value."
        )
    value = load_conversion(source).material.value(from_name)
    if isinstance(value, Constant):
        value = Constant(wanted.accept(list(value.value) if isinstance(value.value, tuple) else value.value))
    whose = "" if source.id == row.id else f" of {source.material.name}"
    return apply_overrides(
        database, row, {**row.overrides, name: Override(value, By.COPY, f"copied from {from_name}{whose}").to_document()}, By.COPY
    )


def keep_fit(database: Session, conversion_id: int, fitted: Fit, *, expected: int) -> None:
    """Set what a fit of the conversion found; values set by hand stay. Raises ConflictError, NotFoundError."""
    row = find_conversion_at_version(database, conversion_id, expected)
    overrides = {name: override.to_document() for name, override in fitted.conversion.overrides.items()}
    if overrides != row.overrides:
        apply_overrides(database, row, overrides, By.FIT)


def apply_remedy(database: Session, conversion_id: int, code: str, parameter: str, *, expected: int) -> ConversionRow:
    """Do what a finding offers. Raises ConflictError, NotFoundError where there is no such finding or it offers nothing."""
    row = find_conversion(database, conversion_id)
    found = next((f for f in findings_of(load_conversion(row)) if (f.code, f.parameter) == (code, parameter) and f.fix), None)
    if found is None or found.fix is None:
        raise NotFoundError("There is no such finding any more.", place=code, remedy="Load the conversion again.")
    why = f"{found.message} Usual: {found.usual} ({found.source})."
    return override_values(database, conversion_id, found.fix, By.REMEDY, why, expected=expected)


def apply_preset(database: Session, conversion_id: int, preset: Preset, *, expected: int) -> ConversionRow:
    """Lay a named surface's values over a conversion to OpenPBR; its maps and its other values stay. Raises ConflictError, InputError."""
    row = find_conversion(database, conversion_id)
    if row.target != HUB:
        raise InputError("A named surface is made of OpenPBR values.", place=row.target, remedy="Apply it on the conversion to OpenPBR.")
    return override_values(database, conversion_id, preset.values, By.COPY, f"from the named surface {preset.title}", expected=expected)


def reset_all(database: Session, conversion_id: int, *, expected: int) -> ConversionRow:
    """Take back everything that stands over derived values."""
    return apply_overrides(database, find_conversion_at_version(database, conversion_id, expected), {}, RESET)


def reset_value(database: Session, conversion_id: int, name: str, *, expected: int) -> ConversionRow:
    """Take back what stands over a derived value, so that the derived one stands again."""
    row = find_conversion_at_version(database, conversion_id, expected)
    if name not in row.overrides:
        raise ParameterError(f"{name} is already at its derived value.", place=name)
    return apply_overrides(database, row, {key: value for key, value in row.overrides.items() if key != name}, RESET)


def measure_shares(database: Session, conversion_id: int) -> dict[str, Any]:
    """Where the remaining difference comes from: the lobe error, and by name of value or loss the share of it, 0…1."""
    conversion = load_conversion(find_conversion(database, conversion_id))
    error, found = quick_check(conversion.original, conversion.material).lobe_error, shares(conversion)
    whole = max(error, 1e-9)
    return {
        "error": error,
        "values": {name: share / whole for name, share in found.values.items()},
        "losses": {name: share / whole for name, share in found.losses.items()},
    }


def apply_overrides(
    database: Session, row: ConversionRow, overrides: dict[str, Any], kind: str, act: ActRow | None = None
) -> ConversionRow:
    """The row with these overrides: one edit, one version, one entry of the history, or a part of the act that has one."""
    before = row.overrides
    with database.no_autoflush:
        row.overrides = overrides
        _write(row, load_conversion(row))
    _flush(row)
    record_edit(database, row, before, kind, act)
    return row


def _write(row: ConversionRow, conversion: Conversion) -> None:
    """Write what the interface shows of a conversion into its row."""
    choice = conversion.choice
    row.document = ConversionDocument(
        plainness=PlainnessDocument.from_plainness(plainness_of(conversion.material)),
        choice=None if choice is None else ChoiceDocument(**asdict(choice)),
        source_values=list_source_values(conversion.original),
        ledger=ledger_entries(conversion),
        findings=list(with_rehearsed_remedies(conversion, findings_of(conversion), standing_rigs())),
        cost=cost_of(conversion),
        features=list(features_of(conversion.material)),
        losses=[entry.steps[-1].text for entry in conversion.ledger if entry.fidelity is Fidelity.DROPPED and entry.steps],
        figures=measure_on_directions(conversion),
    )
    row.digest, row.rules = conversion.material.digest, rules_version()


def measure_on_directions(conversion: Conversion) -> DirectionMeasurements:
    """The quick figures of a conversion."""
    unread = find_unread_statements(conversion.original)
    undrawn = find_undrawn_values(conversion.original, conversion.material)
    return direction_measurements(figures(conversion.original, conversion.material), [*unread, *map(str, undrawn)])


def outline(document: ConversionDocument | None) -> Outline:
    """What is known of a conversion without checks, from what it keeps of itself; nothing where that was written by another edition."""
    if document is None:
        return Outline()
    measured = Measurements(readings=document.figures.readings, unseen=document.figures.unseen)
    return Outline(
        losses=document.lost_values,
        approximated=document.count_approximated(),
        plainness=document.plainness.text,
        unusual=len(document.plainness.unusual),
        figures=measured,
    )


def ledger_entries(conversion: Conversion) -> list[LedgerEntry]:
    """The ledger as the interface shows it."""
    free = {parameter.name for parameter in free_values(conversion.having({}))}
    written: dict[str, str] = {}
    for entry in sorted(
        (entry for entry in conversion.ledger if entry.target and entry.steps), key=lambda entry: ASPECTS.index(entry.group)
    ):
        written.setdefault(repr([step.to_document() for step in entry.steps]), entry.target)
    entries = []
    for entry in conversion.ledger:
        first = written.get(repr([step.to_document() for step in entry.steps]), "") if entry.target else ""
        as_for = "" if first == entry.target else first
        shown = {**entry.to_document(conversion.target), "free": entry.target in free, "as_for": as_for}
        entries.append(LedgerEntry.model_validate(shown))
    return entries
