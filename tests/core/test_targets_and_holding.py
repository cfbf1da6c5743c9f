"""The one list of targets, and what a format holds of a value before anything is written."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, Profile, read, write
from fenrain.core.conversion.engine import convert
from fenrain.core.conversion.targets import served_target, served_targets, target_called
from fenrain.core.errors import InputError, NotFoundError
from fenrain.core.formats.holding import Holder, Slot, held
from fenrain.core.formats.registry import format_for
from fenrain.core.maps.flat import flattened
from fenrain.core.maps.image import write_png
from fenrain.core.models.parameter import Kind
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.rules.fidelity import APPROXIMATED, DROPPED, Fidelity
from fenrain.core.values import Constant, Image, Map, Placement


@pytest.fixture
def image(tmp_path: Path) -> Image:
    write_png(tmp_path / "p.png", np.random.default_rng(0).random((16, 16, 3)))
    return Image("p.png", tmp_path / "p.png")


def holder(**slots: Slot) -> Holder:
    return Holder("own", "Own", lambda model, profile: slots)


# Targets


def test_targets_have_names_of_their_own_and_the_hub_comes_first() -> None:
    targets = served_targets()
    assert targets[0].model.id == HUB
    assert len({target.id for target in targets}) == len(targets)
    assert len({(target.model.id, target.profile.name) for target in targets}) == len(targets)
    assert all(target.title for target in targets)


@pytest.mark.parametrize("target", served_targets(), ids=lambda target: target.id)
def test_the_format_of_a_target_holds_its_model(target: object) -> None:
    served = next(one for one in served_targets() if one is target)
    assert served.format is not None
    assert served.model.id in served.format.models
    assert served.format.write is not None


def test_a_target_is_found_by_what_people_call_it() -> None:
    assert target_called("mtl").model.id == "exponent"
    assert target_called("metal_rough.core").profile.name == "core"
    with pytest.raises(InputError, match="not a target") as refused:
        target_called("nonsense")
    assert "open_pbr" in refused.value.remedy
    with pytest.raises(NotFoundError):
        served_target("open_pbr", "nonsense")


def test_a_profile_that_is_left_out_is_the_fullest() -> None:
    coated = Material.of("m", "open_pbr", {"coat_weight": 1.0})
    assert convert(coated, "metal_rough").material.parameters()["clearcoat"] == 1.0
    core = convert(coated, "metal_rough", Profile("core"))
    assert "clearcoat" not in core.material.values
    assert any("coat_weight" in entry.sources and entry.fidelity is Fidelity.DROPPED for entry in core.ledger)


def test_a_target_states_each_role_once() -> None:
    # Fit, findings and interface ask for roles; two values of one role would leave open which is meant.
    for model in {target.model.id: target.model for target in served_targets()}.values():
        roles = [parameter.role for parameter in model.parameters if parameter.role is not None]
        assert len(roles) == len(set(roles)), model.id


# Holding


def test_what_has_no_place_is_left_out_and_said(image: Image) -> None:
    material = Material.of("m", "open_pbr", {"fuzz_weight": 0.5, "specular_roughness": 0.2})
    kept, shortfalls = held(material, holder(specular_roughness=Slot()), Profile())
    assert kept.parameters() == {"specular_roughness": 0.2}
    assert [(s.parameter, s.fidelity) for s in shortfalls] == [("fuzz_weight", DROPPED)]


def test_a_default_that_has_no_place_is_no_loss() -> None:
    default = model_of("open_pbr").parameter("fuzz_weight").default
    _, shortfalls = held(Material.of("m", "open_pbr", {"fuzz_weight": default}), holder(), Profile())
    assert shortfalls == ()


def test_a_map_where_a_number_must_stand_becomes_its_mean(image: Image) -> None:
    material = Material.of("m", "open_pbr", {"specular_roughness": Map(image, "g", scale=0.5)})
    kept, (shortfall,) = held(material, holder(specular_roughness=Slot(map=False)), Profile())
    value = kept.value("specular_roughness")
    assert isinstance(value, Constant)
    assert value.value == approx(0.25, abs=0.05)
    assert (shortfall.fidelity, shortfall.parameter) == (APPROXIMATED, "specular_roughness")


def test_a_flat_map_where_a_number_must_stand_is_that_number_and_no_loss(tmp_path: Path) -> None:
    write_png(tmp_path / "flat.png", np.full((8, 8, 3), 0.5))
    flat = Map(Image("flat.png", tmp_path / "flat.png"), "r")
    kept, shortfalls = held(
        Material.of("m", "open_pbr", {"specular_roughness": flat}), holder(specular_roughness=Slot(map=False)), Profile()
    )
    assert kept.parameters()["specular_roughness"] == approx(0.5, abs=0.003)
    assert shortfalls == ()


def test_what_a_written_map_cannot_say_is_said(image: Image) -> None:
    slots = holder(specular_roughness=Slot(uv_sets=1, rotates=False), base_color=Slot(most=1.0))
    turned = Map(image, "r", placement=Placement(rotation=0.5), uv_set=1)
    material = Material.of("m", "open_pbr", {"specular_roughness": turned, "base_color": Map(image, "rgb", "srgb", scale=3.0)})
    kept, shortfalls = held(material, slots, Profile())
    said = " ".join(shortfall.text for shortfall in shortfalls)
    assert kept.values == material.values
    for words in ("rotate", "1 UV set", "at most 1"):
        assert words in said


def test_values_of_one_texture_lie_on_one_uv_set(image: Image) -> None:
    slots = holder(specular_roughness=Slot(shares_uv_with=("base_metalness",)), base_metalness=Slot())
    first, second = Map(image, "g"), Map(image, "b", uv_set=1)
    kept, (shortfall,) = held(Material.of("m", "open_pbr", {"specular_roughness": first, "base_metalness": second}), slots, Profile())
    assert kept.value("specular_roughness") == first
    assert isinstance(kept.value("base_metalness"), Constant)
    assert shortfall.parameter == "base_metalness"
    together = Material.of("m", "open_pbr", {"specular_roughness": first, "base_metalness": replace(second, uv_set=0)})
    assert held(together, slots, Profile())[1] == ()


def test_the_ledger_says_what_the_format_cannot_hold_before_it_is_written(image: Image) -> None:
    film = Material.of("m", "open_pbr", {"thin_film_weight": 1.0, "thin_film_ior": Map(image, "r", scale=0.5, bias=1.2)})
    conversion = convert(film, "metal_rough")
    entry = next(entry for entry in conversion.ledger if entry.target == "iridescence_ior")
    assert entry.fidelity is Fidelity.APPROXIMATED
    assert "glTF 2.0 holds one number here" in " ".join(step.text for step in entry.steps)
    assert isinstance(conversion.material.value("iridescence_ior"), Constant)


def test_an_override_is_held_as_well(image: Image, tmp_path: Path) -> None:
    from fenrain.core.conversion.ledger import By, Override

    conversion = convert(Material.of("m", "open_pbr", {"specular_ior": 1.6}), "metal_rough")
    changed = conversion.having({"ior": Override(Map(image, "r", scale=0.2, bias=1.4), By.COPY, "from a sibling")})
    value = changed.material.value("ior")
    assert isinstance(value, Constant)
    assert value.value == approx(1.5, abs=0.03)
    entry = next(entry for entry in changed.ledger if entry.target == "ior")
    assert entry.override is not None
    assert "one number" in entry.override.why
    assert write([changed.material], tmp_path / "o.glb", "gltf")[0].exists()


def test_emission_is_written_in_the_unit_of_the_renderer(tmp_path: Path) -> None:
    # 1 is display white in every scene; a photometric renderer counts in cd/m² (common practice).
    lamp = Material.of("m", "open_pbr", {"emission_luminance": 2.5, "emission_color": (1.0, 0.5, 0.0)})
    plain, photometric = (convert(lamp, "open_pbr", profile) for profile in (None, Profile(white_luminance=100.0)))
    assert plain.material.parameters()["emission_luminance"] == 2.5
    files = write([photometric.material], tmp_path / "o.mtlx", "materialx", None, Profile(white_luminance=100.0))
    assert 'name="emission_luminance" type="float" value="250"' in files[0].read_text()
    assert 'value="2.5"' in write([plain.material], tmp_path / "p.mtlx", "materialx")[0].read_text()


@pytest.mark.parametrize("target", served_targets(), ids=lambda target: target.id)
def test_slots_name_parameters_of_the_model(target: object) -> None:
    served = next(one for one in served_targets() if one is target)
    kept = format_for(served.model, served.profile)
    assert kept is not None
    slots = kept.slots(served.model, served.profile)
    assert slots.keys() <= served.model.by_name.keys()
    plain = {p.name for p in served.model.parameters if p.kind in (Kind.FLAG, Kind.CHOICE)}
    assert not any(slots[name].map and name in plain for name in slots) or served.format is not None


def test_a_choice_is_not_mistaken_for_a_number_that_equals_it(tmp_path: Path) -> None:
    # 1, 1.0 and True are equal in Python, and once came out of the same cache.
    for value in (1.0, True, 1):
        assert flattened(Constant(value)).value is value  # type: ignore[union-attr]
    sheet = Material.of("m", "metal_rough", {"metallic": 1.0, "roughness": 1.0, "alpha_mode": 1, "alpha": 0.3})
    (back,) = read(write([sheet], tmp_path / "o.glb", "gltf")[0])
    assert back.parameters()["alpha_mode"] == 1
    assert back.parameters()["alpha"] == approx(0.3)
