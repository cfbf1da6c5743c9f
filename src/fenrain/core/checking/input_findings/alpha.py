"""Opacity that shows nothing: an alpha that is opaque throughout where it matters, and blending without any alpha."""

from collections.abc import Iterator

from fenrain.core.checking.input_findings.registry import PRACTICE, Read, small_texels
from fenrain.core.findings import Finding, warning
from fenrain.core.maps.image import inspect, lacks_alpha
from fenrain.core.models.parameter import Role
from fenrain.core.values import Constant


def find(read: Read) -> Iterator[Finding]:
    opacity = read.model.by_role.get(Role.OPACITY)
    if opacity is None:
        return
    for parameter, value in read.maps():
        if parameter is not opacity or value.channels != "a":
            continue
        texels = small_texels(value.image)
        if lacks_alpha("a", inspect(value.image)):
            said = "has no alpha at all"
        elif float(texels[..., -1].min()) > 0.999:
            said = "has an alpha that is opaque throughout"
        else:
            continue
        yield warning(
            "opaque-alpha",
            f"{parameter.name}: “{value.image.name}” {said}, so nothing shows through.",
            parameter=parameter.name,
            evidence=said,
            usual="an alpha with holes",
            source=PRACTICE,
            remedy="Export the image with its alpha, or make the material opaque.",
        )
    if read.choice("alpha_mode") in ("blended", "cut-out") and read.material.value(opacity.name) == Constant(1.0):
        yield warning(
            "blending-without-alpha",
            f"The material is {read.choice('alpha_mode')}, but its {opacity.name} is 1 everywhere.",
            parameter=opacity.name,
            evidence="1",
            usual="opaque where nothing shows through, which is cheaper",
            source=PRACTICE,
            remedy="Make it opaque, or upload the alpha.",
        )


FIND = find
