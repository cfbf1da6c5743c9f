"""What the target may hold, and what a conversion to it therefore keeps or loses; and the rules themselves, which the files beside fill."""

from fenrain.core.models.open_pbr.cases import has_interior, has_subsurface, is_coated, is_thin_walled, is_transmissive
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.rules.case import Case
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("metal_rough.from_hub", OpenPbr)
SPECULAR, IOR = "KHR_materials_specular", "KHR_materials_ior"
CLEARCOAT, SHEEN = "KHR_materials_clearcoat", "KHR_materials_sheen"
ANISOTROPY, STRENGTH = "KHR_materials_anisotropy", "KHR_materials_emissive_strength"
TRANSMISSION, VOLUME, DISPERSION = "KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_dispersion"
DIFFUSE_TRANSMISSION, IRIDESCENCE = "KHR_materials_diffuse_transmission", "KHR_materials_iridescence"


def reflects_plainly(case: Case) -> bool:
    """The reflection that core glTF has anyway: index 1.5, full strength, untinted, and no coat above it."""
    return (
        case.is_at("specular_ior", 1.5)
        and case.is_at("specular_weight", 1.0)
        and case.is_at("specular_color", (1.0, 1.0, 1.0))
        and not is_coated(case)
        and not has_subsurface(case)
        and not is_transmissive(case)
        and not is_thin_walled(case)
    )


def keeps_metal(case: Case) -> bool:
    return case.allows(SPECULAR) or reflects_plainly(case)


def keeps_coat(case: Case) -> bool:
    return is_coated(case) and case.allows(CLEARCOAT)


def loses_coat(case: Case) -> bool:
    return is_coated(case) and not case.allows(CLEARCOAT)


def keeps_depth(case: Case) -> bool:
    """Whether what tints by depth can do so: a body with an inside, where the target has volumes."""
    return has_interior(case) and case.allows(VOLUME)


def keeps_transmission(case: Case) -> bool:
    return is_transmissive(case) and case.allows(TRANSMISSION)


def keeps_transmissive_body(case: Case) -> bool:
    return keeps_transmission(case) and has_interior(case) and case.allows(VOLUME)


def loses_transmission(case: Case) -> bool:
    return is_transmissive(case) and not case.allows(TRANSMISSION)
