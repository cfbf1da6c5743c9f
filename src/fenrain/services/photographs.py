"""Photographs of a project: looked at beside a render, and colours picked from them."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from pathlib import Path

import cv2
from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.errors import NotFoundError
from fenrain.core.outside.photograph import Area, Balanced, Picked, balanced_by_chart, balanced_by_grey, picked
from fenrain.core.outside.picture import OutsidePicture, read_picture
from fenrain.core.rendering.png import picture_png
from fenrain.core.tables import charts
from fenrain.core.values import Image
from fenrain.services.surroundings import LONGEST_NAME
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import Surroundings

PHOTOGRAPH, PREFIX = "photograph", "photo-"
LARGEST_SHOWN = 1280
"""Pixels on the longer side of what is shown in the page; colours are picked from the file itself."""
Share = tuple[float, float]
"""A place on a photograph: across and down, 0…1."""


@dataclass(frozen=True)
class PickRequest:
    """What is to be picked. first, last: two corners of the area; space: the photograph's colour space where somebody says it; grey: two
    corners of an even grey with its reflectance; chart: corners of a chart of 24 patches, clockwise from the first patch."""

    first: Share
    last: Share
    space: str = ""
    grey: tuple[Share, Share, float] | None = None
    chart: tuple[Share, ...] | None = None


def find_photograph(database: Session, project_id: int, key: str) -> Surroundings:
    """Raises NotFoundError."""
    chosen = Surroundings.project_id == project_id, Surroundings.kind == PHOTOGRAPH, Surroundings.key == key
    row = database.scalar(select(Surroundings).where(*chosen))
    if row is None:
        raise NotFoundError("This project has no such photograph.", place=key, remedy="Load the list again.")
    return row


def hand_in_photograph(project_id: int, path: str, name: str) -> str:
    """Keep a photograph, the same one once. Returns its key. Raises what `read_picture` raises."""
    width, height = read_picture(Path(path), name=name).size
    key = PREFIX + Image(name, Path(path)).digest[:20]
    with session() as database:
        find_project(database, project_id)
        chosen = Surroundings.project_id == project_id, Surroundings.key == key
        if database.scalar(select(Surroundings.id).where(*chosen)) is None:
            kept = {"name": name[:LONGEST_NAME], "says": f"{width} × {height}", "digest": blobs.save_file(Path(path))}
            database.add(Surroundings(project_id=project_id, kind=PHOTOGRAPH, key=key, **kept))
    return key


def show_photograph(project_id: int, key: str, space: str) -> str:
    """The photograph as a display shows it, no larger than a page has room for: digest of a PNG."""
    pixels = _read(project_id, key, space).pixels
    largest = max(pixels.shape[:2])
    if largest > LARGEST_SHOWN:
        scale = LARGEST_SHOWN / largest
        size = max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale))
        pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    return blobs.save_bytes(picture_png(pixels))


def pick_colour(project_id: int, key: str, request: PickRequest) -> tuple[Picked, Balanced | None]:
    """The colour of an area, and what a grey or a chart has set before. Raises InputError, NotFoundError."""
    photograph, balanced = _read(project_id, key, request.space), None
    if request.chart is not None:
        width, height = photograph.size
        corners = [(across * width, down * height) for across, down in request.chart]
        balanced = balanced_by_chart(photograph, corners, next(iter(charts().values())))
    elif request.grey is not None:
        first, last, reflectance = request.grey
        balanced = balanced_by_grey(photograph, _area(photograph, first, last), reflectance)
    found = photograph if balanced is None else balanced.photograph
    return picked(found, _area(photograph, request.first, request.last)), balanced


def _read(project_id: int, key: str, space: str) -> OutsidePicture:
    with session() as database:
        row = find_photograph(database, project_id, key)
        digest, name = row.digest, row.name
    with tempfile.TemporaryDirectory(prefix="fenrain-photograph-") as scratch:
        # Its suffix tells formats apart that have no mark of their own.
        path = Path(scratch) / f"photograph{Path(name).suffix.lower()}"
        path.symlink_to(blobs.path_of(digest, name))
        return read_picture(path, space, name)


def _area(photograph: OutsidePicture, first: Share, last: Share) -> Area:
    width, height = photograph.size
    across, down = sorted((first[0], last[0])), sorted((first[1], last[1]))
    return round(across[0] * width), round(down[0] * height), round(across[1] * width), round(down[1] * height)
