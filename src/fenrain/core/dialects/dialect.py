"""A dialect: a renderer's parameter names, and what each feeds. Loaded from YAML, with errors that name the line."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from functools import cache, cached_property
from pathlib import Path
from typing import Any, Literal

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fenrain.core.dialects.yaml_text import broken_line, compose_yaml, load_yaml
from fenrain.core.errors import BrokenFileError, InputError, MissingFileError, TooLargeError, UnknownModelError
from fenrain.core.models.mix.parameters import PART_PREFIXES
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import Model, model_of, models
from fenrain.core.steps import ValueStep

LARGEST_DIALECT = 1 << 20
SHIPPED = Path(__file__).with_name("shipped")
PARTS, BY_ID = ("first", "second"), "by_id"
PART_NAMES = (*PARTS, BY_ID)
SIDES = "double_sided"
"""What a column feeds that says whether faces are seen from both sides, in every model."""
"""What a parameter of a mix may feed besides the model's own values: the names of its two materials, or of several by the colours of the id
map that its `map` column names."""


class Spelling(BaseModel):
    """One parameter of the renderer.

    feeds: the model's parameter; full: the number that a white texel of its map stands for; range: of the numbers as they are typed;
    default: what the renderer takes where nothing is said, as typed; encoding: of its colours; steps: run on value ÷ full; map: the
    column that names its map; map_use: whether a map replaces a value or is multiplied by it; length: the absolute unit that the renderer
    counts a length in, or along, none where it counts in scene units, whatever those are.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)
    name: str = Field(min_length=1)
    feeds: str
    full: float = Field(default=1.0, gt=0)
    range: tuple[float, float] | None = None
    default: float | bool | str | tuple[float, float, float] | None = None
    unit: str = ""
    encoding: Literal["linear", "srgb"] = "linear"
    steps: tuple[ValueStep, ...] = ()
    map: str | None = None
    map_use: Literal["replaces", "multiplies"] = "replaces"
    length: Literal["m", "cm", "mm", "in", "ft"] | None = None
    says: str = ""

    def counted_in(self, metres: float, power: int) -> Spelling:
        """power: with which the value grows with the unit of length."""
        if self.length is None:
            return self
        last = ValueStep(scale=(UNITS_OF_LENGTH[self.length] / metres) ** power)
        return self.model_copy(update={"length": None, "steps": (*self.steps, last)})


UNITS_OF_LENGTH = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
"""In metres."""


def colour_key(name: str) -> str:
    return " ".join(name.split()).casefold()


