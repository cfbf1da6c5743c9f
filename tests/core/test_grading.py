"""Grading: steps that a person takes on a map or a colour, which repeat, are said in the ledger, and can be taken out again."""

from __future__ import annotations

from pathlib import Path

import colour
import numpy as np
import pytest
from pydantic import ValidationError
from pytest import approx

from fenrain.core import Material, convert, read, write
from fenrain.core.colour import lab_to_linear, linear_to_lab
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.maps.image import write_png
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.steps import ValueStep, apply_steps
from fenrain.core.values import Constant, Image, Map, Stepped

RED = np.array([0.4, 0.1, 0.05])


def lab(linear: np.ndarray) -> np.ndarray:
    """By colour-science, from linear Rec.709 under D65 (CIE 15:2018)."""
    space = colour.RGB_COLOURSPACES["ITU-R BT.709"]
    return np.asarray(colour.XYZ_to_Lab(colour.RGB_to_XYZ(linear, space, apply_cctf_decoding=False), space.whitepoint))


def test_lab_and_back_agree_with_colour_science() -> None:
    many = np.random.default_rng(1).random((200, 3))
    assert linear_to_lab(many) == approx(lab(many), abs=0.05)
    assert lab_to_linear(linear_to_lab(many)) == approx(many, abs=1e-9)


def test_hue_saturation_and_lightness_move_one_coordinate_each() -> None:
    before = lab(RED)
    chroma, hue = np.hypot(*before[1:]), np.degrees(np.arctan2(before[2], before[1]))
    turned = lab(apply_steps([ValueStep(hue=20.0)], RED))
    assert turned[0] == approx(before[0], abs=0.05)
    assert np.hypot(*turned[1:]) == approx(chroma, abs=0.1)
    assert np.degrees(np.arctan2(turned[2], turned[1])) == approx(hue + 20.0, abs=0.2)
    paler = lab(apply_steps([ValueStep(saturation=0.5)], RED))
    assert (paler[0], np.hypot(*paler[1:])) == (approx(before[0], abs=0.05), approx(0.5 * chroma, abs=0.1))
    brighter = lab(apply_steps([ValueStep(lightness=1.25)], RED))
    assert brighter == approx(before * [1.25, 1.0, 1.0], abs=0.1)
    # Without colour there is no hue: grey stays.
    assert apply_steps([ValueStep(hue=120.0)], np.full(3, 0.3)) == approx(np.full(3, 0.3), abs=1e-6)


@pytest.mark.parametrize(
    ("step", "given", "expected"),
    [
        (ValueStep(remap=(0.2, 0.6, 0.0, 1.0)), 0.4, 0.5),
        (ValueStep(remap=(0.0, 1.0, 1.0, 0.0)), 0.3, 0.7),
        (ValueStep(gain=(2.0, 1.0, 0.5)), RED, RED * [2.0, 1.0, 0.5]),
        (ValueStep(lift=(0.1, 0.0, -0.05)), RED, np.add(RED, [0.1, 0.0, -0.05])),
    ],
)
def test_steps_by_hand(step: ValueStep, given: np.ndarray, expected: np.ndarray) -> None:
    assert apply_steps([step], given) == approx(expected)


@pytest.mark.parametrize(
    "stated", [{"remap": [0.5, 0.5, 0, 1]}, {"hue": 1e9}, {"saturation": -1}, {"gain": [1, float("nan"), 1]}, {"gain": 2}]
)
def test_a_step_that_makes_no_sense_is_refused(stated: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        ValueStep.model_validate(stated)


def rusty(folder: Path) -> Material:
    texels = np.random.default_rng(5).uniform(0.1, 0.9, (8, 8, 3))
    write_png(folder / "rust.png", texels)
    image = Image("rust.png", folder / "rust.png")
    return Material.of("rust", "metal_rough", {"base_color": Map(image, "rgb", "srgb"), "roughness": Map(image, "g"), "metallic": 0.0})


def test_a_graded_map_is_written_as_its_steps_say(tmp_path: Path) -> None:
    steps = (ValueStep(hue=30.0), ValueStep(gain=(1.2, 0.9, 0.9)), ValueStep(clamp=(0.0, 1.0)))
    conversion = convert(rusty(tmp_path), "open_pbr").having({"base_color": Override(None, By.HAND, "", steps)})
    value = conversion.material.value("base_color")
    assert isinstance(value, Stepped)
    with Texels(grid_of([value])) as texels:
        before, after = texels.full(value.source, 0, 8, 3), texels.full(value, 0, 8, 3)
    assert after == approx(apply_steps(steps, before), abs=1e-6)
    back = read(write([conversion.material], tmp_path / "o.mtlx", "materialx")[0])[0].value("base_color")
    with Texels(grid_of([back])) as texels:
        assert texels.full(back, 0, 8, 3) == approx(after, abs=0.01)
    # The ledger keeps both: what the rules gave, and what stands over it; without the steps it is as it was.
    entry = next(entry for entry in conversion.ledger if entry.target == "base_color")
    assert entry.derived == value.source
    assert entry.to_document(conversion.target)["grade"] == [{"hue": 30.0}, {"gain": (1.2, 0.9, 0.9)}, {"clamp": (0.0, 1.0)}]
    assert conversion.having({}).material.value("base_color") == value.source


def test_a_graded_constant_follows_what_the_rules_give() -> None:
    grade = Override(None, By.HAND, "", (ValueStep(scale=0.5),))
    for roughness in (0.4, 0.8):
        conversion = convert(Material.of("m", "metal_rough", {"roughness": roughness}), "open_pbr").having({"specular_roughness": grade})
        assert conversion.material.value("specular_roughness") == Constant(approx(roughness / 2))


def test_a_value_set_by_hand_can_be_graded_too_and_so_can_a_default() -> None:
    conversion = convert(Material.of("m", "metal_rough", {}), "open_pbr")
    laid = conversion.having(
        {
            "base_color": Override(Constant((0.2, 0.4, 0.6)), By.HAND, "", (ValueStep(gain=(0.5, 0.5, 0.5)),)),
            "coat_weight": Override(None, By.HAND, "", (ValueStep(offset=0.25),)),
        }
    )
    assert laid.material.value("base_color") == Constant(approx((0.1, 0.2, 0.3)))
    assert laid.material.value("coat_weight") == Constant(0.25)
