"""What is looked at, as it gets better: server-sent events."""

import asyncio
import json
from collections.abc import AsyncIterator
from dataclasses import replace
from typing import Annotated, Any

import anyio.to_thread
from fastapi import APIRouter, File, Query, Request, Response
from sse_starlette import EventSourceResponse, ServerSentEvent

from fenrain.api.authentication import LOOKS_ONLY
from fenrain.api.schemas.looks import LookFrame
from fenrain.api.views.looks import look_view
from fenrain.core.checking.metrics.flip import flip_map
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.errors import EngineError, InputError
from fenrain.core.lobes.aspects import ASPECTS, known_aspects
from fenrain.core.rendering.half_floats import largest_pair_bytes, to_half_floats, unpack_pair
from fenrain.services.checks import load_tolerances
from fenrain.services.live_rendering import LiveRendering
from fenrain.services.picture_frames import PictureFrame, ViewRequest
from fenrain.services.surroundings import known_rig, known_stand
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_project

router = APIRouter(tags=["looks"])
SIZES = (128, 256, 384, 512, 768, 1024)


@router.get(
    "/conversions/{conversion_id}/look",
    response_class=EventSourceResponse,
    responses={200: {"model": LookFrame, "description": "“frame” events, until one is done"}},
)
async def look(
    request: Request,
    conversion_id: int,
    rig: str,
    stand: str = "sphere",
    turn: Annotated[float, Query(ge=-360, le=360)] = 0.0,
    size: Annotated[int, Query(ge=SIZES[0], le=SIZES[-1])] = SIZES[0],
    trial: Annotated[str, Query(max_length=20_000)] = "{}",
    only: Annotated[list[str] | None, Query(max_length=len(ASPECTS))] = None,
    without: Annotated[list[str] | None, Query(max_length=40)] = None,
    alone: Annotated[list[str] | None, Query(max_length=2)] = None,
    against: int | None = None,
) -> EventSourceResponse:
    """A pair of pictures within a fraction of a second, then better ones, with readings and verdict. It ends when the caller goes.

    size: edge in pixels of the pictures to look at, rounded up to what is drawn; trial: constants by name, as JSON, laid over the
    conversion's values without being kept; only: aspects that are shown alone; without: inputs of the original that are taken out on both
    sides; alone: one value of the original and one of the converted material, that are shown as they are; against: a conversion whose
    converted look stands in place of the original, to compare two variants.
    """
    live: LiveRendering | None = request.app.state.live
    if live is None:
        raise EngineError("Nothing is drawn by this server.", remedy="Start it with its workers.")
    edge = next(edge for edge in SIZES if edge >= size)
    taken_out = known_aspects(only or [], "only"), tuple(without or ()), _pair(alone or []), against
    shown = ViewRequest(conversion_id, rig, stand, turn, edge, _constants(trial), *taken_out)
    asked, tolerances = await anyio.to_thread.run_sync(_resolve_request, shown)
    loop, frames = asyncio.get_running_loop(), asyncio.Queue[PictureFrame]()

    def deliver(frame: PictureFrame) -> None:
        loop.call_soon_threadsafe(frames.put_nowait, frame)

    number = await anyio.to_thread.run_sync(live.look, asked, deliver)

    async def events() -> AsyncIterator[ServerSentEvent]:
        try:
            while True:
                frame = await frames.get()
                yield ServerSentEvent(look_view(frame, asked.rig, tolerances).model_dump_json(), event="frame")
                if frame.done:
                    return
        finally:
            live.drop(number)

    return EventSourceResponse(events(), ping=15)


@router.post("/flip", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}}, openapi_extra=LOOKS_ONLY)
def flip_of_pixels(pixels: Annotated[bytes, File(max_length=largest_pair_bytes(SIZES[-1]))]) -> Response:
    """FLIP of each pixel of two pictures that were looked at. pixels: six planes of half floats, both sides' red, green and blue, linear;
    it takes a second or two, so that it is measured when somebody asks for it. Gives back one such plane."""
    return Response(to_half_floats(flip_map(*unpack_pair(pixels))), media_type="application/octet-stream")


def _resolve_request(request: ViewRequest) -> tuple[ViewRequest, Tolerances]:
    """The wish with its rig and stand as they are called, and the tolerances of its project. Raises NotFoundError."""
    with session() as database:
        project = find_project(database, find_conversion(database, request.conversion_id).material.project_id)
        rig, stand = known_rig(database, project.id, request.rig), known_stand(database, project.id, request.stand)
        return replace(request, rig=rig, stand=stand), load_tolerances(project)


def _pair(alone: list[str]) -> tuple[str, str] | None:
    if len(alone) == 1:
        raise InputError("Only one side's value is named.", place="alone", remedy="Name one of the original and one of the converted.")
    return (alone[0], alone[1]) if alone else None


def _constants(trial: str) -> dict[str, Any]:
    try:
        found = json.loads(trial)
    except ValueError as reason:
        raise InputError("The values to try are not JSON.", place="trial", remedy="Send an object of numbers by name.") from reason
    if not isinstance(found, dict):
        raise InputError("The values to try are not an object.", place="trial", remedy="Send an object of numbers by name.")
    return {name: tuple(value) if isinstance(value, list) else value for name, value in found.items()}
