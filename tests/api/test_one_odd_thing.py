"""One odd thing never stops the rest: what is uploaded is accounted for, and what can be written is written."""

from __future__ import annotations

import io
import json
import struct
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient

from fenrain.core import Material, write
from fenrain.core.maps.image import write_png
from fenrain.core.values import Image, Map
from tests.api.conftest import board_rows, found_in, hand_in, work_off

pytestmark = pytest.mark.usefixtures("database")


def png(folder: Path, *, whole: bool = True) -> bytes:
    """A picture, or one that is damaged behind its header."""
    write_png(folder / "p.png", np.random.default_rng(0).random((64, 64, 3)))
    data = (folder / "p.png").read_bytes()
    return data if whole else data[:200] + b"\x00" * (len(data) - 200)


def taken(client: TestClient, project: int, request: dict[str, str], *files: tuple[str, bytes]) -> list[int]:
    """The ids of the materials of some files, on the board."""
    known = {row["material_id"] for row in board_rows(client, project, **request)}
    intake = hand_in(client, project, *files).json()
    client.post(f"/api/v1/intakes/{intake['id']}/accept", json=request)
    rows = board_rows(client, project, **request)
    return [row["material_id"] for row in rows if row["material_id"] not in known]


def delivered(client: TestClient, project: int, ids: list[int], request: dict[str, str]) -> tuple[dict[str, Any], list[str]]:
    """The job as it is shown in the end, and the names in its archive."""
    job = client.post(f"/api/v1/projects/{project}/deliveries", json={"material_ids": ids, **request}).json()
    work_off(job["id"])
    shown = client.get(f"/api/v1/jobs/{job['id']}").json()
    archive = client.get(f"/api/v1/jobs/{job['id']}/archive")
    names = zipfile.ZipFile(io.BytesIO(archive.content)).namelist() if archive.status_code == 200 else []
    return shown, names


OPEN_PBR = {"target": "open_pbr", "profile": "extensions"}
GLTF = {"target": "metal_rough", "profile": "extensions"}


def test_every_file_that_was_handed_in_is_accounted_for(client: TestClient, project: int, tmp_path: Path) -> None:
    mtl = b"newmtl paint\nKd 0.4 0.3 0.2\nmap_Kd p.png\n"
    intake = hand_in(
        client,
        project,
        ("paint.mtl", mtl),
        ("p.png", png(tmp_path)),
        ("notes.txt", b"remember the milk"),
        ("spare.png", png(tmp_path)),
        ("cut.glb", b"glTF\x02\x00\x00\x00"),
        ("wrong.mtlx", b"<materialx>"),
        ("empty.csv", b""),
    ).json()
    assert [material["name"] for material in found_in(client, intake)] == ["paint"]
    assert sorted(intake["unused"]) == ["notes.txt", "spare.png"]
    assert sorted(error["file"] for error in intake["errors"]) == ["cut.glb", "empty.csv", "wrong.mtlx"]
    assert all(error["message"] and error["place"] for error in intake["errors"])


def test_a_sheet_says_by_which_dialect_it_was_read(client: TestClient, project: int) -> None:
    row = {"Label": "gate", "Paint": [120, 40, 30], "Mirror share": [255, 255, 255], "Mirror gloss": 80, "Shape": "short tail"}
    named = [{"dialect": "withy", "shader": "moss", "dif_amt": 0.8, "dif_col": [0.1, 0.2, 0.04]}]
    files = [("yard.json", json.dumps([row]).encode()), ("moss.json", json.dumps(named).encode())]
    sheets = {sheet["file"]: sheet for sheet in hand_in(client, project, *files).json()["sheets"]}
    assert sheets["yard.json"]["dialect"] == "osier"
    assert sheets["moss.json"]["dialect"] == ""


