"""Who may use a server: run beside it, on its machine."""

from __future__ import annotations

import json as jsons
from typing import Annotated

import typer

from fenrain.cli.options import app

Name = Annotated[str, typer.Argument(help="what the person is called")]


@app.command()
def people(
    add: Annotated[str, typer.Option(help="give somebody of this name an account, and print the link that lets them in once")] = "",
    role: Annotated[str, typer.Option(help="reader, td or supervisor")] = "td",
    json: Annotated[bool, typer.Option("--json", help="as JSON")] = False,
) -> None:
    """List who has an account, or give somebody one."""
    from fenrain.core.errors import InputError
    from fenrain.serve import entry_line
    from fenrain.services import people as accounts
    from fenrain.store.database import session

    with session() as database:
        if add:
            if role not in set(accounts.Role):
                raise InputError(f"There is no role “{role}”.", place="--role", remedy=f"Roles: {', '.join(accounts.Role)}.")
            person = accounts.add_person(database, add, accounts.Role(role))
            print(entry_line(person.name, accounts.create_sign_in_link(database, person)))
            return
        known = [
            {"name": one.name, "role": one.role, "disabled": one.disabled, "has_password": bool(one.password)}
            for one in accounts.list_people(database)
        ]
    if json:
        print(jsons.dumps(known, ensure_ascii=False, indent=1))
        return
    for one in known:
        print(f"{one['name']}: {one['role']}{', disabled' if one['disabled'] else ''}{'' if one['has_password'] else ', no password yet'}")


@app.command()
def enter(name: Name) -> None:
    """Print a link that lets somebody in once, who has no password or has lost it."""
    from fenrain.serve import entry_line
    from fenrain.services import people as accounts
    from fenrain.store.database import session

    with session() as database:
        person = accounts.find_person_by_name(database, name)
        print(entry_line(person.name, accounts.create_sign_in_link(database, person)))
