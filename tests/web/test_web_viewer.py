"""Independent web renderers (three.js and the glTF texts' own Sample Renderer, in headless Chromium) draw kits of ours:
metallic-roughness as the glTF texts state it, against our own light paths.

Both take light from prefiltered surroundings and a split sum (Karis 2013, SIGGRAPH course on physically based shading), without light
between surfaces. So mirrors of some roughness are blurred by fixed steps, which shows at their edges, and rough metals lack a little of
what bounces between facets; dielectrics agree closely. Sheen is an approximation of its own in each, and glass is an effect on the
picture: both are left out.

The short suite misses: the second viewer, most materials in the first, that a wrong value in the delivered file is seen, and that plain
materials are shown right by core glTF alone.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from bench.production import production_like
from fenrain.core import Material, convert, convert_all, read
from fenrain.core.aims.plainness import plainness_of
from fenrain.core.conversion.targets import target_called
from fenrain.core.errors import EngineError, InputError
from fenrain.core.outside.compare import Comparison, compare
from fenrain.core.outside.kit import CONVERTED, Kit, write_kit
from fenrain.core.outside.picture import read_picture
from fenrain.core.rendering.textures import opens
from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD
from fenrain.webviewer import VIEWERS, render
from fenrain.webviewer.render import take_picture
from tests.sizes import long_only, sized

pytestmark = pytest.mark.viewers

BODIES = {
    "white": {"base_color": (0.9, 0.9, 0.9), "metallic": 0.0, "roughness": 1.0},
    "plastic": {"base_color": (0.1, 0.3, 0.5), "metallic": 0.0, "roughness": 0.4},
    "shiny plastic": {"base_color": (0.2, 0.2, 0.2), "metallic": 0.0, "roughness": 0.1},
    "lamp": {"base_color": (0.1, 0.1, 0.1), "metallic": 0.0, "roughness": 0.6, "emissive": (0.8, 0.4, 0.1)},
    "gold": {"base_color": (1.0, 0.78, 0.34), "metallic": 1.0, "roughness": 0.4},
    "chrome": {"base_color": (0.9, 0.9, 0.9), "metallic": 1.0, "roughness": 0.1},
}
LIMITS = {"three": {"gold": (2.5, 8.0), "chrome": (1.0, 6.0)}, "sample": {"gold": (2.5, 8.0), "chrome": (1.5, 9.0)}}
"""ΔE2000, median and 95th percentile, where prefiltered surroundings are blurrier than the facets are."""
CLOSELY = {"three": (1.0, 3.0), "sample": (2.0, 8.0)}
WIDTH = 1600
SEEN_BY = sized(list(VIEWERS)[:1], list(VIEWERS))
DRAWN = sized(["plastic", "gold"], list(BODIES))


@pytest.fixture(scope="module")
def kit(tmp_path_factory: pytest.TempPathFactory) -> Kit:
    target = target_called("metal_rough")
    members = [
        convert(Material.of(name, "metal_rough", values), "metal_rough", target.profile) for name, values in BODIES.items() if name in DRAWN
    ]
    return write_kit(members, tmp_path_factory.mktemp("kits") / "web", title="web", target=target, turn=40.0)


@pytest.fixture(scope="module")
def seen(kit: Kit, tmp_path_factory: pytest.TempPathFactory) -> dict[str, Comparison]:
    """By viewer."""
    compared = {}
    for viewer in SEEN_BY:
        path = tmp_path_factory.mktemp("pictures") / "converted.exr"
        take_picture(kit.folder, path, WIDTH, viewer)
        compared[viewer] = compare(kit, [(read_picture(path), CONVERTED)])
    return compared


@pytest.mark.parametrize("viewer", SEEN_BY)
def test_it_takes_the_kit_s_picture_with_the_kit_s_camera_and_light(seen: dict[str, Comparison], viewer: str) -> None:
    (picture,) = seen[viewer].pictures
    assert np.hypot(*picture.alignment.shift) < 0.3
    assert picture.alignment.residual < 0.3
    assert abs(picture.response.exposure) < 0.01
    assert abs(picture.response.light - 1.0) < 0.03
    assert "light-orientation" not in {statement.code for statement in picture.statements}


@pytest.mark.parametrize("viewer", SEEN_BY)
@pytest.mark.parametrize("name", DRAWN)
def test_it_shows_metallic_roughness_as_we_do(seen: dict[str, Comparison], name: str, viewer: str) -> None:
    one = next(one for one in seen[viewer].compared if one.material == name and (one.first.shows, one.second.by) == (CONVERTED, "theirs"))
    half, most = LIMITS[viewer].get(name, CLOSELY[viewer])
    assert one.readings["colour"].value < half
    assert one.readings["colour_95"].value < most


@long_only
def test_a_wrong_value_in_the_delivered_file_is_seen(kit: Kit, tmp_path: Path) -> None:
    """The file that the viewer shows is the one that is judged: another roughness in it is named."""
    path = kit.folder / CONVERTED / "converted.glb"
    whole = path.read_bytes()
    length = int.from_bytes(whole[12:16], "little")
    document = json.loads(whole[20 : 20 + length])
    for material in document["materials"]:
        if material["name"] == "gold":
            material["pbrMetallicRoughness"]["roughnessFactor"] = 0.8
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    rest = whole[20 + length :]
    path.write_bytes(
        whole[:8] + (20 + len(text) + len(rest)).to_bytes(4, "little") + len(text).to_bytes(4, "little") + whole[16:20] + text + rest
    )
    try:
        take_picture(kit.folder, tmp_path / "converted.exr", WIDTH)
    finally:
        path.write_bytes(whole)
    found = compare(kit, [(read_picture(tmp_path / "converted.exr"), CONVERTED)])
    gold = next(one for one in found.compared if one.material == "gold" and (one.first.shows, one.second.by) == (CONVERTED, "theirs"))
    assert "instead of 0.40" in gold.statements[0]
    assert gold.readings["colour_95"].value > LIMITS["three"]["gold"][1]


@long_only
def test_plain_materials_need_no_more_than_core_gltf(heron_lode: Path, tmp_path: Path) -> None:
    """What legacy files become by plain values alone is shown right by who knows no extension."""
    materials = [one for name in (ENGINE_HOUSE, SLUICE_YARD) for one in read(heron_lode / name)]
    materials += [one for model in ("exponent", "spec_gloss", "percent", "metal_switch") for one in production_like(model, 4)]
    target = target_called("metal_rough")
    plain = [one for one in convert_all(materials, "metal_rough", target.profile) if not plainness_of(one.material).extensions]
    opaque = {one.material.name: one for one in plain if not opens(one.material, 16)}
    kit = write_kit(list(opaque.values()), tmp_path / "kit", title="core", target=target)
    document = json_of(kit.folder / CONVERTED / "converted.glb")
    assert [one["name"] for one in document["materials"] if "extensions" in one and not one["name"].startswith("card_")] == []
    take_picture(kit.folder, tmp_path / "converted.exr", WIDTH)
    found = compare(kit, [(read_picture(tmp_path / "converted.exr"), CONVERTED)])
    medians = {
        one.material: one.readings["colour"].value for one in found.compared if (one.first.shows, one.second.by) == (CONVERTED, "theirs")
    }
    assert len(medians) >= 8
    assert {name: value for name, value in medians.items() if value > 2.0} == {}


def json_of(path: Path) -> dict[str, Any]:
    """The document of a GLB."""
    whole = path.read_bytes()
    return dict(json.loads(whole[20 : 20 + int.from_bytes(whole[12:16], "little")]))


def test_without_a_browser_or_a_gltf_it_says_what_to_do(kit: Kit, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    bare = write_kit([Material.of("plain", "metal_rough", {})], tmp_path / "bare", title="bare")
    with pytest.raises(InputError, match="no glTF"):
        take_picture(bare.folder, tmp_path / "converted.exr")
    with pytest.raises(InputError, match="no web viewer"):
        take_picture(kit.folder, tmp_path / "converted.exr", viewer="paper")
    monkeypatch.setattr(render, "CHROMIUM", ("no-such-browser",))
    with pytest.raises(EngineError, match="make setup"):
        take_picture(kit.folder, tmp_path / "converted.exr")