def test_a_damaged_map_leaves_out_one_material_and_names_it(client: TestClient, project: int, tmp_path: Path) -> None:
    mtl = "".join(f"newmtl plain_{index}\nKd 0.{index + 1} 0.3 0.2\nKs 0.2 0.2 0.2\n" for index in range(5))
    mtl += "newmtl damaged\nKd 1 1 1\nKs 0.2 0.2 0.2\nmap_Kd p.png\n"
    ids = taken(client, project, OPEN_PBR, ("station.mtl", mtl.encode()), ("p.png", png(tmp_path, whole=False)))
    assert len(ids) == 6
    job, names = delivered(client, project, ids, OPEN_PBR)
    assert any(name.endswith(".mtlx") for name in names)
    (error,) = job["errors"]
    assert "“damaged”" in error
    assert "station.mtl" in error
    assert "Traceback" not in error


def test_a_missing_buffer_is_said_at_the_door_and_its_materials_are_written(client: TestClient, project: int, tmp_path: Path) -> None:
    write([Material.of("paint", "metal_rough", {"metallic": 0.0})], tmp_path / "a.glb", "gltf")
    data = (tmp_path / "a.glb").read_bytes()
    length = struct.unpack("<I", data[12:16])[0]
    document = json.loads(data[20 : 20 + length])
    document["buffers"][0]["uri"] = "gone.bin"
    request = {"target": "metal_rough", "profile": "core"}
    intake = hand_in(client, project, ("a.gltf", json.dumps(document).encode())).json()
    assert "meshes-not-usable" in {finding["code"] for finding in found_in(client, intake)[0]["findings"]}
    ids = taken(client, project, request, ("a.gltf", json.dumps(document).encode()))
    job, names = delivered(client, project, ids, request)
    assert any(name.endswith(".glb") for name in names)
    assert any("spheres" in error and "gone.bin" in error for error in job["errors"])


def test_a_map_of_one_channel_in_a_coat_does_not_end_a_delivery(client: TestClient, project: int, tmp_path: Path) -> None:
    # The coat's weight from one channel of a map: a rule gives its index as a plain number, which once ended the delivery of all.
    write_png(tmp_path / "w.png", np.random.default_rng(0).random((16, 16, 3)))
    coated = Material.of("coated", "metal_rough", {"metallic": 0.0, "clearcoat": Map(Image("w.png", tmp_path / "w.png"), "r")})
    plain = Material.of("plain", "metal_rough", {"metallic": 0.0})
    write([coated, plain], tmp_path / "c.glb", "gltf")
    ids = taken(client, project, OPEN_PBR, ("c.glb", (tmp_path / "c.glb").read_bytes()))
    job, names = delivered(client, project, ids, OPEN_PBR)
    assert (job["state"], job["errors"]) == ("done", [])
    assert any("coat_weight" in name for name in names)


def test_nothing_that_could_be_written_is_an_error_with_the_reason(client: TestClient, project: int, tmp_path: Path) -> None:
    mtl = b"newmtl damaged\nKd 1 1 1\nKs 0.2 0.2 0.2\nmap_Kd p.png\n"
    ids = taken(client, project, OPEN_PBR, ("only.mtl", mtl), ("p.png", png(tmp_path, whole=False)))
    job, names = delivered(client, project, ids, OPEN_PBR)
    assert names == []
    assert job["state"] == "failed"
    assert any("p.png" in error for error in job["errors"])


def test_an_address_that_is_not_there_is_a_problem(client: TestClient) -> None:
    for path in ("/api/v1/nonsense", "/api/v1/models/17/parts", "/api/"):
        answer = client.get(path)
        assert answer.status_code == 404, path
        assert answer.headers["content-type"] == "application/problem+json"
        assert answer.json()["remedy"]


def test_an_unknown_target_is_refused_with_those_that_are_known(client: TestClient, project: int) -> None:
    ids = taken(client, project, OPEN_PBR, ("x.mtl", b"newmtl x\nKd 0.1 0.7 0.2\n"))
    answer = client.post(f"/api/v1/projects/{project}/deliveries", json={"material_ids": ids, "target": "nonsense"})
    assert answer.status_code == 404
    assert "metal_rough" in answer.json()["remedy"]
