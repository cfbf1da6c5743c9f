"""Conversions: the ledger, a person's values, and checks."""

import re
from typing import Annotated

from fastapi import APIRouter, Depends, Header, Response

from fenrain.api.schemas.board import AimIn
from fenrain.api.schemas.conversions import (
    AimsOut,
    ConversionOut,
    CopyIn,
    FitIn,
    FitOut,
    GradeIn,
    OverrideIn,
    PresetChoiceIn,
    RemedyIn,
    SharesOut,
    VariantIn,
)
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.schemas.looks import CheckIn
from fenrain.api.views.conversions import conversion_view
from fenrain.api.views.jobs import job_view
from fenrain.core.errors import PreconditionMissingError
from fenrain.jobs.plans import plan_check, plan_check_again
from fenrain.services import worker_tasks
from fenrain.services.acts.kinds import apply_aim
from fenrain.services.acts.kinds.accept_unread import accept_unread
from fenrain.services.conversions import (
    apply_preset,
    apply_remedy,
    copy_value,
    grade_value,
    is_current,
    override_value,
    reset_all,
    reset_value,
)
from fenrain.services.library import find_preset
from fenrain.services.live_rendering import run_render_task
from fenrain.services.live_views import fit_values
from fenrain.services.worker_process import run_in_worker_process
from fenrain.store.database import session
from fenrain.store.rows import find_conversion

router = APIRouter(tags=["conversions"])
TAG = re.compile(r'"([0-9]{1,9})"')


def expected_version(if_match: Annotated[str | None, Header()] = None) -> int:
    """The version that the editor saw, from If-Match: a strong tag, as RFC 9110 §13.1.1 asks. Raises PreconditionMissingError."""
    tag = TAG.fullmatch((if_match or "").strip())
    if tag is None:
        raise PreconditionMissingError(
            "An edit must say which version it is made on.", place="If-Match", remedy="Send the ETag of the conversion as If-Match."
        )
    return int(tag[1])


Expected = Annotated[int, Depends(expected_version)]


@router.get("/conversions/{conversion_id}")
def show_conversion(conversion_id: int, response: Response) -> ConversionOut:
    """A conversion with its whole ledger and every check of it as it stands."""
    with session() as database:
        stale = not is_current(find_conversion(database, conversion_id))
    if stale:
        run_in_worker_process(worker_tasks.refresh_by_id, conversion_id)
    return _show_conversion(conversion_id, response)


@router.patch("/conversions/{conversion_id}/values/{name}")
def set_value(conversion_id: int, name: str, body: OverrideIn, expected: Expected, response: Response) -> ConversionOut:
    """Override one converted value; the derived one is kept in the ledger. The checks that were shown are made again."""
    value = tuple(body.value) if isinstance(body.value, list) else body.value
    run_in_worker_process(worker_tasks.edit_conversion, override_value, conversion_id, name, value, expected=expected)
    return _apply_edit(conversion_id, response)


@router.delete("/conversions/{conversion_id}/values/{name}")
def reset(conversion_id: int, name: str, expected: Expected, response: Response) -> ConversionOut:
    """Take an override back."""
    run_in_worker_process(worker_tasks.edit_conversion, reset_value, conversion_id, name, expected=expected)
    return _apply_edit(conversion_id, response)


@router.delete("/conversions/{conversion_id}/values")
def reset_everything(conversion_id: int, expected: Expected, response: Response) -> ConversionOut:
    """Take every override back, a fit's too."""
    run_in_worker_process(worker_tasks.edit_conversion, reset_all, conversion_id, expected=expected)
    return _apply_edit(conversion_id, response)


@router.put("/conversions/{conversion_id}/values/{name}/grade")
def grade(conversion_id: int, name: str, body: GradeIn, expected: Expected, response: Response) -> ConversionOut:
    """Take steps on a map or a colour, in place of those taken before; none takes them out again."""
    run_in_worker_process(worker_tasks.edit_conversion, grade_value, conversion_id, name, body.steps, expected=expected)
    return _apply_edit(conversion_id, response)


