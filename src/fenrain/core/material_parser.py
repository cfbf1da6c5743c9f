"""Collects what a reader finds in one material: values that the model accepts, and findings for all else."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from fenrain.core.errors import FenrainError, NamesakesError, ParameterError
from fenrain.core.findings import UNREAD, Finding, note, unread, warning
from fenrain.core.maps.colour_spaces import LINEAR, colour_to_linear, encoding_called
from fenrain.core.maps.image import inspect
from fenrain.core.material import Geometry, Material, Source
from fenrain.core.models.parameter import Kind
from fenrain.core.models.registry import model_of
from fenrain.core.paths import TILE_NUMBER, Found, resolve, resolve_tiles
from fenrain.core.values import (
    IDENTITY,
    Constant,
    Image,
    Map,
    Placement,
    Value,
    Wrap,
    over_tiles,
    place_of_tile,
)


@dataclass
class MaterialParser:
    """One material while it is being read. `place` says where in the file it stands."""

    name: str
    model: str
    place: str
    values: dict[str, Value] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)

    def set(self, parameter: str, raw: Any, place: str = "") -> None:
        """Take a constant; one that is not finite is left out, one out of range is brought into it, both with a finding."""
        declared = model_of(self.model).parameter(parameter)
        where = place or parameter
        if _has_bad_number(raw):
            self.findings.append(
                unread(
                    "not-finite",
                    f"{where} is not a finite number; the default is used.",
                    parameter=parameter,
                    evidence=str(raw)[:80],
                    remedy="Correct it in the source file.",
                )
            )
            return
        try:
            self.values[parameter] = Constant(declared.accept(raw))
        except ParameterError as refused:
            limited = None if declared.kind is Kind.CHOICE else _limited(raw, declared.low, declared.high)
            if limited is None:
                self.findings.append(
                    unread("bad-value", f"{where}: {refused.message} {refused.remedy}", parameter=parameter, evidence=str(raw)[:80])
                )
                return
            self.values[parameter] = Constant(declared.accept(limited))
            self.findings.append(
                warning(
                    "out-of-range",
                    f"{where} is {str(raw)[:80]}, outside {declared.range_text()}; {str(limited)[:80]} is used.",
                    parameter=parameter,
                    evidence=str(raw)[:80],
                    remedy="Correct it in the source file, or keep the nearest value.",
                )
            )

    def attach(
        self,
        parameter: str,
        image: Image | None,
        channels: str,
        encoding: str = "linear",
        *,
        scale: float | tuple[float, ...] = 1.0,
        bias: float = 0.0,
        placement: Placement = IDENTITY,
        uv_set: int = 0,
    ) -> bool:
        """Take a map, after a look at its header. A map that cannot be read becomes a finding. Returns whether it was taken."""
        if image is None or not self.is_usable(parameter, image):
            return False
        self.remark_turned_tiles(parameter, image, placement)
        self.values[parameter] = Map(image, channels, encoding, scale, bias, over_tiles(image, placement), uv_set)
        return True

    def remark_turned_tiles(self, parameter: str, image: Image, placement: Placement) -> None:
        """A set of tiles lies on the UVs by its numbers, so that none of it can be turned."""
        if image.tiles and placement.rotation:
            degrees = math.degrees(placement.rotation)
            self.findings.append(
                unread(
                    "turned-tiles",
                    f"The tiles of “{image.name}” are turned by {degrees:.4g}°, which is left out: tiles lie where their numbers say.",
                    parameter=parameter,
                    evidence=f"{degrees:.4g}°",
                    remedy="Turn the UVs of the mesh, or bake the turn into the tiles.",
                )
            )

    def is_usable(self, parameter: str, image: Image) -> bool:
        """Whether a map can be read, after a look at its header; else a finding says why not."""
        try:
            inspect(image)
        except FenrainError as refused:
            self.refuse(parameter, refused)
            return False
        return True

    def image(self, reference: str, base: Path, root: Path, parameter: str) -> Image | None:
        """The image file, or the set of tiles, that a reference means, or None with a finding."""
        try:
            if TILE_NUMBER.search(unquote(reference)):
                return self._tiles(reference, base, root, parameter)
            found = resolve(reference, base, root)
        except FenrainError as refused:
            self.refuse(parameter, refused)
            return None
        if found.moved:
            self.findings.append(found_elsewhere("map", reference, found, root, parameter))
        return Image(found.path.name, found.path)

    def _tiles(self, reference: str, base: Path, root: Path, parameter: str) -> Image:
        """A set of tiles; those between the first and the last of each row that are not there are named."""
        found = resolve_tiles(reference, base, root)
        numbers = {number for number, _ in found}
        missing = [
            number
            for row in sorted({place_of_tile(number)[1] for number in numbers})
            for number in _between([one for one in numbers if place_of_tile(one)[1] == row])
            if number not in numbers
        ]
        if missing:
            self.findings.append(
                unread(
                    "missing-tiles",
                    f"Tiles {', '.join(map(str, missing))} of “{reference[:120]}” are not there; they are black.",
                    parameter=parameter,
                    evidence=", ".join(map(str, missing)),
                    remedy="Hand them in, if a mesh lies on them.",
                )
            )
        return Image(
            Path(unquote(reference).replace("\\", "/")).name, tiles=tuple((number, Image(path.name, path)) for number, path in found)
        )

    def encoding(self, space: str, parameter: str) -> str:
        """How an image of this colour space is encoded; one that nobody knows is a finding, and is taken as it is."""
        found = encoding_called(space)
        if found is None:
            self.findings.append(
                unread(
                    "unknown-colour-space",
                    f"Nothing is known of the colour space “{space[:60]}”; its numbers are taken as linear.",
                    parameter=parameter,
                    evidence=space[:60],
                    remedy="Name the configuration that has it in the variable OCIO, or choose another space.",
                )
            )
        return found or LINEAR

    def colour(self, value: Any, space: str, parameter: str) -> Any:
        """A typed colour of this colour space, in linear Rec.709."""
        if not isinstance(value, tuple) or len(value) != 3:
            return value
        encoding = self.encoding(space, parameter)
        return value if encoding == LINEAR else colour_to_linear(value, encoding)

    def refuse(self, parameter: str, refused: FenrainError) -> None:
        code = {"missing-file": "missing-map", "image": "broken-map", "image-too-large": "map-too-large"}.get(refused.code, refused.code)
        choices = refused.choices if isinstance(refused, NamesakesError) else ()
        details = {"parameter": parameter, "evidence": refused.place, "remedy": refused.remedy, "choices": choices}
        self.findings.append(unread(code if code in UNREAD else "broken-map", refused.message, **details))

    def leave_unread(self, code: str, message: str, **details: str) -> None:
        """Say that something which the source states does not reach the material."""
        self.findings.append(unread(code, message, **details))

    def wrap(self, stated: Any, known: Mapping[str, Wrap], parameter: str, place: str) -> Wrap:
        """How an image goes on beyond its edges, by a word of a format; it repeats where there is none, or, with a finding, another one."""
        word = str(stated or "")
        if word and word not in known:
            message = f"{place}: “{word[:40]}” says nothing; the image repeats."
            self.leave_unread("bad-value", message, parameter=parameter, evidence=word[:40])
        return known.get(word, Wrap.REPEAT)

    def remark(self, code: str, message: str, **details: str) -> None:
        self.findings.append(note(code, message, **details))

    def material(self, source: Source, geometry: Geometry = Geometry()) -> Material:
        return Material(self.name, self.model, self.values, geometry, source, tuple(self.findings))


def _between(numbers: Sequence[int]) -> range:
    return range(min(numbers), max(numbers) + 1)


def found_elsewhere(kind: str, reference: str, found: Found, root: Path, parameter: str = "") -> Finding:
    """Says that a namesake stands for a file that is not where it should be. kind: map, buffer or material-file."""
    home = root.resolve()
    where = found.path.relative_to(home).as_posix() if found.path.is_relative_to(home) else found.path.name
    return warning(
        f"{kind}-found-elsewhere",
        f"“{reference[:120]}” is not there; “{where}”, the only file of that name, is taken for it.",
        parameter=parameter,
        evidence=where,
        remedy="Check that it is the same file.",
    )


def with_shared_names(materials: Sequence[Material]) -> list[Material]:
    """The same materials, with a finding on each that shares its name with another."""
    counts: dict[str, int] = {}
    for material in materials:
        counts[material.name] = counts.get(material.name, 0) + 1
    return [
        replace(
            material,
            findings=(
                *material.findings,
                note(
                    "shared-name",
                    f"{counts[material.name]} materials of this file are called “{material.name}”.",
                    evidence=material.source.place,
                    remedy="They are kept apart; files written get a number.",
                ),
            ),
        )
        if counts[material.name] > 1
        else material
        for material in materials
    ]


def _has_bad_number(raw: Any) -> bool:
    parts = raw if isinstance(raw, (list, tuple)) else [raw]
    return any(isinstance(part, float) and not math.isfinite(part) for part in parts)


def _limited(raw: Any, low: float, high: float) -> Any:
    if isinstance(raw, bool):
        return None
    if isinstance(raw, (int, float)):
        return min(max(float(raw), low), high)
    if isinstance(raw, (list, tuple)) and len(raw) == 3 and all(isinstance(part, (int, float)) for part in raw):
        return tuple(min(max(float(part), low), high) for part in raw)
    return None
