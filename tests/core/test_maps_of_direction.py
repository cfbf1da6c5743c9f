"""Maps of the direction of stretched highlights: vectors in glTF, turned tangents in MaterialX, read from both and written to both."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import MaterialX as mx
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, convert, read, write
from fenrain.core.maps.image import write_linear, write_png
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.rendering.pictures import render
from fenrain.core.rendering.stage import View, coverage
from fenrain.core.values import Constant, Image, Map, Value

EDGE = 16


def brushed(folder: Path, turned: float = 0.0) -> Path:
    """A lid brushed in circles: at each place the direction about its middle (KHR_materials_anisotropy: red and green are x and y of it,
    −1…1 as 0…1; blue is the strength)."""
    folder.mkdir(exist_ok=True)
    angle = angles()
    write_png(folder / "brushed.png", np.stack([0.5 + 0.5 * np.cos(angle), 0.5 + 0.5 * np.sin(angle), np.ones_like(angle)], axis=-1))
    document: dict[str, Any] = {
        "asset": {"version": "2.0"},
        "images": [{"uri": "brushed.png"}],
        "textures": [{"source": 0}],
        "materials": [
            {
                "name": "lid",
                "pbrMetallicRoughness": {"roughnessFactor": 0.4},
                "extensions": {
                    "KHR_materials_anisotropy": {"anisotropyStrength": 0.8, "anisotropyRotation": turned, "anisotropyTexture": {"index": 0}}
                },
            }
        ],
    }
    (folder / "lid.gltf").write_text(json.dumps(document))
    return folder / "lid.gltf"


def angles() -> np.ndarray:
    across, down = np.meshgrid(*(np.arange(EDGE) + 0.5 - EDGE / 2,) * 2)
    return np.asarray(np.arctan2(across, down))


def texels(value: Value) -> np.ndarray:
    grid = grid_of([value])
    with Texels(grid) as opened:
        return np.asarray(opened.full(value, 0, grid.height, 1))[..., 0]


def apart(found: np.ndarray, expected: np.ndarray) -> float:
    """The largest angle between directions; a stretch looks the same from either end."""
    return float(np.abs(np.angle(np.exp(2j * (found - expected)))).max() / 2.0)


@pytest.mark.parametrize("turned", [0.0, 0.7])
def test_directions_come_in_and_go_out_by_gltf_and_materialx(turned: float, tmp_path: Path) -> None:
    (lid,) = read(brushed(tmp_path / "in", turned))
    assert not [finding for finding in lid.findings if finding.unread]
    assert apart(texels(lid.value("anisotropy_rotation")), angles() + turned) < 0.02
    hub = convert(lid, "open_pbr").material
    assert apart(texels(hub.value("geometry_tangent_rotation")), angles() + turned) < 0.02

    (tmp_path / "mtlx").mkdir()
    write([hub], tmp_path / "mtlx" / "lid.mtlx", "materialx")
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(tmp_path / "mtlx" / "lid.mtlx"))
    (graph,) = document.getNodeGraphs()
    (turn,) = graph.getNodes("rotate3d")
    assert turn.getInput("amount").getConnectedNode() is not None
    assert graph.getNodes("atan2"), "by nodes, nothing baked"
    (back,) = read(tmp_path / "mtlx" / "lid.mtlx")
    assert apart(texels(back.value("geometry_tangent_rotation")), angles() + turned) < 0.02

    conversion = convert(back, "metal_rough")
    steps = [step.text for entry in conversion.ledger if entry.target == "anisotropy_rotation" for step in entry.steps]
    assert not any("stands for it" in text for text in steps)
    written = write([conversion.material], tmp_path / "lid.glb", "gltf")[0]
    (again,) = read(written)
    assert apart(texels(again.value("anisotropy_rotation")), angles() + turned) < 0.03


def test_turns_counted_from_0_to_1_become_directions(tmp_path: Path) -> None:
    # NG_standard_surface_surfaceshader_100 turns the tangent by −360° × specular_rotation. A ramp of half a turn.
    ramp = np.tile(np.linspace(0.0, 0.5, EDGE, dtype=np.float32)[None, :, None], (EDGE, 1, 3))
    write_linear(tmp_path / "ramp.exr", ramp)
    turn = Map(Image("ramp.exr", tmp_path / "ramp.exr"), "r")
    steel = {"metalness": 1.0, "specular_roughness": 0.4, "specular_anisotropy": 0.7, "specular_rotation": turn}
    expected = -2.0 * np.pi * ramp[..., 0]
    for model, format_id, suffix, name in (
        ("open_pbr", "materialx", ".mtlx", "geometry_tangent_rotation"),
        ("metal_rough", "gltf", ".glb", "anisotropy_rotation"),
    ):
        (tmp_path / model).mkdir()
        written = write(
            [convert(Material.of("steel", "standard_surface", steel), model).material], tmp_path / model / f"steel{suffix}", format_id
        )[0]
        (back,) = read(written)
        assert apart(texels(back.value(name)), expected) < 0.03, model


def test_a_direction_is_drawn_as_the_number_that_it_is(tmp_path: Path) -> None:
    # Red ½, green 1: along the bitangent, a quarter turn.
    write_png(
        tmp_path / "up.png", np.tile(np.array([0.5, 1.0, 1.0]), (8, 8, 1)) + np.linspace(0.0, 0.004, 8)[:, None, None] * [1.0, 0.0, 0.0]
    )
    image = Image("up.png", tmp_path / "up.png")
    (tmp_path / "up.gltf").write_text(brushed(tmp_path / "in").read_text().replace("brushed.png", "up.png"))
    (upright,) = read(tmp_path / "up.gltf")
    assert image.digest in upright.images()
    view, seen = View("low_sun", "sphere", 0.0, 64), coverage("sphere", 64)
    ours, quarter, none = (
        np.mean([render(material, view, 16, seed) for seed in range(4)], axis=0)[seen]
        for material in (
            upright,
            upright.having(anisotropy_rotation=Constant(float(np.pi / 2))),
            upright.having(anisotropy_rotation=Constant(0.0)),
        )
    )
    assert np.abs(ours - quarter).mean() < 0.1 * np.abs(ours - none).mean()


def test_a_texture_that_turns_nothing_is_no_map(tmp_path: Path) -> None:
    write_png(
        tmp_path / "strength.png", np.stack([np.ones((8, 8)), np.full((8, 8), 0.5), np.random.default_rng(1).random((8, 8))], axis=-1)
    )
    (tmp_path / "lid.gltf").write_text(brushed(tmp_path / "in").read_text().replace("brushed.png", "strength.png"))
    (lid,) = read(tmp_path / "lid.gltf")
    assert lid.value("anisotropy_rotation") == Constant(0.0)
    assert isinstance(lid.value("anisotropy_strength"), Map)
    assert approx(0.8) == lid.value("anisotropy_strength").scale  # type: ignore[union-attr]
