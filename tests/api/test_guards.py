"""What every request passes. OWASP ASVS 5.0, V3 and V4; RFC 9110 §13.1.1 for If-Match."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fenrain.api.access import addresses_of
from fenrain.core.discovery import declarations
from fenrain.services import projects
from fenrain.settings import settings
from tests.api.conftest import ADDRESS, board_rows, hand_in

pytestmark = pytest.mark.usefixtures("database")


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example", "", "localhost.evil.example:8571", "[::1", "a]b[", "a:b:c"])
def test_it_answers_to_no_other_name(client: TestClient, host: str) -> None:
    answer = client.get("/api/v1/projects", headers={"Host": host})
    assert (answer.status_code, answer.json()["code"]) == (421, "foreign-host")


@pytest.mark.parametrize("host", ["127.0.0.1:8571", "localhost:8571", "[::1]:8571"])
def test_it_answers_to_its_own(client: TestClient, host: str) -> None:
    assert client.get("/api/v1/projects", headers={"Host": host}).status_code == 200


@pytest.mark.parametrize("origin", ["https://evil.example", "null", "http://127.0.0.1:1", "http://[::1"])
def test_a_page_of_another_site_changes_nothing(client: TestClient, origin: str) -> None:
    refused = client.post("/api/v1/projects", json={"name": f"from {origin}"}, headers={"Origin": origin})
    assert (refused.status_code, refused.json()["code"]) == (403, "foreign-origin")
    assert f"from {origin}" not in {one["name"] for one in client.get("/api/v1/projects").json()}


def test_a_browser_s_word_on_where_it_comes_from_is_taken(client: TestClient) -> None:
    # W3C Fetch Metadata: other sites, and other hosts of the same site, say so by Sec-Fetch-Site.
    for site, status in (("cross-site", 403), ("same-site", 403), ("same-origin", 201), ("none", 201)):
        answer = client.post("/api/v1/projects", json={"name": f"site {site}"}, headers={"Sec-Fetch-Site": site})
        assert answer.status_code == status


def test_its_own_pages_may(client: TestClient) -> None:
    assert client.post("/api/v1/projects", json={"name": "own page"}, headers={"Origin": "http://127.0.0.1"}).status_code == 201


def test_browsers_are_told_what_a_page_may_do(client: TestClient) -> None:
    for answer in (client.get("/api/v1/projects"), client.get("/api/v1/nothing"), client.get("/api/v1/projects", headers={"Host": "x"})):
        assert "frame-ancestors 'none'" in answer.headers["Content-Security-Policy"]
        assert answer.headers["X-Content-Type-Options"] == "nosniff"
        assert answer.headers["Cache-Control"] == "no-store"


@pytest.mark.parametrize("said", [True, False])
def test_what_is_too_large_is_refused_before_it_is_kept(
    client: TestClient, project: int, monkeypatch: pytest.MonkeyPatch, said: bool
) -> None:
    monkeypatch.setattr(settings(), "largest_upload", 1 << 20)
    taken = 0

    def body() -> Iterator[bytes]:
        nonlocal taken
        yield b'--x\r\nContent-Disposition: form-data; name="files"; filename="a.mtl"\r\n\r\n'
        for _ in range(64):
            taken += 1 << 20
            yield b"#" * (1 << 20)

    headers = {"Content-Type": "multipart/form-data; boundary=x"} | ({"Content-Length": str(1 << 26)} if said else {})
    answer = client.post(f"/api/v1/projects/{project}/intakes", content=body(), headers=headers)
    assert (answer.status_code, answer.json()["code"]) == (413, "too-large")


@pytest.mark.parametrize("kind", ["application/json", "multipart/form-data; boundary=x"])
@pytest.mark.parametrize("address", ["projects", "session", "projects/1/intakes", "kits/1/difference"])
def test_of_strangers_nothing_is_read(client: TestClient, address: str, kind: str) -> None:
    # Who asks is settled before the body: its first piece is never asked for, however large the rest is.
    taken = 0

    def body() -> Iterator[bytes]:
        nonlocal taken
        for _ in range(64):
            taken += 1
            yield b"[" * (1 << 20)

    stranger = TestClient(client.app, ADDRESS)
    answer = stranger.post(f"/api/v1/{address}", content=body(), headers={"Content-Type": kind, "Content-Length": str(1 << 26)})
    assert answer.status_code in (401, 404, 405, 413)
    assert answer.elapsed.total_seconds() < 5


def test_documents_are_small_and_pixels_as_large_as_they_may_be(client: TestClient) -> None:
    large = b'{"name": "' + b"x" * (9 * 1024**2) + b'"}'
    refused = client.post("/api/v1/projects", content=large, headers={"Content-Type": "application/json"})
    assert (refused.status_code, refused.json()["code"], "8 MiB" in refused.json()["detail"]) == (413, "too-large", True)
    sizes = {address.route.path: address.most for address in addresses_of(declarations("fenrain.api.routers", "router"), "", is_open=False)}
    assert sizes["/projects/{project_id}/intakes"] is None
    assert max(most for most in sizes.values() if most is not None) < 200 * 1024**2


def test_an_own_error_tells_browsers_the_same(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("broken on purpose")

    monkeypatch.setattr(projects, "list_projects", broken)
    answer = client.get("/api/v1/projects")
    assert (answer.status_code, answer.json()["code"]) == (500, "internal")
    assert "frame-ancestors 'none'" in answer.headers["Content-Security-Policy"]
    assert "broken on purpose" not in answer.text


@pytest.mark.parametrize("name", ["a" * 252 + ".mtl", "é" * 126 + ".mtl", "a\u202eb.mtl", "\udc80.mtl"])
def test_names_that_no_disk_keeps_are_refused_in_words(client: TestClient, project: int, name: str) -> None:
    body = (
        b'--x\r\nContent-Disposition: form-data; name="files"; filename="'
        + name.encode(errors="surrogateescape")
        + b'"\r\n\r\nnewmtl a\r\n--x--\r\n'
    )
    answer = client.post(f"/api/v1/projects/{project}/intakes", content=body, headers={"Content-Type": "multipart/form-data; boundary=x"})
    assert (answer.status_code, answer.json()["code"]) == (422, "unsafe-path")
    assert "No disk keeps" in answer.json()["detail"]


def test_two_files_of_one_name_are_both_kept_and_clashes_are_said(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("a.mtl", b"newmtl one\n"), ("a.mtl", b"newmtl other\n")).json()
    assert (intake["files"], intake["found"]["materials"]) == (2, 2)
    clash = hand_in(client, project, ("a", b"x"), ("a/b.mtl", b"newmtl a\n"))
    assert (clash.status_code, clash.json()["code"]) == (422, "input")


def test_more_than_a_thousand_files_come_in_at_once(client: TestClient, project: int) -> None:
    texts = [(f"notes/{number}.txt", b"nothing") for number in range(1200)]
    answer = hand_in(client, project, *texts, ("one.mtl", b"newmtl one\nKd 0.4 0.3 0.2\n"))
    assert answer.status_code == 201, answer.text
    assert (answer.json()["unused_files"], len(answer.json()["unused"])) == (1200, 50)


@pytest.mark.parametrize("tag", ['W/"1"', '"²"', '"-1"', "1", '"1" , "2"', '"99999999999999999999"', "*", ""])
def test_only_a_strong_tag_names_what_was_seen(client: TestClient, converted: dict[str, Any], tag: str) -> None:
    address = f"/api/v1/conversions/{converted['conversion_id']}/values/base_color"
    headers = {"If-Match": tag.encode()}
    assert client.patch(address, json={"value": [0.1, 0.1, 0.1]}, headers=headers).status_code == 428  # type: ignore[arg-type]


def test_two_clicks_let_materials_in_once(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("twice.mtl", b"newmtl twice\nKd 0.4 0.3 0.2\n")).json()
    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(lambda _: client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}), range(4)))
    assert {answer.status_code for answer in answers} == {202}
    board = board_rows(client, project)
    assert [row["name"] for row in board].count("twice") == 1


def test_two_who_make_the_same_project_at_once_are_told(client: TestClient) -> None:
    with ThreadPoolExecutor(8) as pool:
        answers = list(pool.map(lambda _: client.post("/api/v1/projects", json={"name": "at once"}).status_code, range(8)))
    assert answers.count(201) == 1
    assert set(answers) <= {201, 412, 422}
