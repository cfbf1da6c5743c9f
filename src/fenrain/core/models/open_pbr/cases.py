"""What rules out of OpenPBR ask of a material."""

from fenrain.core.convert.rule import Case


def is_coated(case: Case) -> bool:
    return not case.is_at("coat_weight", 0.0)


def is_fuzzy(case: Case) -> bool:
    return not case.is_at("fuzz_weight", 0.0)


def is_clear(case: Case) -> bool:
    return not case.is_at("transmission_weight", 0.0)


def is_thin(case: Case) -> bool:
    return case.is_at("geometry_thin_walled", True)


def is_solid(case: Case) -> bool:
    return not is_thin(case)


def wanders(case: Case) -> bool:
    return not case.is_at("subsurface_weight", 0.0)


def is_translucent_sheet(case: Case) -> bool:
    return is_thin(case) and wanders(case)


def shines(case: Case) -> bool:
    return not case.is_at("emission_luminance", 0.0)
