"""What no surface has: a coloured reflection on a non-metal, a body colour under full refraction, an even reflection on glass."""

from collections.abc import Iterator

import numpy as np

from fenrain.core.checking.input_findings.registry import PRACTICE, Read
from fenrain.core.findings import Finding, warning
from fenrain.core.models.parameter import Role

STATES_F0 = ("spec_gloss",)
SWITCH = "angle_dependent"
BRIGHT_AS_A_METAL = 0.3
"""F0 from here on is a metal's (common practice: non-metals are very dark grey)."""
TINTED = 0.25
"""Share by which the weakest channel falls short of the strongest, from which a colour counts as tinted."""


def find(read: Read) -> Iterator[Finding]:
    yield from _tinted_reflection(read)
    yield from _body_under_refraction(read)
    yield from _even_reflection_on_glass(read)


def _tint(colour: np.ndarray) -> float:
    return float(1.0 - colour.min() / colour.max()) if colour.max() > 0.0 else 0.0


def _tinted_reflection(read: Read) -> Iterator[Finding]:
    """Only of models that state F0 itself as a colour; elsewhere it is a tint, or the strength of a highlight."""
    colour = read.colour(Role.SPECULAR_COLOR)
    if colour is None or read.model.id not in STATES_F0:
        return
    if 0.01 < colour.max() < BRIGHT_AS_A_METAL and _tint(colour) > TINTED:
        yield warning(
            "tinted-non-metal",
            f"{read.named(Role.SPECULAR_COLOR)} is dark as of a non-metal, and tinted; only metals tint what they mirror.",
            parameter=read.named(Role.SPECULAR_COLOR),
            evidence=", ".join(f"{part:.3g}" for part in colour),
            usual="a very dark grey",
            source=PRACTICE,
            remedy="Make it grey, or bright if it is a metal.",
        )


def _body_under_refraction(read: Read) -> Iterator[Finding]:
    """Clear glass has a black body where body and refraction are added."""
    transmission, body = read.colour(Role.TRANSMISSION), read.colour(Role.BASE_COLOR)
    if transmission is None or body is None or transmission.min() < 0.95 or body.max() < 0.05:
        return
    yield warning(
        "body-under-refraction",
        f"All light is refracted, but {read.named(Role.BASE_COLOR)} is not black: it lies under the glass unseen, or makes it too white.",
        parameter=read.named(Role.BASE_COLOR),
        evidence=", ".join(f"{part:.3g}" for part in body),
        usual="clear glass: a black body",
        source=PRACTICE,
        remedy="Make the body black.",
    )


def _even_reflection_on_glass(read: Read) -> Iterator[Finding]:
    """A reflection that does not depend on the angle looks false on a clear body."""
    transmission = read.colour(Role.TRANSMISSION)
    if transmission is None or transmission.max() < 0.5 or read.material.parameters().get(SWITCH) is not False:
        return
    yield warning(
        "even-reflection-on-glass",
        f"The body is clear, but {SWITCH} is off: it mirrors alike at every angle, which looks false.",
        parameter=SWITCH,
        evidence="off",
        usual="on for everything clear",
        source=PRACTICE,
        remedy="Switch it on.",
    )


FIND = find
