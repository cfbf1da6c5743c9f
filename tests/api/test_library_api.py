"""Dialects, presets, tables, comparison, fit, remedies and copies over HTTP, on a real MariaDB."""

from __future__ import annotations

import json
from typing import Any

import pytest
from fastapi.testclient import TestClient
from pytest import approx

from fenrain.core.dialects.dialect import shipped
from fenrain.core.tables import presets
from tests.api.conftest import board_row, board_rows, conversion, found_in, hand_in, version, work_off

pytestmark = pytest.mark.usefixtures("database")

SHEET = json.dumps([{"Label": "belt", "Paint": [40, 30, 20], "Mirror share": [255, 255, 255], "Mirror gloss": 80}])
OWN = """dialect: 1
id: our-own
name: Our own
model: gloss_pair
parameters:
  - {name: tone, feeds: diffuse, encoding: srgb}
"""


def test_dialect_is_tried_as_it_is_typed(client: TestClient) -> None:
    text = client.get("/api/v1/dialects/osier").json()["text"]
    tried = client.post("/api/v1/dialects/try", json={"dialect": text, "sheet": SHEET}).json()
    assert tried["problems"] == []
    assert tried["materials"][0]["values"]["reflection_glossiness"] == "0.8"
    assert tried["materials"][0]["converted"]["specular_roughness"] == "0.2"
    wrong = client.post("/api/v1/dialects/try", json={"dialect": text.replace("feeds: ior", "feeds: iro"), "sheet": SHEET}).json()
    assert wrong["problems"][0]["line"] == 16
    assert "did you mean “ior”" in wrong["problems"][0]["message"]
    assert wrong["guesses"][0]["id"] == "osier"
    broken = client.post("/api/v1/dialects/try", json={"dialect": text, "sheet": "[{"}).json()
    assert "not JSON" in broken["refused"]


def test_dialect_is_saved_shared_and_guessed_and_two_editors_are_told_apart(client: TestClient, project: int) -> None:
    saved = client.put("/api/v1/dialects/our-own", json={"text": OWN}, headers={"If-Match": '"0"'})
    assert saved.json()["version"] == 1
    late = client.put("/api/v1/dialects/our-own", json={"text": OWN}, headers={"If-Match": '"0"'})
    assert (late.status_code, late.json()["code"]) == (412, "changed-meanwhile")
    intake = hand_in(client, project, ("own.json", b'[{"name": "a", "tone": "#808080"}]')).json()
    (found,) = found_in(client, intake)
    assert found["model"] == "gloss_pair"
    assert any("Our own" in finding["message"] for finding in found["findings"])
    listed = {dialect["id"]: dialect["version"] for dialect in client.get("/api/v1/dialects").json()}
    assert (listed["our-own"], listed["osier"]) == (1, 0)
    taken = client.post("/api/v1/dialects/our-own/name", json={"id": "osier"}, headers={"If-Match": '"1"'})
    assert (taken.status_code, taken.json()["place"]) == (422, "id")
    assert client.post("/api/v1/dialects/our-own/name", json={"id": "No Id"}, headers={"If-Match": '"1"'}).status_code == 422
    client.put(f"/api/v1/intakes/{intake['id']}/dialect", json={"file": "own.json", "dialect": "our-own"})
    renamed = client.post("/api/v1/dialects/our-own/name", json={"id": "ours"}, headers={"If-Match": '"1"'}).json()
    assert renamed["text"] == OWN.replace("id: our-own", "id: ours")
    assert client.get("/api/v1/dialects/our-own").status_code == 404
    again = client.put(f"/api/v1/intakes/{intake['id']}/unit", json={"metres": 1.0}).json()
    assert (again["errors"], found_in(client, again)[0]["model"]) == ([], "gloss_pair")
    assert client.delete("/api/v1/dialects/ours").status_code == 204
    assert client.get("/api/v1/dialects/ours").status_code == 404


@pytest.mark.parametrize(("key", "text", "says"), [
    ("our-own", OWN.replace("diffuse", "difuse"), "line 6"), ("another", OWN, "calls itself"), ("our-own", "[", "line 1"),
])  # fmt: skip
def test_wrong_dialects_are_not_saved(client: TestClient, key: str, text: str, says: str) -> None:
    answer = client.put(f"/api/v1/dialects/{key}", json={"text": text}, headers={"If-Match": '"0"'})
    assert answer.status_code == 422
    assert says in answer.json()["detail"] + answer.json()["place"]


def test_dialect_handed_in_beside_its_sheet_is_used(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("own.yaml", OWN.encode()), ("sheet.csv", b"name,tone\na,0.5 0.5 0.5\n")).json()
    assert intake["errors"] == []
    assert found_in(client, intake)[0]["values"]["diffuse"] == "(0.214, 0.214, 0.214)"


