"""Indices of refraction that no clear body has."""

from collections.abc import Iterator

from fenrain.core.checking.value_findings.registry import Subject
from fenrain.core.findings import Finding, warning
from fenrain.core.models.parameter import Role
from fenrain.core.models.usual import COMMON_INDEX
from fenrain.core.optics.fresnel import f0_from_ior

DIAMOND = 2.42


def find(subject: Subject) -> Iterator[Finding]:
    for role in (Role.INDEX, Role.COAT_INDEX):
        parameter, found = subject.parameter(role), subject.number(role)
        if parameter is None or found is None or not subject.is_set(role) or subject.is_metal:
            continue
        if 0.0 < found < 1.0:
            yield warning(
                "index_below_one",
                f"{parameter.name} is below 1, which no clear body has.",
                parameter=parameter.name,
                evidence=f"{found:.4g}",
                usual="1.0 to 2.42",
                source="index tables; air 1.0, diamond 2.42",
                remedy=f"Set it to its reciprocal {1 / found:.4g}, which reflects as much.",
                fix={parameter.name: round(1.0 / found, 6)},
            )
        elif found > DIAMOND:
            yield warning(
                "index_above_diamond",
                f"{parameter.name} gives a reflectance of {100 * f0_from_ior(found):.0f} % when facing, more than any clear body: "
                "dielectrics have a dark grey one.",
                parameter=parameter.name,
                evidence=f"{found:.4g}",
                usual="1.3 to 2.42",
                source="index tables; diamond 2.42",
                remedy=f"Set it to {COMMON_INDEX:g}, or make the surface a metal.",
                fix={parameter.name: COMMON_INDEX},
            )


FIND = find
