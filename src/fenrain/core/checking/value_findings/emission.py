"""Own light so bright that its numbers were meant as cd/m²."""

from collections.abc import Iterator

from fenrain.core.checking.value_findings.registry import PRACTICE, Subject
from fenrain.core.findings import Finding, note
from fenrain.core.models.parameter import Role
from fenrain.core.models.registry import model_of

BRIGHTEST = 30.0
"""Times display white: brighter than lamps are drawn (common practice)."""
WHITE_LUMINANCE = 100.0
"""cd/m² that display white is taken for."""


def find(subject: Subject) -> Iterator[Finding]:
    parameter, strength = subject.parameter(Role.EMISSION_WEIGHT), subject.number(Role.EMISSION_WEIGHT)
    if parameter is None or strength is None or not subject.is_emissive or strength <= BRIGHTEST or _was_divided(subject):
        return
    meant = round(strength / WHITE_LUMINANCE, 6)
    yield note(
        "bright_emission",
        f"The emission is {strength:g} times display white and burns out in every viewer. If the file counts in cd/m², as the texts of "
        "glTF and OpenPBR say, it is a hundred times too bright.",
        parameter=parameter.name,
        evidence=f"{strength:g}",
        usual="0.5 to 30 times display white",
        source=f"{PRACTICE}: shader code and viewers take 1 for white",
        remedy=f"Take it for cd/m², white at {WHITE_LUMINANCE:g}: set it to {meant:g}.",
        fix={parameter.name: meant},
    )


def _was_divided(subject: Subject) -> bool:
    """Whether the original counts in cd/m², which was divided by what the project takes for white."""
    model = model_of(subject.conversion.original.model)
    stated = model.by_role.get(Role.EMISSION_WEIGHT)
    return stated is not None and stated.unit == "cd/m²"


FIND = find