def test_wrong_guess_takes_one_action_to_fix_and_holds_until_the_board(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("mixed.json", SHEET.encode())).json()
    assert found_in(client, intake)[0]["values"]["reflection_glossiness"] == "0.8"
    changed = client.put(f"/api/v1/intakes/{intake['id']}/dialect", json={"file": "mixed.json", "dialect": "withy"}).json()
    assert found_in(client, changed)[0]["model"] == "weighted"
    work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()["id"])
    assert any(row["model"] == "weighted" and row["file"] == "mixed.json" for row in board_rows(client, project))
    late = client.put(f"/api/v1/intakes/{intake['id']}/dialect", json={"file": "mixed.json", "dialect": "osier"})
    assert late.status_code == 422


def test_preset_is_kept_started_from_and_deleted(client: TestClient, project: int) -> None:
    known = client.get("/api/v1/presets").json()
    assert {preset["id"] for preset in known} >= set(presets())
    body = {"name": "pump green", "color": "base_color", "values": {"base_color": [0.1, 0.3, 0.1], "specular_roughness": 0.25}}
    kept = client.post("/api/v1/presets", json=body).json()
    assert client.post("/api/v1/presets", json=body).status_code == 422
    started = client.post(
        f"/api/v1/projects/{project}/materials", json={"preset": kept["id"], "name": "new pipe", "color": [0.4, 0.1, 0.1]}
    )
    work_off(started.json()["id"])
    row = board_row(client, project, "new pipe")
    ledger = {entry["target"]: entry for entry in client.get(f"/api/v1/conversions/{row['conversion_id']}").json()["ledger"]}
    assert ledger["base_color"]["derived"] == {"constant": [0.4, 0.1, 0.1]}
    assert ledger["specular_roughness"]["derived"] == {"constant": 0.25}
    called = client.put(f"/api/v1/presets/{kept['id']}/name", json={"name": "sluice paint", "says": "worn"}).json()
    assert (called["id"], called["name"], called["says"]) == (kept["id"], "sluice paint", "worn")
    assert client.put("/api/v1/presets/enamel/name", json={"name": "mine"}).status_code == 404, "a shipped one keeps its name"
    assert client.delete(f"/api/v1/presets/{kept['id']}").status_code == 204
    assert client.delete("/api/v1/presets/enamel").status_code == 404, "a shipped one stays"
    refused = client.post("/api/v1/presets", json={**body, "name": "no", "values": {"shine": 1}})
    assert refused.status_code == 422


def test_tables_are_at_hand(client: TestClient) -> None:
    tables = client.get("/api/v1/tables").json()
    assert next(entry["value"] for entry in tables["indices"] if entry["id"] == "water") == approx(1.333)
    gold = next(metal for metal in tables["metals"] if metal["id"] == "gold")
    assert gold["outside"][0] > 1.0 >= gold["colour"][0]
    assert len(client.get("/api/v1/dialects").json()) == len(shipped())


def test_fit_enters_the_ledger_and_can_be_reset(client: TestClient, converted: dict[str, Any]) -> None:
    identity = converted["conversion_id"]
    address = f"/api/v1/conversions/{identity}"
    before = conversion(client, identity)
    fitted = client.post(f"{address}/fit", json={"locked": ["base_color"]}, headers=version(client, identity)).json()
    assert fitted["after"] < fitted["before"]
    entries = {entry["target"]: entry for entry in fitted["conversion"]["ledger"]}
    assert {name for name, entry in entries.items() if entry["override_by"] == "fit"} == set(fitted["changed"])
    assert "base_color" not in fitted["changed"]
    assert "lobe error" in entries[fitted["changed"][0]]["override_why"]
    shares = client.get(f"{address}/shares").json()
    assert shares["error"] == approx(fitted["after"], rel=1e-6)
    assert 0 < sum(shares["values"].values()) <= 1.001
    stale = client.post(f"{address}/fit", json={}, headers={"If-Match": f'"{before["version"]}"'})
    assert stale.status_code == 412
    back = client.delete(f"{address}/values", headers=version(client, identity)).json()
    assert all(entry["override"] is None for entry in back["ledger"])


def test_remedy_of_a_finding_enters_the_ledger_as_such(client: TestClient, converted: dict[str, Any]) -> None:
    identity = converted["conversion_id"]
    address = f"/api/v1/conversions/{identity}"
    odd = client.patch(f"{address}/values/base_metalness", json={"value": 0.4}, headers=version(client, identity)).json()
    finding = next(finding for finding in odd["findings"] if finding["code"] == "half_metal")
    assert (finding["usual"], finding["source"], finding["fix"]) == ("0 or 1", "common practice", {"base_metalness": 0.0})
    body = {"code": "half_metal", "parameter": "base_metalness"}
    done = client.post(f"{address}/remedies", json=body, headers=version(client, identity)).json()
    entry = next(entry for entry in done["ledger"] if entry["target"] == "base_metalness")
    assert (entry["override"], entry["override_by"]) == ({"constant": 0.0}, "remedy")
    assert "half_metal" not in {finding["code"] for finding in done["findings"]}
    assert client.post(f"{address}/remedies", json=body, headers=version(client, identity)).status_code == 404
    client.delete(f"{address}/values", headers=version(client, identity))


