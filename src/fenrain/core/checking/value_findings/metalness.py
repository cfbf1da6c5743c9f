"""Half-metals."""

from collections.abc import Iterator

from fenrain.core.checking.value_findings.registry import PRACTICE, Subject
from fenrain.core.findings import Finding, warning
from fenrain.core.models.parameter import Role
from fenrain.core.models.usual import NO_METAL, WHOLE_METAL


def find(subject: Subject) -> Iterator[Finding]:
    parameter, found = subject.parameter(Role.METALNESS), subject.number(Role.METALNESS)
    if parameter is not None and found is not None and NO_METAL < found < WHOLE_METAL:
        yield warning(
            "half_metal",
            f"{parameter.name} is {found:.2g}: a surface is a metal or it is none.",
            parameter=parameter.name,
            evidence=f"{found:.3g}",
            usual="0 or 1",
            source=PRACTICE,
            remedy=f"Set it to {round(found):g}.",
            fix={parameter.name: float(round(found))},
        )


FIND = find