@router.put("/conversions/{conversion_id}/values/{name}/copy")
def copy_from(conversion_id: int, name: str, body: CopyIn, expected: Expected, response: Response) -> ConversionOut:
    """Copy a value from another slot or from a sibling; the derived one is kept in the ledger."""
    run_in_worker_process(worker_tasks.edit_conversion, copy_value, conversion_id, name, body.conversion_id, body.name, expected=expected)
    return _apply_edit(conversion_id, response)


@router.post("/conversions/{conversion_id}/fit")
def fit_conversion(conversion_id: int, body: FitIn, expected: Expected, response: Response) -> FitOut:
    """Let the computer tune what is not exact, so that the looks differ least; kept where no reading that decides is worse in pictures."""
    fitted = run_render_task(fit_values, conversion_id=conversion_id, locked=body.locked, expected=expected)
    return FitOut(conversion=_apply_edit(conversion_id, response), **fitted)


@router.post("/conversions/{conversion_id}/remedies")
def remedy(conversion_id: int, body: RemedyIn, expected: Expected, response: Response) -> ConversionOut:
    """Do what a finding offers; it enters the ledger as such."""
    run_in_worker_process(worker_tasks.edit_conversion, apply_remedy, conversion_id, body.code, body.parameter, expected=expected)
    return _apply_edit(conversion_id, response)


@router.put("/conversions/{conversion_id}/unread/accepted")
def accept(conversion_id: int, expected: Expected, response: Response) -> ConversionOut:
    """Say that what was not read of the source does not matter: a match is one again, in every target."""
    run_in_worker_process(worker_tasks.edit_conversion, accept_unread, conversion_id, expected=expected)
    return _apply_edit(conversion_id, response)


@router.get("/conversions/{conversion_id}/aims")
def compare_aims(conversion_id: int) -> AimsOut:
    """The conversion by every aim, side by side; what is set over derived values is left out."""
    return AimsOut(aims=run_in_worker_process(worker_tasks.compare_aims, conversion_id))


@router.put("/conversions/{conversion_id}/aim")
def convert_by_aim(conversion_id: int, body: AimIn, expected: Expected, response: Response) -> ConversionOut:
    """Convert it with this aim; what is set over derived values stays."""
    run_in_worker_process(worker_tasks.edit_conversion, apply_aim.set_aim, conversion_id, body.aim, expected=expected)
    return _apply_edit(conversion_id, response)


@router.post("/conversions/{conversion_id}/preset")
def lay_preset_over(conversion_id: int, body: PresetChoiceIn, expected: Expected, response: Response) -> ConversionOut:
    """Lay a named surface over a conversion to OpenPBR; what the rules gave is kept in the ledger."""
    with session() as database:
        preset = find_preset(database, body.preset)
    run_in_worker_process(worker_tasks.edit_conversion, apply_preset, conversion_id, preset, expected=expected)
    return _apply_edit(conversion_id, response)


@router.get("/conversions/{conversion_id}/shares")
def show_shares(conversion_id: int) -> SharesOut:
    """Where the remaining difference comes from."""
    return SharesOut(**run_in_worker_process(worker_tasks.shares, conversion_id))


@router.post("/conversions/{conversion_id}/variants", status_code=201)
def make_variant(conversion_id: int, body: VariantIn, response: Response) -> ConversionOut:
    """Begin a second version of the material under its own name, with the values as they stand here; the first is not touched."""
    made = run_in_worker_process(worker_tasks.make_variant, conversion_id, body.name)
    return _apply_edit(made, response)


@router.post("/conversions/{conversion_id}/checks", status_code=202)
def check_conversion(conversion_id: int, body: CheckIn) -> JobOut:
    """Compare both surfaces under rigs, as a job; a comparison that was made before is not made again."""
    with session() as database:
        row = find_conversion(database, conversion_id)
        return job_view(database, plan_check(database, row, body.rigs, body.stand, body.turn))


def _apply_edit(conversion_id: int, response: Response) -> ConversionOut:
    """The conversion after an edit; the checks that were shown are made again."""
    with session() as database:
        plan_check_again(database, find_conversion(database, conversion_id))
    return _show_conversion(conversion_id, response)


def _show_conversion(conversion_id: int, response: Response) -> ConversionOut:
    with session() as database:
        view = conversion_view(database, find_conversion(database, conversion_id))
    response.headers["ETag"] = f'"{view.version}"'
    return view
