"""Roughness that does not exist in nature."""

from collections.abc import Iterator

from fenrain.core.checking.value_findings.registry import PRACTICE, Subject
from fenrain.core.findings import Finding, note
from fenrain.core.models.parameter import Role

CLEAREST, ROUGHEST = 0.01, 0.97


def find(subject: Subject) -> Iterator[Finding]:
    for role in (Role.ROUGHNESS, Role.COAT_ROUGHNESS):
        parameter, found = subject.parameter(role), subject.number(role)
        outside = found is not None and not CLEAREST <= found <= ROUGHEST
        if parameter is not None and found is not None and outside and subject.is_set(role):
            nearest = CLEAREST if found < CLEAREST else ROUGHEST
            yield note(
                "roughness_at_its_end",
                f"{parameter.name} is {found:.3g}, which does not exist in nature.",
                parameter=parameter.name,
                evidence=f"{found:g}",
                usual=f"{CLEAREST:g} to {ROUGHEST:g}",
                source=PRACTICE,
                remedy=f"Set it to {nearest:g}.",
                fix={parameter.name: nearest},
            )


FIND = find
