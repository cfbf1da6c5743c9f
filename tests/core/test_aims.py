"""Of all values that look the same, the plainest; of plain values, the nearest; and what that costs.

The short suite misses: pictures of every plain answer of a population (`make bench` has them too), and sweeps of small steps.
"""

from __future__ import annotations

import json
import struct
from itertools import chain
from pathlib import Path

import numpy as np
import pytest

from bench.production import MAKERS, production_like
from bench.stability import sweeps_of
from fenrain.core import Material, check, convert, convert_all, read, write
from fenrain.core.aims.plainness import plainness_of
from fenrain.core.checking.fitting.look import EVERY
from fenrain.core.checking.fitting.rig_light import TABLE_EVERY, compute_light_along, light_along
from fenrain.core.checking.verdict import Verdict
from fenrain.core.conversion.aim import Aim, aim_called
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import target_called
from fenrain.core.errors import InputError
from fenrain.core.maps.image import write_png
from fenrain.core.material import is_idle
from fenrain.core.models.registry import model_of, target_models
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.values import Constant, Image, Map
from tests.sizes import long_only, sized

PLASTIC = {"diffuse": (0.4, 0.1, 0.1), "specular": (0.5,) * 3, "exponent": 60.0, "illum": 2}
FAINT = {"diffuse": (0.3,) * 3, "specular": (0.04,) * 3, "exponent": 100.0, "illum": 2}
WALL = {"diffuse": (0.3, 0.4, 0.1), "specular": (0.04,) * 3, "glossiness": 0.7}
MIRROR_OF_GOLD = {"diffuse": (0.0,) * 3, "specular": (0.9, 0.7, 0.3), "exponent": 200.0, "illum": 3}


def _plain_and_nearest(model: str, values: dict[str, object], to: str = "open_pbr") -> tuple[Conversion, Conversion]:
    material = Material.of("body", model, values)
    return convert(material, to), convert(material, to, aim=Aim.NEAREST)


def _number(conversion: Conversion, name: str) -> float:
    return float(np.max(conversion.material.parameters().get(name, conversion.material.value(name).value)))  # type: ignore[union-attr]


# What plain answers are


@pytest.mark.parametrize("values", [PLASTIC, FAINT])
def test_a_plastic_of_mtl_is_a_usual_dielectric(values: dict[str, object]) -> None:
    # Index tables: plastics, paints and minerals have 1.3 to 2.0 (PMMA 1.49, polycarbonate 1.58); only metals reflect in colour.
    plain, nearest = _plain_and_nearest("exponent", values)
    assert _number(nearest, "specular_ior") > 2.42  # more than diamond, index tables
    assert 1.3 <= _number(plain, "specular_ior") <= 2.0
    assert np.ptp(plain.material.value("specular_color").value) == 0.0  # type: ignore[union-attr]
    assert plainness_of(nearest.material).unusual
    assert not plainness_of(plain.material).unusual


def test_a_body_as_dark_or_bright_as_its_source_says_is_no_metal() -> None:
    # Carbon nanotubes reflect less than 10⁻³, sintered PTFE 0.99 (data sheets, from memory): unusual, and what the source says.
    for albedo in (5e-5, 0.99):
        values = {"base_color": (albedo,) * 3, "base_metalness": 0.0, "specular_roughness": 0.9}
        plain = convert(Material.of("body", "open_pbr", values), "standard_surface")
        assert plain.material.value("metalness") == Constant(0.0)
        assert _number(plain, "base_color") == pytest.approx(albedo, abs=0.02)


def test_an_even_highlight_keeps_its_verdict_by_a_grey_reflection() -> None:
    # A highlight as strong at any angle (common practice of legacy models): a white F90 of 1 would be far off towards the rim.
    plain, _ = _plain_and_nearest("exponent", {"diffuse": (0.5, 0.5, 0.5), "specular": (0.2,) * 3, "exponent": 30.0, "illum": 2})
    assert plain.choice is not None
    assert plain.choice.verdict == "match"
    assert 0.0 < _number(plain, "specular_color") < 1.0


