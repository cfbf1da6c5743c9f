"""A studio's own model, format and metric, installed beside Fenrain as a package: through core, command line and API, with no line of
Fenrain changed."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]

PACKAGE = Path(__file__).parents[1] / "studio_package"
ENAMEL = "newmtl enamel\nKd 0.4 0.3 0.2\nKs 0 0 0\nNs 60\n"

IN_CORE = """
import json, sys
from pathlib import Path
from fenrain.core import check, convert, read, write
folder = Path(sys.argv[1])
(original,) = read(folder / "enamel.mtl")
conversion = convert(original, "plain")
(back,) = read(write([conversion.material], folder / "out.plain", "plain")[0])
checked = check(original, conversion.material, rigs=["soft_studio"], size=64, most_samples=16)
print(json.dumps({
    "tone": back.parameters()["tone"],
    "ledger": [entry.target for entry in conversion.ledger],
    "verdict": checked.verdict,
    "readings": list(checked.readings["soft_studio"]),
    "hub": convert(back, "open_pbr").material.parameters()["base_color"],
}))
"""

IN_API = """
import io, json, sys, zipfile
from fastapi.testclient import TestClient
from fenrain.api.app import create_app
from tests.api.conftest import ADDRESS, hand_in, token_of, work_off
client = TestClient(create_app(run_jobs=False), ADDRESS, headers=token_of("Mira"))
project = client.post("/api/v1/projects", json={"name": "studio"}).json()["id"]
intake = hand_in(client, project, ("enamel.mtl", open(sys.argv[1] + "/enamel.mtl", "rb").read())).json()
target = next(target for target in client.get(f"/api/v1/projects/{project}/targets").json() if target["model"] == "plain")
wish = {"target": target["model"], "profile": target["profile"]}
work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json=wish).json()["id"])
(row,) = client.get(f"/api/v1/projects/{project}/board", params=wish).json()["rows"]
work_off(client.post(f"/api/v1/conversions/{row['conversion_id']}/checks", json={}).json()["id"])
shown = client.get(f"/api/v1/conversions/{row['conversion_id']}").json()
job = client.post(f"/api/v1/projects/{project}/deliveries", json={"material_ids": [row["material_id"]], **wish}).json()
work_off(job["id"])
archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/v1/jobs/{job['id']}/archive").content))
print(json.dumps({
    "ledger": {entry["target"]: entry["derived"] for entry in shown["ledger"] if entry["target"]},
    "title": shown["target_title"],
    "readings": [reading["metric"] for reading in shown["checks"][0]["readings"]],
    "delivered": archive.namelist(),
    "parameters": [p["name"] for m in client.get("/api/v1/models").json() if m["id"] == "plain" for p in m["parameters"]],
}))
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("studio")
    (made / "enamel.mtl").write_text(ENAMEL)
    return made


def run(*arguments: str) -> Any:
    """In a process that has the studio's package installed."""
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join([str(PACKAGE), str(Path(__file__).parents[2])])}
    done = subprocess.run(arguments, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_in_the_core(folder: Path) -> None:
    found = json.loads(run(sys.executable, "-c", IN_CORE, str(folder)))
    assert found["tone"] == pytest.approx([0.4, 0.3, 0.2], abs=1e-6)
    assert found["hub"] == pytest.approx([0.4, 0.3, 0.2], abs=1e-6)
    assert {"tone", "matt"} <= set(found["ledger"])
    assert "brightness" in found["readings"]
    # Its gloss is declared as not drawn, and what stands there says nothing of the original's highlight.
    assert found["verdict"] in ("undecided", "off", "near")


def test_on_the_command_line(folder: Path) -> None:
    fenrain = str(Path(sys.executable).with_name("fenrain"))
    assert "Studio plain" in run(fenrain, "targets")
    run(fenrain, "convert", str(folder / "enamel.mtl"), "--to", "plain", "-o", str(folder / "delivered"), "--allow", "all")
    (written,) = (folder / "delivered").glob("*.plain")
    assert written.read_text().startswith("enamel;(0.4")


def test_in_the_api(folder: Path) -> None:
    found = json.loads(run(sys.executable, "-c", IN_API, str(folder)))
    assert found["ledger"]["tone"]["constant"] == pytest.approx([0.4, 0.3, 0.2], abs=1e-6)
    assert found["title"] == "Studio plain"
    assert "brightness" in found["readings"]
    assert any(name.endswith(".plain") for name in found["delivered"])
    assert found["parameters"] == ["tone", "matt"]
