"""Bodies darker or brighter than real ones, and metals duller than measured ones."""

from collections.abc import Iterator

from fenrain.core.checking.value_findings.registry import PRACTICE, Subject, shown, with_strongest
from fenrain.core.findings import Finding, note
from fenrain.core.models.parameter import Role
from fenrain.core.models.usual import BRIGHTEST_BODY, DARKEST_BODY, DULLEST_METAL


def find(subject: Subject) -> Iterator[Finding]:
    parameter, color = subject.parameter(Role.BASE_COLOR), subject.color(Role.BASE_COLOR)
    if parameter is None or color is None or subject.is_mostly_clear:
        return
    fixable = subject.is_constant(Role.BASE_COLOR)
    if subject.is_metal:
        if color.max() < DULLEST_METAL:
            yield note(
                "dull_metal",
                f"{parameter.name} of the metal is darker than measured metals are.",
                parameter=parameter.name,
                evidence=shown(color),
                usual="strongest channel above 0.5",
                source="measured metals: Johnson & Christy 1972, 1974",
                remedy="Brighten it to a strongest channel of 0.5.",
                fix={parameter.name: with_strongest(color, 0.5)} if fixable and color.max() > 0 else None,
            )
    elif color.max() < DARKEST_BODY and not subject.is_emissive:
        yield note(
            "body_too_dark",
            f"{parameter.name} is darker than coal.",
            parameter=parameter.name,
            evidence=shown(color),
            usual="0.02 to 0.9",
            source=PRACTICE,
            remedy="Brighten it to 0.03.",
            fix={parameter.name: with_strongest(color, 0.03)} if fixable else None,
        )
    elif color.min() > BRIGHTEST_BODY:
        yield note(
            "body_too_bright",
            f"{parameter.name} is brighter than fresh snow.",
            parameter=parameter.name,
            evidence=shown(color),
            usual="0.02 to 0.9",
            source=PRACTICE,
            remedy="Darken it to 0.88.",
            fix={parameter.name: with_strongest(color, 0.88)} if fixable else None,
        )


FIND = find
