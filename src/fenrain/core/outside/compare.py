"""Compares pictures that came back from another renderer with ours, material by material, and says what else is different about them."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import median_filter

from fenrain.core.checking.check import READ_EDGE, RigCheck, averaged, refined
from fenrain.core.checking.metrics.registry import Pair, Reading, delta_e_of_pictures, readings
from fenrain.core.checking.undrawn import unseen
from fenrain.core.checking.verdict import Decision, Tolerances, decisive
from fenrain.core.errors import InputError
from fenrain.core.outside.alignment import Alignment, aligned, said
from fenrain.core.outside.diagnosis import Seen, misread, wrong_light
from fenrain.core.outside.kit import CONVERTED, ORIGINAL, SIDES, Kit
from fenrain.core.outside.layout import Tile
from fenrain.core.outside.light import light_picture
from fenrain.core.outside.picture import OutsidePicture
from fenrain.core.outside.response import BENT, LIFTED, OTHER_COLOURS, OTHER_LIGHT, UNEVEN, Response, response_of
from fenrain.core.outside.responses import Learned, learned

OUR_SAMPLES = 512
"""For each pixel that is measured, of our own pictures."""
SHOWN_EDGE = 4 * READ_EDGE
SAID_SHIFT, SAID_SCALE, SAID_TURN, SAID_EXPOSURE, SAID_WHITE = 0.15, 0.001, 0.05, 0.02, 0.01
"""From where it is said of a picture: pixels, share, degrees, stops, share of a channel."""
LEAST_PIXELS = READ_EDGE
"""Edge of a tile in the picture; less shows no highlight."""
NOISE_WINDOW = 9
MEAN_OF_NORMAL = math.sqrt(2.0 / math.pi)
"""The mean of |x| over normal numbers."""
FILTERED = 1.25
"""By how much noise is larger than it looks from one pixel to the next, since filters of pixels spread it over neighbours."""
MOST_FOR_THE_LIGHT = 4
"""Materials by which another light is looked for."""
OURS, THEIRS = "ours", "theirs"
Between = Callable[[], None]
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Statement:
    """Something about a picture, in words. code: stable; matched: whether it is taken out of the comparison."""

    code: str
    says: str
    matched: bool


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
        raise InputError("Hand in one picture of the originals, one of the converted materials, or both.", place="pictures")
    if CONVERTED in shows and any(pair.converted is None for pair in kit.pairs):
        raise InputError(
            "This kit holds no converted materials.", place="pictures", remedy="Make a kit with a target, or say what it shows."
        )
    light = light_picture(kit.rig, kit.turn)
    laid = [_laid(kit, picture, side, light) for picture, side in pictures]
    found: list[Compared] = []
    seen: dict[str, list[Seen]] = {side: [] for side in shows}
    noises: dict[str, list[float]] = {side: [] for side in shows}
    for index, pair in enumerate(kit.pairs):
        ours = _ours(kit, index, between)
        tiles = {one.shows: _tile(one, kit.layout.tiles[index]) for one in laid}
        found += _compared(kit, index, ours, tiles)
        for side, tile in tiles.items():
            material = pair.original if side == ORIGINAL else pair.converted
            assert material is not None
            theirs, body = averaged(tile.picture), _body(ours)
            noise = _noise(theirs - averaged(ours.original if side == ORIGINAL else ours.converted), [tile])
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


@dataclass(frozen=True)
class _Laid:
    """A picture laid over ours and exposed as ours. ends_at: the brightest that it can show."""

    name: str
    shows: str
    space: str
    size: tuple[int, int]
    pixels: np.ndarray
    alignment: Alignment
    response: Response
    ends_at: float
    statements: tuple[Statement, ...]


@dataclass(frozen=True)
class _OneTile:
    """picture: (256, 256, 3); ends_at: the brightest that it can show, infinity where there is no end; blurred: pixels of the picture to
    one that is measured; residual: how far it may lie beside ours, in pixels that are measured."""

    picture: np.ndarray
    ends_at: float
    residual: float
    noise: np.ndarray


def _laid(kit: Kit, picture: OutsidePicture, side: str, light: np.ndarray) -> _Laid:
    alignment, over = aligned(picture, kit.layout)
    smallest = min(tile.half for tile in kit.layout.tiles) * picture.size[1]
    if smallest < LEAST_PIXELS:
        raise InputError(
            f"A material is {smallest:.0f} pixels wide in “{picture.name}”; {LEAST_PIXELS} are the least.",
            place=picture.name,
            remedy=f"Render {kit.stated.width} × {kit.stated.height}, as the kit asks.",
        )
    response = response_of(over, kit.layout, light, ends_at_white=picture.ends_at_white)
    matched, ends_at = response.matched(over), math.inf
    if picture.ends_at_white:
        ends_at = float(response.matched(np.ones((1, 1, 3))).min())
    statements = tuple(_statements(picture, alignment, response))
    return _Laid(picture.name, side, picture.space, picture.size, matched, alignment, response, ends_at, statements)


def _statements(picture: OutsidePicture, alignment: Alignment, response: Response) -> Iterator[Statement]:
    across, down = alignment.shift
    is_off = math.hypot(across, down) > SAID_SHIFT or abs(alignment.scale - 1.0) > SAID_SCALE or abs(alignment.turn) > SAID_TURN
    if is_off or alignment.flipped:
        yield Statement("alignment", f"The picture lies {said(alignment)}.", True)
    if picture.broken:
        yield Statement("broken-pixels", f"{picture.broken} pixels are no numbers; they are taken as black.", False)
    if abs(response.exposure) > SAID_EXPOSURE:
        more = "brighter" if response.exposure > 0 else "darker"
        yield Statement("exposure", f"It is exposed {abs(response.exposure):.2f} EV {more}.", response.is_matched)
    if max(abs(part - 1.0) for part in response.white) > SAID_WHITE:
        red, green, blue = response.white
        yield Statement("white", f"Its white is shifted: red × {red:.3f}, green × {green:.3f}, blue × {blue:.3f}.", response.is_matched)
    if response.is_display:
        yield Statement("display-curve", "Its numbers are encoded for a display: say that it is sRGB, or store it linear.", False)
        return  # what else could be told would only follow from it
    if abs(response.curve - 1.0) > BENT:
        yield Statement(
            "curve", f"Its brightness goes with the power {response.curve:.2f} of what is meant: switch tone curves off.", False
        )
        return
    if response.black > LIFTED:
        yield Statement("black", f"Black is at {response.black:.3f}: haze, bloom or a lifted black.", False)
    if response.unevenness > UNEVEN:
        yield Statement("uneven", f"Equal patches differ by {100 * response.unevenness:.0f} % over the picture, as by a vignette.", False)
    if response.space:
        yield Statement("colour-space", f"Its colours are numbers of {response.space}: say so when it is handed in.", False)
    elif np.abs(response.colours - np.eye(3)).max() > OTHER_COLOURS:
        yield Statement("colours", "Its red, green and blue are others than ours, as by a view transform.", False)
    if abs(response.light - 1.0) > OTHER_LIGHT:
        stops = math.log2(max(response.light, 1e-6))
        yield Statement("light", f"{abs(stops):.2f} EV {'more' if stops > 0 else 'less'} light falls on the cards than the kit's.", False)


def _ours(kit: Kit, index: int, between: Between) -> RigCheck:
    """Our pictures of a material of the kit, as they are measured."""
    pair = kit.pairs[index]
    passes = refined(
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


def _tile(laid: _Laid, tile: Tile) -> _OneTile:
    """What is seen of a tile, each of its pixels the mean of what lies within."""
    edge = tile.half * laid.pixels.shape[0]
    each = max(1, math.ceil(edge / SHOWN_EDGE))
    picture = _cut_out(laid.pixels, tile, SHOWN_EDGE * each).reshape(SHOWN_EDGE, each, SHOWN_EDGE, each, 3).mean(axis=(1, 3))
    as_made = _spread(_cut_out(laid.pixels, tile, round(edge)))
    noise = FILTERED * cv2.resize(as_made, (READ_EDGE, READ_EDGE), interpolation=cv2.INTER_AREA) * READ_EDGE / edge
    return _OneTile(picture, laid.ends_at, laid.alignment.residual * READ_EDGE / edge, noise)


def _cut_out(pixels: np.ndarray, tile: Tile, size: int) -> np.ndarray:
    """A tile of a picture on so many pixels each way."""
    height, width = pixels.shape[:2]
    edge, (across, up) = tile.half * height, tile.middle
    left, top, step = 0.5 * (width + across * height - edge), 0.5 * ((1.0 - up) * height - edge), edge / size
    matrix = np.array([[step, 0.0, left + 0.5 * step - 0.5], [0.0, step, top + 0.5 * step - 0.5]])
    how = {"flags": cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, "borderMode": cv2.BORDER_REPLICATE}
    return np.maximum(cv2.warpAffine(pixels, matrix, (size, size), **how), 0.0)


def _body(ours: RigCheck) -> np.ndarray:
    """Where the body is seen of all of a pixel that is measured, (64, 64) bool: how its rim is filtered is each renderer's own."""
    each = ours.seen.shape[0] // READ_EDGE
    return np.asarray(ours.seen.reshape(READ_EDGE, each, READ_EDGE, each).all(axis=(1, 3)))


