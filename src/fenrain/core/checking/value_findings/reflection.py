"""Surfaces that reflect nothing."""

from collections.abc import Iterator

from fenrain.core.checking.value_findings.registry import PRACTICE, Subject
from fenrain.core.findings import Finding, note
from fenrain.core.models.parameter import Role
from fenrain.core.models.usual import COMMON_INDEX


def find(subject: Subject) -> Iterator[Finding]:
    weight, index = subject.parameter(Role.SPECULAR_WEIGHT), subject.parameter(Role.INDEX)
    if index is None or subject.parameter(Role.METALNESS) is None or subject.is_metal or subject.is_mostly_clear:
        return
    unweighted = weight is not None and subject.number(Role.SPECULAR_WEIGHT) == 0.0 and subject.is_set(Role.SPECULAR_WEIGHT)
    if unweighted or (subject.number(Role.INDEX) == 1.0 and subject.is_set(Role.INDEX)):
        name = weight.name if unweighted and weight is not None else index.name
        yield note(
            "no_reflection",
            "The surface reflects nothing; every real one reflects a little, about 4 % when facing.",
            parameter=name,
            evidence="0",
            usual="F0 of 0.02 to 0.08",
            source=PRACTICE,
            remedy="Give it the index 1.5.",
            fix={**({name: 1.0} if unweighted else {}), index.name: COMMON_INDEX},
        )


FIND = find
