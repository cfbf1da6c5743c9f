"""Normal maps where numbers or colours are wanted, and pictures of something else where normals are."""

from collections.abc import Iterator

from fenrain.core.checking.input_findings.registry import PRACTICE, Read, is_grey, is_normal, is_normal_map, small_texels
from fenrain.core.findings import Finding, problem


def find(read: Read) -> Iterator[Finding]:
    for parameter, value in read.maps():
        texels = small_texels(value.image)
        found, share = is_normal_map(texels)
        if is_normal(parameter) and not found:
            what = "a grey picture, a relief perhaps" if is_grey(texels) else "no normals"
            yield problem(
                "not-a-normal-map",
                f"{parameter.name}: “{value.image.name}” holds {what}; only {100 * share:.0f} % of its texels are directions.",
                parameter=parameter.name,
                evidence=f"{100 * share:.0f} % unit vectors",
                usual="nearly all of unit length, blue above a half",
                source=PRACTICE,
                remedy="Use it as relief (bump), or upload the normal map.",
            )
        elif not is_normal(parameter) and found and not is_grey(texels):
            yield problem(
                "normal-map-in-wrong-slot",
                f"{parameter.name}: “{value.image.name}” is a normal map; {100 * share:.0f} % of its texels are directions.",
                parameter=parameter.name,
                evidence=f"{100 * share:.0f} % unit vectors",
                usual="a picture of the value itself",
                source=PRACTICE,
                remedy="Connect it to the normal, and what belongs here to this value.",
            )


FIND = find
