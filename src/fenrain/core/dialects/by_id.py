"""Several materials chosen by the colours of an id map: as mixes of two, each half of the colours against the other."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from fenrain.core.errors import BrokenFileError
from fenrain.core.material import Material
from fenrain.core.steps import Ids, Triple, ValueStep
from fenrain.core.values import Constant, Map, Stepped, Value

MOST_IDS = 32
"""As deep as mixes may be nested."""
ID = re.compile(r"#([0-9a-fA-F]{6})")


@dataclass(frozen=True)
class ById:
    """colours: of the ids, as the map stores them, 0…1; names: of the material for each; image: the map, None where it cannot be read."""

    colours: tuple[Triple, ...]
    names: tuple[str, ...]
    image: Map | None

    def unfolded(self, mix: Material) -> list[tuple[Material, tuple[str, ...]]]:
        """The mix itself, first, and the mixes that it is made of, each with the names of its two parts."""
        found: list[tuple[Material, tuple[str, ...]]] = []
        self._unfold(mix, tuple(range(len(self.names))), found)
        return found[::-1]

    def _unfold(self, mix: Material, ids: tuple[int, ...], found: list[tuple[Material, tuple[str, ...]]]) -> None:
        halves = ids[: len(ids) // 2], ids[len(ids) // 2 :]
        inner = [replace(mix, name=f"{mix.name} {','.join(map(str, half))}", findings=()) for half in halves]
        for material, half in zip(inner, halves, strict=True):
            if len(half) > 1:
                self._unfold(material, half, found)
        parts = tuple(self.names[half[0]] if len(half) == 1 else material.name for material, half in zip(inner, halves, strict=True))
        found.append((mix.having(amount=self._amount(halves[1])), parts))

    def _amount(self, second: tuple[int, ...]) -> Value:
        if self.image is None:
            return Constant(0.0)
        return Stepped(self.image, (ValueStep(ids=Ids(colours=self.colours, chosen=second)),), 1.0, 1)


def parsed_ids(given: Any, place: str) -> tuple[tuple[Triple, ...], tuple[str, ...]]:
    """Colours and names from an object of `#rrggbb` to names, or from text such as “#ff0000: brass; #00ff00: rubber”.

    Raises BrokenFileError.
    """
    pairs = _pairs(given)
    colours = [ID.fullmatch(str(colour).strip()) for colour, _ in pairs]
    if len(pairs) < 2 or not all(colours):
        raise BrokenFileError(
            "Materials by id are two or more, each under the colour that stands for it.",
            place=place,
            remedy="Write them as {“#ff0000”: “brass”, “#00ff00”: “rubber”}.",
        )
    if len(pairs) > MOST_IDS:
        raise BrokenFileError(f"{len(pairs)} materials are chosen by id.", place=place, remedy=f"At most {MOST_IDS}; split the mix.")
    return tuple(_components(match[1]) for match in colours if match), tuple(str(name).strip() for _, name in pairs)


def _pairs(given: Any) -> Sequence[tuple[Any, Any]]:
    if isinstance(given, Mapping):
        return list(given.items())
    parts = [part.rpartition(":") for part in str(given).split(";") if part.strip()]
    return [(colour, name) for colour, _, name in parts]


def _components(digits: str) -> Triple:
    red, green, blue = (int(digits[at : at + 2], 16) / 255.0 for at in (0, 2, 4))
    return red, green, blue
