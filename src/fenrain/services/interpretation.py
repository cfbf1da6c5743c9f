"""What the files of an intake are understood as: read by every reader, corrected as a person said, told in words and a small picture."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

from fenrain.core.checking.input_findings.registry import with_findings
from fenrain.core.checking.quick_picture import quick_png
from fenrain.core.corrections import Correction, apply_corrections
from fenrain.core.descriptions import describe_as
from fenrain.core.dialects.dialect import LARGEST_DIALECT, Dialect, examine
from fenrain.core.errors import FenrainError, InputError
from fenrain.core.findings import Finding, problem, warning
from fenrain.core.formats.reading import read_asset, read_meshes
from fenrain.core.formats.registry import is_material_file, mesh_readers
from fenrain.core.geometry import Mesh
from fenrain.core.material import Material
from fenrain.core.models.registry import model_of
from fenrain.core.paths import chosen_namesakes
from fenrain.core.slopes import drawn_on_meshes, follows_slope, has_size
from fenrain.core.values import Constant, maps_of
from fenrain.services.uploads import place_inside
from fenrain.store import blobs
from fenrain.store.documents.intakes import FileError, FoundDocument, StoredCorrection
from fenrain.store.tables import Intake


def is_of(stored: StoredCorrection, file: str, place: str) -> bool:
    return (stored.file, stored.place) == (file, place)


@dataclass
class InterpretedFiles:
    """What came of the files that were uploaded: materials with their files, what could not be read, and files that nothing uses."""

    found: list[tuple[str, Material]]
    errors: list[FileError]
    unused: list[str]


def read_all(paths: list[Path], folder: Path, known: Mapping[str, Dialect], intake: Intake, only: str = "") -> InterpretedFiles:
    """Read every material file, or only the one of this name. One that another names, as an OBJ names an MTL and a stage its layers, is
    read through that one alone.

    known: the dialects that a sheet is guessed among, with those uploaded; intake: what a person said of its files.
    """
    handed_in = {path: dialect for path in paths if (dialect := _as_dialect(path)) is not None}
    among = {**known, **{dialect.id: dialect for dialect in handed_in.values()}}
    found: list[tuple[Path, Material]] = []
    refusals: list[tuple[Path, FenrainError]] = []
    used: set[Path] = set(handed_in)
    named: set[Path] = set()
    for path in sorted(paths, key=lambda path: (path.suffix.lower() == ".mtl", path)):
        if path in used or not is_material_file(path) or (only and path != place_inside(folder, only)):
            continue
        used.add(path)
        try:
            name = path.relative_to(folder).as_posix()
            with chosen_namesakes(intake.chosen):
                asset = read_asset(path, folder, dialect=intake.dialects.get(name), known=among, unit=intake.unit)
            used |= asset.files
            named |= asset.files - {path.resolve()}
            found += [(path, with_findings(_apply_corrections(material, name, intake))) for material in asset.materials]
        except FenrainError as refused:
            refusals.append((path, refused))

    def name_of(path: Path) -> str:
        return path.relative_to(folder).as_posix()

    kept = [(name_of(path), material) for path, material in found if path.resolve() not in named]
    return InterpretedFiles(
        _with_slopes_drawn(kept, paths, folder),
        [_refusal(name_of(path), refused) for path, refused in refusals if path.resolve() not in named],
        [name_of(path) for path in paths if path not in used],
    )


def _with_slopes_drawn(found: list[tuple[str, Material]], paths: list[Path], folder: Path) -> list[tuple[str, Material]]:
    """Mixes by slope as masks, and the length of UVs for maps that have a size, where a mesh among the files carries them."""
    wanted = {material.name for _, material in found if follows_slope(material) or has_size(material)}
    if not wanted:
        return found
    carriers: list[Mesh] = []
    for path in paths:
        if path.suffix.lower() in mesh_readers():
            with suppress(FenrainError):  # what is wrong with it is said where its materials are read
                carriers += [mesh for mesh in read_meshes(path, folder) if mesh.material in wanted]
    drawn = drawn_on_meshes([material for _, material in found], carriers)
    return [(name, material) for (name, _), material in zip(found, drawn, strict=True)]


def _apply_corrections(material: Material, file: str, intake: Intake) -> Material:
    """The material as a person corrected it. A correction that no longer fits what is there is left out, and said."""
    place = material.source.place
    for stored in intake.corrections:
        if is_of(stored, file, place):
            try:
                material = apply_corrections(material, [stored])
            except InputError as refused:
                said = warning("correction-left-out", f"A correction no longer fits: {refused.message}", parameter=stored.parameter)
                material = replace(material, findings=(*material.findings, said))
    return material


def _refusal(name: str, refused: FenrainError) -> FileError:
    return FileError(file=name, code=refused.code, message=refused.message, place=refused.place, remedy=refused.remedy)


def _as_dialect(path: Path) -> Dialect | None:
    """The dialect that a YAML file is, if it is one."""
    if path.suffix.lower() not in (".yaml", ".yml") or path.stat().st_size > LARGEST_DIALECT:
        return None
    try:
        return examine(path.read_text(encoding="utf-8"))[0]
    except UnicodeDecodeError:
        return None


def twins_among(found: Sequence[tuple[str, str, bool]]) -> list[str]:
    """For each of some materials (name, digest, whether something of it was not read) the earlier one that has the same values, or "". Of
    one that was not read in full nobody can say so."""
    first: dict[str, str] = {}
    named = ["" if incomplete else first.setdefault(digest, name) for name, digest, incomplete in found]
    return [twin if twin != name else "" for twin, (name, _, _) in zip(named, found, strict=True)]


def is_incomplete(material: Material) -> bool:
    return any(finding.unread for finding in material.findings)


def _twice(twin: str) -> Finding:
    return problem("duplicate", f"It has the same values as “{twin}”.", evidence=twin, remedy="Take in one of the two.")


def with_twin_finding(material: Material, twin: str) -> Material:
    return material if twin == "" else replace(material, findings=(*material.findings, _twice(twin)))


def with_twins(told: list[FoundDocument]) -> list[FoundDocument]:
    """The summaries, with a finding on each material whose values equal those of an earlier one."""
    twins = twins_among([(one.name, one.digest, one.incomplete) for one in told])
    return [one.model_copy(update={"findings": _with_twin(one.findings, twin)}) for one, twin in zip(told, twins, strict=True)]


def _with_twin(findings: Sequence[Finding], twin: str) -> list[Finding]:
    others = [finding for finding in findings if finding.code != "duplicate"]
    return [*others, _twice(twin)] if twin else others


_drawn: dict[str, str] = {}
"""Digests of the small pictures by those of their materials: a correction draws only what it changed."""


MOST_DRAWN = 500
"""Materials of an intake that get a picture; with more of them it would be waited for."""


def summarise(taken: InterpretedFiles) -> list[FoundDocument]:
    return [_summarise(name, material, draws=index < MOST_DRAWN) for index, (name, material) in enumerate(taken.found)]


def _picture(material: Material, digest: str, draws: bool) -> str:
    if digest not in _drawn:
        if not draws:
            return ""
        if len(_drawn) >= 4 * MOST_DRAWN:
            _drawn.clear()
        _drawn[digest] = blobs.save_bytes(quick_png(material))
    return _drawn[digest]


DOUBTFUL = "glass-as-mirror"
"""Code of findings of a reading that is surely not meant: both readings are shown."""


def _picture_otherwise(material: Material, draws: bool) -> str:
    doubt = next((finding for finding in material.findings if finding.code == DOUBTFUL), None)
    if doubt is None or doubt.fix is None:
        return ""
    other = apply_corrections(material, [Correction(parameter=doubt.parameter, **doubt.fix)])
    return _picture(other, other.digest, draws)


def _lacks_uvs(material: Material) -> bool:
    """Whether maps lie on meshes without texture coordinates."""
    asks = any(leaf.uv_set == 0 for value in material.all_values() for leaf in maps_of(value))
    return asks and material.lacks_coordinates


def _summarise(file: str, material: Material, *, draws: bool) -> FoundDocument:
    model, digest = model_of(material.model), material.digest
    return FoundDocument(
        file=file,
        name=material.name,
        digest=digest,
        incomplete=is_incomplete(material),
        picture=_picture(material, digest, draws),
        otherwise=_picture_otherwise(material, draws),
        model=material.model,
        place=material.source.place,
        unit=material.geometry.unit,
        mapped=[name for name, value in material.values.items() if not isinstance(value, Constant)],
        counted=[name for name, value in material.values.items() if isinstance(value, Constant) and not model.parameter(name).is_plain],
        projection="" if material.geometry.projection is None else str(material.geometry.projection.kind),
        lacks_uvs=_lacks_uvs(material),
        corrections=sum(finding.code in ("corrected", "model-chosen", "projected") for finding in material.findings),
        meshes=list(material.geometry.meshes),
        values={name: describe_as(model.parameter(name), value) for name, value in material.values.items()},
        maps=sorted({image.name for image in material.images().values()}),
        findings=list(material.findings),
    )
