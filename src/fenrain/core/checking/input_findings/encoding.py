"""Maps that are read in another encoding than their slot, or their name, asks for: data as colour, colours of 8 bits as data."""

from collections.abc import Iterator

from fenrain.core.checking.input_findings.registry import PRACTICE, Read, is_grey, small_texels
from fenrain.core.findings import Finding, warning
from fenrain.core.maps.colour_spaces import named_in
from fenrain.core.maps.image import inspect
from fenrain.core.models.parameter import Kind


def find(read: Read) -> Iterator[Finding]:
    for parameter, value in read.maps():
        named = named_in(value.image.name) if parameter.kind is Kind.COLOUR else None
        if named is not None and named != value.encoding:
            yield warning(
                "colour-space-in-name",
                f"{parameter.name}: “{value.image.name}” says by its name that it is in {named}, but is read as {value.encoding}.",
                parameter=parameter.name,
                evidence=named,
                usual="files named by their colour space",
                source=f"{PRACTICE}; ACES",
                remedy=f"Read it as {named}.",
                fix={"encoding": named},
            )
        elif parameter.kind is Kind.NUMBER and value.encoding == "srgb":
            yield warning(
                "data-read-as-colour",
                f"{parameter.name}: “{value.image.name}” is read as a colour in sRGB, but it holds numbers: 0.5 becomes 0.21.",
                parameter=parameter.name,
                evidence="sRGB",
                usual="data: linear",
                source=PRACTICE,
                remedy="Read it as data.",
                fix={"encoding": "linear"},
            )
        elif parameter.kind is Kind.COLOUR and value.encoding == "linear" and inspect(value.image).depth == "uint8":
            if is_grey(small_texels(value.image)):
                continue
            yield warning(
                "colour-read-as-data",
                f"{parameter.name}: “{value.image.name}” holds colours in 8 bits, but is read as linear: it looks too pale.",
                parameter=parameter.name,
                evidence="linear, 8 bits",
                usual="colours of 8 bits: sRGB",
                source=PRACTICE,
                remedy="Read it as sRGB.",
                fix={"encoding": "srgb"},
            )


FIND = find
