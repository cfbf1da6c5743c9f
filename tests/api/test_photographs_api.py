"""Photographs over HTTP: uploaded, shown, picked from, and a picked colour in the ledger."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from pytest import approx

from fenrain.core.colour import linear_to_srgb
from fenrain.core.maps.image import write_png

pytestmark = pytest.mark.usefixtures("database")


@pytest.fixture(scope="module")
def photograph(client: TestClient, project: int, tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """Left half rust, right half a grey of 18 % that is seen as 9 %, a stop too dark, with a white strip below."""
    pixels = np.full((80, 100, 3), (0.2, 0.05, 0.02))
    pixels[:, 50:] = 0.09
    pixels[70:] = 1.0
    path = tmp_path_factory.mktemp("photo") / "door.png"
    write_png(path, linear_to_srgb(pixels))
    with path.open("rb") as stream:
        made = client.post(f"/api/v1/projects/{project}/photographs", files={"file": (path.name, stream)})
    assert made.status_code == 201, made.text
    return dict(made.json())


def test_a_photograph_is_kept_once_and_shown(client: TestClient, project: int, photograph: dict[str, Any]) -> None:
    assert (photograph["title"], photograph["says"]) == ("door.png", "100 × 80")
    listed = client.get(f"/api/v1/projects/{project}/photographs").json()
    assert listed == [photograph]
    shown = client.get(f"/api/v1/projects/{project}/photographs/{photograph['id']}/picture")
    assert shown.content[:4] == b"\x89PNG"
    # It is neither a rig nor a stand.
    assert not [rig for rig in client.get(f"/api/v1/rigs?project_id={project}").json() if rig["own"]]


def test_a_grey_sets_the_exposure_of_what_is_picked(
    client: TestClient, project: int, photograph: dict[str, Any], converted: dict[str, Any]
) -> None:
    address = f"/api/v1/projects/{project}/photographs/{photograph['id']}/pick"
    plain = client.post(address, json={"area": [[0.1, 0.1], [0.3, 0.3]]}).json()
    assert plain["colour"] == approx([0.2, 0.05, 0.02], abs=0.002)
    assert (plain["exposure"], plain["space"]) == (None, "srgb")
    # Photography's common practice: grey card 18 %; here it is a stop too dark, so that every colour is twice as bright.
    set_by = {"grey": [[0.6, 0.1], [0.9, 0.5]], "reflectance": 0.18}
    bright = client.post(address, json={"area": [[0.3, 0.3], [0.1, 0.1]], **set_by}).json()
    assert bright["exposure"] == approx(-1.0, abs=0.03)
    assert bright["colour"] == approx([0.4, 0.1, 0.04], abs=0.005)
    bench = f"/api/v1/conversions/{converted['conversion_id']}"
    before = client.get(bench)
    put = client.patch(f"{bench}/values/base_color", json={"value": bright["colour"]}, headers={"If-Match": before.headers["ETag"]})
    assert put.status_code == 200, put.text
    entry = next(entry for entry in put.json()["ledger"] if entry["target"] == "base_color")
    assert entry["override_by"] == "hand"


def test_what_says_nothing_is_refused(client: TestClient, project: int, photograph: dict[str, Any], tmp_path: Path) -> None:
    address = f"/api/v1/projects/{project}/photographs/{photograph['id']}/pick"
    for wrong, said in (
        ({"area": [[0.1, 0.9], [0.9, 1.0]]}, "clipped"),
        ({"area": [[0.1, 0.1], [0.11, 0.11]]}, "small"),
        ({"area": [[0.1, 0.1], [0.3, 0.3]], "chart": [[0, 0], [1, 0], [1, 1], [0, 1]]}, "greys"),
        ({"area": [[0.1, 0.1], [0.3, 0.3]], "space": "nonsense"}, "colour space"),
    ):
        refused = client.post(address, json=wrong)
        assert refused.status_code == 422
        assert said in refused.json()["detail"]
        assert refused.json()["remedy"]
    assert client.post(address, json={"area": [[0.1, 0.1], [1.3, 0.3]]}).status_code == 422
    assert client.post(f"/api/v1/projects/{project}/photographs/none/pick", json={"area": [[0, 0], [1, 1]]}).status_code == 404
    broken = client.post(f"/api/v1/projects/{project}/photographs", files={"file": ("x.jpg", b"\xff\xd8\xff and nothing more")})
    assert broken.status_code == 422


def test_a_photograph_is_taken_out(client: TestClient, project: int, photograph: dict[str, Any]) -> None:
    assert client.delete(f"/api/v1/projects/{project}/photographs/{photograph['id']}").status_code == 204
    assert client.get(f"/api/v1/projects/{project}/photographs").json() == []
