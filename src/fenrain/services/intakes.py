"""Files handed in: kept by content, read as materials, and laid out again when something is written on top of them."""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.checking.door.registry import with_findings
from fenrain.core.correcting import Correction, corrected, require_fitting
from fenrain.core.dialects.dialect import LARGEST_DIALECT, Dialect, examine
from fenrain.core.dialects.sheet import SHEET_SUFFIXES
from fenrain.core.errors import FenrainError, InputError, NotFoundError, ParameterError, TooLargeError, UnknownFormatError, UnsafePathError
from fenrain.core.findings import problem
from fenrain.core.formats.registry import formats, is_material_file, mesh_readers, read_asset
from fenrain.core.material import Material
from fenrain.core.models.registry import model_of
from fenrain.core.values import Map
from fenrain.core.words import describe_as
from fenrain.services.library import known_dialects
from fenrain.store import blobs
from fenrain.store.rows import add_material, find_intake
from fenrain.store.tables import Intake, MaterialRow

MOST_FILES = 20_000
LARGEST_UNPACKED = 16 * 1024**3
LARGEST_RATIO = 200


def inside(folder: Path, name: str) -> Path:
    """Where an uploaded file of this name is laid down. Raises UnsafePathError for a name that leaves the folder."""
    plain = PurePosixPath(name.replace("\\", "/"))
    if plain.is_absolute() or ".." in plain.parts or not plain.name or "\x00" in name or ":" in plain.parts[0]:
        raise UnsafePathError(f"The file name “{name[:80]}” leaves the upload.", place=name[:80], remedy="Hand in plain names or folders.")
    return folder / plain


def unpack(archive: Path, folder: Path) -> None:
    """Unpack a zip beside the other files. Raises InputError, TooLargeError, UnsafePathError; then nothing of it is kept."""
    try:
        with zipfile.ZipFile(archive) as packed:
            entries = [entry for entry in packed.infolist() if not entry.is_dir()]
            total = sum(entry.file_size for entry in entries)
            if len(entries) > MOST_FILES or total > LARGEST_UNPACKED or total > LARGEST_RATIO * max(archive.stat().st_size, 1_000_000):
                raise TooLargeError(
                    f"“{archive.name}” would unpack to {len(entries):,} files and {total / 1e9:.1f} GB.",
                    place=archive.name,
                    remedy="Hand in the files themselves, in parts.",
                )
            for entry in entries:
                target = inside(folder, entry.filename)
                target.parent.mkdir(parents=True, exist_ok=True)
                with packed.open(entry) as source, target.open("wb") as stream:
                    shutil.copyfileobj(source, stream)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError) as reason:
        raise InputError(f"“{archive.name}” is not a whole zip file.", place=archive.name, remedy="Pack it again.") from reason


def take_in(database: Session, project_id: int, folder: Path) -> Intake:
    """Read every material file below a folder, and keep all files. Errors of single files are listed, the rest goes on."""
    paths = _files_in(folder)
    intake = Intake(project_id=project_id, state="found", dialects={}, unit=0.0, corrections=[], files={}, found=[], errors=[], unused=[])
    taken = _read_all(paths, folder, known_dialects(database), intake)
    if not taken.found and not taken.errors:
        known = ", ".join(suffix for candidate in formats().values() if candidate.read for suffix in candidate.suffixes)
        raise UnknownFormatError(
            "No material file is among what was handed in.",
            place=", ".join(path.name for path in paths[:5]),
            remedy=f"Hand in {known}, with the maps.",
        )
    intake.files = _kept(paths, folder)
    _tell(intake, taken)
    database.add(intake)
    database.flush()
    return intake


def _files_in(folder: Path) -> list[Path]:
    """Every file below a folder, archives unpacked. Raises what `unpack` raises."""
    for archive in [path for path in folder.rglob("*.zip") if path.is_file()]:
        unpack(archive, archive.parent)
        archive.unlink()
    return sorted(path for path in folder.rglob("*") if path.is_file() and not path.is_symlink())


def _kept(paths: Sequence[Path], folder: Path) -> dict[str, str]:
    """The digests of files in the file store, by their names in the folder."""
    return {path.relative_to(folder).as_posix(): blobs.put_file(path) for path in paths}


def add_files(database: Session, intake_id: int, folder: Path) -> Intake:
    """Lay more files beside those of an intake that has not entered the board, in place of those of the same names, and read all anew."""
    intake = _open_intake(database, intake_id, "files")
    intake.files = {**intake.files, **_kept(_files_in(folder), folder)}
    return _read_again(database, intake)


