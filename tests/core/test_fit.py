"""The fit, what causes the rest, and what is implausible."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pytest import approx

from bench.production import production_like
from fenrain.core import Material, Profile, convert
from fenrain.core.checking.findings.registry import findings_of
from fenrain.core.checking.fit import Shares, fit, free_values, shares
from fenrain.core.checking.quick import quick_check
from fenrain.core.convert.ledger import By, Override
from fenrain.core.models.registry import model_of
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.values import Constant

FITTED = ["exponent", "gloss_pair", "facing_grazing", "weighted", "channels", "mix"]


@pytest.mark.parametrize("model", FITTED)
def test_fit_never_ends_worse_and_stays_in_bounds(model: str) -> None:
    gains = []
    for material in production_like(model, 6, seed=5):
        fitted = fit(convert(material, "open_pbr"))
        assert fitted.after <= fitted.before
        assert quick_check(material, fitted.conversion.material).lobe_error == approx(fitted.after, rel=1e-6)
        for name, value in fitted.conversion.material.parameters().items():
            model_of("open_pbr").parameter(name).accept(value)
        gains.append(fitted.after / max(fitted.before, 1e-9))
    assert np.median(gains) < 1.0, "over these models the closed forms leave something to gain"


def test_fit_is_the_same_every_time() -> None:
    conversion = convert(production_like("exponent", 1)[0], "metal_rough", Profile("core"))
    first, second = fit(conversion), fit(conversion)
    assert first.conversion.material.digest == second.conversion.material.digest


def test_fit_leaves_alone_what_is_locked_exact_or_set_by_hand() -> None:
    conversion = convert(production_like("facing_grazing", 3)[2], "open_pbr")
    by_hand = conversion.having({"base_color": Override(Constant((0.1, 0.2, 0.3)), By.HAND)})
    fitted = fit(by_hand, locked=["specular_roughness"])
    entries = {entry.target: entry for entry in fitted.conversion.ledger}
    assert entries["specular_roughness"].override is None
    assert entries["base_color"].override is not None
    assert entries["base_color"].override.by == By.HAND
    for entry in fitted.conversion.ledger:
        if entry.override is not None and entry.override.by == By.FIT:
            assert entry.fidelity in (Fidelity.APPROXIMATED, Fidelity.ASSUMED)
            assert "lobe error" in entry.override.why


def test_a_second_fit_starts_from_what_the_rules_gave() -> None:
    conversion = convert(production_like("exponent", 1)[0], "open_pbr")
    once = fit(conversion)
    again = fit(once.conversion)
    assert again.before == approx(once.before)
    assert again.conversion.material.digest == once.conversion.material.digest


def test_nothing_is_free_where_everything_is_exact() -> None:
    conversion = convert(Material.of("m", "metal_switch", {"metal": True, "base_color": (0.8, 0.6, 0.4)}), "open_pbr")
    assert free_values(conversion) == ()
    assert fit(conversion).changed == ()


def test_shares_name_what_was_lost_and_never_exceed_the_whole() -> None:
    # A sharp coat over a dull metal: core glTF has one lobe, which stays the metal's.
    values = {"metal": True, "base_color": (0.2, 0.1, 0.1), "finish": 0.6, "coat": 1.0, "coat_finish": 0.05}
    lacquered = Material.of("m", "metal_switch", values)
    conversion = convert(lacquered, "metal_rough", Profile("core"))
    found, whole = shares(conversion), quick_check(lacquered, conversion.material).lobe_error
    assert max(found.losses, key=lambda name: found.losses[name]) == "coat", found
    assert max(found.losses.values()) > max(found.values.values(), default=0.0)
    assert sum(found.values.values()) + sum(found.losses.values()) <= whole * 1.0001
    same = convert(Material.of("m", "metal_switch", {"base_color": (0.2, 0.1, 0.1)}), "open_pbr")
    assert shares(same) == Shares()


ODD: list[tuple[str, dict[str, Any], str, str, str]] = [
    # Common practice, each: what is usual in nature and in production.
    ("metal_switch", {"finish": 0.0}, "open_pbr", "roughness_at_its_end", "specular_roughness"),
    ("standard_surface", {"specular_IOR": 0.7}, "open_pbr", "index_below_one", "specular_ior"),
    ("gloss_pair", {"reflection": (1, 1, 1), "ior": 8.0}, "open_pbr", "index_above_diamond", "specular_ior"),
    ("standard_surface", {"metalness": 0.5}, "open_pbr", "half_metal", "base_metalness"),
    ("metal_switch", {"base_color": (0.005, 0.005, 0.005)}, "open_pbr", "body_too_dark", "base_color"),
    ("metal_switch", {"base_color": (0.97, 0.97, 0.97)}, "metal_rough", "body_too_bright", "base_color"),
    ("metal_switch", {"metal": True, "base_color": (0.1, 0.1, 0.1)}, "open_pbr", "dull_metal", "base_color"),
    ("exponent", {"illum": 1, "diffuse": (0.3, 0.3, 0.3)}, "open_pbr", "no_reflection", "specular_weight"),
    ("metal_rough", {"emissive": (1, 1, 1), "emissive_strength": 100.0}, "open_pbr", "bright_emission", "emission_luminance"),
]


@pytest.mark.parametrize(("model", "values", "target", "code", "parameter"), ODD)
def test_implausible_values_are_found_and_one_action_removes_them(
    model: str, values: dict[str, Any], target: str, code: str, parameter: str
) -> None:
    conversion = convert(Material.of("m", model, values), target)
    found = {finding.code: finding for finding in findings_of(conversion)}
    assert code in found, list(found)
    finding = found[code]
    assert finding.parameter == parameter
    assert finding.usual
    assert finding.source
    assert finding.fix
    declared = model_of(target)
    fix = {
        name: Override(Constant(declared.parameter(name).accept(value)), By.REMEDY, finding.message) for name, value in finding.fix.items()
    }
    assert code not in {other.code for other in findings_of(conversion.having(fix))}


def test_more_light_than_comes_in_is_a_finding() -> None:
    # Common practice: weights that add up to more than one look too white; conservation of energy allows 1 at most.
    bright = Material.of("m", "weighted", {"diffuse_weight": 0.95, "specular_weight": 1.0, "angle_dependent": False})
    codes = {finding.code for finding in findings_of(convert(bright, "open_pbr"))}
    assert "more_than_it_receives" in codes
    plain = Material.of("m", "metal_switch", {"base_color": (0.8, 0.8, 0.8)})
    assert "more_than_it_receives" not in {finding.code for finding in findings_of(convert(plain, "open_pbr"))}


@pytest.mark.parametrize("model", ["spec_gloss", "gloss_pair", "percent", "measured"])
def test_ordinary_materials_are_not_odd(model: str) -> None:
    odd = [finding.code for material in production_like(model, 15) for finding in findings_of(convert(material, "open_pbr"))]
    assert set(odd) <= {"roughness_at_its_end"}
