"""Reports from the command line: what they say is what a check says, and nothing in a name gets out of its place."""

from __future__ import annotations

import csv
import json
from html.parser import HTMLParser
from pathlib import Path

import pytest
from typer.testing import CliRunner

from fenrain.cli.options import app
from fenrain.core import Material, check, convert
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.errors import InputError, TooLargeError
from fenrain.core.reports.report import Report, entry_of
from fenrain.core.reports.writing import MOST_IN_PDF, WHOLE, page, write_report

EVIL = '=HYPERLINK("x")<script>alert(1)</script>'
WALL = {"diffuse": (0.3, 0.2, 0.1), "specular": (0.04, 0.04, 0.04), "glossiness": 0.4}


class Reader(HTMLParser):
    """What a browser would find: tags and text."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.sources: list[str] = []
        self.words: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        self.sources += [value or "" for name, value in attrs if name in ("src", "href")]

    def handle_data(self, data: str) -> None:
        self.words.append(data)


@pytest.fixture(scope="module")
def made() -> Report:
    entries = []
    for name, values in ((EVIL, WALL),):
        conversion = convert(Material.of(name, "spec_gloss", values), "metal_rough")
        found = check(conversion.original, conversion.material, rigs=("soft_studio",), size=64)
        entries.append(entry_of(conversion.having({}), found))
    return Report("trial", "glTF", Tolerances(), tuple(entries))


def test_names_stay_text(made: Report, tmp_path: Path) -> None:
    # OWASP: CSV injection; a cell that begins with = + - @ is taken for a formula.
    write_report(tmp_path / "r.csv", made)
    (line,) = csv.DictReader((tmp_path / "r.csv").open())
    assert line["name"] == f"'{EVIL}"
    read = Reader(page(made, whole_ledgers=True))
    assert "script" not in read.tags
    assert EVIL in read.words


def test_a_page_needs_nothing_but_itself(made: Report) -> None:
    read = Reader(page(made, whole_ledgers=True))
    assert all(source.startswith(("data:image/", "#")) for source in read.sources)
    # Original, converted and difference of the one rig.
    assert sum(source.startswith("data:image/png") for source in read.sources) == 3


def test_many_materials_share_a_sheet_of_small_pairs(made: Report) -> None:
    many = Report("trial", "glTF", Tolerances(), made.entries * (WHOLE + 1))
    read = Reader(page(many, whole_ledgers=False))
    small = [source for source in read.sources if source.startswith("data:image/jpeg")]
    assert len(small) == 2 * (WHOLE + 1) == sum(source.startswith("data:") for source in read.sources)
    assert {f"#m{index + 1}" for index in range(WHOLE + 1)} <= set(read.sources)


def test_the_ledger_and_the_verdict_are_the_check_s(made: Report, tmp_path: Path) -> None:
    write_report(tmp_path / "r.json", made)
    (told,) = json.loads((tmp_path / "r.json").read_text())["materials"]
    conversion = convert(Material.of("a", "spec_gloss", WALL), "metal_rough")
    assert [line["target"] for line in told["ledger"] if line["target"]] == [line.target for line in conversion.ledger if line.target]
    assert told["decided_by"]["says"] == str(made.entries[0].decision)
    assert set(json.loads((tmp_path / "r.json").read_text())["versions"]) == {"Fenrain", "rules", "drawing"}


def test_other_suffixes_are_refused(made: Report, tmp_path: Path) -> None:
    with pytest.raises(InputError, match="not written as"):
        write_report(tmp_path / "r.docx", made)


def test_more_than_a_pdf_holds_is_refused_before_it_is_laid_out(made: Report, tmp_path: Path) -> None:
    many = Report("trial", "glTF", Tolerances(), made.entries[:1] * (MOST_IN_PDF + 1))
    with pytest.raises(TooLargeError, match="up to 1,200 materials"):
        write_report(tmp_path / "many.pdf", many)
    assert list(tmp_path.iterdir()) == []


def test_the_command_line_reports_files(tmp_path: Path) -> None:
    sheet = tmp_path / "two.mtl"
    sheet.write_text("newmtl dull\nKd 0.4 0.3 0.2\nKs 0 0 0\nNs 10\nillum 1\n")
    told = CliRunner().invoke(app, ["report", str(sheet), "-o", str(tmp_path / "r.html"), "--rig", "soft_studio"])
    assert told.exit_code == 0, told.output
    assert "1 match" in told.output
    assert "dull" in Reader((tmp_path / "r.html").read_text()).words
