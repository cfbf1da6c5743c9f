"""Maps whose header is whole and whose texels are not."""

from collections.abc import Iterator

from fenrain.core.checking.input_findings.registry import Read, damage_of
from fenrain.core.findings import Finding, unread


def find(read: Read) -> Iterator[Finding]:
    for parameter, value in read.all_maps():
        refused = damage_of(value.image)
        if refused is not None:
            yield unread(
                "damaged-map",
                f"{parameter.name}: {refused.message}",
                parameter=parameter.name,
                evidence=refused.place,
                remedy=f"{refused.remedy} Until then the material is left out of a delivery.".strip(),
            )


FIND = find
