"""What rules out of OpenPBR ask of a material."""

from fenrain.core.convert.rule import Case


def is_coated(case: Case) -> bool:
    return not case.is_at("coat_weight", 0.0)


def is_fuzzy(case: Case) -> bool:
    return not case.is_at("fuzz_weight", 0.0)
