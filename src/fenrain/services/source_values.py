"""What a material's source set, in words, for people."""

from __future__ import annotations

from fenrain.core.descriptions import describe_as
from fenrain.core.material import Material
from fenrain.core.models.mix.parameters import PART_PREFIXES
from fenrain.core.models.registry import model_of
from fenrain.core.values import Constant
from fenrain.store.documents.conversions import SourceValue


def list_source_values(material: Material, prefix: str = "") -> list[SourceValue]:
    """The values that are set, those of a mix's parts after them; constants also as they are."""
    own = [
        SourceValue(
            name=prefix + parameter.name,
            group=parameter.group,
            says=parameter.says,
            shown=describe_as(parameter, value),
            constant=value.value if isinstance(value, Constant) else None,
        )
        for parameter in model_of(material.model).parameters
        if (value := material.values.get(parameter.name)) is not None
    ]
    parts = zip(PART_PREFIXES, material.parts, strict=False)
    return own + [value for name, part in parts for value in list_source_values(part, prefix + name)]
