"""The tables."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Boolean, DateTime, Float, ForeignKey, Index, Integer, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from fenrain.core.conversion.aim import Aim
from fenrain.store.current_person import current_person
from fenrain.store.documents.boards import BoardEntry, Outline
from fenrain.store.documents.checking import CheckPictures, DecisionDocument, OutsideMeasurements, PictureMeasurements
from fenrain.store.documents.column import DocumentColumn
from fenrain.store.documents.conversions import ConversionDocument
from fenrain.store.documents.intakes import FileError, FoundDocument, SheetReading, StoredCorrection
from fenrain.store.documents.outside import KitTile, OutsideLook, OutsidePair, OutsidePictureDocument
from fenrain.store.documents.reviews import ReviewName, ReviewPlace

Moment = DateTime().with_variant(DATETIME(fsp=6), "mysql", "mariadb")
DIGEST = String(64)


def now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Table(DeclarativeBase):
    """Base of all tables."""


class PersonRow(Table):
    """Somebody who has an account. `role`: see `services.people`; `password`: its Argon2 hash, "" where there is none yet; `disabled`: is
    let in no more, and stays named in what was done."""

    __tablename__ = "people"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    role: Mapped[str] = mapped_column(String(20))
    password: Mapped[str] = mapped_column(String(200), default="")
    disabled: Mapped[bool] = mapped_column(Boolean, default=False)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class CredentialRow(Table):
    """What lets a person in: a session of a browser, a one-time link, or a token of a script. `digest`: SHA-256 of the secret, which is
    kept nowhere; `by_link`: whether a session was begun by a one-time link."""

    __tablename__ = "credentials"
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(80), default="")
    digest: Mapped[str] = mapped_column(DIGEST, unique=True)
    by_link: Mapped[bool] = mapped_column(Boolean, default=False)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    seen: Mapped[datetime] = mapped_column(Moment, default=now)
    expires: Mapped[datetime] = mapped_column(Moment)
    person: Mapped[PersonRow] = relationship()


class AuditRow(Table):
    """An act, whether or not it was allowed: what was asked for, where, by whom and from where, and how it ended; of those who were not let
    in, the name that they gave. Rows are added, never changed."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    moment: Mapped[datetime] = mapped_column(Moment, default=now, index=True)
    by: Mapped[str] = mapped_column(String(80))
    act: Mapped[str] = mapped_column(String(80))
    place: Mapped[str] = mapped_column(String(200))
    status: Mapped[int] = mapped_column(Integer)
    source: Mapped[str] = mapped_column(String(45), default="")
    tried_as: Mapped[str] = mapped_column(String(80), default="")


