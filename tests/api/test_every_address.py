"""Every address of the interface, with numbers, names and bodies that nobody should send: always an answer, never a trace."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fenrain.api.app import create_app
from tests.sizes import sized

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


NUMBERS_WITHIN = [float("nan"), float("inf"), float("-inf"), 1e308, 5e-324, -1, 10**400, True, "1e999"]
TEXTS_WITHIN = ["\ud800", "\x00", "a" * 300, "", " ", "../x", "nul\u2028", 7]
KINDS = {"number": NUMBERS_WITHIN, "integer": NUMBERS_WITHIN, "string": TEXTS_WITHIN}
MOST_LEAVES, EACH = sized((8, 3), (60, 9))
"""Fields of a body that are made odd, and how many odd values each gets."""
DOCUMENT = create_app(run_jobs=False).openapi()
WITH_BODIES = [
    (method, path, operation["requestBody"]["content"]["application/json"]["schema"])
    for method, path, operation in OPERATIONS
    if "application/json" in operation.get("requestBody", {}).get("content", {})
]


def example_of(schema: dict[str, Any], depth: int = 0) -> Any:
    """A document that a schema would take, as far as it says so."""
    if "$ref" in schema:
        return example_of(DOCUMENT["components"]["schemas"][schema["$ref"].rsplit("/", 1)[1]], depth + 1)
    for kind in ("anyOf", "oneOf", "allOf"):
        if kind in schema:
            return example_of(schema[kind][0], depth + 1)
    if "const" in schema or "enum" in schema:
        return schema.get("const", next(iter(schema.get("enum", [None]))))
    if schema.get("type") == "object":
        return {} if depth > 6 else {name: example_of(one, depth + 1) for name, one in schema.get("properties", {}).items()}
    if schema.get("type") == "array":
        return [] if depth > 6 or "items" not in schema else [example_of(schema["items"], depth + 1)]
    return {"string": "x", "integer": 1, "number": 0.5, "boolean": False}.get(schema.get("type", ""))


def leaves_of(document: Any, way: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], str]]:
    """The way to every number and text of a document, with which it is."""
    if isinstance(document, (dict, list)):
        for key in document if isinstance(document, dict) else range(len(document)):
            yield from leaves_of(document[key], (*way, key))
    elif isinstance(document, (int, float)) and not isinstance(document, bool):
        yield way, "number"
    elif isinstance(document, str):
        yield way, "string"


@pytest.mark.parametrize(("method", "path", "schema"), WITH_BODIES, ids=[f"{method} {path}" for method, path, _ in WITH_BODIES])
def test_odd_numbers_and_texts_are_refused_with_what_and_where(client: TestClient, method: str, path: str, schema: dict[str, Any]) -> None:
    chance = random.Random(path)
    leaves = list(leaves_of(example_of(schema)))
    for way, kind in chance.sample(leaves, min(MOST_LEAVES, len(leaves))):
        for odd in chance.sample(KINDS[kind], min(EACH, len(KINDS[kind]))):
            body = example_of(schema)
            holder = body
            for key in way[:-1]:
                holder = holder[key]
            if way:
                holder[way[-1]] = odd
            content = json.dumps(body if way else odd)
            headers = {"Content-Type": "application/json", "If-Match": '"0"'}
            answer = client.request(method, path.replace("{", "1").replace("}", "1"), content=content, headers=headers)
            assert answer.status_code < 500, (way, odd, answer.text)
