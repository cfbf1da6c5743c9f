"""Check kits, and what came back for them."""

from __future__ import annotations

from fenrain.core.outside.compare import Returned
from fenrain.core.outside.responses import Learned
from fenrain.core.outside.statements import Statement
from fenrain.store.documents.column import Document


class KitTile(Document):
    """A material of a kit. original, converted: digests of the two looks that the kit holds."""

    name: str
    material_id: int
    original: str
    converted: str


class OutsidePair(Document):
    """Digests of two pictures laid over each other, and of their difference."""

    first: str
    second: str
    difference: str


class Alignment(Document):
    """residual: pixels that marks lie beside each other after aligning."""

    residual: float


class OutsidePictureDocument(Document):
    """What is known of a picture that came back. size: in pixels; noise: ΔE2000 of a pixel that is measured."""

    space: str
    size: tuple[int, int]
    alignment: Alignment
    noise: float
    statements: list[Statement]
    responses: list[Learned] = []

    @classmethod
    def of(cls, one: Returned) -> OutsidePictureDocument:
        return cls(
            space=one.space,
            size=one.size,
            alignment=Alignment(residual=one.alignment.residual),
            noise=one.noise,
            statements=list(one.statements),
            responses=list(one.responses),
        )
