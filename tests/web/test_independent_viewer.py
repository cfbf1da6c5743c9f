"""An independent viewer (three, in headless Chromium) loads the GLB files that we write, and draws the maps that they bind.

The short suite misses: most target profiles, and two of three materials of the demo.
"""

from __future__ import annotations

import mimetypes
from base64 import b64encode
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, Route, sync_playwright
from pytest import approx

from fenrain.core import Material, Profile, convert, read, write
from fenrain.core.conversion.targets import served_target
from fenrain.core.maps.mean import mean_of
from fenrain.core.values import Constant
from fenrain.demo.warm import materials_in, write_demo
from tests.sizes import sized
from tests.web.conftest import CHROMIUM, FLAGS

pytestmark = pytest.mark.viewers

PACKAGE = Path(__file__).parents[2] / "web" / "node_modules" / "three"
WEBGL = ["--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"]
HOST = "http://viewer.test"
PAGE = """<!doctype html><meta charset="utf-8"><script type="importmap">
{"imports": {"three": "/three/build/three.module.js", "three/addons/": "/three/examples/jsm/"}}</script>
<script type="module">
import * as THREE from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

const EDGE = 64;
const renderer = new THREE.WebGLRenderer();
renderer.setSize(EDGE, EDGE);
const target = new THREE.WebGLRenderTarget(EDGE, EDGE, { type: THREE.FloatType });
// The map and the factor of a material alone, in linear light, laid flat over the picture.
function drawn(material) {
  const scene = new THREE.Scene();
  const plain = new THREE.MeshBasicMaterial({ map: material.map, color: material.color });
  scene.add(new THREE.Mesh(new THREE.PlaneGeometry(2, 2), plain));
  renderer.setRenderTarget(target);
  renderer.render(scene, new THREE.OrthographicCamera(-1, 1, 1, -1, -1, 1));
  const pixels = new Float32Array(4 * EDGE * EDGE);
  renderer.readRenderTargetPixels(target, 0, 0, EDGE, EDGE, pixels);
  renderer.setRenderTarget(null);
  const mean = [0, 1, 2].map((channel) => pixels.filter((_, index) => index % 4 === channel).reduce((a, b) => a + b, 0));
  return mean.map((sum) => sum / (EDGE * EDGE));
}
// The whole scene, lit, as the viewer shows it: how much its pixels differ.
function spread(scene) {
  const lit = new THREE.Scene();
  lit.add(scene, new THREE.HemisphereLight(0xffffff, 0x444444, 3));
  const box = new THREE.Box3().setFromObject(scene), centre = box.getCenter(new THREE.Vector3());
  const size = Math.max(box.getSize(new THREE.Vector3()).length(), 1e-6);
  const camera = new THREE.PerspectiveCamera(40, 1, size / 100, size * 10);
  camera.position.set(centre.x, centre.y + 0.3 * size, centre.z + 1.4 * size);
  camera.lookAt(centre);
  renderer.setRenderTarget(target);
  renderer.render(lit, camera);
  const pixels = new Float32Array(4 * EDGE * EDGE);
  renderer.readRenderTargetPixels(target, 0, 0, EDGE, EDGE, pixels);
  renderer.setRenderTarget(null);
  return Math.max(...pixels) - Math.min(...pixels);
}
window.load = async (bytes) => {
  const data = Uint8Array.from(atob(bytes), (letter) => letter.charCodeAt(0)).buffer;
  const loaded = await new GLTFLoader().parseAsync(data, "");
  const materials = await loaded.parser.getDependencies("material");
  const textures = (material) => Object.entries(material).filter(([, value]) => value?.isTexture);
  return {
    spread: spread(loaded.scene),
    materials: materials.map((material) => ({
      name: material.name,
      color: drawn(material),
      maps: Object.fromEntries(textures(material).map(([slot, texture]) => [slot, texture.image?.width ?? 0])),
    })),
  };
};
window.ready = true;
</script>"""


@pytest.fixture(scope="module")
def viewer() -> Iterator[Page]:
    def answer(route: Route) -> None:
        place = route.request.url.removeprefix(HOST)
        if place == "/":
            route.fulfill(body=PAGE, content_type="text/html")
        else:
            file = PACKAGE / place.removeprefix("/three/")
            route.fulfill(body=file.read_bytes(), content_type=mimetypes.guess_type(file.name)[0] or "text/javascript")

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=[*FLAGS, *WEBGL])
        page = browser.new_page()
        page.route(f"{HOST}/**", answer)
        page.goto(f"{HOST}/")
        page.wait_for_function("window.ready === true")
        yield page
        browser.close()


@pytest.fixture(scope="module")
def materials(tmp_path_factory: pytest.TempPathFactory) -> list[Material]:
    folder = tmp_path_factory.mktemp("demo")
    write_demo(folder)
    return list(materials_in(folder))[:: sized(3, 1)]


def shown(viewer: Page, path: Path) -> dict[str, Any]:
    return dict(viewer.evaluate("bytes => window.load(bytes)", b64encode(path.read_bytes()).decode()))


SLOTS = {"base_color": "map", "normal": "normalMap", "roughness": "roughnessMap", "metallic": "metalnessMap", "emissive": "emissiveMap"}


@pytest.mark.parametrize("profile", sized(["extensions"], ["extensions", "core", "kiosk", "lean_web"]))
def test_every_material_is_loaded_and_its_maps_are_drawn(viewer: Page, materials: list[Material], profile: str, tmp_path: Path) -> None:
    limits = served_target("metal_rough", profile).profile
    converted = [convert(material, "metal_rough", limits).material for material in materials]
    written = write(converted, tmp_path / "all.glb", "gltf", profile=limits)[0]
    found = shown(viewer, written)
    assert found["spread"] > 0.1, "something is seen"
    back = read(written)
    assert [one["name"] for one in found["materials"]] == [one.name for one in back]
    for theirs, ours in zip(found["materials"], back, strict=True):
        bound = {slot for name, slot in SLOTS.items() if name in ours.values and not isinstance(ours.values[name], Constant)}
        assert bound <= set(theirs["maps"]), ours.name
        assert all(width > 0 for width in theirs["maps"].values())
        base = ours.value("base_color")
        meant = base.value if isinstance(base, Constant) else mean_of(base)
        assert np.asarray(theirs["color"]) == approx(np.asarray(meant), abs=0.02), ours.name


def test_flakes_and_an_asset_of_its_own_are_loaded(viewer: Page, materials: list[Material], tmp_path: Path) -> None:
    paint = {"metal": True, "base_color": (0.1, 0.1, 0.3), "flake_amount": 0.5, "flake_size": 0.02, "flake_color": (0.9, 0.5, 0.2)}
    flaked = convert(Material.of("paint", "metal_switch", paint), "metal_rough", Profile()).material
    (found,) = shown(viewer, write([flaked], tmp_path / "paint.glb", "gltf")[0])["materials"]
    assert found["maps"]["normalMap"] == found["maps"]["map"] == 512
    assert np.asarray(found["color"]) == approx(np.asarray(mean_of(flaked.value("base_color"))), abs=0.02)