def test_how_wide_a_highlight_is_stays() -> None:
    plain, nearest = _plain_and_nearest("exponent", PLASTIC)
    assert _number(plain, "specular_roughness") == pytest.approx(_number(nearest, "specular_roughness"), abs=1e-4)


def test_a_painted_wall_is_core_gltf(tmp_path: Path) -> None:
    # glTF 2.0 §3.9.2: every dielectric of core glTF has an F0 of 0.04, which is what this wall says.
    plain, _ = _plain_and_nearest("spec_gloss", WALL, "metal_rough")
    assert plainness_of(plain.material).extensions == ()
    (file,) = write([plain.material], tmp_path / "wall.glb", "gltf")
    document = json.loads(file.read_bytes()[20 : 20 + struct.unpack_from("<I", file.read_bytes(), 12)[0]])
    assert "extensionsUsed" not in document
    assert set(document["materials"][0]) == {"name", "pbrMetallicRoughness"}


def test_a_metal_is_said_without_the_dielectric_below_it() -> None:
    plain, _ = _plain_and_nearest("exponent", MIRROR_OF_GOLD)
    assert _number(plain, "base_metalness") == 1.0
    assert {"specular_ior", "coat_ior", "coat_roughness"}.isdisjoint(plain.material.values)


@pytest.mark.parametrize("to", [model.id for model in target_models()])
def test_nothing_without_effect_is_said(to: str) -> None:
    # A base of the index that coats have by default below no coat, and fuzz of no weight.
    values = {"coat_weight": 0.0, "coat_ior": 5.8, "fuzz_weight": 0.0, "fuzz_roughness": 0.7, "base_color": (0.3, 0.2, 0.1)}
    for aim in Aim if to != "open_pbr" else ():
        material = convert(Material.of("body", "open_pbr", values), to, aim=aim).material
        assert plainness_of(material).layers == ()
        assert not [name for name in material.values if is_idle(material, model_of(to), name)]


def test_what_is_unusual_is_said_in_words() -> None:
    # Index tables: window glass 1.52, diamond 2.42. Common practice: a surface is a metal or it is none; fresh snow reflects 0.9.
    usual = Material.of("glass", "open_pbr", {"transmission_weight": 1.0, "specular_ior": 2.42, "specular_roughness": 0.0})
    assert plainness_of(usual).unusual == ()
    assert str(plainness_of(Material.of("paint", "open_pbr", {"base_color": (0.4, 0.1, 0.1), "specular_ior": 1.52}))) == "plain"
    odd = Material.of(
        "odd",
        "open_pbr",
        {
            "base_color": (0.95, 0.95, 0.95),
            "base_metalness": 0.5,
            "specular_ior": 2.42,
            "specular_roughness": 0.99,
            "coat_weight": 1.0,
            "coat_ior": 3.0,
        },
    )
    found = plainness_of(odd)
    assert [one.parameter for one in found.unusual] == [*("base_color", "base_metalness", "specular_roughness", "specular_ior", "coat_ior")]
    assert str(found) == "5 unusual values, 1 layer"
    gilded = Material.of("gilded", "open_pbr", {"base_color": (0.4, 0.1, 0.1), "specular_color": (1.0, 0.5, 0.2)})
    assert plainness_of(gilded).unusual[0].text == "specular_color (1, 0.5, 0.2): only metals reflect in colour"
    assert found.unusual[3].text == "specular_ior 2.42: opaque bodies have 1.3 to 2"


