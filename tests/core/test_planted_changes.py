"""Changes of a look that a supervisor's eye calls a match or not, in every model that can state them, and swept from nothing to much.

Common practice; there is no published source. The pairs of OpenPBR are a table of their own (`data/planted_changes.json`); the same
changes are stated here in the words of the other models.

The short suite misses: how readings grow with a change, and most models' own words for the planted pairs.
"""

from __future__ import annotations

import json
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

from fenrain.core import Material, check
from fenrain.core.checking.figures import figures
from fenrain.core.checking.verdict import Tolerances, Verdict
from tests.sizes import sized

pytestmark = pytest.mark.population

PAIRS = json.loads((Path(__file__).parent / "data" / "planted_changes.json").read_text())["pairs"]
BROWN, BLACK, GOLD, AMBER = (0.3, 0.12, 0.06), (0.02, 0.02, 0.025), (0.91, 0.78, 0.42), (1.0, 0.6, 0.2)
DARKER, GREENER, A_SHADE = (0.24, 0.096, 0.048), (0.3, 0.15, 0.06), (0.297, 0.1188, 0.0594)
NONE, WHITE = (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)


def exponent(roughness: float) -> float:
    """Walter et al. 2007: α = √(2/(n + 2)), α = roughness²; as far as the models go."""
    return min(2.0 / roughness**4 - 2.0, 1e5)


def phong(colour: tuple[float, float, float], roughness: float) -> dict[str, Any]:
    """A highlight of 4 %, normalised as a microfacet lobe is: its peak is (n + 2)/8π, an exponent's Ks/π."""
    strength = 0.04 * (exponent(roughness) + 2.0) / 8.0
    return {"diffuse": colour, "specular": (strength,) * 3, "exponent": exponent(roughness)}


Plain = dict[str, Any]
PLASTIC: dict[str, Any] = {
    "metal_rough": lambda c, r: {"base_color": c, "metallic": 0.0, "roughness": r},
    "preview": lambda c, r: {"diffuseColor": c, "roughness": r},
    "standard_surface": lambda c, r: {"base_color": c, "specular_roughness": r},
    "spec_gloss": lambda c, r: {"diffuse": c, "specular": (0.04,) * 3, "glossiness": 1.0 - r},
    "gloss_pair": lambda c, r: {"diffuse": c, "reflection": WHITE, "reflection_glossiness": 1.0 - r},
    "metal_switch": lambda c, r: {"base_color": c, "finish": r},
    "facing_grazing": lambda c, r: {"diffuse": c, "main_roughness": r, "main_distribution": 0},
    "weighted": lambda c, r: {"diffuse_weight": 1.0, "diffuse_color": c, "specular_weight": 1.0, "specular_roughness": r},
    "percent": lambda c, r: {"color": c, "reflectance": 4.0, "roughness": 100.0 * r},
    "exponent": phong,
    "channels": phong,
}  # fmt: skip
"""A plastic of a colour and a roughness in the words of each model that has both."""
METAL: dict[str, Any] = {
    "metal_rough": lambda r: {"base_color": GOLD, "metallic": 1.0, "roughness": r},
    "preview": lambda r: {"diffuseColor": GOLD, "metallic": 1.0, "roughness": r},
    "standard_surface": lambda r: {"base_color": GOLD, "metalness": 1.0, "specular_roughness": r},
    "spec_gloss": lambda r: {"diffuse": NONE, "specular": GOLD, "glossiness": 1.0 - r},
    "metal_switch": lambda r: {"metal": True, "base_color": GOLD, "finish": r},
    "facing_grazing": lambda r: {"diffuse_gain": 0.0, "main_facing": GOLD, "main_roughness": r},
    "measured": lambda r: {"roughness": 100.0 * r},
}  # fmt: skip
GLASS: dict[str, Any] = {
    "metal_rough": lambda r: {"metallic": 0.0, "transmission": 1.0, "thickness": 1.0, "roughness": r},
    "standard_surface": lambda r: {"base": 0.0, "transmission": 1.0, "specular_roughness": r},
    "gloss_pair": lambda r: {
        "diffuse": NONE, "reflection": WHITE, "refraction": WHITE, "reflection_glossiness": 1.0 - r, "refraction_glossiness": 1.0 - r,
    },
    "metal_switch": lambda r: {"base_color": NONE, "refraction": 1.0, "finish": r, "refraction_finish": r},
    "weighted": lambda r: {
        "diffuse_weight": 0.0, "specular_weight": 1.0, "refraction_weight": 1.0, "specular_roughness": r, "refraction_roughness": r,
    },
}  # fmt: skip
GLOW: dict[str, Any] = {
    "metal_rough": lambda k: {"base_color": BLACK, "metallic": 0.0, "emissive": AMBER, "emissive_strength": k},
    "preview": lambda k: {"diffuseColor": BLACK, "emissiveColor": tuple(k * part for part in AMBER)},
    "standard_surface": lambda k: {"base_color": BLACK, "emission": k, "emission_color": AMBER},
    "spec_gloss": lambda k: {"diffuse": BLACK, "specular": (0.04,) * 3, "emission": AMBER, "emission_strength": k},
    "exponent": lambda k: {"diffuse": BLACK, "emission": tuple(k * part for part in AMBER)},
    "channels": lambda k: {"diffuse": BLACK, "emission": tuple(k * part for part in AMBER)},
    "percent": lambda k: {"color": BLACK, "emission_luminance": 100.0 * k, "emission_color": AMBER},
    "metal_switch": lambda k: {"base_color": BLACK, "emission": tuple(k * part for part in AMBER)},
}  # fmt: skip
STATED = [
    *((model, say(BROWN, 0.05), say(BROWN, 0.15), False) for model, say in PLASTIC.items()),
    *((model, say(BLACK, 0.1), say(BLACK, 0.2), False) for model, say in PLASTIC.items()),
    *((model, say(BROWN, 0.3), say(BROWN, 0.4), False) for model, say in PLASTIC.items()),
    *((model, say(BROWN, 0.3), say(BROWN, 0.32), True) for model, say in PLASTIC.items()),
    *((model, say(BROWN, 0.3), say(DARKER, 0.3), False) for model, say in PLASTIC.items()),
    *((model, say(BROWN, 0.3), say(GREENER, 0.3), False) for model, say in PLASTIC.items()),
    *((model, say(BROWN, 0.3), say(A_SHADE, 0.3), True) for model, say in PLASTIC.items()),
    *((model, say(0.05), say(0.1), False) for model, say in METAL.items()),
    *((model, say(0.3), say(0.4), False) for model, say in METAL.items()),
    *((model, say(0.01), say(0.1), False) for model, say in GLASS.items()),
    *((model, say(1.2), say(10.0), False) for model, say in GLOW.items()),
    *((model, say(1.0), say(1.01), True) for model, say in GLOW.items()),
]


