"""Pages of text that go to people: filled from a template, written as HTML that needs no network, and as PDF."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import jinja2

from fenrain.core.files import whole_file


def page_of(template: Path, **given: Any) -> str:
    """A template (Jinja, all that goes in escaped) filled with what is given. Raises jinja2.UndefinedError for what is not."""
    return _template(template).render(given)


def write_pdf(path: Path, text: str, folder: Path) -> None:
    """A page of HTML as PDF. folder: that its pictures lie in. Raises StorageError."""
    from weasyprint import HTML

    with whole_file(path) as temporary:
        HTML(string=text, base_url=str(folder) + "/").write_pdf(temporary)


@cache
def _template(path: Path) -> jinja2.Template:
    environment = jinja2.Environment(autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    return environment.from_string(path.read_text("utf-8"))