def test_a_map_of_metal_and_paint_is_no_half_metal(tmp_path: Path) -> None:
    # Common practice: worn paint over metal is a map of zeros and ones, whatever its mean.
    worn = np.zeros((64, 64, 1))
    worn[:, :30] = 1.0
    write_png(tmp_path / "worn.png", worn)
    map_of_metal = Map(Image("worn.png", tmp_path / "worn.png"), "r")
    material = Material.of("worn", "open_pbr", {"base_metalness": map_of_metal, "base_color": (0.5, 0.4, 0.3)})
    assert plainness_of(material).unusual == ()
    half = Material.of("half", "open_pbr", {"base_metalness": 0.47, "base_color": (0.5, 0.4, 0.3)})
    assert [one.parameter for one in plainness_of(half).unusual] == ["base_metalness"]


# What is chosen, and what it costs


@pytest.mark.population
@pytest.mark.parametrize("to", ["open_pbr", "metal_rough", "standard_surface", "preview"])
def test_populations_become_plain(to: str) -> None:
    target, unusual, count = target_called(to), 0, 0
    for model in MAKERS:
        materials = production_like(model, sized(6, 40))
        for conversion in convert_all(materials, target.model.id, target.profile):
            count, unusual = count + 1, unusual + len(plainness_of(conversion.material).unusual)
            if conversion.choice is not None and conversion.choice.costs:
                assert plainness_of(conversion.material).rank < plainness_of(_nearest(conversion).material).rank
    assert unusual <= 0.1 * count


def _nearest(conversion: Conversion) -> Conversion:
    return convert(conversion.original, conversion.material.model, conversion.profile, Aim.NEAREST)


@pytest.mark.population
@pytest.mark.pictures
@pytest.mark.parametrize(
    ("model", "to"),
    [("exponent", "open_pbr"), ("gloss_pair", "metal_rough"), *sized([], [(model, "metal_rough") for model in sorted(MAKERS)])],
)
def test_no_plain_answer_that_is_expected_to_serve_looks_worse(model: str, to: str) -> None:
    target = target_called(to)
    for conversion in convert_all(production_like(model, sized(5, 30)), target.model.id, target.profile):
        if conversion.choice is not None and not conversion.choice.costs:
            first = _nearest(conversion)
            plain, nearest = (check(one.original, one.material).verdict for one in (conversion, first))
            assert plain.rank <= nearest.rank, conversion.choice


def test_what_plain_values_cost_is_said_and_what_the_nearest_would_be() -> None:
    glossy = {"diffuse": (0.3, 0.4, 0.1), "specular": (0.9,) * 3, "exponent": 400.0, "illum": 2}
    plain, nearest = _plain_and_nearest("exponent", glossy)
    assert plain.choice is not None
    assert (plain.choice.verdict, plain.choice.nearest, plain.choice.costs) == ("near", "match", True)
    line = next(entry for entry in plain.ledger if entry.target == "specular_ior")
    assert line.nearest is not None
    assert line.nearest.value == pytest.approx(_number(nearest, "specular_ior"), abs=1e-4)  # type: ignore[union-attr]
    assert any("dielectric" in step.rule for step in line.steps)


def test_nearest_is_what_the_rules_say() -> None:
    _, nearest = _plain_and_nearest("exponent", PLASTIC)
    assert nearest.aim is Aim.NEAREST
    assert nearest.choice is None
    assert all(entry.nearest is None for entry in nearest.ledger)


def test_a_map_of_the_body_moves_as_a_whole(tmp_path: Path) -> None:
    # The image stays as its author made it; a factor on it makes up for what the reflection above takes away.
    write_png(tmp_path / "paint.png", np.random.default_rng(0).uniform(0.3, 0.6, (32, 32, 3)))
    (tmp_path / "m.mtl").write_text("newmtl a\nKd 1 1 1\nKs 0.1 0.1 0.1\nNs 60\nillum 2\nmap_Kd paint.png\n")
    (source,) = read(tmp_path / "m.mtl")
    plain, nearest = convert(source, "open_pbr"), convert(source, "open_pbr", aim=Aim.NEAREST)
    assert sum(not isinstance(value, Constant) for value in plain.material.values.values()) == 1
    assert sum(not isinstance(value, Constant) for value in nearest.material.values.values()) > 1
    assert check(source, plain.material, rigs=("soft_studio", "low_sun")).verdict is not Verdict.OFF


