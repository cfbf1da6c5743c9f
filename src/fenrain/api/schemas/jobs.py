"""Jobs, as they go over the wire."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel


class WrittenFile(BaseModel):
    name: str
    size: int


class ValidationOut(BaseModel):
    """What a validator says of a written file. by: which, "" where none could look, with the reason as what is said."""

    file: str
    by: str
    errors: int
    said: list[str]


class JobOut(BaseModel):
    """seconds_left: about how long it will take yet, null where that is not known; archive, folder: where a delivery went, within the file
    store and on the server; report: what a report that is ready is called; validations: of what was written."""

    id: int
    project_id: int
    kind: str
    title: str
    by: str
    state: Literal["queued", "running", "paused", "done", "failed", "cancelled"]
    seconds_left: float | None
    total: int
    done: int
    failed: int
    errors: list[str]
    archive: str | None
    report: str | None
    folder: str
    files: list[WrittenFile]
    validations: list[ValidationOut]
    created: datetime
    updated: datetime
