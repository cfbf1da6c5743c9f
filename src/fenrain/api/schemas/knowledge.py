"""Models, readings, tables and the reference, as they go over the wire."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel

from fenrain.api.schemas.board import LimitsOut


class MetricOut(BaseModel):
    """of: what it looks at; limits: the metric's own, null for one that decides nothing."""

    id: str
    title: str
    says: str
    of: Literal["pictures", "surfaces"]
    unit: str
    limits: LimitsOut | None


class TableOut(BaseModel):
    columns: list[str]
    rows: list[list[str]]


class SectionOut(BaseModel):
    """mark: a sign that stands for it; place: the screen that it is about; command: the same by command line; each "" for none."""

    id: str
    title: str
    text: list[str]
    table: TableOut | None
    mark: str
    place: str
    command: str


class TopicOut(BaseModel):
    id: str
    title: str
    says: str


class TopicWholeOut(TopicOut):
    sections: list[SectionOut]


class OptionOut(BaseModel):
    value: int
    label: str


class ParameterOut(BaseModel):
    """role: what it is in every model, "" for none; looked_up_in: the table that belongs to it; undrawn: why pictures do not show it."""

    name: str
    kind: str
    group: str
    says: str
    unit: str
    default: Any
    low: float | None
    high: float | None
    options: list[OptionOut]
    role: str
    looked_up_in: Literal["", "indices", "finishes", "metal colours", "metal tints"]
    undrawn: str


class ModelOut(BaseModel):
    id: str
    title: str
    source: str
    parameters: list[ParameterOut]


class LookedUp(BaseModel):
    id: str
    title: str
    value: float
    source: str
    low: float | None = None
    high: float | None = None


class MetalOut(BaseModel):
    """colour, tint: as OpenPBR's metal takes them; outside: linear channels before they were cut to the gamut, where they were."""

    id: str
    title: str
    source: str
    colour: list[float]
    tint: list[float]
    outside: list[float] | None


class TablesOut(BaseModel):
    indices: list[LookedUp]
    finishes: list[LookedUp]
    metals: list[MetalOut]


class StateOut(BaseModel):
    """engine_runs: whether pictures can be made; engine_reason: why not."""

    version: str
    engine_runs: bool
    engine_reason: str
    engine_remedy: str
