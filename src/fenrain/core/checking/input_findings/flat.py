"""Maps that hold one value everywhere."""

from collections.abc import Iterator

from fenrain.core.checking.input_findings.registry import PRACTICE, Read, is_normal, small_texels
from fenrain.core.findings import Finding, note


def find(read: Read) -> Iterator[Finding]:
    for parameter, value in read.maps():
        texels = small_texels(value.image)
        if is_normal(parameter) or float((texels.max(axis=(0, 1)) - texels.min(axis=(0, 1))).max()) > 1 / 1024:
            continue
        shown = ", ".join(f"{part:.3g}" for part in texels[0, 0])
        yield note(
            "flat-map",
            f"{parameter.name}: “{value.image.name}” holds one value everywhere; it is written as that value.",
            parameter=parameter.name,
            evidence=shown,
            usual="one value costs less than a map",
            source=PRACTICE,
        )


FIND = find
