"""What a reference is made of: topics of sections, each with paragraphs and perhaps a table; and the same as Markdown."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property


@dataclass(frozen=True)
class Table:
    """rows: a cell a column, in plain words."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class Section:
    """id: by which a screen asks for it; mark: a sign that stands for it; place: the screen that it is about; command: the same by command
    line; each "" for none."""

    id: str
    title: str
    text: tuple[str, ...] = ()
    table: Table | None = None
    mark: str = ""
    place: str = ""
    command: str = ""


@dataclass(frozen=True)
class Topic:
    """make: its sections, which are made when they are first asked for."""

    id: str
    title: str
    says: str
    make: Callable[[], Iterable[Section]]

    @cached_property
    def sections(self) -> tuple[Section, ...]:
        return tuple(self.make())


def as_markdown(topics: Iterable[Topic]) -> str:
    return "\n".join(line for topic in topics for line in _lines(topic))


def _lines(topic: Topic) -> Iterator[str]:
    yield from (f"# {topic.title}", "", topic.says, "")
    for section in topic.sections:
        yield from (f"## {section.title}" + (f" ({section.mark})" if section.mark else ""), "")
        for paragraph in section.text:
            yield from (paragraph, "")
        if section.command:
            yield from ("```", section.command, "```", "")
        if section.table is not None:
            yield _row(section.table.columns)
            yield _row(["---"] * len(section.table.columns))
            yield from map(_row, section.table.rows)
            yield ""


def _row(cells: Iterable[str]) -> str:
    plain = (" ".join(cell.split()).replace("|", "\\|") for cell in cells)
    return f"| {' | '.join(plain)} |"
