"""What a converted material costs at its target, and advice that makes a delivery cheaper."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from fenrain.core.conversion.engine import Conversion
from fenrain.core.errors import ImageError
from fenrain.core.formats.limits import loses_its_back
from fenrain.core.maps.flat import flattened
from fenrain.core.maps.texels import grid_of
from fenrain.core.models.parameter import Role
from fenrain.core.models.target import Profile
from fenrain.core.values import Constant

BYTES_OF_TEXEL = 4 * 4 / 3
"""In a renderer's memory: four channels of 8 bits, with all smaller copies (common practice)."""
LARGE_EDGE = 4096
"""Maps from here on are more than most surfaces show (common practice)."""
FEW_COLOURS = 8
"""So many materials of one flat colour each are better off as one atlas (common practice)."""


@dataclass(frozen=True)
class MapCost:
    """A map as it will be written, in texels."""

    parameter: str
    width: int
    height: int


@dataclass(frozen=True)
class Cost:
    """What a converted material asks of a renderer. alpha: opaque, cut-out or blended; transmits: light goes through its body; back: what
    becomes of its back faces: "drawn", "culled", or "lost" where the original shows them and the target does not."""

    maps: tuple[MapCost, ...]
    alpha: str
    transmits: bool
    back: str

    @property
    def memory(self) -> int:
        """Bytes of its maps in a renderer's memory."""
        return round(sum(one.width * one.height for one in self.maps) * BYTES_OF_TEXEL)

    def to_document(self) -> dict[str, Any]:
        return asdict(self)

    @staticmethod
    def from_document(document: Mapping[str, Any]) -> Cost:
        maps = tuple(MapCost(**one) for one in document["maps"])
        return Cost(maps, document["alpha"], document["transmits"], document["back"])


def cost_of(conversion: Conversion) -> Cost:
    """What a conversion costs, by its values and the headers of its maps."""
    material, by_role = conversion.material, conversion.target.by_role
    transmission = material.value(by_role[Role.TRANSMISSION].name) if Role.TRANSMISSION in by_role else Constant(0.0)
    lost = loses_its_back(conversion.original, conversion.profile)
    return Cost(
        tuple(_maps(conversion)),
        _alpha(conversion),
        transmission != Constant(0.0),
        "lost" if lost else "drawn" if material.geometry.double_sided else "culled",
    )


def _maps(conversion: Conversion) -> Iterator[MapCost]:
    for name, value in conversion.material.values.items():
        try:
            written = flattened(value)
        except ImageError:
            continue
        if not isinstance(written, Constant):
            grid = grid_of([written])
            yield MapCost(name, grid.width, grid.height)


def _alpha(conversion: Conversion) -> str:
    parameters = conversion.target.by_name
    mode = conversion.material.value("alpha_mode") if "alpha_mode" in parameters else None
    if isinstance(mode, Constant):
        return dict(parameters["alpha_mode"].options)[int(mode.value)]  # type: ignore[arg-type]
    opacity = conversion.target.by_role.get(Role.OPACITY)
    return "opaque" if opacity is None or conversion.material.value(opacity.name) == Constant(opacity.default) else "blended"


@dataclass(frozen=True)
class Priced:
    """A material of a delivery: its name, what it costs, and the digest of its converted look."""

    name: str
    cost: Cost
    digest: str


@dataclass(frozen=True)
class Advice:
    """code: stable; text: what is so, in words; materials: whose; remedy: what would make it cheaper."""

    code: str
    text: str
    materials: tuple[str, ...]
    remedy: str


def advice(delivery: Sequence[Priced], profile: Profile) -> list[Advice]:
    """What makes the delivery dearer than it need be, the gravest first."""
    found = [*_over_budget(delivery, profile), *_lost_backs(delivery), *_transparent(delivery), *_large(delivery)]
    return [*found, *_alike(delivery), *_flat(delivery, profile), *_double_sided(delivery)]


def _over_budget(delivery: Sequence[Priced], profile: Profile) -> Iterator[Advice]:
    total, most = sum(one.cost.memory for one in delivery), profile.maps.total_bytes
    if most and total > most:
        dearest = sorted(delivery, key=lambda one: one.cost.memory, reverse=True)
        yield Advice(
            "over_budget",
            f"The maps take {total / 1e6:,.0f} MB of memory; the target profile allows {most / 1e6:,.0f}.",
            tuple(one.name for one in dearest[:20]),
            "Take smaller maps in the target profile: half the edge is a quarter of the memory.",
        )


def _lost_backs(delivery: Sequence[Priced]) -> Iterator[Advice]:
    names = _named(delivery, lambda cost: cost.back == "lost")
    if names:
        yield Advice(
            "lost_back",
            "Seen from behind these vanish: the original shows both sides, the target profile culls back faces.",
            names,
            "Keep back faces as authored in the target profile, or give thin parts a second side.",
        )


def _transparent(delivery: Sequence[Priced]) -> Iterator[Advice]:
    names = _named(delivery, lambda cost: cost.alpha == "blended" or cost.transmits)
    if names:
        yield Advice(
            "transparency",
            "Blended or clear: each is drawn over what lies behind it, which multiplies the time of a picture whatever the file's size.",
            names,
            "Cut out what only has holes; keep blending for what is truly clear.",
        )


def _large(delivery: Sequence[Priced]) -> Iterator[Advice]:
    names = _named(delivery, lambda cost: any(max(one.width, one.height) >= LARGE_EDGE for one in cost.maps))
    if names:
        yield Advice(
            "large_maps",
            f"Maps of {LARGE_EDGE} texels and more: more than most surfaces show.",
            names,
            "Set the largest map in the target profile; what is averaged away is said in the ledger.",
        )


def _alike(delivery: Sequence[Priced]) -> Iterator[Advice]:
    by_look: dict[str, list[str]] = {}
    for one in delivery:
        by_look.setdefault(one.digest, []).append(one.name)
    for names in by_look.values():
        if len(names) > 1:
            yield Advice(
                "same_look", "These have the same values.", tuple(names), "Deliver one of them, and bind the others' meshes to it."
            )


def _flat(delivery: Sequence[Priced], profile: Profile) -> Iterator[Advice]:
    names = _named(delivery, lambda cost: not cost.maps and cost.alpha == "opaque" and not cost.transmits)
    if len(names) >= FEW_COLOURS and not profile.maps.atlas:
        yield Advice(
            "flat_colours",
            f"{len(names)} materials have no map; each is drawn by itself.",
            names,
            "One small texture serves them all: let the target profile lay flat colours together.",
        )


def _double_sided(delivery: Sequence[Priced]) -> Iterator[Advice]:
    names = _named(delivery, lambda cost: cost.back == "drawn")
    if names:
        yield Advice("double_sided", "Both sides are drawn.", names, "Cull the back faces of closed bodies.")


def _named(delivery: Sequence[Priced], has: Any) -> tuple[str, ...]:
    return tuple(one.name for one in delivery if has(one.cost))
