"""What Fenrain knows: models, rigs, stands, and whether pictures can be made here."""

from fastapi import APIRouter

from fenrain.api.schemas import ModelOut, NamedOut, StateOut
from fenrain.api.views import model_view
from fenrain.core.looks.probe import REMEDY, engine_state
from fenrain.core.looks.rigs import rigs
from fenrain.core.looks.stands import stands
from fenrain.core.models import models

router = APIRouter(tags=["knowledge"])


@router.get("/models")
def list_models() -> list[ModelOut]:
    return [model_view(model) for model in models().values()]


@router.get("/rigs")
def list_rigs() -> list[NamedOut]:
    return [NamedOut(id=rig.id, title=rig.title, says=rig.says) for rig in rigs().values()]


@router.get("/stands")
def list_stands() -> list[NamedOut]:
    return [NamedOut(id=stand.id, title=stand.title, says=stand.says) for stand in stands().values()]


@router.get("/state")
def show_state() -> StateOut:
    """Whether the rendering engine runs; found out once, in a child process."""
    state = engine_state()
    return StateOut(version="1", engine_runs=state.runs, engine_reason=state.reason, engine_remedy="" if state.runs else REMEDY)
