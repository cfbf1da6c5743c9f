"""The maps of a conversion: the source beside the converted one, and what was done in between."""

from fastapi import APIRouter

from fenrain.api.authentication import LOOKS_ONLY
from fenrain.api.schemas.maps import MapIn, MapOut, MapPictureOut
from fenrain.services import worker_tasks
from fenrain.services.worker_process import run_in_worker_process

router = APIRouter(tags=["maps"])


@router.get("/conversions/{conversion_id}/maps")
def list_maps(conversion_id: int) -> list[MapOut]:
    """Every converted value that is a map, with the source maps that it comes from."""
    return [MapOut.model_validate(found) for found in run_in_worker_process(worker_tasks.list_maps, conversion_id)]


@router.post("/conversions/{conversion_id}/maps/{name}/picture", openapi_extra=LOOKS_ONLY)
def show_map(conversion_id: int, name: str, body: MapIn) -> MapPictureOut:
    """A picture of one map with its figures: the converted one, by a grade that is only tried where steps are given, or a source map."""
    return MapPictureOut.model_validate(run_in_worker_process(worker_tasks.show_map, conversion_id, name, body.source, body.steps))
