"""Fifty people on one project at once: what they wait, whether any is refused by an error, and whether an edit is lost."""

from __future__ import annotations

import csv
import json
import os
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path

from tests.faults import Site, begun, versions_of

PEOPLE, SECONDS = 50, 60
LOCUSTFILE = Path(__file__).with_name("people_at_work.py")


def bench_people() -> None:
    with tempfile.TemporaryDirectory(prefix="fenrain-bench-") as scratch:
        folder = Path(scratch)
        site = Site(folder)
        try:
            project, conversions = begun(site)
            site.wait(lambda: all(job["state"] == "done" for job in site.ask("GET", f"projects/{project}/jobs").json()), 600)
            known = {"tokens": _tokens(site), "project": project, "conversions": conversions, "said": str(folder / "said.jsonl")}
            command = [sys.executable, "-m", "locust", "-f", str(LOCUSTFILE), "--headless", "--only-summary", "--csv", str(folder / "load")]
            command += ["-u", str(PEOPLE), "-r", "10", "-t", f"{SECONDS}s", "-H", site.address]
            environment = {**os.environ, "FENRAIN_LOAD": json.dumps(known)}
            subprocess.run(command, env=environment, check=False, capture_output=True)
            _told(folder)
            _kept(site, folder / "said.jsonl")
        finally:
            site.end()


def _tokens(site: Site) -> list[str]:
    """Of as many supervisors as there are people."""
    made = []
    for number in range(PEOPLE):
        person = site.ask("POST", "people", json={"name": f"Person {number}", "role": "supervisor"}).raise_for_status().json()
        cookies = site.ask("POST", "session", json={"link": person["link"]}, headers={}).raise_for_status().cookies
        token = site.ask("POST", "tokens", json={"name": "load", "days": 1}, headers={}, cookies=cookies).raise_for_status()
        made.append(token.json()["secret"])
    return made


def _told(folder: Path) -> None:
    with (folder / "load_stats.csv").open() as stream:
        for row in csv.DictReader(stream):
            asked, failed, half, most = (row[name] for name in ("Request Count", "Failure Count", "50%", "95%"))
            print(f"{row['Name']:>28}: {asked:>6} asked, {failed} failed, half {half} ms, 95 % {most} ms")
    with (folder / "load_failures.csv").open() as stream:
        for row in csv.DictReader(stream):
            print(f"  {row['Name']}: {row['Error'][:100]} × {row['Occurrences']}")


def _kept(site: Site, said: Path) -> None:
    """Every edit that was acknowledged is a version of its conversion, with that value, and no version was given to two."""
    told = [json.loads(line) for line in said.read_text().splitlines()]
    twice = [count for count in Counter((one["conversion"], one["version"]) for one in told).values() if count > 1]
    kept = {identity: versions_of(site, identity) for identity in {one["conversion"] for one in told}}
    gone = [one for one in told if kept[one["conversion"]].get(one["version"]) != one["value"]]
    print(f"edits acknowledged: {len(told)}, lost: {len(gone)}, given to two: {len(twice)}")


if __name__ == "__main__":
    bench_people()
