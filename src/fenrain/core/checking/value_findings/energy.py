"""Originals that give back more light than they receive."""

from collections.abc import Iterator

from fenrain.core.checking.quick import MOST_SENT, facing_total
from fenrain.core.checking.value_findings.registry import Subject
from fenrain.core.findings import Finding, warning


def find(subject: Subject) -> Iterator[Finding]:
    """Looked at facing, in the strongest channel."""
    highest = facing_total(subject.conversion.original)
    if highest > MOST_SENT:
        yield warning(
            "more_than_it_receives",
            f"The original sends out {highest:.2f} times the light that it receives: reflection and transmission add up to more than 1.",
            evidence=f"{highest:.3g}",
            usual="at most 1",
            source="conservation of energy",
            remedy="The conversion is cut to what it receives; lower the weights of the original to keep its colours.",
        )


FIND = find
