"""A first dialect for a sheet that none fits: what its columns seem to mean, to be checked by whoever knows the renderer."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import yaml

from fenrain.core.dialects.dialect import Dialect, Spelling
from fenrain.core.dialects.guess import PLAIN_COLUMNS, guess
from fenrain.core.dialects.sheet import IMAGE_NAME, Row
from fenrain.core.models.parameter import OPPOSITES, Kind, Parameter, Role
from fenrain.core.models.registry import Model, model_of, models

WORDS: tuple[tuple[str, tuple[Role, ...]], ...] = (
    ("normal", (Role.NORMAL,)),
    ("bump height relief", (Role.HEIGHT,)),
    ("displace displacement", (Role.DISPLACEMENT,)),
    ("occlusion ao cavity", (Role.OCCLUSION,)),
    ("gloss glossiness polish smoothness shine", (Role.GLOSSINESS, Role.ROUGHNESS)),
    ("rough roughness blur", (Role.ROUGHNESS, Role.GLOSSINESS)),
    ("metal metallic metalness", (Role.METALNESS,)),
    ("ior index bend", (Role.INDEX,)),
    ("coat clearcoat lacquer varnish", (Role.COAT,)),
    ("opacity alpha dissolve cutout", (Role.OPACITY,)),
    ("emission emissive glow luminance light", (Role.EMISSION_COLOR, Role.EMISSION_WEIGHT)),
    ("transmission refraction refract transparency clear glass", (Role.TRANSMISSION,)),
    ("specular reflection reflectance reflect mirror", (Role.SPECULAR_COLOR, Role.SPECULAR_WEIGHT)),
    ("anisotropy stretch", (Role.ANISOTROPY,)),
    ("diffuse albedo base body paint colour color tint", (Role.BASE_COLOR,)),
)
"""Words of the trade, and what they name; the first that occurs in a column's name counts, so that “normal strength” is no strength."""
NAME_COLUMNS = ("name", "material", "id", "label", "title", "surface", "shader", "item")
MOST_SHOWN = 3


@dataclass
class _Draft:
    """What is understood of a sheet so far under one model: spellings by parameter, and columns without one."""

    model: Model
    spellings: dict[str, dict[str, Any]] = field(default_factory=dict)
    unknown: list[str] = field(default_factory=list)

    @property
    def called_so(self) -> int:
        """How many columns are called as the model's parameters are."""
        return sum(_letters(name) == _letters(spelling["name"]) for name, spelling in self.spellings.items())


def draft(rows: Sequence[Row], stem: str, known: Mapping[str, Dialect]) -> str:
    """A dialect as YAML that reads these rows, under the model of the nearest known dialect or the one that most columns fit. Columns that
    say nothing are listed, with some of what stands in them. stem: what the dialect is called after."""
    columns = _columns(rows)
    name_column = _name_column(columns)
    left = {column: values for column, values in columns.items() if column not in (name_column, *PLAIN_COLUMNS)}
    nearest = next((found.dialect for found in guess(rows, known) if found.recognised), None)
    candidates = [model_of(nearest.model)] if nearest is not None else [one for one in models().values() if one.id != "mix"]
    drafts = [_drafted(model, left, nearest) for model in candidates]
    return _as_yaml(max(drafts, key=lambda one: (len(one.spellings), one.called_so)), stem, name_column, left)


def _columns(rows: Sequence[Row]) -> dict[str, list[Any]]:
    """What stands in each column, those of one colour's channels together."""
    found: dict[str, list[Any]] = {}
    for row in rows:
        channels: dict[str, list[Any]] = {}
        for column, value in row.columns.items():
            whole = re.sub(r"\.[rgb]$", "", column)
            if whole == column:
                found.setdefault(column, []).append(value)
            else:
                channels.setdefault(whole, []).append(value)
        for whole, parts in channels.items():
            found.setdefault(whole, []).append(parts)
    return found


def _name_column(columns: Mapping[str, list[Any]]) -> str:
    named = [column for column in columns if column.lower() in NAME_COLUMNS]
    words = [column for column, values in columns.items() if all(isinstance(value, str) for value in values) and not _is_images(values)]
    return next(iter((*named, *words)), "name")


def _drafted(model: Model, columns: Mapping[str, list[Any]], nearest: Dialect | None) -> _Draft:
    found = _Draft(model)
    own = dict(nearest.columns()) if nearest is not None else {}
    for column, values in columns.items():
        spelling = own.get(column)
        if spelling is not None:
            found.spellings.setdefault(spelling.feeds, _as_stated(spelling))
            continue
        taken = next((one for one in _meant(model, column) if _fits(one[0], values)), None)
        if taken is None:
            found.unknown.append(column)
        elif taken[0].name not in found.spellings:
            found.spellings[taken[0].name] = _spelled(column, values, *taken)
        elif _is_images(values) and "map" not in found.spellings[taken[0].name]:
            found.spellings[taken[0].name]["map"] = column
        else:
            found.unknown.append(column)
    return found


