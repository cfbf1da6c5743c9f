"""Check kits of a project, the pictures that come back, and what they say beside our own checks."""

from __future__ import annotations

import tempfile
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import Any

from sqlalchemy import select, tuple_
from sqlalchemy.orm import Session

from fenrain.core.errors import InputError, NotFoundError
from fenrain.core.maps.image import write_linear
from fenrain.core.outside.compare import THEIRS, Comparison, compare
from fenrain.core.outside.kit import CONVERTED, ORIGINAL, SIDES, Kit, open_kit, write_kit
from fenrain.core.outside.light import light_picture, whole_turn
from fenrain.core.outside.picture import read_picture
from fenrain.core.outside.scene import write_on_stand
from fenrain.core.outside.table import dialect_for
from fenrain.core.paths import safe_name
from fenrain.core.rendering.png import pair_pngs
from fenrain.core.rendering.rigs.registry import rig_of
from fenrain.core.rendering.stands.registry import stand_of
from fenrain.services.conversions import ensure_conversion, load_conversion
from fenrain.services.library import known_dialects
from fenrain.services.surroundings import open_stand, open_surroundings
from fenrain.services.targets import project_target
from fenrain.services.uploads import pack_folder, restore_files
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.documents.checking import OutsideMeasurements
from fenrain.store.documents.outside import KitTile, OutsideLook, OutsidePair, OutsidePictureDocument
from fenrain.store.rows import find_conversion, find_material, find_project
from fenrain.store.status_changes import mark_pairs_changed
from fenrain.store.tables import KitRow, MaterialRow, OutsideCheckRow, OutsidePictureRow

WEB_SCENE = f"{CONVERTED}/{CONVERTED}.glb"
"""The file of a kit that a web viewer shows."""


def web_scene(conversion_id: int, stand: str) -> str:
    """The converted material on a stand as a GLB with its camera, kept by its digest. Raises InputError where the target is not written as
    glTF, NotFoundError."""
    with session() as database:
        row = find_conversion(database, conversion_id)
        target = project_target(database, row.material.project_id, row.target, row.profile)
        if target.format is None or target.format.id != "gltf":
            raise InputError(f"{target.title} is not shown by web viewers.", place="target", remedy="Convert to a glTF target.")
        material = load_conversion(row).material
        shown = stand_of(open_stand(database, stand, row.material))
    with tempfile.TemporaryDirectory(prefix="fenrain-web-") as scratch:
        path = Path(scratch) / "scene.glb"
        write_on_stand(path, material, shown, target.profile)
        return blobs.save_file(path)


def web_light(rig: str, turn: float) -> str:
    """A rig's light as an OpenEXR picture, kept by its digest. Raises NotFoundError."""
    with session() as database:
        open_surroundings(database, [rig])
    with tempfile.TemporaryDirectory(prefix="fenrain-web-") as scratch:
        path = Path(scratch) / "light.exr"
        write_linear(path, light_picture(rig_of(rig), whole_turn(turn)))
        return blobs.save_file(path)


def find_kit(database: Session, kit_id: int) -> KitRow:
    """Raises NotFoundError."""
    row = database.get(KitRow, kit_id)
    if row is None:
        raise NotFoundError("There is no such kit.", place=f"kits/{kit_id}", remedy="Load the list again.")
    return row


def find_kits(database: Session, project_id: int) -> list[KitRow]:
    """Newest first."""
    return list(database.scalars(select(KitRow).where(KitRow.project_id == project_id).order_by(KitRow.id.desc())))


def make_kit(job_id: int, project_id: int, request: Mapping[str, Any]) -> None:
    """Write a kit of materials of a project and keep it, once for a job. wish: material_ids, target, profile, rig, stand, turn."""
    with session() as database:
        if database.scalar(select(KitRow.id).where(KitRow.job_id == job_id)) is not None:
            return
        project = find_project(database, project_id)
        target = project_target(database, project_id, request["target"], request["profile"])
        rows = [find_material(database, identity) for identity in request["material_ids"]]
        conversions = [load_conversion(ensure_conversion(database, row, request["target"], request["profile"])) for row in rows]
        open_surroundings(database, [request["rig"]])
        stand = open_stand(database, request["stand"], rows[0])
        dialects = list(known_dialects(database).values())
        title = f"{project.name}, {target.title}"
    with tempfile.TemporaryDirectory(prefix="fenrain-kit-") as scratch:
        kit = write_kit(
            conversions,
            Path(scratch) / safe_name(title, set()),
            title=title,
            rig=request["rig"],
            stand=stand,
            turn=request["turn"],
            target=target,
            dialects=lambda one: dialect_for(one, dialects),
        )
        files, archive = _save_files(kit.folder)
    tiles = [
        KitTile(name=name, material_id=row.id, original=conversion.original.digest, converted=conversion.material.digest)
        for name, row, conversion in zip(kit.names, rows, conversions, strict=True)
    ]
    shown = {"title": title, "rig": request["rig"], "stand": request["stand"], "turn": kit.stated.turn}
    size = {"width": kit.stated.width, "height": kit.stated.height}
    with session() as database:
        made = KitRow(project_id=project_id, job_id=job_id, target=request["target"], profile=request["profile"], **shown, **size)
        made.files, made.archive, made.tiles = files, archive, tiles
        database.add(made)


def _save_files(folder: Path) -> tuple[dict[str, str], str]:
    """Keep every file of a kit, and an archive of them. Returns their digests by name, and that of the archive."""
    archive = folder.parent / "kit.zip"
    files = pack_folder(folder, archive)
    return {path.relative_to(folder).as_posix(): blobs.save_file(path) for path in files}, blobs.save_file(archive)