class Project(Table):
    """A body of work with its own tolerances. `rigs`: ids of those under which everything is looked at, the standing ones where empty;
    `aim`: what converted values are good for, see `Aim`."""

    __tablename__ = "projects"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)
    tolerances: Mapped[dict[str, Any]] = mapped_column(JSON)
    rigs: Mapped[list[str]] = mapped_column(JSON, default=list)
    aim: Mapped[str] = mapped_column(String(16), default=Aim.PLAIN.value)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Surroundings(Table):
    """A picture of surroundings, or a mesh, that somebody uploaded to look at materials by. `kind`: rig or stand; `key`: its id there,
    which names its content; `digest`: of the file."""

    __tablename__ = "surroundings"
    __table_args__ = (UniqueConstraint("project_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(20))
    key: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(200))
    says: Mapped[str] = mapped_column(String(200))
    digest: Mapped[str] = mapped_column(DIGEST)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Intake(Table):
    """Files that were uploaded together, before and after their materials enter the board. `files`: name → digest; `unused`: names of
    those that no material came from or reads; `missing`: names of those that materials refer to and that were not uploaded; `sheets`: how
    each parameter sheet was read, see `services.intakes`; `dialects`: the dialect that a person chose for a parameter sheet, by file;
    `unit`: metres of its unit of length where files state none, 0 where nobody said; `corrections`: see `Correction`, each with file and
    place of its material; `chosen`: by the name of a file that several are called like, the path of the one that is meant."""

    __tablename__ = "intakes"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    state: Mapped[str] = mapped_column(String(20))
    files: Mapped[dict[str, Any]] = mapped_column(JSON)
    dialects: Mapped[dict[str, Any]] = mapped_column(JSON)
    unit: Mapped[float] = mapped_column(Float, default=0.0)
    corrections: Mapped[list[StoredCorrection]] = mapped_column(DocumentColumn(list[StoredCorrection]), default=list)
    chosen: Mapped[dict[str, str]] = mapped_column(JSON, default=dict)
    errors: Mapped[list[FileError]] = mapped_column(DocumentColumn(list[FileError]))
    unused: Mapped[list[str]] = mapped_column(JSON)
    missing: Mapped[list[str]] = mapped_column(JSON, default=list)
    sheets: Mapped[list[SheetReading]] = mapped_column(DocumentColumn(list[SheetReading]), default=list)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class FoundRow(Table):
    """A material that was found in an intake. `document`: what it is understood as, in words, see `services.interpretation`; `doubtful`:
    whether something was found at the door; `without_unit`: whether nobody knows its unit of length; `left_out`: does not enter the board;
    `changed`: is understood otherwise than before the last act."""

    __tablename__ = "found_materials"
    intake_id: Mapped[int] = mapped_column(ForeignKey("intakes.id", ondelete="CASCADE"), primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    file: Mapped[str] = mapped_column(String(400))
    name: Mapped[str] = mapped_column(String(400))
    model: Mapped[str] = mapped_column(String(40))
    doubtful: Mapped[bool] = mapped_column(Boolean)
    without_unit: Mapped[bool] = mapped_column(Boolean)
    left_out: Mapped[bool] = mapped_column(Boolean, default=False)
    changed: Mapped[bool] = mapped_column(Boolean, default=False)
    document: Mapped[FoundDocument] = mapped_column(DocumentColumn(FoundDocument))


class MaterialRow(Table):
    """An original, never changed but where another version of its dialect reads it otherwise. `document`: see `material_to_document`, of
    which `file` and `doubtful` say where it came from and whether something was found at the door; `variant_of`: the one whose values it
    shares under another name, so that a second version can be tuned beside the first; None for that itself; `merged_into`: the one that
    stands for it in deliveries."""

    __tablename__ = "materials"
    __table_args__ = (Index("materials_of_board", "project_id", "merged_into", "doubtful", "model", "file", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    intake_id: Mapped[int] = mapped_column(ForeignKey("intakes.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(400))
    model: Mapped[str] = mapped_column(String(40))
    digest: Mapped[str] = mapped_column(DIGEST)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    file: Mapped[str] = mapped_column(String(250))
    doubtful: Mapped[bool] = mapped_column(Boolean)
    variant_of: Mapped[int | None] = mapped_column(ForeignKey("materials.id", ondelete="SET NULL"), index=True)
    merged_into: Mapped[int | None] = mapped_column(ForeignKey("materials.id", ondelete="SET NULL"), index=True)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    intake: Mapped[Intake] = relationship()
    conversions: Mapped[list[ConversionRow]] = relationship(back_populates="material", cascade="all, delete-orphan")


class ConversionRow(Table):
    """A material in a target. `overrides`: what stands over derived values, see `Override.to_document`; `document`: what the interface
    shows, with the edition of the code that wrote it; `rules`: edition of the rules that it was converted by; `version` grows with every
    edit; `digest` is of the converted material; `aim`: its own, "" for that of the project."""

    __tablename__ = "conversions"
    __table_args__ = (
        UniqueConstraint("material_id", "target", "profile"),
        Index("conversions_of_look", "digest"),
        Index("conversions_of_rules", "target", "profile", "rules", "material_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id", ondelete="CASCADE"))
    target: Mapped[str] = mapped_column(String(40))
    profile: Mapped[str] = mapped_column(String(40))
    overrides: Mapped[dict[str, Any]] = mapped_column(JSON)
    document: Mapped[ConversionDocument | None] = mapped_column(DocumentColumn(ConversionDocument), nullable=False)
    rules: Mapped[str] = mapped_column(String(16), default="")
    aim: Mapped[str] = mapped_column(String(16), default="")
    digest: Mapped[str] = mapped_column(DIGEST)
    version: Mapped[int] = mapped_column(Integer, default=1)
    updated: Mapped[datetime] = mapped_column(Moment, default=now, onupdate=now)
    material: Mapped[MaterialRow] = relationship(back_populates="conversions")

    __mapper_args__ = {"version_id_col": version}


class ConversionStatusRow(Table):
    """The status of a conversion, by which boards are sorted and filtered. Every conversion has one. It is computed again where `changes`
    differs from `changes_seen`: whatever a status depends on counts `changes` up when it is written; or where `shared_digest` is not that
    of what all statuses of the project depend on today. `merged`, `doubtful`: as the material has them; `reason`: the metric that decided;
    `changed`: when the conversion was. The table is narrow, and the rows of a board lie together in the order in which materials came, so
    that a board is read at once."""

    __tablename__ = "conversion_statuses"
    project_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    target: Mapped[str] = mapped_column(String(40), primary_key=True)
    profile: Mapped[str] = mapped_column(String(40), primary_key=True)
    material_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"), unique=True)
    merged: Mapped[bool] = mapped_column(Boolean)
    doubtful: Mapped[bool] = mapped_column(Boolean)
    changes: Mapped[int] = mapped_column(Integer, default=1)
    changes_seen: Mapped[int] = mapped_column(Integer, default=0)
    shared_digest: Mapped[str] = mapped_column(DIGEST, default="")
    verdict: Mapped[str] = mapped_column(String(20), default="")
    worst: Mapped[float] = mapped_column(Float, default=0.0)
    reason: Mapped[str] = mapped_column(String(40), default="")
    losses: Mapped[int] = mapped_column(Integer, default=0)
    unusual: Mapped[int] = mapped_column(Integer, default=0)
    review: Mapped[str] = mapped_column(String(20), default="")
    changed: Mapped[datetime] = mapped_column(Moment)


class StatusReadingRow(Table):
    """How far the worst reading of a conversion under one light is, as a multiple of what a match may read. `rig`: "" for quick figures."""

    __tablename__ = "status_readings"
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"), primary_key=True, autoincrement=False)
    rig: Mapped[str] = mapped_column(String(40), primary_key=True)
    worst: Mapped[float] = mapped_column(Float)


class StatusLossRow(Table):
    """A value, or values together, that a conversion loses."""

    __tablename__ = "status_losses"
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"), primary_key=True, autoincrement=False)
    loss: Mapped[str] = mapped_column(String(200), primary_key=True)


class StatusDocumentRow(Table):
    """What a row of the board says of a conversion. `outline`: what is known without checks; `entry`: all of it."""

    __tablename__ = "status_documents"
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"), primary_key=True, autoincrement=False)
    outline: Mapped[Outline | None] = mapped_column(DocumentColumn(Outline), nullable=False)
    entry: Mapped[BoardEntry | None] = mapped_column("document", DocumentColumn(BoardEntry), nullable=False)


class ActRow(Table):
    """Something that somebody did to one conversion or to many, as one entry of the history. `kind`: see `services.history`; `rule`: how
    those were chosen and what was asked for, where it was an act on many; `undone`: whether it was taken back as a whole."""

    __tablename__ = "acts"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    by: Mapped[str] = mapped_column(String(80), default=current_person)
    kind: Mapped[str] = mapped_column(String(20))
    title: Mapped[str] = mapped_column(String(400))
    rule: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    undone: Mapped[bool] = mapped_column(Boolean, default=False)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class EditRow(Table):
    """What an act changed of one conversion. `version`: of the conversion after it; `changes`: by name of a value what stood over the
    derived one before and after, as `Override.to_document` writes it, None for nothing."""

    __tablename__ = "edits"
    __table_args__ = (Index("edits_of_conversion", "conversion_id", "version"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    act_id: Mapped[int] = mapped_column(ForeignKey("acts.id", ondelete="CASCADE"), index=True)
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"))
    version: Mapped[int] = mapped_column(Integer)
    changes: Mapped[dict[str, Any]] = mapped_column(JSON)
    act: Mapped[ActRow] = relationship()


class RehearsalRow(Table):
    """What an act on many would change of one conversion, as it stood at `version`, and what its quick figures say before and after:
    decisions, and the deciding reading as a multiple of what a match may read. `changes`: as in `EditRow`; `pictures`: of a few, by
    whether they are from before or after."""

    __tablename__ = "rehearsals"
    __table_args__ = (UniqueConstraint("job_id", "conversion_id"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"))
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"))
    version: Mapped[int] = mapped_column(Integer)
    changes: Mapped[dict[str, Any]] = mapped_column(JSON)
    before: Mapped[DecisionDocument] = mapped_column(DocumentColumn(DecisionDocument))
    after: Mapped[DecisionDocument] = mapped_column(DocumentColumn(DecisionDocument))
    excess_before: Mapped[float] = mapped_column(Float)
    excess_after: Mapped[float] = mapped_column(Float)
    pictures: Mapped[dict[str, str]] = mapped_column(JSON)
    conversion: Mapped[ConversionRow] = relationship()


class SavedActRow(Table):
    """An act on many that is to be done again: how the materials are chosen, and what is done to them. `rule`: see `services.acts`."""

    __tablename__ = "saved_acts"
    __table_args__ = (UniqueConstraint("project_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(200))
    by: Mapped[str] = mapped_column(String(80), default=current_person)
    rule: Mapped[dict[str, Any]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class ReviewRow(Table):
    """What somebody said of a conversion: accepted, sent back, or open again. `place`: of the picture that the note is about, empty for
    none; `basis`: what the look depended on then, by part, so that it is seen when one has changed since. Rows are added, never changed."""

    __tablename__ = "reviews"
    id: Mapped[int] = mapped_column(primary_key=True)
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"), index=True)
    state: Mapped[ReviewName] = mapped_column(String(20))
    by: Mapped[str] = mapped_column(String(80))
    note: Mapped[str] = mapped_column(String(2000))
    place: Mapped[ReviewPlace | None] = mapped_column(DocumentColumn(ReviewPlace), nullable=False)
    basis: Mapped[dict[str, str]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class CheckRow(Table):
    """One rig's comparison of two looks, found again by the key of what was compared and how."""

    __tablename__ = "checks"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(DIGEST, unique=True)
    original: Mapped[str] = mapped_column(DIGEST)
    converted: Mapped[str] = mapped_column(DIGEST)
    rig: Mapped[str] = mapped_column(String(40))
    stand: Mapped[str] = mapped_column(String(60))
    turn: Mapped[float] = mapped_column(Float)
    size: Mapped[int] = mapped_column(Integer)
    numbers: Mapped[PictureMeasurements] = mapped_column(DocumentColumn(PictureMeasurements))
    pictures: Mapped[CheckPictures | None] = mapped_column(DocumentColumn(CheckPictures), nullable=False)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    __table_args__ = (Index("checks_of_pair", "original", "converted"),)


class Job(Table):
    """Long work. Its state lives here, so that it survives the crash of anything else. `by`: for whom it is done; `total`,
    `done`, `failed`: pieces of work; `begun`: when the first was taken; `seconds_left`: about how long it will take yet."""

    __tablename__ = "jobs"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(40))
    title: Mapped[str] = mapped_column(String(200))
    by: Mapped[str] = mapped_column(String(80), default=current_person)
    state: Mapped[str] = mapped_column(String(20), index=True)
    total: Mapped[int] = mapped_column(Integer)
    done: Mapped[int] = mapped_column(Integer, default=0)
    failed: Mapped[int] = mapped_column(Integer, default=0)
    result: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    begun: Mapped[datetime | None] = mapped_column(Moment)
    seconds_left: Mapped[float | None] = mapped_column(Float)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    updated: Mapped[datetime] = mapped_column(Moment, default=now, index=True)
    items: Mapped[list[JobItem]] = relationship(back_populates="job", cascade="all, delete-orphan")


class JobItem(Table):
    """A part of a job that one worker does: one piece of work, or a bundle of the same for several materials. `size`: pieces in it, of
    which so many are `done` and so many `failed`; what is begun again skips what is done. `runner`: the application process that has
    taken it, None while nobody has; `lease`: grows whenever it is taken or taken away, so that who had it before is told apart."""

    __tablename__ = "job_items"
    __table_args__ = (Index("items_to_do", "job_id", "state"), Index("items_to_take", "state", "runner"))
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"))
    work: Mapped[str] = mapped_column(String(40))
    payload: Mapped[dict[str, Any]] = mapped_column(JSON)
    state: Mapped[str] = mapped_column(String(20))
    size: Mapped[int] = mapped_column(Integer, default=1)
    done: Mapped[int] = mapped_column(Integer, default=0)
    failed: Mapped[int] = mapped_column(Integer, default=0)
    attempts: Mapped[int] = mapped_column(Integer, default=0)
    runner: Mapped[str | None] = mapped_column(String(36))
    lease: Mapped[int] = mapped_column(Integer, default=0)
    error: Mapped[str] = mapped_column(Text, default="")
    job: Mapped[Job] = relationship(back_populates="items")


class RunnerRow(Table):
    """An application process that hands out work. `seen`: when it last said that it lives, by the database's clock."""

    __tablename__ = "runners"
    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    seen: Mapped[datetime] = mapped_column(Moment)


class DialectRow(Table):
    """A dialect that somebody wrote, as its YAML text; `version` grows with every edit."""

    __tablename__ = "dialects"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(40), unique=True)
    text: Mapped[str] = mapped_column(Text().with_variant(MEDIUMTEXT, "mysql", "mariadb"))
    version: Mapped[int] = mapped_column(Integer, default=1)
    updated: Mapped[datetime] = mapped_column(Moment, default=now, onupdate=now)

    __mapper_args__ = {"version_id_col": version}


class PresetRow(Table):
    """A named surface that somebody saved: OpenPBR values by name, and the one that takes the colour it is started with."""

    __tablename__ = "presets"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)
    says: Mapped[str] = mapped_column(String(400))
    color: Mapped[str] = mapped_column(String(80))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class TargetProfileRow(Table):
    """A target profile that somebody wrote for a project. `document`: see `ProfileFile`; `version` grows with every edit."""

    __tablename__ = "target_profiles"
    __table_args__ = (UniqueConstraint("project_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(40))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    version: Mapped[int] = mapped_column(Integer, default=1)
    updated: Mapped[datetime] = mapped_column(Moment, default=now, onupdate=now)

    __mapper_args__ = {"version_id_col": version}


class Delivery(Table):
    """Files written for a target, packed as one archive in the file store."""

    __tablename__ = "deliveries"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"))
    format: Mapped[str] = mapped_column(String(40))
    target: Mapped[str] = mapped_column(String(40))
    files: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class KitRow(Table):
    """A check kit. `files`: name in its folder → digest; `archive`: of all of them; `tiles`: for each material its name, its row, and the
    digests of the two looks that the kit holds."""

    __tablename__ = "kits"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    job_id: Mapped[int | None] = mapped_column(ForeignKey("jobs.id", ondelete="SET NULL"), unique=True)
    title: Mapped[str] = mapped_column(String(200))
    target: Mapped[str] = mapped_column(String(40))
    profile: Mapped[str] = mapped_column(String(40))
    rig: Mapped[str] = mapped_column(String(40))
    stand: Mapped[str] = mapped_column(String(60))
    turn: Mapped[float] = mapped_column(Float)
    width: Mapped[int] = mapped_column(Integer)
    height: Mapped[int] = mapped_column(Integer)
    files: Mapped[dict[str, str]] = mapped_column(JSON)
    archive: Mapped[str] = mapped_column(DIGEST)
    tiles: Mapped[list[KitTile]] = mapped_column(DocumentColumn(list[KitTile]))
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    pictures: Mapped[list[OutsidePictureRow]] = relationship(cascade="all, delete-orphan")
    checks: Mapped[list[OutsideCheckRow]] = relationship(cascade="all, delete-orphan")


class OutsidePictureRow(Table):
    """A picture that came back for a kit, one for each side. `document`: what is known of it, empty before it was compared."""

    __tablename__ = "outside_pictures"
    __table_args__ = (UniqueConstraint("kit_id", "shows"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    kit_id: Mapped[int] = mapped_column(ForeignKey("kits.id", ondelete="CASCADE"))
    shows: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(200))
    digest: Mapped[str] = mapped_column(DIGEST)
    space: Mapped[str] = mapped_column(String(80))
    document: Mapped[OutsidePictureDocument | None] = mapped_column(DocumentColumn(OutsidePictureDocument), nullable=False)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class OutsideCheckRow(Table):
    """Two looks at a material of a kit, of which at least one came from another renderer. `original`, `converted`: digests of what the kit
    holds, so that it is seen when a conversion has changed since; `first`, `second`: whose looks they are; `numbers`: see `Compared`."""

    __tablename__ = "outside_checks"
    __table_args__ = (Index("outside_checks_of_pair", "original", "converted"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    kit_id: Mapped[int] = mapped_column(ForeignKey("kits.id", ondelete="CASCADE"), index=True)
    tile: Mapped[int] = mapped_column(Integer)
    original: Mapped[str] = mapped_column(DIGEST)
    converted: Mapped[str] = mapped_column(DIGEST)
    first: Mapped[OutsideLook] = mapped_column(DocumentColumn(OutsideLook))
    second: Mapped[OutsideLook] = mapped_column(DocumentColumn(OutsideLook))
    numbers: Mapped[OutsideMeasurements] = mapped_column(DocumentColumn(OutsideMeasurements))
    pictures: Mapped[OutsidePair] = mapped_column(DocumentColumn(OutsidePair))
    created: Mapped[datetime] = mapped_column(Moment, default=now)
