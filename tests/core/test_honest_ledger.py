"""The ledger does not call a look kept that is not.

Over 120 random plausible materials a model and target, 16 in the short suite: half are production-like as they are, half with three
values of any kind moved within what is usual. Where the whole look is off by more than 3 % of all that the original sends out, something
in the ledger is worse than equivalent; and where one optical aspect is, isolated on both sides, something that says it, or says what lies
over it.

The short suite misses: losses that go unsaid for one plausible material in fifty.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from bench.production import MAKERS, production_like
from fenrain.core import Material, Profile
from fenrain.core.checking.quick import differences, response
from fenrain.core.conversion.engine import Conversion, convert, convert_all
from fenrain.core.lobes.aspects import ASPECTS, BODY, COAT, CUT_OUT, FUZZ, GLOW, REFLECTION, TRANSMISSION, VOLUME
from fenrain.core.lobes.surface import Surface
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.rules.fidelity import EQUIVALENT, EXACT
from fenrain.core.surfaces import mean_surface
from tests.sizes import sized

pytestmark = pytest.mark.population

MATERIALS, THINNED, OFF = sized(16, 120), 3, 0.03
TARGETS: list[tuple[str, Profile | None]] = [
    ("open_pbr", None),
    ("metal_rough", None),
    ("metal_rough", Profile("core")),
    ("preview", None),
    ("standard_surface", None),
    ("exponent", None),
]
OVER = {
    BODY: (REFLECTION, COAT, FUZZ),
    VOLUME: (REFLECTION, COAT, FUZZ),
    TRANSMISSION: (REFLECTION, COAT, FUZZ),
    REFLECTION: (COAT, FUZZ),
    COAT: (FUZZ,),
    GLOW: (COAT,),
}
"""Aspects that lie over each, and through which it is seen; openings lie over all."""


def varied(material: Material, random: np.random.Generator) -> Material:
    """The material with three drawn values moved within what is usual; no patterns and no relief, which no quick check sees."""
    drawn = [p for p in model_of(material.model).parameters if not p.undrawn and p.kind in DRAWN and not p.name.startswith(UNSEEN)]
    chosen = random.choice(np.array(drawn, dtype=object), 3, replace=False)
    return Material.of(
        material.name, material.model, {**material.parameters(), **{p.name: usual(p, random) for p in chosen}}, material.parts
    )


DRAWN = (Kind.NUMBER, Kind.COLOUR, Kind.CHOICE, Kind.FLAG)
UNSEEN = ("bump", "detail", "normal", "flake", "occlusion", "displacement", "vertex_offset", "tile_", "reflection_image")


def usual(parameter: Parameter, random: np.random.Generator) -> Any:
    low, high = parameter.usual or (max(parameter.low, 0.0), min(parameter.high, 1.0))
    if parameter.kind is Kind.COLOUR:
        return tuple(float(x) for x in random.uniform(low, min(high, 1.0), 3))
    if parameter.kind is Kind.CHOICE:
        return int(random.choice([key for key, _ in parameter.options]))
    return bool(random.random() < 0.5) if parameter.kind is Kind.FLAG else float(random.uniform(low, high))


def groups_of_sources(material: Material) -> dict[str, str]:
    """The aspect of each value that a ledger may name as a source."""
    groups = {parameter.name: parameter.group for parameter in model_of(material.model).parameters}
    for prefix, part in zip(("first_", "second_"), material.parts, strict=False):
        groups |= {f"{prefix}{name}": group for name, group in groups_of_sources(part).items()}
    return groups


class Original:
    """An original, what it sends out as a whole and by aspect, each computed once."""

    def __init__(self, material: Material) -> None:
        self.material, self.surface = material, mean_surface(material)
        self.groups = groups_of_sources(material)
        self.by_aspect = {"whole": response(self.surface, THINNED)}
        self.total = max(sum(float((values * weight).sum()) for values, weight in self.by_aspect["whole"].parts()), 1e-9)

    def off(self, aspect: str, converted: Surface) -> float:
        """Σ |difference| of an aspect alone, or of the whole, as a share of all that the original sends out."""
        if aspect not in self.by_aspect:
            self.by_aspect[aspect] = response(self.surface.only((aspect,)), THINNED)
        theirs = converted if aspect == "whole" else converted.only((aspect,))
        return float(np.abs(differences(self.by_aspect[aspect], response(theirs, THINNED))).sum()) / self.total


def silences(original: Original, conversion: Conversion) -> dict[str, float]:
    """Aspects, or “whole”, that are off without a word, and by how much."""
    converted = mean_surface(conversion.material)
    said = [entry for entry in conversion.ledger if entry.fidelity not in (EXACT, EQUIVALENT)]
    unsaid = [] if said else ["whole"]
    for aspect in ASPECTS:
        around = (aspect, CUT_OUT, *OVER.get(aspect, ()))
        if not any(entry.group in around or any(original.groups.get(name) in around for name in entry.sources) for entry in said):
            unsaid.append(aspect)
    errors = {aspect: original.off(aspect, converted) for aspect in unsaid}
    return {aspect: error for aspect, error in errors.items() if error > OFF}


@pytest.mark.parametrize("model", MAKERS)
def test_no_look_is_off_without_a_word(model: str) -> None:
    random = np.random.default_rng(5)
    materials = [m if index % 2 else varied(m, random) for index, m in enumerate(production_like(model, MATERIALS, seed=41))]
    originals = [Original(material) for material in materials]
    for target, profile in TARGETS:
        if target != model:
            for original, conversion in zip(originals, convert_all(materials, target, profile), strict=True):
                assert not silences(original, conversion), (target, profile, original.material.parameters())


def test_a_silenced_ledger_is_noticed() -> None:
    # The test itself can fail: with every doubt taken out of the ledger, the look of a highlight that is off is off without a word.
    conversion = convert(Material.of("m", "exponent", {"diffuse": (0.02,) * 3, "specular": (0.4,) * 3, "exponent": 30.0}), "open_pbr")
    original = Original(conversion.original)
    assert not silences(original, conversion)
    quiet = tuple(replace(entry, steps=()) for entry in conversion.ledger)
    assert "whole" in silences(original, replace(conversion, ledger=quiet))


def test_what_differs_in_colour_where_part_is_clear_is_said() -> None:
    # glTF has one colour for what comes back and what goes through (KHR_materials_transmission).
    def fidelity(tint: tuple[float, float, float]) -> str:
        half = {"base_color": (0.6, 0.1, 0.1), "transmission_weight": 0.5, "transmission_color": tint}
        ledger = convert(Material.of("m", "open_pbr", half), "metal_rough").ledger
        return next(entry for entry in ledger if entry.target == "transmission").fidelity

    assert fidelity((0.2, 0.8, 0.3)) == "approximated"
    assert fidelity((1.0, 1.0 / 6.0, 1.0 / 6.0)) == "equivalent"


@pytest.mark.parametrize(
    ("model", "values", "target"),
    [
        # glTF 2.0 appendix B: a metal's reflection is its base colour; KHR_materials_specular and _ior are of the dielectric.
        ("metal_rough", {"metallic": 1.0, "specular": 0.3, "specular_color": (0.9, 0.5, 0.5), "ior": 1.8}, "preview"),
        ("gloss_pair", {"flake_amount": 0.5, "flake_tilt": 0.0, "flake_color": (0.9, 0.5, 0.5)}, "open_pbr"),
    ],
)
def test_what_has_no_effect_is_no_loss(model: str, values: dict[str, Any], target: str) -> None:
    assert convert(Material.of("m", model, values), target).losses == ()
