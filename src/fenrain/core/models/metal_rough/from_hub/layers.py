"""What lies on top: coat, fuzz and film."""

from typing import Any

import numpy as np

from fenrain.core.models.metal_rough.coat import NEEDED, clearcoat_of
from fenrain.core.models.metal_rough.from_hub.allowed import IRIDESCENCE, RULES, SHEEN, keeps_coat, loses_coat
from fenrain.core.models.open_pbr.cases import (
    is_fuzzy,
)
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.optics.sheen import sheen_of_fuzz
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EXACT


@RULES.rule(
    "clearcoat",
    id="clearcoat",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text="{coat_weight}, scaled to reflect on average what {coat_ior} does at {coat_roughness}; none where the base is better at it, "
    "because its own reflection ({specular_ior}, {specular_weight}) is less than what that coat would miss",
    source="KHR_materials_clearcoat: a fixed index of 1.5",
    when=keeps_coat,
)
def clearcoat(p: OpenPbr) -> Any:
    return clearcoat_of(p)


RULES.copy("clearcoat_roughness", "coat_roughness", source="KHR_materials_clearcoat", when=keeps_coat)
RULES.copy("clearcoat_normal", "geometry_coat_normal", source="KHR_materials_clearcoat", when=keeps_coat)
RULES.drop("coat_weight", why="core glTF has no coat.", nearest="its reflection joins that of the base", when=loses_coat)
RULES.drop("coat_roughness_anisotropy", why="glTF's coat is isotropic.", nearest="its roughness along both ways")


# Fuzz


def keeps_fuzz(case: Case) -> bool:
    return is_fuzzy(case) and case.allows(SHEEN)


def loses_fuzz(case: Case) -> bool:
    return is_fuzzy(case) and not case.allows(SHEEN)


@RULES.rule(
    "sheen_color",
    "sheen_roughness",
    id="sheen",
    fidelity=APPROXIMATED,
    text="the sheen nearest to {fuzz_weight} × {fuzz_color} of fuzz at {fuzz_roughness}",
    source="OpenPBR 1.1 (Zeltner et al. 2022); KHR_materials_sheen (Estevez & Kulla 2017, roughness squared); fitted to each other",
    when=keeps_fuzz,
)
def sheen(p: OpenPbr) -> Any:
    nearest, strength = sheen_of_fuzz(p.fuzz_roughness)
    return np.clip(p.fuzz_color * p.fuzz_weight * strength, 0.0, 1.0), np.sqrt(nearest)


RULES.drop("fuzz_weight", why="core glTF has no sheen.", nearest="the surface without it", when=loses_fuzz)


def has_film(case: Case) -> bool:
    return case.allows(IRIDESCENCE) and not case.is_at("thin_film_weight", 0.0)


RULES.copy("iridescence", "thin_film_weight", source=IRIDESCENCE, when=has_film)
RULES.copy("iridescence_ior", "thin_film_ior", source=IRIDESCENCE, when=has_film)


@RULES.rule("iridescence_thickness", id="film", fidelity=EXACT, text="{thin_film_thickness} µm in nm", source=IRIDESCENCE, when=has_film)
def film(p: OpenPbr) -> Any:
    return p.thin_film_thickness * 1000.0