class Dialect(BaseModel):
    """How one renderer spells one model. fixed: values of the model that the renderer does not let one choose; ignored: columns that
    change nothing about the look; colours: a studio's own, by the names that sheets call them by, each as a cell would state it."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    dialect: Literal[1]
    id: str = Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$")
    name: str = Field(min_length=1, max_length=120)
    model: str
    says: str = ""
    name_column: str = "name"
    parameters: tuple[Spelling, ...] = Field(min_length=1)
    fixed: Mapping[str, Any] = Field(default_factory=dict)
    ignored: tuple[str, ...] = ()
    colours: Mapping[str, str | tuple[float, float, float]] = Field(default_factory=dict, max_length=20_000)

    @cached_property
    def colours_by_key(self) -> Mapping[str, str | tuple[float, float, float]]:
        """The same by their names without regard to case and spaces."""
        return {colour_key(name): value for name, value in self.colours.items()}

    @property
    def states_lengths(self) -> bool:
        """Whether any of its lengths has an absolute unit."""
        return any(spelling.length is not None for spelling in self.parameters)

    def counted_in(self, metres: float) -> Dialect:
        """The same for an asset whose unit of length has so many metres: absolute lengths are brought to it by a last step."""
        if not self.states_lengths:
            return self
        model = model_of(self.model)
        lengths = {name: parameter.length for name, parameter in model.by_name.items()}
        spellings = (spelling.counted_in(metres, lengths.get(spelling.feeds, 0)) for spelling in self.parameters)
        return self.model_copy(update={"parameters": tuple(spellings)})

    def columns(self) -> Iterator[tuple[str, Spelling]]:
        """Every column that carries something, with the parameter it belongs to."""
        for spelling in self.parameters:
            yield spelling.name, spelling
            if spelling.map is not None:
                yield spelling.map, spelling


@dataclass(frozen=True)
class Problem:
    """What is wrong on which line of a dialect file, counted from 1."""

    line: int
    message: str


def load_dialect(text: str, place: str = "dialect") -> Dialect:
    """Raises BrokenFileError that names the first wrong line."""
    dialect, problems = examine(text)
    if dialect is None:
        first = problems[0]
        more = f" ({len(problems) - 1} more after it)" if len(problems) > 1 else ""
        raise BrokenFileError(f"{first.message}{more}", place=f"{place}, line {first.line}", remedy="Correct the line and try again.")
    return dialect


def read_dialect(path: Path) -> Dialect:
    """Raises MissingFileError, TooLargeError, BrokenFileError."""
    if not path.is_file():
        raise MissingFileError(f"There is no dialect file “{path.name}”.", place=str(path), remedy="Check the path.")
    if path.stat().st_size > LARGEST_DIALECT:
        raise TooLargeError("The dialect file is too large.", place=path.name, remedy=f"At most {LARGEST_DIALECT >> 20} MiB.")
    try:
        return load_dialect(path.read_text(encoding="utf-8"), path.name)
    except UnicodeDecodeError as reason:
        raise BrokenFileError("The dialect file is not text in UTF-8.", place=path.name, remedy="Save it as UTF-8.") from reason


@cache
def shipped() -> Mapping[str, Dialect]:
    """The dialects that come with Fenrain, by id."""
    return {key: load_dialect(text, key) for key, text in shipped_texts().items()}


@cache
def shipped_texts() -> Mapping[str, str]:
    """The same as YAML; each file is called by its dialect's id."""
    return {path.stem: path.read_text(encoding="utf-8") for path in sorted(SHIPPED.glob("*.yaml"))}


def dialect_of(given: Dialect | str | Path, known: Mapping[str, Dialect]) -> Dialect:
    """A dialect by id, or from a file. Raises InputError, and what `read_dialect` does."""
    if isinstance(given, Dialect):
        return given
    if str(given) in known:
        return known[str(given)]
    path = Path(given)
    if path.suffix.lower() in (".yaml", ".yml") or path.is_file():
        return read_dialect(path)
    raise InputError(f"There is no dialect “{given}”.", place=str(given), remedy=f"Known: {', '.join(known)}; or name a file.")


def examine(text: str) -> tuple[Dialect | None, list[Problem]]:
    """The dialect, or everything that is wrong with it, by line."""
    try:
        node = compose_yaml(text)
    except yaml.MarkedYAMLError as broken:
        return None, [Problem(broken_line(broken, text), f"This is not YAML: {broken.problem or broken.context}.")]
    except yaml.YAMLError as broken:
        return None, [Problem(1, f"This is not YAML: {broken}.")]
    if not isinstance(node, yaml.MappingNode):
        return None, [Problem(1, "A dialect is a mapping that begins with “dialect: 1”.")]
    twice = list(_repeated_keys(node))
    if twice:
        return None, twice
    try:
        dialect = Dialect.model_validate(load_yaml(text))
    except ValidationError as refused:
        errors = refused.errors()
        telling = [error for error in errors if error["type"] != "too_short"] or errors
        return None, [Problem(_line(node, error["loc"]), _words(error)) for error in telling]
    problems = list(_misfits(dialect, node))
    return (None, problems) if problems else (dialect, [])


def _repeated_keys(node: yaml.Node) -> Iterator[Problem]:
    children = []
    if isinstance(node, yaml.MappingNode):
        seen: set[str] = set()
        for key, child in node.value:
            if key.value in seen:
                yield Problem(key.start_mark.line + 1, f"“{key.value}” is said twice.")
            seen.add(str(key.value))
            children.append(child)
    elif isinstance(node, yaml.SequenceNode):
        children = node.value
    for child in children:
        yield from _repeated_keys(child)