def _as_stated(spelling: Spelling) -> dict[str, Any]:
    stated = spelling.model_dump(exclude_defaults=True)
    return {**stated, "steps": [step.model_dump() for step in spelling.steps]} if spelling.steps else stated


def _meant(model: Model, column: str) -> Iterator[tuple[Parameter, bool]]:
    """The parameters that a column's name may mean, the likeliest first, and whether its numbers count the other way round."""
    words = re.findall(r"[a-z]+", re.sub(r"([a-z])([A-Z])", r"\1 \2", column).lower())
    same = "".join(words)
    yield from ((one, False) for one in model.parameters if _letters(one.name) == same)
    for known, roles in WORDS:
        if set(words) & set(known.split()):
            for role in roles:
                if role in model.by_role:
                    yield model.by_role[role], OPPOSITES.get(role) is roles[0]


def _fits(parameter: Parameter, values: Sequence[Any]) -> bool:
    """Whether a parameter can hold what stands there."""
    if _is_images(values):
        return not parameter.is_plain
    if parameter.is_plain or parameter.kind is Kind.NORMAL:
        return False
    numbers = [_numbers(value) for value in values]
    return all(len(found) in ((1, 3, 4) if parameter.kind is Kind.COLOUR else (1,)) for found in numbers)


def _spelled(column: str, values: Sequence[Any], parameter: Parameter, turned: bool) -> dict[str, Any]:
    spelling: dict[str, Any] = {"name": column, "feeds": parameter.name}
    most = max((number for value in values for number in _numbers(value)), default=0.0)
    typed_as_hex = any(isinstance(value, str) and value.strip().startswith("#") for value in values)
    if typed_as_hex or (parameter.high <= 1.0 and most > 1.0):
        full = 255.0 if typed_as_hex or most > 100.0 or parameter.kind is Kind.COLOUR else 100.0
        spelling |= {"full": full, "range": [0.0, full]}
        if parameter.kind is Kind.COLOUR:
            spelling["encoding"] = "srgb"
    elif parameter.kind is Kind.COLOUR and _is_images(values):
        spelling["encoding"] = "srgb"
    return {**spelling, "steps": ["invert"]} if turned else spelling


def _numbers(value: Any) -> list[float]:
    if isinstance(value, str) and re.fullmatch(r"\s*#[0-9a-fA-F]{6}\s*", value):
        return [int(value.strip()[at : at + 2], 16) for at in (1, 3, 5)]
    parts = value if isinstance(value, (list, tuple)) else re.split(r"[\s,;]+", str(value).strip("()[] "))
    try:
        return [float(str(part).removesuffix("%")) for part in parts]
    except ValueError:
        return []


def _is_images(values: Sequence[Any]) -> bool:
    return bool(values) and all(isinstance(value, dict) or bool(IMAGE_NAME.search(str(value).strip())) for value in values)


def _as_yaml(found: _Draft, stem: str, name_column: str, columns: Mapping[str, list[Any]]) -> str:
    spellings = found.spellings or {"": _placeholder(found)}
    unknown = [column for column in found.unknown if column != spellings.get("", {}).get("name")]
    key = re.sub(r"[^a-z0-9]+", "-", stem.lower()).strip("-")[:40] or "my-renderer"
    lines = [
        "# A draft, made from the sheet: check what each column feeds, its range, and whether colours are sRGB.",
        "dialect: 1",
        f"id: {key}",
        f"name: {_flow(stem[:120] or key)}",
        f"model: {found.model.id}",
        "says: what it is",
        f"name_column: {_flow(name_column)}",
    ]
    if unknown:
        lines += ["# Not understood; give each a line below, or leave it here if it changes nothing about the look."]
        lines += [f"#   {_plain(column)}: {', '.join(_plain(value) for value in columns[column][:MOST_SHOWN])}" for column in unknown]
        lines += [f"ignored: {_flow(unknown)}"]
    lines += ["parameters:", *(f"  - {_flow(spelling)}" for spelling in spellings.values())]
    return "\n".join(lines) + "\n"


def _placeholder(found: _Draft) -> dict[str, Any]:
    """A dialect states one parameter at least."""
    base = found.model.by_role.get(Role.BASE_COLOR) or found.model.parameters[0]
    return {"name": found.unknown[0] if found.unknown else "Colour", "feeds": base.name}


def _letters(name: str) -> str:
    return re.sub(r"[^a-z]", "", name.lower())


def _plain(value: Any) -> str:
    """Something from a sheet as part of a comment, which ends with its line."""
    return "".join(part if part.isprintable() else " " for part in str(value))[:30]


def _flow(value: Any) -> str:
    return yaml.safe_dump(value, default_flow_style=True, allow_unicode=True, width=10_000, sort_keys=False).removesuffix("...\n").strip()