def _compared(kit: Kit, index: int, ours: RigCheck, tiles: Mapping[str, _OneTile]) -> Iterator[Compared]:
    pair, body = kit.pairs[index], _body(ours)
    has_converted = pair.converted is not None
    mine = {ORIGINAL: ours.original} | ({CONVERTED: ours.converted} if has_converted else {})
    converted = pair.converted or pair.original
    hidden = {
        (first, second): tuple(
            str(one)
            for one in unseen(pair.original if first == ORIGINAL else converted, converted if second == CONVERTED else pair.original)
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
                (*hidden[own, shows], *_clipped(pictures, body, tile.ends_at)),
                *pictures,
            )
    if len(tiles) == len(SIDES):
        first, second = tiles[ORIGINAL], tiles[CONVERTED]
        pictures = first.picture, second.picture
        measured = _measured(ours, body, pictures, [first, second], kit.stated.has_ground)
        hidden_by_file = _clipped(pictures, body, min(first.ends_at, second.ends_at))
        yield Compared(kit.names[index], Look(THEIRS, ORIGINAL), Look(THEIRS, CONVERTED), measured, hidden_by_file, *pictures)


def _measured(
    ours: RigCheck, body: np.ndarray, pictures: tuple[np.ndarray, np.ndarray], theirs: Sequence[_OneTile], has_ground: bool
) -> dict[str, Reading]:
    ends_at = min(tile.ends_at for tile in theirs)
    first, second = (np.minimum(averaged(picture), ends_at) for picture in pictures)
    noise = _noise(second - first, theirs) + _moved(first, max(tile.residual for tile in theirs))
    ground = ~_grown(ours.seen) if has_ground else np.zeros_like(body)
    return readings(Pair(first, second, noise, body, ground, ours.lit and has_ground))


def _clipped(pictures: tuple[np.ndarray, np.ndarray], body: np.ndarray, ends_at: float) -> tuple[str, ...]:
    """Whether one of the pictures ends where the other goes on."""
    brightest = max(float(np.percentile(averaged(picture)[body], 95)) for picture in pictures)
    return (f"what is brighter than {ends_at:.2g} of white: the picture's file ends there.",) if brightest > ends_at else ()


def _grown(seen: np.ndarray) -> np.ndarray:
    """Pixels that are measured and see anything of the body, and those beside them."""
    each = seen.shape[0] // READ_EDGE
    touched = seen.reshape(READ_EDGE, each, READ_EDGE, each).any(axis=(1, 3))
    return np.asarray(cv2.dilate(touched.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)


def _noise(difference: np.ndarray, theirs: Sequence[_OneTile]) -> np.ndarray:
    """About what is random in a difference, (64, 64, 3): as much as there is from one pixel to the next, in the difference as it is
    measured, or in their own pictures as they were made, whichever is less. Where detail differs the first is large, where there is detail
    the second; noise is in both."""
    own = np.sqrt(sum(np.square(tile.noise) for tile in theirs))
    rough = difference - cv2.blur(difference.astype(np.float32), (3, 3))
    # By its own pattern grey noise stays grey; how large it is, is that of all pixels about.
    pattern = rough / np.maximum(np.abs(rough).mean(axis=-1, keepdims=True), 1e-9)
    sizes = np.abs(np.random.default_rng(7).standard_normal(own.shape)) / MEAN_OF_NORMAL
    return np.asarray(pattern * (np.minimum(_spread(difference), own) * sizes)[..., None])


def _spread(picture: np.ndarray) -> np.ndarray:
    """How much of a pixel is random, (h, w): its usual difference from the mean of those about it, which has an eighth less of it than the
    pixel. Edges are few of those about a pixel, and do not count."""
    rough = np.abs(picture - cv2.blur(picture.astype(np.float32), (3, 3))).mean(axis=-1).astype(np.float32)
    return np.asarray(median_filter(rough, NOISE_WINDOW, mode="nearest") / math.sqrt(8.0 / 9.0))


def _moved(picture: np.ndarray, pixels: float) -> np.ndarray:
    """What a shift by so many pixels to either side changes."""
    across, down = np.gradient(picture, axis=1), np.gradient(picture, axis=0)
    return np.asarray(pixels * np.hypot(across, down))


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
