"""Conversions: the ledger, a person's values, and checks."""

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Response
from sqlalchemy.orm import Session

from fenrain.api.schemas import CheckIn, ConversionOut, JobOut, OverrideIn
from fenrain.api.views import conversion_view, job_view
from fenrain.core.errors import PreconditionMissingError
from fenrain.jobs.plans import plan_check
from fenrain.store.database import session
from fenrain.store.materials import find_conversion, override_value, put_back_value
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
        row = override_value(database, conversion_id, name, value, expected=expected)
        _check_again(database, row)
        return _shown(conversion_view(database, row), response)


@router.delete("/conversions/{conversion_id}/values/{name}")
def put_back(conversion_id: int, name: str, expected: Expected, response: Response) -> ConversionOut:
    """Take an override back."""
    with session() as database:
        row = put_back_value(database, conversion_id, name, expected=expected)
        _check_again(database, row)
        return _shown(conversion_view(database, row), response)


@router.post("/conversions/{conversion_id}/checks", status_code=202)
def check_conversion(conversion_id: int, body: CheckIn) -> JobOut:
    """Compare both looks under rigs, as a job; a comparison that was made before is not made again."""
    with session() as database:
        row = find_conversion(database, conversion_id)
        return job_view(database, plan_check(database, row, body.rigs, body.stand, body.size, body.samples, body.turn))


def _check_again(database: Session, row: ConversionRow) -> None:
    defaults = CheckIn()
    plan_check(database, row, defaults.rigs, defaults.stand, defaults.size, defaults.samples, defaults.turn)


def _shown(view: ConversionOut, response: Response) -> ConversionOut:
    response.headers["ETag"] = f'"{view.version}"'
    return view
