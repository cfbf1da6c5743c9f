"""The check draws each side from its own model: an error in any rule is seen, and what no picture shows is said.

Each rule that the pictures once borrowed from the conversion is broken here on purpose, and the verdict must fall.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from fenrain.core import Material, check
from fenrain.core.checking.quick import quick_check
from fenrain.core.checking.verdict import Verdict
from fenrain.core.conversion import applying, engine
from fenrain.core.conversion.engine import convert
from fenrain.core.maps.image import write_png
from fenrain.core.models.registry import model_of, models, rule_of
from fenrain.core.rendering import pictures, textures
from fenrain.core.rendering.probe import load_engine
from fenrain.core.rules.rule import Kind
from fenrain.core.values import Image, Map

pytestmark = pytest.mark.pictures

SEEN: dict[str, Any] = {"rigs": ["soft_studio"], "size": 64}


@pytest.fixture(scope="module")
def images(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Image]:
    folder = tmp_path_factory.mktemp("maps")
    across, down = np.meshgrid(*(2 * np.pi * 4 * (np.arange(512) + 0.5) / 512,) * 2)
    slopes = np.stack([0.6 * np.sin(across), 0.6 * np.cos(down), np.ones_like(across)], axis=-1)
    normals = slopes / np.linalg.norm(slopes, axis=-1, keepdims=True)
    write_png(folder / "normals.png", normals * 0.5 + 0.5)
    write_png(folder / "waves.png", np.stack([0.5 + 0.5 * np.sin(across)] * 3 + [0.5 + 0.5 * np.cos(down)], axis=-1))
    return {name: Image(f"{name}.png", folder / f"{name}.png") for name in ("normals", "waves")}


def paint(images: dict[str, Image]) -> dict[str, Any]:
    return {"base_color": (0.4, 0.2, 0.1), "metallic": 0.0, "roughness": 0.4, "normal": Map(images["normals"], "rgb", "normal")}


def leaf(images: dict[str, Image], mode: int) -> dict[str, Any]:
    return {"base_color": (0.1, 0.4, 0.1), "metallic": 0.0, "roughness": 0.6, "alpha_mode": mode, "alpha": Map(images["waves"], "a")}


def lamp(images: dict[str, Image]) -> dict[str, Any]:
    return {"base_color": (0.1, 0.1, 0.1), "metallic": 0.0, "roughness": 0.6, "emissive": (0.9, 0.4, 0.1), "emissive_strength": 2.0}


def bumpy(images: dict[str, Image]) -> dict[str, Any]:
    return {"diffuse": (0.3, 0.3, 0.3), "specular": (0.2, 0.2, 0.2), "exponent": 40.0, "bump": Map(images["waves"], "r", scale=16.0)}


BROKEN: list[tuple[str, Callable[[dict[str, Image]], dict[str, Any]], str, Callable[[Any], Any] | None]] = [
    # model, what is set, rule, what the broken rule gives (None: nothing at all)
    ("metal_rough", paint, "geometry_normal", None),
    ("exponent", bumpy, "bump", lambda p: np.broadcast_to([0.0, 0.0, 1.0], (*np.shape(p.bump)[:-1], 3))),
    ("metal_rough", lambda images: leaf(images, 2), "blended", lambda p: 1.0 - p.alpha),
    ("metal_rough", lambda images: leaf(images, 1), "cut_out", lambda p: np.ones_like(p.alpha)),
    ("metal_rough", lamp, "emission_strength", lambda p: p.emissive_strength / 100.0),
    ("metal_rough", lamp, "emission_color", lambda p: p.emissive * 0.0),
]


def forget_rules() -> None:
    """What was kept of rules as they were."""
    rule_of.cache_clear()
    applying.applied_to_defaults.cache_clear()
    pictures._KEPT.clear()
    textures._texture.cache_clear()


@pytest.mark.parametrize(("model", "values", "rule", "wrong"), BROKEN, ids=[entry[2] for entry in BROKEN])
def test_a_rule_broken_on_purpose_is_seen(
    monkeypatch: pytest.MonkeyPatch,
    images: dict[str, Image],
    model: str,
    values: Callable[[dict[str, Image]], dict[str, Any]],
    rule: str,
    wrong: Callable[[Any], Any] | None,
) -> None:
    original = Material.of("m", model, values(images))
    right = check(original, convert(original, "open_pbr").material, **SEEN)
    assert right.verdict in (Verdict.MATCH, Verdict.NEAR), right.readings
    rules = model_of(model).to_hub
    assert rules is not None
    name = f"{rules.id}.{rule}"
    whole = rules.rules[name]
    if wrong is None:
        monkeypatch.delitem(rules.rules, name)
    else:
        monkeypatch.setitem(rules.rules, name, replace(whole, kind=Kind.COMPUTE, function=wrong, view=rules.view))
    forget_rules()
    try:
        broken = check(original, convert(original, "open_pbr").material, **SEEN)
    finally:
        monkeypatch.undo()
        forget_rules()
    assert broken.verdict is Verdict.OFF, broken.readings
    assert broken.readings["soft_studio"]["colour_95"].value > right.readings["soft_studio"]["colour_95"].value


def test_what_is_set_and_not_drawn_leaves_the_check_undecided(images: dict[str, Image]) -> None:
    bent = Material.of("m", "channels", {"bending": 0.5, "blend": 4})
    result = check(bent, convert(bent, "open_pbr").material, **SEEN)
    assert result.verdict is Verdict.UNDECIDED
    assert any("bending" in line for line in result.unseen)
    # Where it comes through unchanged, both sides lack the same.
    assert check(bent, bent, **SEEN).verdict is Verdict.MATCH


def test_what_is_off_stays_off_whatever_is_not_drawn(images: dict[str, Image]) -> None:
    bent = Material.of("m", "channels", {"bending": 0.5, "blend": 4})
    other = Material.of("m", "open_pbr", {"base_color": (0.1, 0.1, 0.8)})
    assert check(bent, other, **SEEN).verdict is Verdict.OFF


@pytest.mark.parametrize("model", [name for name, declared in models().items() if declared.to_hub is not None])
def test_rules_read_what_they_declare_and_nothing_else(model: str) -> None:
    # A view holds the declared values alone, so that a rule which reads another one fails; here every rule runs once on the defaults.
    declared = model_of(model)
    assert declared.to_hub is not None
    for rule in declared.to_hub:
        if rule.kind is Kind.COMPUTE:
            arguments = {name: channels_last(declared.parameter(name)) for name in rule.sources}
            assert set(rule.results(arguments)) == set(rule.targets)


def channels_last(parameter: Any) -> Any:
    """A default as a rule takes it."""
    if parameter.is_plain:
        return parameter.default
    return np.atleast_1d(np.asarray(parameter.default, dtype=float))


def test_a_picture_is_drawn_where_nothing_can_be_converted(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(engine, "converted_by_rules", None)
    drawing, enamel = load_engine(), Material.of("m", "spec_gloss", {"glossiness": 0.4})
    assert drawing.render(enamel, drawing.View(size=16), 4, 0).shape == (16, 16, 3)
    assert quick_check(enamel, enamel).lobe_error == 0.0
    with pytest.raises(TypeError):
        convert(enamel, "open_pbr")