def test_values_are_copied_from_slots_and_siblings(client: TestClient, project: int, converted: dict[str, Any]) -> None:
    intake = hand_in(client, project, ("sibling.mtl", b"newmtl sibling\nKd 0.7 0.1 0.1\nKs 0.2 0.2 0.2\nNs 20\n")).json()
    work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()["id"])
    sibling = board_row(client, project, "sibling")
    identity, other = converted["conversion_id"], sibling["conversion_id"]
    address = f"/api/v1/conversions/{identity}/values"
    body = {"conversion_id": other, "name": "base_color"}
    copied = client.put(f"{address}/base_color/copy", json=body, headers=version(client, identity)).json()
    entry = next(entry for entry in copied["ledger"] if entry["target"] == "base_color")
    wanted = next(entry for entry in conversion(client, other)["ledger"] if entry["target"] == "base_color")
    assert entry["override"] == wanted["derived"]
    assert entry["override_why"] == "copied from base_color of sibling"
    slot = {"conversion_id": identity, "name": "specular_roughness"}
    own = client.put(f"{address}/coat_roughness/copy", json=slot, headers=version(client, identity)).json()
    assert next(entry for entry in own["ledger"] if entry["target"] == "coat_roughness")["override_by"] == "copy"
    wrong = client.put(f"{address}/coat_weight/copy", json=body, headers=version(client, identity))
    assert (wrong.status_code, wrong.json()["code"]) == (422, "parameter")
    client.delete(address, headers=version(client, identity))


def test_named_surface_is_laid_over_a_conversion(client: TestClient, converted: dict[str, Any]) -> None:
    identity = converted["conversion_id"]
    address = f"/api/v1/conversions/{identity}"
    laid = client.post(f"{address}/preset", json={"preset": "polished_brass"}, headers=version(client, identity)).json()
    entries = {entry["target"]: entry for entry in laid["ledger"]}
    assert entries["base_metalness"]["override"] == {"constant": 1.0}
    assert entries["base_color"]["override_why"] == "from the named surface Polished brass"
    unknown = client.post(f"{address}/preset", json={"preset": "nothing"}, headers=version(client, identity))
    assert unknown.status_code == 404
    client.delete(f"{address}/values", headers=version(client, identity))


def test_one_material_is_compared_in_every_target(client: TestClient, project: int, converted: dict[str, Any]) -> None:
    compared = client.get(f"/api/v1/materials/{converted['material_id']}/targets").json()
    targets = {(target["target"], target["profile"]): target for target in compared["targets"]}
    served = client.get(f"/api/v1/projects/{project}/targets").json()
    # Profiles narrow those of the models; they are compared once something is converted to them.
    assert targets.keys() == {(target["model"], target["profile"]) for target in served if target["narrows"] == ""}
    least = min(target["predicted"] for target in compared["targets"])
    assert [target["predicted"] - least < 1e-3 for target in compared["targets"] if target["nearest"]] == [True]
    assert targets["open_pbr", "extensions"]["conversion_id"] == converted["conversion_id"]
    assert targets["preview", "extensions"]["conversion_id"] is None
    assert all(target["values"] and target["predicted"] >= 0 for target in targets.values())
    assert targets["exponent", "extensions"]["predicted"] < targets["metal_rough", "core"]["predicted"]


def test_what_is_lost_is_listed_once_with_every_reason(client: TestClient, project: int) -> None:
    sheet = (
        "dialect: osier\nmaterials:\n- {Label: tube, Paint: [0, 0, 0], Mirror share: [250, 250, 250], Mirror gloss: 99, "
        'Glass share: [250, 250, 250], Glass gloss: 99, Bend: 1.517, Inner tint: "#d5ecdc", Inner tint strength: 0.35, dialect: osier}\n'
    )
    intake = hand_in(client, project, ("glass.yaml", sheet.encode())).json()
    client.post(f"/api/v1/intakes/{intake['id']}/accept", json={})
    row = board_row(client, project, "tube")
    compared = client.get(f"/api/v1/materials/{row['material_id']}/targets").json()["targets"]
    core = next(target for target in compared if (target["target"], target["profile"]) == ("metal_rough", "core"))
    named = [tuple(loss["sources"]) for loss in core["losses"]]
    assert len(named) == len(set(named)) > 0
    assert any("refraction" in names for names in named)
    assert all("Instead:" in loss["text"] for loss in core["losses"])