def compared(model: str, original: Plain, changed: Plain, *, rigs: list[str] | None = None) -> Any:
    first, second = Material.of("original", model, original), Material.of("changed", model, changed)
    return check(first, second, rigs=rigs, size=64)


CHOSEN = sized(PAIRS[::4], PAIRS)


@pytest.mark.parametrize("pair", CHOSEN, ids=[pair["id"] for pair in CHOSEN])
def test_pairs_of_the_table(pair: dict[str, Any]) -> None:
    result = compared(pair["model"], pair["original"], pair["changed"])
    assert (result.verdict is Verdict.MATCH) == (pair["expect"] == "match"), f"{result.decided_by}: {pair['why']}"
    assert result.decided_by.least is Verdict.MATCH or pair["expect"] != "match"
    assert result.decided_by.least is not Verdict.MATCH or pair["expect"] == "match"


@pytest.mark.parametrize(("model", "original", "changed", "match"), sized(STATED[::4], STATED))
def test_the_same_in_the_words_of_other_models(model: str, original: Plain, changed: Plain, match: bool) -> None:
    # Quick figures first: where they say what is wrong, pictures cannot make it a match.
    materials = Material.of("original", model, original), Material.of("changed", model, changed)
    decided = Tolerances().decided(figures(*materials).readings)
    if decided.verdict is Verdict.MATCH:
        decided = check(*materials, size=64).decided_by
    assert (decided.verdict is Verdict.MATCH) == match, str(decided)


SWEPT: list[tuple[str, Plain, str, list[float]]] = [
    ("metal_rough", METAL["metal_rough"](0.3), "roughness", [0.3, 0.315, 0.33, 0.345, 0.375, 0.405]),
    ("open_pbr", {"base_color": BROWN, "specular_roughness": 0.3}, "fuzz_weight", [0.0, 0.03, 0.06, 0.09, 0.15, 0.3]),
    ("open_pbr", {"base_color": BROWN, "specular_roughness": 0.3}, "specular_ior", [1.5, 1.53, 1.56, 1.66, 1.75, 2.0]),
    ("open_pbr", {"base_color": BROWN, "specular_roughness": 0.5}, "coat_weight", [0.0, 0.02, 0.04, 0.1, 0.14, 0.3]),
    ("open_pbr", {"base_color": BROWN, "specular_roughness": 0.3}, "geometry_opacity", [1.0, 0.98, 0.8]),
    ("open_pbr", {"transmission_weight": 1.0, "specular_roughness": 0.01}, "specular_roughness", [0.01, 0.015, 0.03, 0.1]),
    ("standard_surface", GLOW["standard_surface"](1.2), "emission", [1.2, 1.21, 1.23, 1.3, 1.6, 10.0]),
]  # fmt: skip


CHOSEN_SWEEPS = sized(SWEPT[:1], SWEPT)


@pytest.mark.parametrize(
    ("model", "values", "name", "steps"), CHOSEN_SWEEPS, ids=[f"{model} {name}" for model, _, name, _ in CHOSEN_SWEEPS]
)
def test_a_growing_change_goes_from_match_to_off_and_never_back(model: str, values: Plain, name: str, steps: list[float]) -> None:
    decisions = [compared(model, values, {**values, name: step}).decided_by for step in steps]
    assert decisions[0].verdict is Verdict.MATCH
    assert decisions[-1].verdict is Verdict.OFF
    for before, after in pairwise(decisions):
        assert before.least.rank <= after.least.rank
        assert before.most.rank <= after.most.rank
