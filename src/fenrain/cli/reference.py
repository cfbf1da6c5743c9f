"""The reference by command line, and the command line as a topic of it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fenrain.cli.options import app
from fenrain.core.errors import NotFoundError

if TYPE_CHECKING:
    from fenrain.core.reference import Section, Topic


@app.command()
def reference(
    topic: Annotated[str, typer.Argument(metavar="[TOPIC]", help="a topic by its id; all of them where left out")] = "",
) -> None:
    """Print the guide and the reference as Markdown."""
    from fenrain.core.reference import TOPICS, as_markdown

    known = (*TOPICS, command_line())
    chosen = [one for one in known if topic in ("", one.id)]
    if not chosen:
        names = ", ".join(one.id for one in known)
        raise NotFoundError(f"The reference has no “{topic}”.", place=topic, remedy=f"Topics: {names}.")
    print(as_markdown(chosen))


def command_line() -> Topic:
    """Every command with what it takes, as it says of itself."""
    from fenrain.core.reference import Topic

    says = "Exit 0: done, and all match; 1: at least one verdict is not match; 2: input or usage error, one line that says why."
    return Topic("commands", "Command line", says, _sections)


def _sections() -> Iterator[Section]:
    from fenrain.core.reference import Section, Table

    group: Any = typer.main.get_command(app)
    for name, command in sorted(group.commands.items()):
        rows = tuple((_spell(one), getattr(one, "help", "") or "") for one in command.params if one.name != "help")
        table = Table(("argument or option", "what it is"), rows) if rows else None
        yield Section(name, f"fenrain {name}", ((command.help or "").strip(),), table)


def _spell(parameter: Any) -> str:
    return ", ".join(parameter.opts) if parameter.param_type_name == "option" else str(parameter.metavar or parameter.name)
