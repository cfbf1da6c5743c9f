"""What the command line says of each material and of all: what was not read, what is odd, what is lost; and the exit code that follows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fenrain.core.errors import InputError

if TYPE_CHECKING:
    from fenrain.core.conversion.engine import Conversion
    from fenrain.core.findings import Finding
    from fenrain.core.material import Material

UNREAD, EVERYTHING = "unread", "all"
ACCEPT = Annotated[
    list[str] | None,
    typer.Option("--accept", metavar="unread", help="what does not matter: “unread”, all that was not read of a source"),
]
ALLOW = Annotated[
    list[str] | None, typer.Option("--allow", metavar="LOSS", help="a value of the source that may be lost, or “all”; again for more")
]
QUIET = Annotated[bool, typer.Option("--quiet", help="the summary alone")]


def accepting(materials: Sequence[Material], accepted: Sequence[str] | None) -> list[Material]:
    """The materials as they are, or with what was not read accepted. Raises InputError for a word that is not known."""
    unknown = [word for word in accepted or () if word != UNREAD]
    if unknown:
        raise InputError(f"“{unknown[0]}” cannot be accepted.", place="--accept", remedy=f"Say {UNREAD}, or leave it out.")
    return [material.accepting_unread() for material in materials] if accepted else list(materials)


@dataclass(frozen=True)
class Outcome:
    """Of one material. unread: what of its source was not read, and not accepted; lost: names of values that are lost and were not allowed
    to be; findings: what else is odd; verdict: "" where nothing was compared; accepted, allowed: how many of both were let pass; plainness,
    chosen: how plain the values are, and what was taken in place of the nearest answer, in words."""

    name: str
    unread: tuple[str, ...]
    lost: tuple[str, ...]
    findings: tuple[str, ...]
    verdict: str = ""
    accepted: int = 0
    allowed: int = 0
    plainness: str = ""
    chosen: str = ""

    @classmethod
    def from_conversion(cls, conversion: Conversion, found: Sequence[Finding], allowed: Sequence[str] | None) -> Outcome:
        """found: everything odd about the original and the conversion."""
        from fenrain.core.aims.plainness import plainness_of
        from fenrain.core.checking.undrawn import find_unread_statements

        original = conversion.original
        odd = [finding for finding in found if finding.severity != "note" and not finding.unread]
        lost = tuple(dict.fromkeys(", ".join(entry.sources) for entry in conversion.losses))
        is_allowed = {name: EVERYTHING in (allowed or ()) or set(name.split(", ")) <= set(allowed or ()) for name in lost}
        beyond = tuple(name for name in lost if not is_allowed[name])
        told = tuple(f"{one.message} {one.remedy}".strip() for one in odd)
        accepted = sum(finding.accepted for finding in original.findings)
        return cls(
            original.name,
            find_unread_statements(original),
            beyond,
            told,
            accepted=accepted,
            allowed=len(lost) - len(beyond),
            plainness=str(plainness_of(conversion.material)),
            chosen=str(conversion.choice or ""),
        )

    @property
    def is_fine(self) -> bool:
        return not self.unread and not self.lost and self.verdict in ("", "match")

    @property
    def text(self) -> str:
        """All of it, in a line."""
        lost = (f"lost: {'; '.join(self.lost)}",) if self.lost else ()
        let_pass = ((self.accepted, "not read, accepted"), (self.allowed, "lost, allowed"))
        passed = tuple(f"{count} {what}" for count, what in let_pass if count)
        how = () if self.plainness == "plain" else (self.plainness,)
        told = *self.unread, *lost, *self.findings, *passed, *filter(None, (self.chosen,)), *how
        return f"{'. '.join(part.rstrip('.') for part in told) or 'all came through'}."

    def __str__(self) -> str:
        return f"{self.name}: {self.text}"

    def to_document(self) -> dict[str, Any]:
        return {"material": self.name, "unread": list(self.unread), "lost": list(self.lost), "findings": list(self.findings)} | (
            {"accepted": self.accepted, "allowed": self.allowed, "plainness": self.plainness, "chosen": self.chosen}
        )


def summary(outcomes: Sequence[Outcome]) -> str:
    """Counts in words, those that are none left out."""
    verdicts = [outcome.verdict for outcome in outcomes if outcome.verdict]
    counts = [
        *((sum(verdict == one for verdict in verdicts), one) for one in ("match", "near", "undecided", "off")),
        (sum(bool(outcome.unread) for outcome in outcomes), "not read in full"),
        (sum(bool(outcome.lost) for outcome in outcomes), "losing something"),
        (sum(bool(outcome.findings) for outcome in outcomes), "with findings"),
        (sum(outcome.accepted for outcome in outcomes), "not read but accepted"),
        (sum(outcome.allowed for outcome in outcomes), "lost as allowed"),
    ]
    told = ", ".join(f"{count} {what}" for count, what in counts if count)
    return f"{len(outcomes)} {'material' if len(outcomes) == 1 else 'materials'}: {told or 'all came through'}"


def exit_by(outcomes: Sequence[Outcome]) -> None:
    """Exit 1 where something is lost, not read or no match."""
    if not all(outcome.is_fine for outcome in outcomes):
        raise typer.Exit(1)
