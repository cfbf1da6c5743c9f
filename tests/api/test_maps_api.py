"""The maps of a conversion: listed with where they come from, looked at with their figures, graded by an edit that can be taken back."""

from __future__ import annotations

from base64 import b64decode
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import pytest
from fastapi.testclient import TestClient
from pytest import approx

from fenrain.core.colour import linear_to_srgb, srgb_to_linear
from fenrain.core.conversion.engine import Conversion
from fenrain.core.maps.image import write_png
from fenrain.core.values import Stepped
from fenrain.services.conversions import load_conversion
from fenrain.services.live_views import _apply_trial
from fenrain.services.picture_frames import ViewRequest
from fenrain.store.database import session
from fenrain.store.rows import find_conversion
from tests.api.conftest import board_row, hand_in, work_off

pytestmark = pytest.mark.usefixtures("database")
TEXELS = np.round(np.random.default_rng(7).uniform(0.1, 0.9, (8, 16, 3)) * 255) / 255


@pytest.fixture(scope="module")
def rusty(client: TestClient, project: int, tmp_path_factory: pytest.TempPathFactory) -> int:
    """The conversion of a material whose colour is a map of 16 × 8 texels."""
    file = tmp_path_factory.mktemp("maps") / "rust.png"
    write_png(file, TEXELS)
    files = ("rusty.mtl", b"newmtl rusty\nKd 1 1 1\nmap_Kd rust.png\nKs 0.2 0.2 0.2\nNs 40\n"), ("rust.png", file.read_bytes())
    intake = hand_in(client, project, *files).json()
    work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()["id"])
    row = board_row(client, project, "rusty")
    return int(row["conversion_id"])


def picture(client: TestClient, conversion: int, name: str = "base_color", **body: Any) -> dict[str, Any]:
    answer = client.post(f"/api/v1/conversions/{conversion}/maps/{name}/picture", json=body)
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def pixels(shown: dict[str, Any], folder: Path) -> np.ndarray:
    (folder / "shown.png").write_bytes(b64decode(shown["picture"].partition(",")[2]))
    return np.asarray(oiio.ImageBuf(str(folder / "shown.png")).get_pixels(oiio.FLOAT))


def grade(client: TestClient, conversion: int, name: str, steps: list[dict[str, Any]]) -> Any:
    version = client.get(f"/api/v1/conversions/{conversion}").headers["etag"]
    return client.put(f"/api/v1/conversions/{conversion}/values/{name}/grade", json={"steps": steps}, headers={"If-Match": version})


def test_maps_are_listed_with_where_they_come_from(client: TestClient, rusty: int) -> None:
    (found,) = [one for one in client.get(f"/api/v1/conversions/{rusty}/maps").json() if one["name"] == "base_color"]
    assert (found["width"], found["height"], found["kind"], found["grade"]) == (16, 8, "colour", [])
    assert found["sources"][0]["says"] == ["rust.png: 16 × 8, 3 × 8 bits"]
    assert found["steps"]


def test_a_map_is_shown_with_its_figures(client: TestClient, rusty: int, tmp_path: Path) -> None:
    shown = picture(client, rusty, source="diffuse")
    assert pixels(shown, tmp_path) == approx(TEXELS, abs=0.003)
    linear = srgb_to_linear(TEXELS).reshape(-1, 3)
    assert shown["mean"] == approx(linear.mean(axis=0).tolist(), abs=0.002)
    assert shown["largest"] == approx(linear.max(axis=0).tolist(), abs=0.002)
    assert [round(sum(channel)) for channel in shown["bins"]] == [10_000] * 3
    expected, _ = np.histogram(TEXELS[..., 0], 64, (0.0, 1.0))
    assert np.argmax(shown["bins"][0]) in np.flatnonzero(expected >= expected.max() - 1)


def test_a_grade_is_tried_kept_said_and_taken_out_again(client: TestClient, rusty: int, tmp_path: Path) -> None:
    before = picture(client, rusty)
    half = [{"gain": [0.5, 0.5, 0.5]}]
    tried = picture(client, rusty, steps=half)
    assert tried["mean"] == approx([part / 2 for part in before["mean"]], abs=1e-6)
    assert picture(client, rusty)["mean"] == before["mean"]
    kept = grade(client, rusty, "base_color", half)
    assert kept.status_code == 200
    entry = next(one for one in kept.json()["ledger"] if one["target"] == "base_color")
    assert entry["grade"] == [{"gain": [0.5, 0.5, 0.5]}, {"clamp": [0.0, 1.0]}]
    assert picture(client, rusty)["mean"] == tried["mean"]
    assert pixels(picture(client, rusty), tmp_path).mean() < linear_to_srgb(np.array(before["mean"])).mean()
    # The same grade again is the same; none is what it was.
    again = grade(client, rusty, "base_color", entry["grade"])
    assert next(one for one in again.json()["ledger"] if one["target"] == "base_color")["grade"] == entry["grade"]
    assert grade(client, rusty, "base_color", []).status_code == 200
    assert picture(client, rusty)["mean"] == before["mean"]


@pytest.mark.parametrize(
    ("name", "steps", "said"),
    [
        ("specular_roughness", [{"hue": 20}], "cannot take the step “hue”"),
        ("base_color", [{"decode": "srgb"}], "cannot take the step “decode”"),
        ("geometry_normal", [{"scale": 2}], "cannot be graded"),
    ],
)
def test_steps_that_a_value_cannot_take_are_refused(client: TestClient, rusty: int, name: str, steps: list[Any], said: str) -> None:
    refused = grade(client, rusty, name, steps)
    assert refused.status_code == 422
    assert said in refused.json()["detail"]


def test_a_step_that_makes_no_sense_is_refused_before_anything_is_done(client: TestClient, rusty: int) -> None:
    assert grade(client, rusty, "base_color", [{"saturation": -3}]).status_code == 422
    assert client.post(f"/api/v1/conversions/{rusty}/maps/base_color/picture", json={"source": "nonsense"}).status_code == 404


def test_a_grade_is_seen_in_the_pictures_while_it_is_tried(client: TestClient, rusty: int) -> None:
    with session() as database:
        conversion: Conversion = load_conversion(find_conversion(database, rusty))
    request = ViewRequest(rusty, "soft_studio", "sphere", 0.0, 128, trial={"base_color": {"grade": [{"hue": 40.0}]}})
    value = _apply_trial(conversion, request.trial).material.value("base_color")
    assert isinstance(value, Stepped)
    assert value.steps[0].hue == 40.0
