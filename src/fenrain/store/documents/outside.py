"""Check kits, and what came back for them."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Literal

from fenrain.store.documents.column import Document

if TYPE_CHECKING:
    from fenrain.core.outside.compare import Returned  # loads all that compares pictures


class KitTile(Document):
    """A material of a kit. original, converted: digests of the two looks that the kit holds."""

    name: str
    material_id: int
    original: str
    converted: str


class OutsideLook(Document):
    """Whose look at which side: by us or by the other renderer, of the original or of what it was converted to."""

    by: Literal["ours", "theirs"]
    shows: Literal["original", "converted"]


class OutsidePair(Document):
    """Digests of two pictures laid over each other, and of their difference."""

    first: str
    second: str
    difference: str


class Statement(Document):
    """Something about a picture, in words. matched: whether it is taken out of the comparison."""

    code: str
    says: str
    matched: bool


class LearnedResponse(Document):
    """What a target profile can correct of a viewer. of: own light or metal; factor: how many times too strong it is shown."""

    of: Literal["emission", "metal"]
    factor: float
    materials: list[str]


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
    responses: list[LearnedResponse] = []

    @classmethod
    def from_returned(cls, one: Returned) -> OutsidePictureDocument:
        return cls(
            space=one.space,
            size=one.size,
            alignment=Alignment(residual=one.alignment.residual),
            noise=one.noise,
            statements=[Statement(**asdict(statement)) for statement in one.statements],
            responses=[LearnedResponse(**asdict(response)) for response in one.responses],
        )
