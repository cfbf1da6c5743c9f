"""Every address of the interface, with numbers, names and bodies that nobody should send: always an answer, never a trace."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fenrain.api.app import create_app

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.fuzz]

NUMBERS = ["0", "-1", "999999999", str(2**70), "x", "1.5", "%00", "1e9"]
NAMES = ["x", "..", "%2e%2e%2fetc", "é", "a" * 3000, "%00", "'; drop table material; --", "open_pbr"]
BODIES: list[Any] = [
    None, [], {}, "x", 7, {"values": None}, {"name": ""}, {"name": "a" * 5000}, {"text": "\x00"}, {"value": {"a": [1]}},
    {"material_ids": [-1, 2**70]}, {"target": "nowhere", "profile": "none"}, {"rigs": ["none"], "size": -1, "samples": 10**12},
]  # fmt: skip
TAGS = [None, '"0"', '"-1"', "x", '"' + "9" * 40 + '"']

OPERATIONS = [
    (method, path, operation)
    for path, methods in create_app(run_jobs=False).openapi()["paths"].items()
    for method, operation in methods.items()
]


def addresses(path: str, operation: dict[str, Any], chance: random.Random, count: int) -> Iterator[str]:
    """The address with odd parts in the places of its parameters, and odd queries."""
    for _ in range(count):
        address, query = path, []
        for parameter in operation.get("parameters", ()):
            odd = chance.choice(NUMBERS if parameter["schema"].get("type") == "integer" else NAMES)
            if parameter["in"] == "path":
                address = address.replace(f"{{{parameter['name']}}}", odd)
            elif parameter["in"] == "query":
                query.append(f"{parameter['name']}={odd}")
        yield address + ("?" + "&".join(query) if query else "")


@pytest.mark.parametrize(("method", "path", "operation"), OPERATIONS, ids=[f"{method} {path}" for method, path, _ in OPERATIONS])
def test_whatever_is_sent_is_answered_without_a_trace(client: TestClient, method: str, path: str, operation: dict[str, Any]) -> None:
    chance = random.Random(path)
    for address in addresses(path, operation, chance, 12):
        body, tag = chance.choice(BODIES), chance.choice(TAGS)
        answer = client.request(method, address, json=body, headers={"If-Match": tag} if tag else {})
        assert answer.status_code < 500, (address, body, tag, answer.text)
        if answer.status_code >= 400:
            assert answer.headers["content-type"] == "application/problem+json"
            assert answer.json()["detail"]
            assert "Traceback" not in answer.text
            assert ".py" not in answer.text