def delete_kit(database: Session, kit_id: int) -> None:
    """With the pictures that came back for it. Raises NotFoundError."""
    kit = find_kit(database, kit_id)
    _mark_changed(database, kit)
    database.delete(kit)


@contextmanager
def restore_kit(files: Mapping[str, str]) -> Iterator[Kit]:
    """A kit laid out again, in a folder that goes with the block."""
    with restore_files(files) as folder:
        yield open_kit(folder)


def save_picture(kit_id: int, path: Path, name: str, shows: str, space: str) -> None:
    """Keep a picture that came back, in place of an earlier one of the same side. It is read once, so that what is no picture is told at
    once.

    Raises InputError, NotFoundError, and what `read_picture` raises.
    """
    if shows not in SIDES:
        raise InputError(f"A picture shows {' or '.join(SIDES)}, not “{shows}”.", place="shows")
    read_picture(path, space, name)
    digest = blobs.save_file(path)
    with session() as database:
        kit = find_kit(database, kit_id)
        kit.pictures = [row for row in kit.pictures if row.shows != shows]
        database.flush()
        kit.pictures.append(OutsidePictureRow(shows=shows, name=name[:200], digest=digest, space=space[:80], document=None))


def compare_kit(kit_id: int, between: Callable[[], None] = lambda: None) -> None:
    """Compare all pictures that came back for a kit, and keep what is found in place of what was."""
    with session() as database:
        row = find_kit(database, kit_id)
        files = dict(row.files)
        pictures = [(one.id, one.digest, one.name, one.space, one.shows) for one in row.pictures]
        open_surroundings(database, [row.rig])
    with restore_kit(files) as kit:
        read = [(read_picture(blobs.path_of(digest, name), space, name), shows) for _, digest, name, space, shows in pictures]
        found = compare(kit, read, between=between)
    _save_comparison(kit_id, {identity: shows for identity, _, _, _, shows in pictures}, found)


def _save_comparison(kit_id: int, shown: Mapping[int, str], found: Comparison) -> None:
    documents = {one.shows: OutsidePictureDocument.from_returned(one) for one in found.pictures}
    pictures = [
        {_side(name): blobs.save_bytes(data) for name, data in pair_pngs(one.first_picture, one.second_picture, one.delta_e).items()}
        for one in found.compared
    ]
    with session() as database:
        kit = find_kit(database, kit_id)
        for row in kit.pictures:
            if row.id in shown:
                row.document = documents[row.shows]
        places = {tile.name: index for index, tile in enumerate(kit.tiles)}
        kit.checks = [
            OutsideCheckRow(
                tile=places[one.material],
                original=kit.tiles[places[one.material]].original,
                converted=kit.tiles[places[one.material]].converted,
                first=OutsideLook(**asdict(one.first)),
                second=OutsideLook(**asdict(one.second)),
                numbers=OutsideMeasurements(readings=dict(one.readings), unseen=one.unseen, statements=one.statements),
                pictures=OutsidePair(**sides),
            )
            for one, sides in zip(found.compared, pictures, strict=True)
        ]
        _mark_changed(database, kit)


def _mark_changed(database: Session, kit: KitRow) -> None:
    mark_pairs_changed(database, [(tile.original, tile.converted) for tile in kit.tiles])


def _side(name: str) -> str:
    return {ORIGINAL: "first", CONVERTED: "second"}.get(name, name)


def outside_checks_of(database: Session, pairs: Sequence[tuple[str, str]]) -> dict[tuple[str, str], list[tuple[OutsideCheckRow, KitRow]]]:
    """What other renderers showed of pairs of looks as they are now, by their digests, newest last."""
    found: dict[tuple[str, str], list[tuple[OutsideCheckRow, KitRow]]] = defaultdict(list)
    if pairs:
        query = (
            select(OutsideCheckRow, KitRow)
            .join(KitRow)
            .where(tuple_(OutsideCheckRow.original, OutsideCheckRow.converted).in_(set(pairs)))
            .order_by(OutsideCheckRow.id)
        )
        for row, kit in database.execute(query):
            found[row.original, row.converted].append((row, kit))
    return found


def select_standing_check(checks: Sequence[tuple[OutsideCheckRow, KitRow]]) -> tuple[OutsideCheckRow, KitRow] | None:
    """The one that stands for a conversion: of the newest kit that was compared, how the converted look was shown elsewhere, against the
    original; else how the original was."""
    if not checks:
        return None
    newest = max(kit.id for _, kit in checks)
    of_newest = [(row, kit) for row, kit in checks if kit.id == newest]

    def rank(row: OutsideCheckRow) -> tuple[bool, ...]:
        return (
            row.second.by == THEIRS,
            row.second.shows == CONVERTED,
            row.first.shows == ORIGINAL,
            row.first.by == THEIRS,
        )

    return max(of_newest, key=lambda pair: rank(pair[0]))


def list_materials(database: Session, project_id: int, material_ids: Sequence[int]) -> list[MaterialRow]:
    """Materials of a project, in the order in which they are named. Raises InputError for one that is not there."""
    rows = {
        row.id: row
        for row in database.scalars(select(MaterialRow).where(MaterialRow.project_id == project_id, MaterialRow.id.in_(material_ids)))
    }
    missing = [identity for identity in material_ids if identity not in rows]
    if missing:
        raise InputError(f"Materials {missing[:5]} are not in this project.", place="material_ids", remedy="Load the board again.")
    return [rows[identity] for identity in dict.fromkeys(material_ids)]
