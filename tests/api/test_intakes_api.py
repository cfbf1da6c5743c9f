"""An intake that grows: more files, a unit of length, corrections of maps, and being there again; nothing of it changes the files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient

from fenrain.core.maps.image import write_png
from fenrain.core.values import Map
from fenrain.store.database import session
from fenrain.store.rows import material_of
from fenrain.store.tables import MaterialRow
from tests.api.conftest import hand_in, work_off

pytestmark = pytest.mark.usefixtures("database")
SHEET = b"newmtl wall\nKd 1 1 1\nmap_Kd rust_diffuse.png\nmap_Ns wall_rough.png\nNs 100\n"


@pytest.fixture
def project(client: TestClient, request: pytest.FixtureRequest) -> int:
    return int(client.post("/api/v1/projects", json={"name": request.node.name}).json()["id"])


@pytest.fixture
def maps(tmp_path: Path) -> dict[str, bytes]:
    random = np.random.default_rng(3)
    write_png(tmp_path / "rust_diffuse.png", random.random((8, 8, 3)))
    write_png(tmp_path / "wall_rough.png", random.random((8, 8, 1)))
    return {path.name: path.read_bytes() for path in tmp_path.glob("*.png")}


def add(client: TestClient, intake: int, **files: bytes) -> Any:
    return client.post(f"/api/v1/intakes/{intake}/files", files=[("files", (name, data)) for name, data in files.items()])


def found(intake: dict[str, Any]) -> dict[str, Any]:
    (material,) = intake["found"]
    return dict(material)


def codes(material: dict[str, Any]) -> set[str]:
    return {finding["code"] for finding in material["findings"]}


def test_a_missing_map_alone_is_handed_in_afterwards(client: TestClient, project: int, maps: dict[str, bytes]) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET), ("wall_rough.png", maps["wall_rough.png"])).json()
    assert "missing-map" in codes(found(intake))
    whole = add(client, intake["id"], **{"rust_diffuse.png": maps["rust_diffuse.png"]}).json()
    assert whole["id"] == intake["id"]
    assert "missing-map" not in codes(found(whole))
    assert sorted(whole["files"]) == ["rust_diffuse.png", "wall.mtl", "wall_rough.png"]
    # It is there again when somebody comes back, until it has entered the board or was put aside.
    assert client.get(f"/api/v1/projects/{project}/intakes/open").json()["id"] == intake["id"]
    assert client.delete(f"/api/v1/intakes/{intake['id']}").status_code == 204
    assert client.get(f"/api/v1/projects/{project}/intakes/open").json() is None


def test_files_that_lie_outside_are_refused_and_nothing_is_lost(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET)).json()
    assert add(client, intake["id"], **{"../../evil.png": b"x"}).status_code == 422
    assert client.get(f"/api/v1/intakes/{intake['id']}").json() == intake


def test_the_evidence_of_a_map_is_said_and_one_action_corrects_it(client: TestClient, project: int, maps: dict[str, bytes]) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET), *maps.items()).json()
    material = found(intake)
    assert set(material["mapped"]) >= {"diffuse"}
    mapped = material["mapped"][0]
    address = f"/api/v1/intakes/{intake['id']}/found/{material['position']}/corrections"
    corrected = client.post(address, json={"parameter": mapped, "encoding": "linear"})
    assert corrected.status_code == 200
    assert "corrected" in codes(found(corrected.json()))
    assert client.post(address, json={"parameter": "nonsense", "invert": True}).status_code == 422
    assert client.post(address, json={"parameter": mapped, "channel": "r"}).status_code == 422
    refused = client.post(address, json={"parameter": mapped, "encoding": "nonsense"})
    assert refused.status_code == 422
    job = client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()
    work_off(job["id"])
    with session() as database:
        row = database.query(MaterialRow).filter(MaterialRow.intake_id == intake["id"]).one()
        value = material_of(row).value(mapped)
    assert isinstance(value, Map)
    assert value.encoding == "linear"
    late = client.post(address, json={"parameter": mapped, "encoding": "srgb"})
    assert late.status_code == 422
    assert "entered the board already" in late.json()["detail"]


def test_a_unit_is_said_for_files_that_state_none(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET)).json()
    assert (intake["unit"], found(intake)["unit"]) == (0.0, 0.0)
    counted = client.put(f"/api/v1/intakes/{intake['id']}/unit", json={"metres": 0.01}).json()
    assert (counted["unit"], found(counted)["unit"]) == (0.01, 0.01)
    assert client.put(f"/api/v1/intakes/{intake['id']}/unit", json={"metres": -1}).status_code == 422