def choose_unit(database: Session, intake_id: int, unit: float) -> Intake:
    """Say how many metres the unit of length is, for files that state none."""
    intake = _open_intake(database, intake_id, "unit")
    intake.unit = unit
    return _read_again(database, intake)


def correct(database: Session, intake_id: int, position: int, correction: Correction) -> Intake:
    """Correct how a map of a found material is read. Raises NotFoundError, ParameterError for what cannot be corrected so."""
    intake = _open_intake(database, intake_id, "corrections")
    if not 0 <= position < len(intake.found):
        raise NotFoundError("There is no such material.", place=f"found/{position}", remedy="Load the intake again.")
    about = intake.found[position]
    if correction.parameter not in about.get("mapped", ()):  # an intake from before maps could be corrected has none
        raise ParameterError(f"{correction.parameter} of “{about['name']}” is no map.", place=correction.parameter)
    require_fitting(correction, model_of(about["model"]).parameter(correction.parameter))
    intake.corrections = [*intake.corrections, {"file": about["file"], "place": about["place"], **correction.model_dump()}]
    return _read_again(database, intake)


def put_aside(database: Session, intake_id: int) -> None:
    """Forget an intake that has not entered the board."""
    database.delete(_open_intake(database, intake_id, "intake"))


def open_intake_of(database: Session, project_id: int) -> Intake | None:
    """The newest intake of a project, as long as it has not entered the board."""
    newest = database.scalar(select(Intake).where(Intake.project_id == project_id).order_by(Intake.id.desc()).limit(1))
    return newest if newest is not None and newest.state == "found" else None


def _open_intake(database: Session, intake_id: int, place: str) -> Intake:
    intake = find_intake(database, intake_id)
    if intake.state == "accepted":
        raise InputError("These materials have entered the board already.", place=place, remedy="Hand the files in again.")
    return intake


def _read_again(database: Session, intake: Intake) -> Intake:
    with restored_files(intake.files) as folder:
        _tell(intake, _read_all([inside(folder, name) for name in intake.files], folder, known_dialects(database), intake))
    return intake


def _tell(intake: Intake, taken: _Taken) -> None:
    intake.found = [_summary(name, material) for name, material in taken.found]
    intake.errors, intake.unused = taken.errors, taken.unused


def accept(database: Session, intake_id: int, chosen: list[int] | None) -> list[MaterialRow]:
    """Let the found materials (all, or those with these positions) enter the board. A second time it gives the same rows."""
    intake = find_intake(database, intake_id)
    if intake.state == "accepted":
        return list(database.query(MaterialRow).filter(MaterialRow.intake_id == intake_id).order_by(MaterialRow.id))
    with restored_files(intake.files) as folder:
        paths = [inside(folder, name) for name in intake.files]
        taken = _read_all(paths, folder, known_dialects(database), intake)
        rows = [
            add_material(database, intake.project_id, intake, material)
            for position, (_, material) in enumerate(taken.found)
            if chosen is None or position in chosen
        ]
    intake.state = "accepted"
    return rows


def choose_dialect(database: Session, intake_id: int, file: str, key: str) -> Intake:
    """Read a parameter sheet of an intake anew, by this dialect. Raises InputError where its materials entered already."""
    intake = _open_intake(database, intake_id, file)
    if file not in intake.files or Path(file).suffix.lower() not in SHEET_SUFFIXES:
        raise NotFoundError("There is no such parameter sheet.", place=file)
    known = known_dialects(database)
    if key not in known:
        raise NotFoundError("There is no such dialect.", place=key, remedy=f"Known: {', '.join(known)}.")
    intake.dialects = {**intake.dialects, file: key}
    return _read_again(database, intake)


@contextmanager
def restored_files(files: Mapping[str, str]) -> Iterator[Path]:
    """The files as they were handed in, in a folder that goes with the block; links to the file store where the disk allows."""
    with tempfile.TemporaryDirectory(prefix="fenrain-intake-") as scratch:
        folder = Path(scratch)
        for name, digest in files.items():
            target = inside(folder, name)
            target.parent.mkdir(parents=True, exist_ok=True)
            try:
                target.hardlink_to(blobs.path_of(digest))
            except OSError:
                shutil.copyfile(blobs.path_of(digest), target)
        yield folder


