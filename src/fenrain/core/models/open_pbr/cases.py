"""What rules out of OpenPBR ask of a material."""

from fenrain.core.rules.case import Case


def is_coated(case: Case) -> bool:
    return not case.is_at("coat_weight", 0.0)


def is_fuzzy(case: Case) -> bool:
    return not case.is_at("fuzz_weight", 0.0)


def is_transmissive(case: Case) -> bool:
    return not case.is_at("transmission_weight", 0.0)


def is_thin_walled(case: Case) -> bool:
    return case.is_at("geometry_thin_walled", True)


def has_interior(case: Case) -> bool:
    return not is_thin_walled(case)


def has_subsurface(case: Case) -> bool:
    return not case.is_at("subsurface_weight", 0.0)


def is_translucent_thin_wall(case: Case) -> bool:
    return is_thin_walled(case) and has_subsurface(case)


def is_emissive(case: Case) -> bool:
    return not case.is_at("emission_luminance", 0.0)
