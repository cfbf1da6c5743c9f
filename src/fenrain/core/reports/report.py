"""What a report holds, whoever put it together: the command line from materials, the application from what it keeps."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from importlib.metadata import version
from typing import Any

from fenrain.core.checking.check import Check, RigCheck
from fenrain.core.checking.code_version import drawing_version, rules_version
from fenrain.core.checking.metrics.registry import Reading, metrics
from fenrain.core.checking.verdict import SURFACES, Decision, Tolerances, Verdict
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.viewing import CheckItem
from fenrain.core.rendering.png import pair_pngs
from fenrain.core.rendering.rigs.registry import rig_of
from fenrain.core.rules.fidelity import Fidelity

PICTURES = ("original", "converted", "difference")


@dataclass(frozen=True)
class UnderRig:
    """How two looks compare under one rig. samples: for each pixel that was measured; pictures: PNG by side, empty where none is kept."""

    rig: str
    title: str
    decision: Decision
    readings: Mapping[str, Reading]
    samples: int
    pictures: Mapping[str, bytes] = field(default_factory=dict, repr=False)


@dataclass(frozen=True)
class Elsewhere:
    """What another renderer showed. kit: its title; looks: whose were compared, in words."""

    kit: str
    looks: str
    decision: Decision


@dataclass(frozen=True)
class Reviewed:
    """What somebody said of a look. state: that stands today, open where something has changed since; said: then; when: UTC; changed: what
    has, in words."""

    state: str
    said: str
    by: str
    when: datetime
    note: str = ""
    changed: tuple[str, ...] = ()

    def __str__(self) -> str:
        if not self.changed:
            return f"{self.state} by {self.by}"
        return f"open again: {', '.join(self.changed)} changed since it was {self.said} by {self.by}"


@dataclass(frozen=True)
class Entry:
    """One material. decision: over all rigs, None where nothing was measured; surfaces: readings that need no picture; ledger: see
    `convert.ledger.Entry.to_document`; digests: of the original and of the converted material."""

    name: str
    file: str
    model: str
    digests: tuple[str, str]
    decision: Decision | None
    surfaces: Mapping[str, Reading]
    rigs: tuple[UnderRig, ...]
    ledger: Sequence[Mapping[str, Any]]
    findings: tuple[str, ...] = ()
    elsewhere: tuple[Elsewhere, ...] = ()
    reviewed: Reviewed | None = None

    @property
    def verdict(self) -> str:
        return "not checked" if self.decision is None else str(self.decision.verdict)

    @property
    def losses(self) -> tuple[str, ...]:
        """What the target cannot carry, in words."""
        lost = (line for line in self.ledger if line["fidelity"] == Fidelity.DROPPED and line["steps"])
        return tuple(dict.fromkeys(line["steps"][-1]["text"] for line in lost))

    @property
    def overrides(self) -> tuple[Mapping[str, Any], ...]:
        """Lines on which something stands over the derived value."""
        return tuple(line for line in self.ledger if line["override_by"])

    @property
    def shown(self) -> UnderRig | None:
        """The rig whose pictures stand for the material: the one that decided, else the first that has any."""
        having = [under for under in self.rigs if under.pictures]
        decisive = "" if self.decision is None else self.decision.rig
        return next((under for under in having if under.rig == decisive), having[0] if having else None)


@dataclass(frozen=True)
class Report:
    """title: of the work; target: what was converted to; checklist: what a viewer must have switched on for it, or cannot show; made: UTC;
    versions: of what it depends on, by what."""

    title: str
    target: str
    tolerances: Tolerances
    entries: tuple[Entry, ...]
    checklist: tuple[CheckItem, ...] = ()
    made: datetime = field(default_factory=lambda: datetime.now(UTC))
    versions: Mapping[str, str] = field(
        default_factory=lambda: {"Fenrain": version("fenrain"), "rules": rules_version(), "drawing": drawing_version()}
    )

    @property
    def verdicts(self) -> dict[str, int]:
        """How many have each verdict, worst first."""
        found = Counter(entry.verdict for entry in self.entries)
        order = ["not checked", *(str(verdict) for verdict in reversed(Verdict))]
        return {name: found[name] for name in order if found[name]}

    @property
    def losses(self) -> dict[str, int]:
        """Over how many materials each loss goes, most first."""
        return dict(Counter(text for entry in self.entries for text in entry.losses).most_common())

    def limits(self) -> list[tuple[str, str, float, float]]:
        """Rig (“every rig”), reading, and what a match and near may read."""
        found = []
        titles = {under.rig: under.title for entry in self.entries for under in entry.rigs}
        for metric in metrics().values():
            for rig in ("", *self.tolerances.limits):
                own = metric.id in self.tolerances.limits.get(rig, {})
                limits = self.tolerances.limits_of(metric, rig)
                if limits is not None and rig != "*" and (rig == "" or own):
                    found.append((titles.get(rig, rig) or "every rig", metric.title, limits.match, limits.near))
        return found

    def to_document(self) -> dict[str, Any]:
        """All but the pictures, as JSON can hold it."""
        return {
            "title": self.title,
            "target": self.target,
            "made": self.made.isoformat(timespec="seconds"),
            "versions": dict(self.versions),
            "tolerances": [{"rig": rig, "reading": name, "match": match, "near": near} for rig, name, match, near in self.limits()],
            "verdicts": self.verdicts,
            "checklist": [asdict(item) for item in self.checklist],
            "materials": [_entry_document(entry) for entry in self.entries],
        }


def entry_of(conversion: Conversion, check: Check) -> Entry:
    """Of a conversion that has just been checked."""
    original = conversion.original
    return Entry(
        original.name,
        original.source.file,
        original.model,
        (original.digest, conversion.material.digest),
        check.decided_by,
        check.figures.readings,
        tuple(_under(result, check.tolerances) for result in check.rigs),
        [line.to_document(conversion.target) for line in conversion.ledger],
        tuple(finding.message for finding in original.findings),
    )


def _under(result: RigCheck, tolerances: Tolerances) -> UnderRig:
    pictures = pair_pngs(result.original, result.converted, result.delta_e)
    decision = result.decided(tolerances)
    return UnderRig(result.rig, rig_of(result.rig).title, decision, result.readings, result.samples, pictures)


def _entry_document(entry: Entry) -> dict[str, Any]:
    reviewed = entry.reviewed
    return {
        "name": entry.name,
        "file": entry.file,
        "model": entry.model,
        "original": entry.digests[0],
        "converted": entry.digests[1],
        "verdict": entry.verdict,
        "decided_by": _decision_document(entry.decision),
        "readings": {SURFACES: _readings_document(entry.surfaces)}
        | {under.rig: _readings_document(under.readings) for under in entry.rigs},
        "losses": list(entry.losses),
        "findings": list(entry.findings),
        "elsewhere": [{"kit": one.kit, "looks": one.looks, **(_decision_document(one.decision) or {})} for one in entry.elsewhere],
        "review": None if reviewed is None else {**asdict(reviewed), "when": reviewed.when.isoformat(timespec="seconds")},
        "ledger": list(entry.ledger),
    }


def _decision_document(decision: Decision | None) -> dict[str, Any] | None:
    if decision is None:
        return None
    return {"verdict": str(decision.verdict), "rig": decision.rig, "reading": decision.metric, "says": str(decision)}


def _readings_document(readings: Mapping[str, Reading]) -> dict[str, dict[str, Any]]:
    return {name: asdict(reading) for name, reading in readings.items()}
