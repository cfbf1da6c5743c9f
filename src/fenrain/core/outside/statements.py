"""What is said of a picture that came back, from how it lies and how its camera answered."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from fenrain.core.outside.alignment import Alignment, said
from fenrain.core.outside.picture import OutsidePicture
from fenrain.core.outside.response import BENT, LIFTED, OTHER_COLOURS, OTHER_LIGHT, UNEVEN, Response

SAID_SHIFT, SAID_SCALE, SAID_TURN, SAID_EXPOSURE, SAID_WHITE = 0.15, 0.001, 0.05, 0.02, 0.01
"""From where it is said of a picture: pixels, share, degrees, stops, share of a channel."""


@dataclass(frozen=True)
class Statement:
    """Something about a picture, in words. code: stable; matched: whether it is taken out of the comparison."""

    code: str
    says: str
    matched: bool


def statements_of(picture: OutsidePicture, alignment: Alignment, response: Response) -> Iterator[Statement]:
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
        yield Statement("colour-space", f"Its colours are numbers of {response.space}: say so when it is uploaded.", False)
    elif np.abs(response.colours - np.eye(3)).max() > OTHER_COLOURS:
        yield Statement("colours", "Its red, green and blue are others than ours, as by a view transform.", False)
    if abs(response.light - 1.0) > OTHER_LIGHT:
        stops = math.log2(max(response.light, 1e-6))
        yield Statement("light", f"{abs(stops):.2f} EV {'more' if stops > 0 else 'less'} light falls on the cards than the kit's.", False)
