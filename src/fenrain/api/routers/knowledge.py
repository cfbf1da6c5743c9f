"""What Fenrain knows: models, tables, and whether pictures can be made here."""

from dataclasses import asdict

import numpy as np
from fastapi import APIRouter, Request

from fenrain.api.schemas.knowledge import LookedUp, MetalOut, MetricOut, ModelOut, StateOut, TablesOut, TopicOut, TopicWholeOut
from fenrain.api.views.knowledge import metric_view, model_view
from fenrain.core.checking.metrics.registry import metrics
from fenrain.core.errors import NotFoundError
from fenrain.core.models.registry import models
from fenrain.core.optics.conductor import GAMUT_TOLERANCE, linear_reflectance, metal_tint_of
from fenrain.core.reference import TOPICS, Topic
from fenrain.core.rendering.probe import REMEDY, engine_state
from fenrain.core.tables import Metal, finishes, indices, metals

router = APIRouter(tags=["knowledge"])


@router.get("/models")
def list_models() -> list[ModelOut]:
    return [model_view(model) for model in models().values()]


@router.get("/metrics")
def list_metrics() -> list[MetricOut]:
    """What is measured of a pair, in the order in which it is shown, and what a verdict depends on."""
    return [metric_view(metric) for metric in metrics().values()]


@router.get("/tables")
def list_tables() -> TablesOut:
    """Indices of refraction, usual roughness by finish, and measured metals."""
    return TablesOut(
        indices=[LookedUp(**asdict(entry)) for entry in indices()],
        finishes=[LookedUp(**asdict(entry)) for entry in finishes()],
        metals=[_metal(metal) for metal in metals().values()],
    )


def _metal(metal: Metal) -> MetalOut:
    facing, tint = metal_tint_of(np.asarray(metal.table))
    seen = linear_reflectance(np.asarray(metal.table), 1.0)
    cut = bool(np.any((seen < -GAMUT_TOLERANCE) | (seen > 1.0 + GAMUT_TOLERANCE)))
    return MetalOut(
        id=metal.id,
        title=metal.title,
        source=metal.source,
        colour=facing.tolist(),
        tint=tint.tolist(),
        outside=seen.tolist() if cut else None,
    )


@router.get("/reference")
def list_topics(request: Request) -> list[TopicOut]:
    """What the reference is about."""
    return [TopicOut.model_validate(topic, from_attributes=True) for topic in _topics(request)]


@router.get("/reference/{topic}")
def show_topic(topic: str, request: Request) -> TopicWholeOut:
    """A topic of the reference, as the code declares it."""
    found = next((one for one in _topics(request) if one.id == topic), None)
    if found is None:
        known = ", ".join(one.id for one in _topics(request))
        raise NotFoundError(f"The reference has no “{topic}”.", place=f"reference/{topic}", remedy=f"Topics: {known}.")
    return TopicWholeOut.model_validate(found, from_attributes=True)


def _topics(request: Request) -> tuple[Topic, ...]:
    return (*TOPICS, *request.app.state.topics)


@router.get("/state")
def show_state() -> StateOut:
    """Whether the rendering engine runs; found out once, in a child process."""
    state = engine_state()
    return StateOut(version="1", engine_runs=state.runs, engine_reason=state.reason, engine_remedy="" if state.runs else REMEDY)
