"""Writes a report: HTML and PDF to read, CSV to sort, JSON to compute with."""

from __future__ import annotations

import csv
import io
import json
from base64 import b64encode
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from fenrain.core.checking.metrics.registry import metrics
from fenrain.core.errors import InputError, TooLargeError
from fenrain.core.files import write_whole
from fenrain.core.pages import page_of, write_pdf
from fenrain.core.reports.report import PICTURES, Entry, Report
from fenrain.core.rules.fidelity import Fidelity

TEMPLATE = Path(__file__).with_name("report.html.j2")
WHOLE = 12
"""Up to so many materials, every rig's pictures stand in the report as they are, and whole ledgers in a PDF; beyond, one pair a material,
smaller, and of ledgers in a PDF what is neither exact nor equivalent."""
MOST_IN_PDF = 1_200
"""Materials: a thousand take 3 GB while their pages are laid out."""
SMALL_EDGE, QUALITY = 128, 90
FAITHFUL = (Fidelity.EXACT, Fidelity.EQUIVALENT)
SIGNS = "=+-@\t\r"
"""A cell of a sheet that begins so would be taken for a formula."""
MARKS = {"match": "●", "near": "◇", "off": "⊠", "undecided": "◌", "not checked": "–"}


def write_report(path: Path, report: Report) -> None:
    """Write it as its suffix says: .html, .pdf, .csv or .json. Raises InputError for another, TooLargeError, StorageError."""
    write = WRITERS.get(path.suffix.lower())
    if write is None:
        raise InputError(f"A report is not written as “{path.suffix}”.", place=str(path), remedy=f"Call it {', '.join(WRITERS)}.")
    write(path, report)


def _html(path: Path, report: Report) -> None:
    write_whole(path, page(report, whole_ledgers=True))


def _pdf(path: Path, report: Report) -> None:
    if len(report.entries) > MOST_IN_PDF:
        raise TooLargeError(
            f"A PDF holds up to {MOST_IN_PDF:,} materials, not {len(report.entries):,}.",
            place=str(path.name),
            remedy="Take HTML, or choose fewer materials.",
        )
    write_pdf(path, page(report, whole_ledgers=len(report.entries) <= WHOLE), path.parent)


def _json(path: Path, report: Report) -> None:
    write_whole(path, json.dumps(report.to_document(), ensure_ascii=False, indent=1))


def _csv(path: Path, report: Report) -> None:
    """One line a material."""
    rigs = list(dict.fromkeys(under.rig for entry in report.entries for under in entry.rigs))
    head = ["name", "file", "model", "target", "verdict", "decided by", *rigs, "other renderer", "losses", "overrides", "approximated"]
    head += ["review", "by", "when", "note", "original", "converted"]
    text = io.StringIO()
    sheet = csv.writer(text)
    sheet.writerow(head)
    for entry in report.entries:
        by_rig = {under.rig: str(under.decision.verdict) for under in entry.rigs}
        reviewed = entry.reviewed
        said = (reviewed.state, reviewed.by, f"{reviewed.when:%Y-%m-%d %H:%M}", reviewed.note) if reviewed else ("", "", "", "")
        approximated = sum(line["fidelity"] == Fidelity.APPROXIMATED for line in entry.ledger if line["target"])
        cells = [entry.name, entry.file, entry.model, report.target, entry.verdict, str(entry.decision or "")]
        cells += [by_rig.get(rig, "") for rig in rigs]
        cells += ["; ".join(f"{one.looks}: {one.decision.verdict}" for one in entry.elsewhere), "; ".join(entry.losses)]
        cells += [", ".join(str(line["target"]) for line in entry.overrides), str(approximated), *said, *entry.digests]
        sheet.writerow([f"'{cell}" if cell.startswith(tuple(SIGNS)) else cell for cell in cells])
    write_whole(path, text.getvalue())


WRITERS: dict[str, Callable[[Path, Report], None]] = {".html": _html, ".pdf": _pdf, ".csv": _csv, ".json": _json}


def page(report: Report, *, whole_ledgers: bool) -> str:
    """The report as one page of HTML that holds its pictures."""
    is_whole = len(report.entries) <= WHOLE
    return page_of(
        TEMPLATE,
        report=report,
        metrics=metrics(),
        marks=MARKS,
        is_whole=is_whole,
        sides=PICTURES,
        picture=lambda data: _address(data if is_whole else small(data), "png" if is_whole else "jpeg"),
        lines=lambda entry: _lines(entry, whole_ledgers),
        whole_ledgers=whole_ledgers,
    )


def _lines(entry: Entry, is_whole: bool) -> list[Any]:
    return [line for line in entry.ledger if is_whole or line["fidelity"] not in FAITHFUL or line["override_by"]]


def _address(data: bytes, kind: str) -> str:
    return f"data:image/{kind};base64,{b64encode(data).decode()}"


def small(png: bytes) -> bytes:
    """A picture (PNG) as a small JPEG."""
    picture = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_COLOR)
    assert picture is not None
    if picture.shape[1] > SMALL_EDGE:
        picture = cv2.resize(picture, (SMALL_EDGE, SMALL_EDGE), interpolation=cv2.INTER_AREA)
    return bytes(cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[1])
