"""What a model declares to be one that can be converted to: its profiles, and the format that holds it."""

from __future__ import annotations

import math
from dataclasses import dataclass

OPAQUE_ONLY, CUT_OUT_TOO, ALL_ALPHA = ("opaque",), ("opaque", "cut-out"), ("opaque", "cut-out", "blended")
AS_AUTHORED, BACK_CULLED, NONE_CULLED = "as authored", "back", "none"


@dataclass(frozen=True)
class MapLimits:
    """What a target takes of maps.

    largest: edge in texels, 0 for no limit; square, power_of_two: of their edges; bits: most of a channel, 8 or 16; lossy: colours
    without alpha as JPEG; atlas: many flat colours as one small texture, where the format carries meshes; total_bytes: of all image files
    of a delivery, 0 for no limit.
    """

    largest: int = 0
    square: bool = False
    power_of_two: bool = False
    bits: int = 16
    lossy: bool = False
    atlas: bool = False
    total_bytes: int = 0

    def size_for(self, width: int, height: int) -> tuple[int, int]:
        """The size at which a map of this one is written: nothing is enlarged but the short edge of what must be square.

        >>> MapLimits(512, power_of_two=True).size_for(3000, 1500)
        (512, 256)
        """
        if self.square:
            width = height = max(width, height)
        if self.largest and max(width, height) > self.largest:
            shrink = self.largest / max(width, height)
            width, height = max(1, round(width * shrink)), max(1, round(height * shrink))
        return (_power_below(width), _power_below(height)) if self.power_of_two else (width, height)


def _power_below(edge: int) -> int:
    return 1 << int(math.log2(edge))


@dataclass(frozen=True)
class Exposed:
    """A value that stays adjustable at the target, within a range. title: for people, "" for the parameter's own name."""

    parameter: str
    low: float
    high: float
    title: str = ""


RASTERISED, TRACED = "rasterised", "traced"


@dataclass(frozen=True)
class ViewerNote:
    """What a viewer of the target needs for a feature of a look (shown), or that it cannot show it. feature: its id."""

    feature: str
    says: str
    shown: bool = True


@dataclass(frozen=True)
class Profile:
    """What a target may hold, and how its renderer answers.

    extensions: those the target may use; maps: what it takes of them; alpha_modes: how opacity may be used; culling: whether back faces
    are drawn, "as authored" or for all materials alike; white_luminance: cd/m² of display white where the target's renderer is
    photometric, so that emission is multiplied when it is written, 0 where 1 is white; emission_response, metal_response: how many times
    too strong the renderer shows own light and metal, which is taken out when it is written; exposed: values that stay adjustable;
    like: name of the model's own profile that this one narrows, "" for the first; viewer: the kind that shows the target; viewer_notes:
    what is known of it otherwise than of its kind.
    """

    name: str = "extensions"
    extensions: frozenset[str] = frozenset()
    maps: MapLimits = MapLimits()
    alpha_modes: tuple[str, ...] = ALL_ALPHA
    culling: str = AS_AUTHORED
    white_luminance: float = 0.0
    emission_response: float = 1.0
    metal_response: float = 1.0
    exposed: tuple[Exposed, ...] = ()
    like: str = ""
    viewer: str = TRACED
    viewer_notes: tuple[ViewerNote, ...] = ()


@dataclass(frozen=True)
class Target:
    """One way of being converted to. profile: what it may hold, under the name by which conversions keep it; title: for people;
    format: id of the file format that is written."""

    profile: Profile
    title: str
    format: str
