"""What each of many people does, for the load tool: looks at the board and the bench, sets values as they stood there, and reviews."""

from __future__ import annotations

import json
import os
import random
from typing import Any

from locust import HttpUser, between, task

KNOWN = json.loads(os.environ.get("FENRAIN_LOAD", "{}"))
MET = (409, 412)
"""Somebody else was first, which is told, and no error."""


class Person(HttpUser):
    wait_time = between(1.0, 4.0)

    def on_start(self) -> None:
        self.client.headers["Authorization"] = f"Bearer {KNOWN['tokens'].pop()}"

    @task(5)
    def board(self) -> None:
        states = random.choice(("", "needs attention", "match"))
        self.client.get(f"/projects/{KNOWN['project']}/board", params={"state": states}, name="board")

    @task(4)
    def bench(self) -> None:
        self.client.get(f"/conversions/{random.choice(KNOWN['conversions'])}", name="conversion")

    @task(3)
    def jobs(self) -> None:
        self.client.get(f"/projects/{KNOWN['project']}/jobs", name="jobs")

    @task(3)
    def value(self) -> None:
        identity, value = random.choice(KNOWN["conversions"]), round(random.uniform(0.1, 0.9), 6)
        headers = self._as_it_stands(identity)
        path = f"/conversions/{identity}/values/specular_roughness"
        with self.client.patch(path, json={"value": value}, headers=headers, name="set a value", catch_response=True) as done:
            if done.status_code in MET:
                done.success()
            elif done.ok:
                with open(KNOWN["said"], "a") as stream:
                    stream.write(json.dumps({"conversion": identity, "version": done.json()["version"], "value": value}) + "\n")

    @task(1)
    def review(self) -> None:
        identity = random.choice(KNOWN["conversions"])
        body, headers = {"state": "sent back", "note": "too dull at the rim"}, self._as_it_stands(identity)
        with self.client.post(f"/conversions/{identity}/reviews", json=body, headers=headers, name="review", catch_response=True) as done:
            if done.status_code in MET:
                done.success()

    def _as_it_stands(self, identity: int) -> dict[str, Any]:
        return {"If-Match": self.client.get(f"/conversions/{identity}", name="conversion").headers.get("ETag", "")}
