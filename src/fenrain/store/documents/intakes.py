"""What is found in the files that somebody uploaded, before it enters a board."""

from __future__ import annotations

from fenrain.core.corrections import Correction
from fenrain.core.findings import Finding
from fenrain.store.documents.column import Document


class FileError(Document):
    """Why a file could not be read."""

    file: str
    code: str
    message: str
    place: str
    remedy: str


class SheetReading(Document):
    """A parameter sheet. dialect: by which it was read, "" where the sheet names its own; says: how that was found, or why it was
    refused."""

    file: str
    dialect: str
    says: str
    refused: bool = False


class FoundDocument(Document):
    """What a material is understood as. values: by parameter, in words; mapped: those of them that are maps; counted: those that are
    numbers or colours; picture: digest of a small one, "" where there is none; corrections: how many a person made; unit: metres of its
    unit of length, 0 where nobody knows; projection: how its meshes get the texture coordinates that they lack, "" where nobody said;
    lacks_uvs: whether they lack them and a map asks for them; otherwise: digest of a small picture of it as the remedy of a doubtful
    reading makes it, "" where there is none."""

    file: str
    name: str
    model: str
    place: str
    meshes: list[str]
    maps: list[str]
    mapped: list[str] = []
    counted: list[str] = []
    picture: str = ""
    corrections: int = 0
    unit: float = 0.0
    projection: str = ""
    lacks_uvs: bool = False
    otherwise: str = ""
    values: dict[str, str]
    findings: list[Finding]
    digest: str = ""
    incomplete: bool = False


class StoredCorrection(Correction):
    """Of the material at this place of this file."""

    file: str
    place: str
