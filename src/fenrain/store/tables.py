"""The tables."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, DateTime, Float, ForeignKey, Index, Integer, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

Moment = DateTime().with_variant(DATETIME(fsp=6), "mysql", "mariadb")
DIGEST = String(64)


def now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Table(DeclarativeBase):
    """Base of all tables."""


class Project(Table):
    """A body of work with its own tolerances. `rigs`: ids of those under which everything is looked at, the standing ones where empty."""

    __tablename__ = "projects"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)
    tolerances: Mapped[dict[str, Any]] = mapped_column(JSON)
    rigs: Mapped[list[str]] = mapped_column(JSON, default=list)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class Surroundings(Table):
    """A picture of surroundings, or a mesh, that somebody handed in to look at materials by. `kind`: rig or stand; `key`: its id there,
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
    """Files that were handed in together, before and after their materials enter the board. `files`: name → digest; `unused`: names of
    those that no material came from or reads; `dialects`: the dialect that a person chose for a parameter sheet, by file; `unit`: metres of
    its unit of length where files state none, 0 where nobody said; `corrections`: see `Correction`, each with file and place of its
    material; `chosen`: by the name of a file that several are called like, the path of the one that is meant."""

    __tablename__ = "intakes"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    state: Mapped[str] = mapped_column(String(20))
    files: Mapped[dict[str, Any]] = mapped_column(JSON)
    dialects: Mapped[dict[str, Any]] = mapped_column(JSON)
    unit: Mapped[float] = mapped_column(Float, default=0.0)
    corrections: Mapped[list[dict[str, Any]]] = mapped_column(JSON, default=list)
    chosen: Mapped[dict[str, str]] = mapped_column(JSON, default=dict)
    found: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    errors: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    unused: Mapped[list[str]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)


class MaterialRow(Table):
    """An original, never changed. `document`: see `material_to_document`; `variant_of`: the one whose values it shares under another name,
    so that a second version can be tuned beside the first; None for that itself."""

    __tablename__ = "materials"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    intake_id: Mapped[int] = mapped_column(ForeignKey("intakes.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(400))
    model: Mapped[str] = mapped_column(String(40))
    digest: Mapped[str] = mapped_column(DIGEST)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    variant_of: Mapped[int | None] = mapped_column(ForeignKey("materials.id", ondelete="SET NULL"), index=True)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    intake: Mapped[Intake] = relationship()
    conversions: Mapped[list[ConversionRow]] = relationship(back_populates="material", cascade="all, delete-orphan")


class ConversionRow(Table):
    """A material in a target. `overrides`: what stands over derived values, see `Override.to_document`; `document`: what the interface
    shows, with the edition of the code that wrote it; `version` grows with every edit; `digest` is of the converted material."""

    __tablename__ = "conversions"
    __table_args__ = (UniqueConstraint("material_id", "target", "profile"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id", ondelete="CASCADE"))
    target: Mapped[str] = mapped_column(String(40))
    profile: Mapped[str] = mapped_column(String(40))
    overrides: Mapped[dict[str, Any]] = mapped_column(JSON)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    digest: Mapped[str] = mapped_column(DIGEST)
    version: Mapped[int] = mapped_column(Integer, default=1)
    updated: Mapped[datetime] = mapped_column(Moment, default=now, onupdate=now)
    material: Mapped[MaterialRow] = relationship(back_populates="conversions")

    __mapper_args__ = {"version_id_col": version}


class ReviewRow(Table):
    """What somebody said of a conversion: accepted, sent back, or open again. `place`: of the picture that the note is about, empty for
    none; `basis`: what the look hung on then, by part, so that it is seen when one has changed since. Rows are added, never changed."""

    __tablename__ = "reviews"
    id: Mapped[int] = mapped_column(primary_key=True)
    conversion_id: Mapped[int] = mapped_column(ForeignKey("conversions.id", ondelete="CASCADE"), index=True)
    state: Mapped[str] = mapped_column(String(20))
    by: Mapped[str] = mapped_column(String(80))
    note: Mapped[str] = mapped_column(String(2000))
    place: Mapped[dict[str, Any]] = mapped_column(JSON)
    basis: Mapped[dict[str, Any]] = mapped_column(JSON)
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
    numbers: Mapped[dict[str, Any]] = mapped_column(JSON)
    pictures: Mapped[dict[str, Any]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    __table_args__ = (Index("checks_of_pair", "original", "converted"),)


class Job(Table):
    """Long work. Its state lives here, so that it survives the crash of anything else."""

    __tablename__ = "jobs"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(40))
    title: Mapped[str] = mapped_column(String(200))
    state: Mapped[str] = mapped_column(String(20), index=True)
    total: Mapped[int] = mapped_column(Integer)
    done: Mapped[int] = mapped_column(Integer, default=0)
    failed: Mapped[int] = mapped_column(Integer, default=0)
    result: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
    updated: Mapped[datetime] = mapped_column(Moment, default=now, index=True)
    items: Mapped[list[JobItem]] = relationship(back_populates="job", cascade="all, delete-orphan")


class JobItem(Table):
    """One piece of a job: done as a whole, or again. `runner`: the application process that has taken it, None while nobody has."""

    __tablename__ = "job_items"
    __table_args__ = (Index("items_to_do", "job_id", "state"), Index("items_to_take", "state", "runner"))
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"))
    work: Mapped[str] = mapped_column(String(40))
    payload: Mapped[dict[str, Any]] = mapped_column(JSON)
    state: Mapped[str] = mapped_column(String(20))
    attempts: Mapped[int] = mapped_column(Integer, default=0)
    runner: Mapped[str | None] = mapped_column(String(36))
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
    tiles: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
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
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
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
    first: Mapped[dict[str, str]] = mapped_column(JSON)
    second: Mapped[dict[str, str]] = mapped_column(JSON)
    numbers: Mapped[dict[str, Any]] = mapped_column(JSON)
    pictures: Mapped[dict[str, str]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(Moment, default=now)