def _line(node: yaml.Node, path: tuple[int | str, ...]) -> int:
    """Line on which the part at `path` stands, or the nearest part above it that is there."""
    line = node.start_mark.line + 1
    for step in path:
        if isinstance(node, yaml.MappingNode):
            found = next(((key, child) for key, child in node.value if key.value == str(step)), None)
            if found is None:
                break
            line, node = found[0].start_mark.line + 1, found[1]
        elif isinstance(node, yaml.SequenceNode) and isinstance(step, int) and step < len(node.value):
            node = node.value[step]
            line = node.start_mark.line + 1
        else:
            break
    return line


def _words(error: Any) -> str:
    where = ".".join(str(part) for part in error["loc"] if not isinstance(part, int))
    if error["type"] == "missing":
        return f"“{error['loc'][-1]}” is missing."
    if error["type"] == "extra_forbidden":
        known = ValueStep if "steps" in error["loc"] else Spelling if "parameters" in error["loc"] else Dialect
        return f"“{error['loc'][-1]}” is not a word of a dialect here; there are {', '.join(known.model_fields)}."
    return f"{where}: {error['msg'].removeprefix('Value error, ')}."


def _misfits(dialect: Dialect, node: yaml.Node) -> Iterator[Problem]:
    """What fits the schema but not the model."""
    try:
        model = model_of(dialect.model)
    except UnknownModelError:
        yield Problem(_line(node, ("model",)), f"There is no shading model “{dialect.model}”; known: {', '.join(models())}.")
        return
    seen: set[str] = set()
    for index, spelling in enumerate(dialect.parameters):
        at = ("parameters", index)
        for column in filter(None, (spelling.name, spelling.map)):
            if column in seen:
                yield Problem(_line(node, (*at, "name")), f"The column “{column}” stands for two things.")
            seen.add(column)
        yield from _misfit(spelling, model, node, at)
    for name, value in dialect.fixed.items():
        try:
            model.parameter(name).accept(value)
        except InputError as refused:
            yield Problem(_line(node, ("fixed", name)), refused.message)


def _misfit(spelling: Spelling, model: Model, node: yaml.Node, at: tuple[int | str, ...]) -> Iterator[Problem]:
    if spelling.feeds == SIDES or (model.id == "mix" and spelling.feeds in PART_NAMES):
        return
    if spelling.feeds not in model.by_name:
        names = [name for name in model.by_name if not name.startswith(PART_PREFIXES)]
        near = get_close_matches(spelling.feeds, names, 1)
        hint = f"did you mean “{near[0]}”?" if near else f"it has {', '.join(names)}."
        yield Problem(_line(node, (*at, "feeds")), f"{model.title} has no “{spelling.feeds}”; {hint}")
        return
    parameter = model.by_name[spelling.feeds]
    if spelling.range is not None and spelling.range[0] >= spelling.range[1]:
        yield Problem(_line(node, (*at, "range")), "A range names its lower end first.")
    if spelling.length is not None and parameter.length == 0:
        yield Problem(_line(node, (*at, "length")), f"“{parameter.name}” does not depend on a unit of length.")
    if spelling.map is not None and parameter.is_plain:
        yield Problem(_line(node, (*at, "map")), f"“{parameter.name}” cannot come from a map.")
    for position, step in enumerate(spelling.steps):
        if parameter.is_plain and step.choose is None and step.invert is None:
            yield Problem(_line(node, (*at, "steps", position)), f"{_kind(parameter)} takes only “choose” and “invert”.")
        if step.pick is not None and any(earlier.pick is not None for earlier in spelling.steps[:position]):
            yield Problem(_line(node, (*at, "steps", position)), "A channel was picked already.")
        if step.pick == "a" and position > 0:
            yield Problem(_line(node, (*at, "steps", position)), "“pick: a” comes first; what the other steps work on has no alpha.")
        if step.choose is not None and not parameter.is_plain and spelling.map is not None:
            yield Problem(_line(node, (*at, "steps", position)), "“choose” cannot work on a map.")


def _kind(parameter: Parameter) -> str:
    return {Kind.FLAG: "A flag", Kind.CHOICE: "A choice", Kind.SPECTRUM: "A table"}[parameter.kind]