def carrier(files: Collection[str], name: str) -> str | None:
    """The file whose meshes carry materials: the one that they came from, or the OBJ beside an MTL. files: names of those there are."""
    beside = (name, str(PurePosixPath(name).with_suffix(".obj"))) if name else ()
    return next((file for file in beside if PurePosixPath(file).suffix.lower() in mesh_readers() and file in files), None)


@dataclass
class _Taken:
    """What came of the files that were handed in: materials with their files, what could not be read, and files that nothing uses."""

    found: list[tuple[str, Material]]
    errors: list[dict[str, Any]]
    unused: list[str]


def _read_all(paths: list[Path], folder: Path, known: Mapping[str, Dialect], intake: Intake) -> _Taken:
    """Read every material file. One that another names, as an OBJ names an MTL and a stage its layers, is read through that one alone.

    known: the dialects that a sheet is guessed among, with those handed in; intake: what a person said of its files.
    """
    handed_in = {path: dialect for path in paths if (dialect := _as_dialect(path)) is not None}
    among = {**known, **{dialect.id: dialect for dialect in handed_in.values()}}
    found: list[tuple[Path, Material]] = []
    refusals: list[tuple[Path, FenrainError]] = []
    used: set[Path] = set(handed_in)
    named: set[Path] = set()
    for path in sorted(paths, key=lambda path: (path.suffix.lower() == ".mtl", path)):
        if path in used or not is_material_file(path):
            continue
        used.add(path)
        try:
            name = path.relative_to(folder).as_posix()
            asset = read_asset(path, folder, dialect=intake.dialects.get(name), known=among, unit=intake.unit)
            used |= asset.files
            named |= asset.files - {path.resolve()}
            found += [(path, with_findings(_corrected(material, name, intake))) for material in asset.materials]
        except FenrainError as refused:
            refusals.append((path, refused))

    def called(path: Path) -> str:
        return path.relative_to(folder).as_posix()

    return _Taken(
        _with_duplicates([(called(path), material) for path, material in found if path.resolve() not in named]),
        [_refusal(called(path), refused) for path, refused in refusals if path.resolve() not in named],
        [called(path) for path in paths if path not in used],
    )


def _corrected(material: Material, file: str, intake: Intake) -> Material:
    """The material as a person corrected it. A correction of what is not there any more is left out."""
    for stored in intake.corrections:
        if (stored["file"], stored["place"]) == (file, material.source.place):
            correction = Correction.model_validate({key: value for key, value in stored.items() if key not in ("file", "place")})
            if isinstance(material.values.get(correction.parameter), Map):
                material = corrected(material, [correction])
    return material


def _refusal(name: str, refused: FenrainError) -> dict[str, Any]:
    return {"file": name, "code": refused.code, "message": refused.message, "place": refused.place, "remedy": refused.remedy}


def _as_dialect(path: Path) -> Dialect | None:
    """The dialect that a YAML file is, if it is one."""
    if path.suffix.lower() not in (".yaml", ".yml") or path.stat().st_size > LARGEST_DIALECT:
        return None
    try:
        return examine(path.read_text(encoding="utf-8"))[0]
    except UnicodeDecodeError:
        return None


def _with_duplicates(found: list[tuple[str, Material]]) -> list[tuple[str, Material]]:
    """A finding on each material whose values equal those of an earlier one; of one that was not read in full nobody can say so."""
    first: dict[str, str] = {}
    marked = []
    for name, material in found:
        if any(finding.is_incomplete for finding in material.findings):
            marked.append((name, material))
            continue
        twin = first.setdefault(material.digest, material.name)
        if twin != material.name:
            twice = problem("duplicate", f"It has the same values as “{twin}”.", evidence=twin, remedy="Take in one of the two.")
            material = replace(material, findings=(*material.findings, twice))
        marked.append((name, material))
    return marked


def _summary(file: str, material: Material) -> dict[str, Any]:
    model = model_of(material.model)
    return {
        "file": file,
        "name": material.name,
        "model": material.model,
        "place": material.source.place,
        "unit": material.geometry.unit,
        "mapped": [name for name, value in material.values.items() if isinstance(value, Map)],
        "meshes": list(material.geometry.meshes),
        "values": {name: describe_as(model.parameter(name), value) for name, value in material.values.items()},
        "maps": sorted({image.name for image in material.images().values()}),
        "findings": [finding.to_document() for finding in material.findings],
    }
