"""Conversions: the ledger, a person's values, and checks."""

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Response
from sqlalchemy.orm import Session

from fenrain.api.schemas import CheckIn, ConversionOut, CopyIn, FitIn, FitOut, JobOut, OverrideIn, PresetChoiceIn, RemedyIn, SharesOut
from fenrain.api.views import conversion_view, job_view
from fenrain.core.checking.fit import shares
from fenrain.core.checking.quick import quick_check
from fenrain.core.errors import PreconditionMissingError
from fenrain.jobs.plans import plan_check
from fenrain.store.database import session
from fenrain.store.library import preset_of
from fenrain.store.materials import (
    apply_preset,
    apply_remedy,
    conversion_of,
    copy_value,
    find_conversion,
    fit_values,
    override_value,
    put_back_all,
    put_back_value,
)
from fenrain.store.tables import ConversionRow

router = APIRouter(tags=["conversions"])


def expected_version(if_match: Annotated[str | None, Header()] = None) -> int:
    """The version that the editor saw, from If-Match. Raises PreconditionMissingError."""
    plain = (if_match or "").removeprefix("W/").strip('"')
    if not plain.isdigit():
        raise PreconditionMissingError(
            "An edit must say which version it is made on.", place="If-Match", remedy="Send the ETag of the conversion as If-Match."
        )
    return int(plain)


Expected = Annotated[int, Depends(expected_version)]


@router.get("/conversions/{conversion_id}")
def show_conversion(conversion_id: int, response: Response) -> ConversionOut:
    """A conversion with its whole ledger and every check of it as it stands."""
    with session() as database:
        return _shown(conversion_view(database, find_conversion(database, conversion_id)), response)


@router.patch("/conversions/{conversion_id}/values/{name}")
def set_value(conversion_id: int, name: str, body: OverrideIn, expected: Expected, response: Response) -> ConversionOut:
    """Override one converted value; the derived one is kept in the ledger. The checks that were shown are made again."""
    with session() as database:
        value = tuple(body.value) if isinstance(body.value, list) else body.value
        return _edited(database, override_value(database, conversion_id, name, value, expected=expected), response)


@router.delete("/conversions/{conversion_id}/values/{name}")
def put_back(conversion_id: int, name: str, expected: Expected, response: Response) -> ConversionOut:
    """Take an override back."""
    with session() as database:
        return _edited(database, put_back_value(database, conversion_id, name, expected=expected), response)


@router.delete("/conversions/{conversion_id}/values")
def put_back_everything(conversion_id: int, expected: Expected, response: Response) -> ConversionOut:
    """Take every override back, a fit's too."""
    with session() as database:
        return _edited(database, put_back_all(database, conversion_id, expected=expected), response)


@router.put("/conversions/{conversion_id}/values/{name}/copy")
def copy_from(conversion_id: int, name: str, body: CopyIn, expected: Expected, response: Response) -> ConversionOut:
    """Copy a value from another slot or from a sibling; the derived one is kept in the ledger."""
    with session() as database:
        row = copy_value(database, conversion_id, name, body.conversion_id, body.name, expected=expected)
        return _edited(database, row, response)


@router.post("/conversions/{conversion_id}/fit")
def fit_conversion(conversion_id: int, body: FitIn, expected: Expected, response: Response) -> FitOut:
    """Let the computer tune what is approximated, so that the measured difference is least. Never ends worse than it began."""
    with session() as database:
        row, fitted = fit_values(database, conversion_id, body.locked, expected=expected)
        return FitOut(
            conversion=_edited(database, row, response),
            before=fitted.before,
            after=fitted.after,
            changed=list(fitted.changed),
            free=list(fitted.free),
        )


@router.post("/conversions/{conversion_id}/remedies")
def remedy(conversion_id: int, body: RemedyIn, expected: Expected, response: Response) -> ConversionOut:
    """Do what a finding offers; it enters the ledger as such."""
    with session() as database:
        return _edited(database, apply_remedy(database, conversion_id, body.code, body.parameter, expected=expected), response)


@router.post("/conversions/{conversion_id}/preset")
def lay_preset_over(conversion_id: int, body: PresetChoiceIn, expected: Expected, response: Response) -> ConversionOut:
    """Lay a named surface over a conversion to OpenPBR; what the rules gave is kept in the ledger."""
    with session() as database:
        row = apply_preset(database, conversion_id, preset_of(database, body.preset), expected=expected)
        return _edited(database, row, response)


@router.get("/conversions/{conversion_id}/shares")
def show_shares(conversion_id: int) -> SharesOut:
    """Where the remaining difference comes from."""
    with session() as database:
        conversion = conversion_of(find_conversion(database, conversion_id))
    return SharesOut(error=quick_check(conversion.original, conversion.material).lobe_error, shares=shares(conversion))


@router.post("/conversions/{conversion_id}/checks", status_code=202)
def check_conversion(conversion_id: int, body: CheckIn) -> JobOut:
    """Compare both looks under rigs, as a job; a comparison that was made before is not made again."""
    with session() as database:
        row = find_conversion(database, conversion_id)
        return job_view(database, plan_check(database, row, body.rigs, body.stand, body.size, body.samples, body.turn))


def _edited(database: Session, row: ConversionRow, response: Response) -> ConversionOut:
    """The conversion after an edit; the checks that were shown are made again."""
    defaults = CheckIn()
    plan_check(database, row, defaults.rigs, defaults.stand, defaults.size, defaults.samples, defaults.turn)
    return _shown(conversion_view(database, row), response)


def _shown(view: ConversionOut, response: Response) -> ConversionOut:
    response.headers["ETag"] = f'"{view.version}"'
    return view
