"""Compares pictures that came back from another renderer with ours, material by material, and says what else is different about them."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from fenrain.core.checking.check import RigCheck, average_down, refine
from fenrain.core.checking.metrics.registry import Pair, Reading, delta_e_of_pictures, readings
from fenrain.core.checking.undrawn import find_undrawn_values
from fenrain.core.checking.verdict import Decision, Tolerances, decisive
from fenrain.core.errors import InputError
from fenrain.core.outside.alignment import Alignment
from fenrain.core.outside.diagnosis import Seen, misread, wrong_light
from fenrain.core.outside.kit import CONVERTED, ORIGINAL, SIDES, Kit
from fenrain.core.outside.light import light_picture
from fenrain.core.outside.picture import OutsidePicture
from fenrain.core.outside.response import Response
from fenrain.core.outside.responses import Learned, learned
from fenrain.core.outside.statements import Statement
from fenrain.core.outside.tiles import SHOWN_EDGE, SeenTile, body_of, ended_at, laid_over, moved_by, noise_in, off_the_body, tile_of

OUR_SAMPLES = 512
"""For each pixel that is measured, of our own pictures."""
MOST_FOR_THE_LIGHT = 4
"""Materials by which another light is looked for."""
OURS, THEIRS = "ours", "theirs"
Between = Callable[[], None]
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Returned:
    """A picture that came back. shows: original or converted; noise: of a pixel that is measured, ΔE2000, the median over all bodies;
    responses: what a target profile can correct of its viewer."""

    name: str
    shows: str
    space: str
    size: tuple[int, int]
    alignment: Alignment
    response: Response
    noise: float
    statements: tuple[Statement, ...]
    responses: tuple[Learned, ...] = ()


@dataclass(frozen=True)
class Look:
    """One side of a comparison. by: ours or theirs; shows: original or converted."""

    by: str
    shows: str

    def __str__(self) -> str:
        return f"{self.shows} by {'Fenrain' if self.by == OURS else 'the other renderer'}"


@dataclass(frozen=True)
class Compared:
    """Two looks at a material, in numbers. Pictures: (edge, edge, 3) linear; statements: what explains the difference."""

    material: str
    first: Look
    second: Look
    readings: Mapping[str, Reading]
    unseen: tuple[str, ...]
    first_picture: np.ndarray
    second_picture: np.ndarray
    statements: tuple[str, ...] = ()

    @property
    def delta_e(self) -> np.ndarray:
        return np.asarray(delta_e_of_pictures(self.first_picture, self.second_picture), np.float32)

    def decided(self, tolerances: Tolerances, rig: str) -> Decision:
        return tolerances.decided(self.readings, rig, self.unseen)

    def to_document(self, tolerances: Tolerances, rig: str) -> dict[str, Any]:
        """All but the pictures, as JSON can hold it."""
        decision = self.decided(tolerances, rig)
        return {
            "material": self.material,
            "first": asdict(self.first),
            "second": asdict(self.second),
            "verdict": str(decision.verdict),
            "decided_by": {"reading": decision.metric, "says": str(decision)},
            "readings": {name: asdict(reading) for name, reading in self.readings.items()},
            "unseen": list(self.unseen),
            "statements": list(self.statements),
        }


@dataclass(frozen=True)
class Comparison:
    """What came of pictures of a kit."""

    pictures: tuple[Returned, ...]
    compared: tuple[Compared, ...]

    def decided_by(self, tolerances: Tolerances, rig: str) -> Decision:
        return decisive(one.decided(tolerances, rig) for one in self.compared)

    def to_document(self, tolerances: Tolerances, rig: str) -> dict[str, Any]:
        """All but the pictures, as JSON can hold it."""
        return {
            "verdict": str(self.decided_by(tolerances, rig).verdict),
            "pictures": [picture_document(one) for one in self.pictures],
            "compared": [one.to_document(tolerances, rig) for one in self.compared],
        }


def picture_document(one: Returned) -> dict[str, Any]:
    """What is known of a picture that came back, as JSON can hold it."""
    alignment, response = asdict(one.alignment), asdict(one.response)
    return {
        "name": one.name,
        "shows": one.shows,
        "space": one.space,
        "size": list(one.size),
        "alignment": {name: value for name, value in alignment.items() if name != "matrix"},
        "response": {**response, "colours": one.response.colours.tolist()},
        "noise": one.noise,
        "statements": [asdict(statement) for statement in one.statements],
        "responses": [asdict(response) for response in one.responses],
    }


def shows_by_name(name: str) -> str:
    """What a picture shows by how it is called: it begins with “converted”, or shows originals."""
    return next((side for side in SIDES if name.lower().startswith(side)), ORIGINAL)


def compare(
    kit: Kit,
    pictures: Sequence[tuple[OutsidePicture, str]],
    *,
    between: Between = lambda: None,
    progress: Progress = lambda _: None,
) -> Comparison:
    """Lay pictures over ours and compare them. pictures: each with what it shows, one for each side at most; between: called now and then;
    what it raises ends the comparison.

    Raises InputError for a picture of something else, and EngineError where ours cannot be drawn.
    """
    shows = [side for _, side in pictures]
    if not pictures or len(set(shows)) < len(shows):
        raise InputError("Upload one picture of the originals, one of the converted materials, or both.", place="pictures")
    if CONVERTED in shows and any(pair.converted is None for pair in kit.pairs):
        raise InputError(
            "This kit holds no converted materials.", place="pictures", remedy="Make a kit with a target, or say what it shows."
        )
    light = light_picture(kit.rig, kit.turn)
    laid = [laid_over(kit, picture, side, light) for picture, side in pictures]
    found: list[Compared] = []
    seen: dict[str, list[Seen]] = {side: [] for side in shows}
    noises: dict[str, list[float]] = {side: [] for side in shows}
    for index, pair in enumerate(kit.pairs):
        ours = _ours(kit, index, between)
        tiles = {one.shows: tile_of(one, kit.layout.tiles[index]) for one in laid}
        found += _compared(kit, index, ours, tiles)
        for side, tile in tiles.items():
            material = pair.original if side == ORIGINAL else pair.converted
            assert material is not None
            theirs, body = average_down(tile.picture), body_of(ours.seen)
            noise = noise_in(theirs - average_down(ours.original if side == ORIGINAL else ours.converted), [tile])
            seen[side].append(Seen(material, ours.stand, theirs, body, noise))
            noises[side].append(float(np.median(delta_e_of_pictures(theirs[body], theirs[body] + noise[body]))))
        progress((index + 1) / (len(kit.pairs) + 1))
    returned = []
    for one in laid:
        other_light = _light_statements(kit, seen[one.shows], between)
        asked = [] if other_light or one.shows == ORIGINAL else seen[one.shows]
        responses = learned(asked, kit.rig, kit.turn, between)
        told = [Statement(f"{response.of}-response", f"{response}.", False) for response in responses]
        statements = (*one.statements, *other_light, *told)
        loudness = float(np.median(noises[one.shows]))
        sides = one.name, one.shows, one.space, one.size
        returned.append(Returned(*sides, one.alignment, one.response, loudness, statements, responses))
    explained = [_explained(kit, one, seen, returned, between) for one in found]
    progress(1.0)
    return Comparison(tuple(returned), tuple(explained))


def _ours(kit: Kit, index: int, between: Between) -> RigCheck:
    """Our pictures of a material of the kit, as they are measured."""
    pair = kit.pairs[index]
    passes = refine(
        pair.original,
        pair.converted or pair.original,
        (kit.rig.id,),
        kit.stand_id(index),
        size=SHOWN_EDGE,
        turn=kit.turn,
        shown=False,
        enough=lambda result: result.samples >= OUR_SAMPLES,
        between=between,
    )
    return deque(passes, maxlen=1).pop()


def _compared(kit: Kit, index: int, ours: RigCheck, tiles: Mapping[str, SeenTile]) -> Iterator[Compared]:
    pair, body = kit.pairs[index], body_of(ours.seen)
    has_converted = pair.converted is not None
    mine = {ORIGINAL: ours.original} | ({CONVERTED: ours.converted} if has_converted else {})
    converted = pair.converted or pair.original
    hidden = {
        (first, second): tuple(
            str(one)
            for one in find_undrawn_values(
                pair.original if first == ORIGINAL else converted, converted if second == CONVERTED else pair.original
            )
        )
        for first in SIDES
        for second in SIDES
    }
    if has_converted and CONVERTED in tiles:
        # How much of a difference is the conversion's, whoever draws it.
        of_ours = ours.original, ours.converted
        yield Compared(kit.names[index], Look(OURS, ORIGINAL), Look(OURS, CONVERTED), ours.readings, hidden[ORIGINAL, CONVERTED], *of_ours)
    for shows, tile in tiles.items():
        for own, picture in mine.items():
            pictures = picture, np.asarray(tile.picture, np.float32)
            measured = _measured(ours, body, pictures, [tile], kit.stated.has_ground)
            yield Compared(
                kit.names[index],
                Look(OURS, own),
                Look(THEIRS, shows),
                measured,
                (*hidden[own, shows], *ended_at(pictures, body, tile.ends_at)),
                *pictures,
            )
    if len(tiles) == len(SIDES):
        first, second = tiles[ORIGINAL], tiles[CONVERTED]
        pictures = first.picture, second.picture
        measured = _measured(ours, body, pictures, [first, second], kit.stated.has_ground)
        hidden_by_file = ended_at(pictures, body, min(first.ends_at, second.ends_at))
        yield Compared(kit.names[index], Look(THEIRS, ORIGINAL), Look(THEIRS, CONVERTED), measured, hidden_by_file, *pictures)


def _measured(
    ours: RigCheck, body: np.ndarray, pictures: tuple[np.ndarray, np.ndarray], theirs: Sequence[SeenTile], has_ground: bool
) -> dict[str, Reading]:
    ends_at = min(tile.ends_at for tile in theirs)
    first, second = (np.minimum(average_down(picture), ends_at) for picture in pictures)
    noise = noise_in(second - first, theirs) + moved_by(first, max(tile.residual for tile in theirs))
    ground = off_the_body(ours.seen) if has_ground else np.zeros_like(body)
    return readings(Pair(first, second, noise, body, ground, ours.lit and has_ground))


def _light_statements(kit: Kit, seen: Sequence[Seen], between: Between) -> list[Statement]:
    found = wrong_light(seen[:MOST_FOR_THE_LIGHT], kit.rig, kit.turn, between)
    return [] if found is None else [Statement("light-orientation", f"{str(found).capitalize()}; see the kit's orientation light.", False)]


def _explained(kit: Kit, one: Compared, seen: Mapping[str, Sequence[Seen]], pictures: Sequence[Returned], between: Between) -> Compared:
    """What explains that the other renderer shows a material otherwise than ours shows the same; not where its light is another."""
    of_same = (one.first.by, one.second.by) == (OURS, THEIRS) and one.first.shows == one.second.shows
    light = any(
        statement.code == "light-orientation"
        for picture in pictures
        if picture.shows == one.second.shows
        for statement in picture.statements
    )
    if not of_same or light:
        return one
    found = misread(seen[one.second.shows][kit.names.index(one.material)], kit.rig, kit.turn, between)
    return one if found is None else replace(one, statements=(f"{found}.",))