@long_only
@pytest.mark.population
@pytest.mark.parametrize("model", ["exponent", "metal_switch", "preview", "mix"])
def test_a_small_change_of_a_source_is_a_small_change_of_its_target(model: str) -> None:
    assert list(chain.from_iterable(sweeps_of(model, Aim.NEAREST))) == []


def test_a_damaged_map_keeps_the_nearest_answer(tmp_path: Path) -> None:
    write_png(tmp_path / "a.png", np.random.default_rng(0).random((256, 256, 3)))
    data = (tmp_path / "a.png").read_bytes()
    (tmp_path / "a.png").write_bytes(data[: len(data) // 2])
    (tmp_path / "m.mtl").write_text("newmtl a\nKs 0.5 0.5 0.5\nNs 60\nmap_Kd a.png\n")
    (material,) = read(tmp_path / "m.mtl")
    for aim in Aim:
        conversion = convert(material, "open_pbr", aim=aim)
        assert conversion.choice is None
        assert str(plainness_of(conversion.material))


def test_an_unknown_aim_is_refused_with_those_that_are_known() -> None:
    with pytest.raises(InputError) as refused:
        aim_called("prettiest")
    assert "plain, nearest, physical" in refused.value.remedy


def test_the_table_of_light_is_what_the_rigs_send() -> None:
    assert TABLE_EVERY == EVERY  # those are what a fit and an estimate ask for
    for rig in standing_rigs():
        assert light_along(rig, TABLE_EVERY) == pytest.approx(compute_light_along(rig, TABLE_EVERY), rel=1e-5, abs=1e-6)


# What authors meant


def test_a_highlight_without_fresnel_gets_the_f0_of_its_strength() -> None:
    # Born & Wolf §1.5: F0 = ((n − 1)/(n + 1))²; the facing strength of the highlight is that of the nearest answer, which keeps it.
    material = Material.of("body", "exponent", PLASTIC)
    meant, nearest = (convert(material, "open_pbr", aim=aim) for aim in (Aim.PHYSICAL, Aim.NEAREST))
    index = _number(nearest, "specular_ior")
    facing = ((index - 1) / (index + 1)) ** 2 * _number(nearest, "specular_color")
    found = _number(meant, "specular_ior")
    assert ((found - 1) / (found + 1)) ** 2 == pytest.approx(facing, rel=0.02)
    # The body is what a person typed.
    assert meant.material.parameters()["base_color"] == pytest.approx(PLASTIC["diffuse"], rel=0.03)  # type: ignore[arg-type]


def test_a_body_brighter_than_its_highlight_allows_is_brought_down() -> None:
    # Common practice: fresh snow reflects 0.9 of what it receives; no body with a highlight over it sends back more.
    material = Material.of("glaring", "exponent", {"diffuse": (1.0,) * 3, "specular": (0.9,) * 3, "exponent": 20.0, "illum": 2})
    meant = convert(material, "open_pbr", aim=Aim.PHYSICAL)
    assert max(meant.material.parameters()["base_color"]) <= 0.9 + 1e-6  # type: ignore[arg-type]
    assert 1.3 <= _number(meant, "specular_ior") <= 2.0 + 1e-9
    assert meant.choice is not None
    assert meant.choice.title == "as it was meant"


def test_what_is_physical_already_stays() -> None:
    material = Material.of("paint", "standard_surface", {"base_color": (0.4, 0.1, 0.1), "specular_roughness": 0.3})
    meant, nearest = (convert(material, "open_pbr", aim=aim) for aim in (Aim.PHYSICAL, Aim.NEAREST))
    assert meant.choice is None
    assert meant.material.values == nearest.material.values
