"""No account, no data; and what an account may do. OWASP ASVS 5.0: V6 (passwords, one-time secrets), V7 (sessions), V8 (authorization).

The short suite misses: who comes back soon enough to be told nothing.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient
from limits import RateLimitItemPerHour
from sqlalchemy import update

from fenrain.api import authentication, routers
from fenrain.api.app import create_app
from fenrain.api.authentication import COOKIE, IN_PERSON, role_of
from fenrain.jobs.queue import submit
from fenrain.services import people
from fenrain.services.people import SESSION_AT_REST, Role
from fenrain.settings import settings
from fenrain.store.database import session
from fenrain.store.tables import CredentialRow, Job, now
from tests.api.conftest import ADDRESS, cookie_of, token_of
from tests.api.test_every_address import OPERATIONS
from tests.sizes import sized

pytestmark = pytest.mark.usefixtures("database")
STRONG, STRONGER = "sluice-gate under seven willows", "seven willows over a sluice gate"


@pytest.fixture(autouse=True)
def _counted_anew() -> Iterator[None]:
    yield
    authentication._limiter.storage.reset()


@pytest.fixture
def supervisor(client: TestClient) -> TestClient:
    """Mira in a browser."""
    return TestClient(client.app, ADDRESS, headers=cookie_of("Mira"))


@pytest.fixture
def stranger(client: TestClient) -> TestClient:
    return TestClient(client.app, ADDRESS, raise_server_exceptions=False)


def link_for(name: str, role: Role = Role.TD) -> str:
    with session() as database:
        known = {one.name: one for one in people.list_people(database)}
        return people.create_sign_in_link(database, known.get(name) or people.add_person(database, name, role))


def signed_in(stranger: TestClient, name: str, role: Role = Role.TD) -> TestClient:
    assert stranger.post("/api/v1/session", json={"link": link_for(name, role)}).status_code == 201
    return stranger


@pytest.mark.parametrize(("method", "path", "operation"), OPERATIONS, ids=[f"{method} {path}" for method, path, _ in OPERATIONS])
def test_no_account_no_data(stranger: TestClient, method: str, path: str, operation: dict[str, Any]) -> None:
    if (method, path) == ("post", "/api/v1/session"):
        pytest.skip("where one signs in")
    answer = stranger.request(method, path.replace("{", "").replace("}", ""), headers={"Authorization": "Bearer nobody"})
    assert (answer.status_code, answer.json()["code"]) == (401, "not-signed-in")


@pytest.mark.population
def test_what_a_reader_and_a_td_may_do_is_what_every_address_says(client: TestClient) -> None:
    reader = TestClient(client.app, ADDRESS, headers=cookie_of("Ida", Role.READER))
    td = TestClient(client.app, ADDRESS, headers=cookie_of("Anders", Role.TD))
    for method, path, operation in OPERATIONS:
        if path == "/api/v1/session":
            continue  # who signs out is let in no more
        needed = role_of(method.upper(), operation)
        address = path.replace("{", "9").replace("}", "9")
        assert (reader.request(method, address).status_code == 403) == (needed is not Role.READER), (method, path)
        assert (td.request(method, address).status_code == 403) == (needed is Role.SUPERVISOR), (method, path)


def test_a_token_never_touches_people_links_and_passwords(client: TestClient) -> None:
    # A supervisor's script that leaks would else let anybody in, as anybody, for good.
    for method, path, operation in OPERATIONS:
        if IN_PERSON in operation:
            answer = client.request(method, path.replace("{", "9").replace("}", "9"), json={"name": "Eve", "role": "supervisor"})
            assert (answer.status_code, answer.json()["detail"]) == (403, "A token may not do this."), (method, path)
    assert sum(IN_PERSON in operation for *_, operation in OPERATIONS) >= 7


def test_a_password_ends_tokens_and_makes_a_link_s_session_an_ordinary_one(stranger: TestClient) -> None:
    session_of = signed_in(stranger, "Runa")
    token = session_of.post("/api/v1/tokens", json={"name": "farm", "days": 7}).json()["secret"]
    assert session_of.put("/api/v1/session/password", json={"password": STRONG}).status_code == 204
    script = TestClient(stranger.app, ADDRESS, headers={"Authorization": f"Bearer {token}"})
    assert script.get("/api/v1/projects").status_code == 401
    # ASVS 6.2.3: who finds the browser open must know the password to change it.
    assert session_of.put("/api/v1/session/password", json={"password": STRONGER}).status_code == 401
    assert not session_of.get("/api/v1/session").json()["by_link"]


def test_a_stranger_locks_nobody_out(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(routers.people, "TRIES", RateLimitItemPerHour(3))
    session_of = signed_in(TestClient(client.app, ADDRESS), "Liv")
    assert session_of.put("/api/v1/session/password", json={"password": STRONG}).status_code == 204
    attacker, liv = (TestClient(client.app, ADDRESS, client=(place, 50000)) for place in ("192.0.2.1", "192.0.2.2"))
    # A name with blanks is the same name, to the database and to the limit.
    names = ["Liv", "Liv ", " liv", "LIV"]
    said = [attacker.post("/api/v1/session", json={"name": name, "password": "guess"}).status_code for name in names]
    assert said == [401] * 3 + [429]
    assert liv.post("/api/v1/session", json={"name": "Liv ", "password": STRONG}).status_code == 201


def test_refused_secrets_write_one_row_a_minute_and_say_whence(client: TestClient) -> None:
    attacker = TestClient(client.app, ADDRESS, client=("192.0.2.7", 50000), headers={"Authorization": "Bearer nobody"})
    for _ in range(20):
        assert attacker.get("/api/v1/projects").status_code == 401
        assert attacker.post("/api/v1/projects", json={"name": "x"}).status_code == 401
    attacker.headers.pop("Authorization")
    attacker.post("/api/v1/session", json={"name": "Olav", "password": "guess"})
    rows = [row for row in client.get("/api/v1/audit").json() if row["source"] == "192.0.2.7"]
    assert [(row["status"], row["tried_as"]) for row in rows] == [(401, "Olav"), (401, "")]
    lines = client.get("/api/v1/audit/lines")
    assert rows[0] in [json.loads(line) for line in lines.text.splitlines()]


def test_a_link_lets_one_in_once(stranger: TestClient) -> None:
    link = link_for("Ole")
    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(lambda _: TestClient(stranger.app, ADDRESS).post("/api/v1/session", json={"link": link}), range(8)))
    assert sorted(answer.status_code for answer in found) == [201] + [401] * 7
    kept = next(answer for answer in found if answer.status_code == 201).headers["set-cookie"]
    assert "HttpOnly" in kept
    assert "samesite=strict" in kept.lower()


def test_a_newer_link_voids_the_older(stranger: TestClient) -> None:
    older, newer = link_for("Ole"), link_for("Ole")
    assert stranger.post("/api/v1/session", json={"link": older}).status_code == 401
    assert stranger.post("/api/v1/session", json={"link": newer}).json()["name"] == "Ole"


def test_a_password_is_set_by_link_and_then_asked_for(stranger: TestClient) -> None:
    session_of = signed_in(stranger, "Tora")
    # ASVS 6.2.1, 6.2.4, 6.2.11: short ones, common ones, and those made of one's own name.
    for weak in ("short", "password123", "qwertyuiop", "ToraTora", "fenrain1"):
        assert session_of.put("/api/v1/session/password", json={"password": weak}).status_code == 422, weak
    assert session_of.put("/api/v1/session/password", json={"password": STRONG}).status_code == 204
    other = TestClient(stranger.app, ADDRESS)
    wrong = other.post("/api/v1/session", json={"name": "Tora", "password": STRONGER})
    nobody = other.post("/api/v1/session", json={"name": "Nobody", "password": STRONGER})
    assert wrong.status_code == nobody.status_code == 401
    assert wrong.json() == nobody.json()
    assert other.post("/api/v1/session", json={"name": "Tora", "password": STRONG}).status_code == 201
    # Who came by password must know it to change it, and every other session ends with the change (ASVS 6.2.3, 7.4.3).
    assert other.put("/api/v1/session/password", json={"password": STRONGER, "current": "x"}).status_code == 401
    assert other.put("/api/v1/session/password", json={"password": STRONGER, "current": STRONG}).status_code == 204
    assert other.get("/api/v1/session").json()["name"] == "Tora"
    assert session_of.get("/api/v1/session").status_code == 401


def test_signing_out_ends_the_session(stranger: TestClient) -> None:
    session_of = signed_in(stranger, "Ole")
    secret = session_of.cookies[COOKIE]
    left = session_of.delete("/api/v1/session")
    assert (left.status_code, left.headers["clear-site-data"]) == (204, '"cache", "storage"')
    assert COOKIE not in session_of.cookies
    assert session_of.get("/api/v1/session", headers={"Cookie": f"{COOKIE}={secret}"}).status_code == 401


def test_a_stream_of_events_ends_with_its_session(stranger: TestClient, project: int) -> None:
    session_of = signed_in(stranger, "Ole")
    page = TestClient(stranger.app, ADDRESS, cookies=session_of.cookies)
    with ThreadPoolExecutor() as beside:
        stream = beside.submit(page.get, f"/api/v1/projects/{project}/events")
        with pytest.raises(TimeoutError):
            stream.result(timeout=1)
        session_of.delete("/api/v1/session")
        assert stream.result(timeout=30).status_code == 200


@pytest.mark.parametrize(("last_seen", "is_told"), sized([(20.0, True), (None, False)], [(20.0, True), (5.0, False), (None, False)]))
def test_who_comes_back_is_told_what_changed_meanwhile(stranger: TestClient, project: int, last_seen: float | None, is_told: bool) -> None:
    # WHATWG HTML, server-sent events: the browser says by Last-Event-ID which event it has seen last.
    session_of = signed_in(stranger, "Ole")
    with session() as database:
        made = submit(database, project, "convert", "meanwhile", []).id
        database.execute(update(Job).where(Job.id == made).values(updated=now() - timedelta(seconds=10)))
    page = TestClient(stranger.app, ADDRESS, cookies=session_of.cookies)
    headers = {} if last_seen is None else {"Last-Event-ID": (now() - timedelta(seconds=last_seen)).isoformat()}
    with ThreadPoolExecutor() as beside:
        stream = beside.submit(page.get, f"/api/v1/projects/{project}/events", headers=headers)
        with pytest.raises(TimeoutError):
            stream.result(timeout=1)
        session_of.delete("/api/v1/session")
        said = stream.result(timeout=30).text
    assert said.startswith("id: ")  # whoever has seen nothing yet has something to come back with
    assert (f'"id":{made},' in said) == is_told


@pytest.mark.parametrize("column", ["seen", "expires"])
def test_a_session_at_rest_or_too_old_ends(stranger: TestClient, column: str) -> None:
    session_of = signed_in(stranger, "Ole")
    secret = people._digest(session_of.cookies[COOKIE])
    with session() as database:
        past = now() - SESSION_AT_REST - timedelta(seconds=1)
        database.execute(update(CredentialRow).where(CredentialRow.digest == secret).values({column: past}))
    assert session_of.get("/api/v1/session").status_code == 401


def test_who_is_disabled_is_put_out_at_once(supervisor: TestClient, stranger: TestClient) -> None:
    session_of = signed_in(stranger, "Gone")
    token = session_of.post("/api/v1/tokens", json={"name": "farm", "days": 7}).json()["secret"]
    script = TestClient(stranger.app, ADDRESS, headers={"Authorization": f"Bearer {token}"})
    assert script.get("/api/v1/projects").status_code == 200
    person = next(one for one in supervisor.get("/api/v1/people").json() if one["name"] == "Gone")
    supervisor.put(f"/api/v1/people/{person['id']}/role", json={"role": "td", "disabled": True})
    assert session_of.get("/api/v1/projects").status_code == script.get("/api/v1/projects").status_code == 401


def test_a_supervisor_is_always_left(supervisor: TestClient) -> None:
    supervisors = [one for one in supervisor.get("/api/v1/people").json() if one["role"] == "supervisor" and not one["disabled"]]
    for one in supervisors:
        if one["name"] != "Mira":
            supervisor.put(f"/api/v1/people/{one['id']}/role", json={"role": "td"})
    mira = next(one for one in supervisors if one["name"] == "Mira")
    for request in ({"role": "td"}, {"role": "supervisor", "disabled": True}):
        refused = supervisor.put(f"/api/v1/people/{mira['id']}/role", json=request)
        assert refused.status_code == 422
        assert "Nobody would be left" in refused.json()["detail"]


def test_a_token_is_ended_by_whose_it_is_and_makes_no_others(stranger: TestClient) -> None:
    session_of = signed_in(stranger, "Ole")
    token = session_of.post("/api/v1/tokens", json={"name": "farm", "days": 7}).json()["secret"]
    (listed,) = [one for one in session_of.get("/api/v1/tokens").json() if one["name"] == "farm"]
    assert token not in str(listed)
    script = TestClient(stranger.app, ADDRESS, headers={"Authorization": f"Bearer {token}"})
    assert script.post("/api/v1/tokens", json={"name": "more", "days": 7}).status_code == 403
    assert script.put("/api/v1/session/password", json={"password": STRONG}).status_code == 403
    ida = TestClient(stranger.app, ADDRESS, headers=cookie_of("Ida", Role.READER))
    assert ida.delete(f"/api/v1/tokens/{listed['id']}").status_code == 404
    assert session_of.delete(f"/api/v1/tokens/{listed['id']}").status_code == 204
    assert script.get("/api/v1/projects").status_code == 401


@pytest.mark.population
def test_guesses_and_floods_are_stopped(stranger: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    said = [stranger.post("/api/v1/session", json={"name": "Ole", "password": str(n)}).status_code for n in range(31)]
    assert said == [401] * 30 + [429]
    monkeypatch.setattr(settings(), "requests_a_minute", 5)
    ida = TestClient(stranger.app, ADDRESS, headers=token_of("Ida", Role.READER))
    assert [ida.get("/api/v1/projects").status_code for _ in range(6)] == [200] * 5 + [429]


def test_so_many_jobs_a_person(client: TestClient, project: int, monkeypatch: pytest.MonkeyPatch) -> None:
    client.post("/api/v1/presets", json={"name": "x", "says": "", "color": "base_color", "values": {}})
    monkeypatch.setattr(settings(), "jobs_at_once", 0)
    refused = client.post(f"/api/v1/projects/{project}/reports", json={"target": "open_pbr", "profile": "extensions", "kind": "csv"})
    assert (refused.status_code, refused.json()["code"]) == (429, "too-many")


def test_every_act_is_noted_with_who_and_how_it_ended(client: TestClient, stranger: TestClient) -> None:
    ida = TestClient(client.app, ADDRESS, headers=token_of("Ida", Role.READER))
    ida.post("/api/v1/projects", json={"name": "not mine"})
    client.post("/api/v1/projects", json={"name": "noted"})
    stranger.post("/api/v1/session", json={"name": "Ole", "password": "guess"})
    signed_in(stranger, "Ole")
    newest = [(one["by"], one["act"], one["status"]) for one in client.get("/api/v1/audit").json()[:4]]
    assert newest == [("Ole", "sign_in", 201), ("", "sign_in", 401), ("Mira", "create_project", 201), ("Ida", "create_project", 403)]


def test_it_says_so_where_a_proxy_speaks_tls(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(settings(), "https", True)
    answer = TestClient(create_app(run_jobs=False), ADDRESS).post("/api/v1/session", json={"link": link_for("Ole")})
    assert "Secure" in answer.headers["set-cookie"]
    assert answer.headers["set-cookie"].startswith("__Host-")
    assert answer.headers["Strict-Transport-Security"].startswith("max-age=31536000")
    secret = answer.headers["set-cookie"].partition("=")[2].partition(";")[0]
    back = {"Cookie": f"__Host-{COOKIE}={secret}"}
    assert TestClient(create_app(run_jobs=False), ADDRESS).get("/api/v1/session", headers=back).json()["name"] == "Ole"
