"""Our lobes inside the rendering engine against the engine's own materials, and the NumPy side against the traced one.

Mitsuba 3.9's `roughconductor`, `diffuse` and `roughdielectric` are independent implementations of the same published lobes.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from fenrain.core import Material, evaluate
from fenrain.core.rendering.probe import EngineState, engine_state
from tests.core.tracing import engine_values, traced_values

pytestmark = pytest.mark.pictures


@pytest.fixture(scope="module")
def engine() -> Any:
    from fenrain.core.rendering.probe import load_engine

    return load_engine()


def directions(count: int) -> tuple[np.ndarray, np.ndarray]:
    random = np.random.default_rng(2)
    vectors = random.standard_normal((2, 3, count))
    vectors[:, 2] = np.abs(vectors[:, 2]) + 0.05
    return tuple(vectors / np.linalg.norm(vectors, axis=1, keepdims=True))  # type: ignore[return-value]


def test_uncompensated_metal_is_the_engines_rough_conductor(engine: Any) -> None:
    import mitsuba as mi

    wi, wo = directions(4000)
    reference = mi.load_dict({"type": "roughconductor", "material": "none", "distribution": "ggx", "alpha_u": 0.36, "alpha_v": 0.36})
    ours = evaluate("spec_gloss", {"diffuse": (0, 0, 0), "specular": (1, 1, 1), "glossiness": 0.4}, wi.T, wo.T)
    # Both height-correlated in our case; the engine's Smith term is separable, so compare where the two agree: near the mirror direction.
    theirs = engine_values(reference, wi, wo)
    separable = masking(wi, 0.36) * masking(wo, 0.36)
    correlated = 1 / (1 / masking(wi, 0.36) + 1 / masking(wo, 0.36) - 1)
    np.testing.assert_allclose(ours[:, 0] * separable / correlated, theirs[:, 0], rtol=2e-3, atol=1e-5)


def masking(direction: np.ndarray, alpha: float) -> np.ndarray:
    """Smith G1 for GGX (Walter et al. 2007, eq. 34)."""
    tan2 = (1 - direction[2] ** 2) / direction[2] ** 2
    return np.asarray(2 / (1 + np.sqrt(1 + alpha**2 * tan2)))


def test_diffuse_is_the_engines_diffuse(engine: Any) -> None:
    import mitsuba as mi

    wi, wo = directions(2000)
    reference = mi.load_dict({"type": "diffuse", "reflectance": {"type": "rgb", "value": [0.5, 0.3, 0.1]}})
    ours = evaluate("spec_gloss", {"diffuse": (0.5, 0.3, 0.1), "specular": (0, 0, 0), "glossiness": 0.4}, wi.T, wo.T)
    np.testing.assert_allclose(ours, engine_values(reference, wi, wo), rtol=1e-4, atol=1e-6)


def test_dielectric_reflection_is_the_engines_rough_dielectric(engine: Any) -> None:
    import mitsuba as mi

    from fenrain.core.lobes.microfacet import Dielectric, Microfacet

    wi, wo = directions(2000)
    reference = mi.load_dict({"type": "roughdielectric", "distribution": "ggx", "alpha": 0.4, "int_ior": 1.6, "ext_ior": 1.0})
    ours = Microfacet(0.4, 0.4, Dielectric(np.asarray(1.6)), compensated=False).evaluate(wi, wo)
    separable, correlated = masking(wi, 0.4) * masking(wo, 0.4), 1 / (1 / masking(wi, 0.4) + 1 / masking(wo, 0.4) - 1)
    np.testing.assert_allclose(ours * separable / correlated, engine_values(reference, wi, wo)[:, 0], rtol=3e-3, atol=1e-5)


@pytest.mark.parametrize(("model", "parameters"), [
    ("open_pbr", {"base_color": (0.3, 0.5, 0.2), "coat_weight": 0.6, "fuzz_weight": 0.3, "base_metalness": 0.4}),
    ("metal_rough", {"metallic": 0.4, "clearcoat": 0.3, "sheen_color": (0.3, 0.2, 0.1), "roughness": 0.4}),
    ("exponent", {"diffuse": (0.3, 0.2, 0.1), "specular": (0.5, 0.5, 0.5), "exponent": 30.0}),
])  # fmt: skip
def test_engine_and_numpy_evaluate_the_same_look(engine: Any, model: str, parameters: dict[str, Any]) -> None:
    wi, wo = directions(1000)
    traced = traced_values(Material.of("look", model, parameters), wi, wo)
    np.testing.assert_allclose(traced, evaluate(model, parameters, wi.T, wo.T), rtol=5e-3, atol=1e-4)


def test_same_arguments_give_the_same_picture(engine: Any) -> None:
    material = Material.of("look", "open_pbr", {"base_color": (0.3, 0.5, 0.2)})
    first, second = (engine.render(material, engine.View(size=32), 16, 3) for _ in range(2))
    assert np.array_equal(first, second)
    assert not np.array_equal(first, engine.render(material, engine.View(size=32), 16, 4))


def test_an_engine_without_its_library_is_found_out_and_said(monkeypatch: pytest.MonkeyPatch) -> None:
    from fenrain.core.errors import EngineError
    from fenrain.core.rendering import probe

    monkeypatch.setenv("DRJIT_LIBLLVM_PATH", "/nowhere/libLLVM.so")
    engine_state.cache_clear()
    try:
        state = engine_state()
        assert isinstance(state, EngineState)
        assert not state.runs
        assert "rendering engine" in state.reason
        with pytest.raises(EngineError, match="libllvm19"):
            probe.load_engine()
    finally:
        engine_state.cache_clear()


def test_an_engine_that_ran_here_is_not_tried_again(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    from fenrain.core.rendering import probe

    tried: list[bool] = []

    def try_once() -> EngineState:
        tried.append(True)
        return EngineState(len(tried) > 1, "not the first time")

    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.setattr(probe, "_tried", try_once)
    found = []
    for _ in range(4):
        engine_state.cache_clear()
        found.append(engine_state().runs)
    engine_state.cache_clear()
    # What failed is tried again, what ran is not; for another library it is.
    assert (found, len(tried)) == ([False, True, True, True], 2)
    monkeypatch.setenv("DRJIT_LIBLLVM_PATH", "/nowhere/libLLVM.so")
    engine_state()
    assert len(tried) == 3
    engine_state.cache_clear()


def both_sides(count: int) -> tuple[np.ndarray, np.ndarray]:
    """Directions to the light below the surface, to the viewer above it."""
    wi, wo = directions(count)
    return wi * np.array([[1], [1], [-1]]), wo


@pytest.mark.parametrize("roughness", [0.3, 0.6])
def test_refraction_is_the_engines_rough_dielectric(engine: Any, roughness: float) -> None:
    # Walter et al. 2007, eq. 21, as Mitsuba's `roughdielectric` implements it on its own.
    import mitsuba as mi

    wi, wo = both_sides(4000)
    alpha = roughness**2
    reference = mi.load_dict({"type": "roughdielectric", "distribution": "ggx", "alpha": alpha, "int_ior": 1.5, "ext_ior": 1.0})
    values = {"transmission_weight": 1.0, "specular_roughness": roughness, "specular_ior": 1.5}
    ours, theirs = evaluate("open_pbr", values, wi.T, wo.T)[:, 0], engine_values(reference, wi, wo)[:, 0]
    assert theirs.max() > 0.1
    np.testing.assert_allclose(ours, theirs, rtol=2e-3, atol=2e-5)


def test_clear_sheet_passes_what_the_engines_thin_dielectric_does(engine: Any) -> None:
    # Mitsuba's `thindielectric` is the same series of reflections between two surfaces: 2R/(1 + R) back, the rest through.
    import drjit as dr
    import mitsuba as mi

    from fenrain.core.lobes.transmission import ThinWall

    reference = mi.load_dict({"type": "thindielectric", "int_ior": 1.5, "ext_ior": 1.0})
    for cosine in (0.95, 0.6, 0.25):
        si = dr.zeros(mi.SurfaceInteraction3f)
        si.sh_frame, si.n = mi.Frame3f(mi.Normal3f(0, 0, 1)), mi.Normal3f(0, 0, 1)
        si.wi = mi.Vector3f(float(np.sqrt(1 - cosine**2)), 0, cosine)
        sampled, _ = reference.sample(mi.BSDFContext(), si, mi.Float(0.0), mi.Point2f(0.5, 0.5))
        reflected = float(sampled.pdf[0])
        assert float(ThinWall(np.asarray(1.5)).at(cosine)) == pytest.approx(reflected, rel=1e-4)


@pytest.mark.parametrize(("model", "values"), [
    ("gloss_pair", {"reflection": (1, 1, 1), "reflection_glossiness": 0.6, "distribution": 1}),
    ("weighted", {"specular_weight": 0.5, "refraction_weight": 0.4, "refraction_roughness": 0.4}),
    ("facing_grazing", {"broad_weight": 0.3, "top_weight": 1.0, "main_anisotropy": -0.5}),
    ("metal_switch", {"coat": 0.6, "coat_finish": 0.2}), ("channels", {"specular": (0.3, 0.3, 0.3), "bleed": (0.1, 0.2, 0.1)}),
    ("channels", {"lighting": 3, "specular": (0.3, 0.3, 0.3)}), ("measured", {"anisotropy": 0.5, "angle": 30.0}),
    ("percent", {"reflectance": 6.0, "translucency": 30.0}), ("metal_rough", {"clearcoat": 1.0, "metallic": 0.0}),
])  # fmt: skip
def test_every_model_is_the_same_in_the_engine_and_in_numpy(engine: Any, model: str, values: dict[str, Any]) -> None:
    wi, wo = directions(500)
    traced = traced_values(Material.of("m", model, values), wi, wo)
    np.testing.assert_allclose(traced, evaluate(model, values, wi.T, wo.T), rtol=5e-3, atol=2e-4)


def test_a_mix_of_two_models_is_the_same_in_the_engine_and_in_numpy(engine: Any) -> None:
    from fenrain.core.surfaces import mean_surface

    parts = (Material.of("a", "gloss_pair", {"reflection": (1, 1, 1)}), Material.of("b", "metal_switch", {"metal": True}))
    mixed = Material.of("m", "mix", {"amount": 0.4, "blend_by": 1, "falloff": 2.0}, parts=parts)
    wi, wo = directions(500)
    expected = np.broadcast_to(mean_surface(mixed).evaluate(wi, wo), (3, 500)).T
    np.testing.assert_allclose(traced_values(mixed, wi, wo), expected, rtol=5e-3, atol=2e-4)
