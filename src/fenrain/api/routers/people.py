"""Signing in and out, one's own account, and, for supervisors, everybody's."""

from fastapi import APIRouter, Request, Response
from limits import RateLimitItemPerHour
from sqlalchemy.orm import Session

from fenrain.api.authentication import OWN, SUPERVISES, Asking, count_against_limit, delete_session_cookie, set_session_cookie
from fenrain.api.schemas.people import (
    AuditOut,
    LinkOut,
    MeOut,
    NewTokenOut,
    PasswordIn,
    PersonIn,
    PersonOut,
    RoleIn,
    SignInIn,
    TokenIn,
    TokenOut,
)
from fenrain.core.errors import InputError
from fenrain.services import people
from fenrain.services.people import CredentialKind, Identity, Role
from fenrain.store.database import session
from fenrain.store.tables import CredentialRow, PersonRow

entry = APIRouter(tags=["people"])
router = APIRouter(tags=["people"])
TRIES, TRIES_FROM_ONE_PLACE = RateLimitItemPerHour(30), RateLimitItemPerHour(300)
"""To sign in."""
MOST_SHOWN = 200


@entry.post("/session", status_code=201, openapi_extra=OWN)
def sign_in(body: SignInIn, request: Request, response: Response) -> MeOut:
    """Sign in with name and password, or with a one-time link; the session is kept in a cookie."""
    count_against_limit(TRIES_FROM_ONE_PLACE, "sign-in from", request.client.host if request.client else "")
    with session() as database:
        if body.link:
            secret = people.sign_in_by_link(database, body.link)
        else:
            count_against_limit(TRIES, "sign-in as", body.name)
            secret = people.sign_in_by_password(database, body.name, body.password)
        known = people.find_identity(database, secret, CredentialKind.SESSION)
        assert known is not None
        request.scope["fenrain.person"] = known.name
        me = _me(database, known)
    set_session_cookie(response, secret)
    return me


@router.get("/session")
def show_me(asking: Asking) -> MeOut:
    """Who is signed in."""
    with session() as database:
        return _me(database, asking)


@router.delete("/session", status_code=204, openapi_extra=OWN)
def sign_out(asking: Asking, response: Response) -> None:
    """End the session; the browser is told to keep nothing of it, pictures neither."""
    response.headers["Clear-Site-Data"] = '"cache", "storage"'
    with session() as database:
        people.sign_out(database, asking)
    delete_session_cookie(response)


@router.put("/session/password", status_code=204, openapi_extra=OWN)
def set_password(body: PasswordIn, asking: Asking) -> None:
    """Set one's own password; every other session of one's own ends."""
    count_against_limit(TRIES, "passwords of", asking.name)
    if asking.kind is not CredentialKind.SESSION:
        raise InputError("A token sets no password.", place="token", remedy="Sign in with a browser.")
    with session() as database:
        people.set_password(database, asking, body.password, body.current)


@router.get("/tokens")
def list_tokens(asking: Asking) -> list[TokenOut]:
    """One's own tokens."""
    with session() as database:
        return [_token(row) for row in people.list_tokens(database, asking.id)]


@router.post("/tokens", status_code=201, openapi_extra=OWN)
def make_token(body: TokenIn, asking: Asking) -> NewTokenOut:
    """A token for a script, which may do what oneself may. Its secret is shown this once."""
    if asking.kind is not CredentialKind.SESSION:
        raise InputError("A token makes no other.", place="token", remedy="Sign in with a browser.")
    with session() as database:
        return NewTokenOut(secret=people.create_token(database, asking.id, body.name, body.days))


@router.delete("/tokens/{token_id}", status_code=204, openapi_extra=OWN)
def end_token(token_id: int, asking: Asking) -> None:
    with session() as database:
        people.end_token(database, asking.id, token_id)


@router.get("/people", openapi_extra=SUPERVISES)
def list_people() -> list[PersonOut]:
    with session() as database:
        return [_person(row) for row in people.list_people(database)]


@router.post("/people", status_code=201, openapi_extra=SUPERVISES)
def add_person(body: PersonIn) -> LinkOut:
    """Give somebody an account, with a link that lets them in once."""
    with session() as database:
        row = people.add_person(database, body.name, body.role)
        return LinkOut(person=_person(row), link=people.create_sign_in_link(database, row))


@router.put("/people/{person_id}/role", openapi_extra=SUPERVISES)
def set_role(person_id: int, body: RoleIn) -> PersonOut:
    """Set what somebody may do; who is disabled is put out at once."""
    with session() as database:
        return _person(people.set_role(database, person_id, body.role, disabled=body.disabled))


@router.post("/people/{person_id}/link", status_code=201, openapi_extra=SUPERVISES)
def make_link(person_id: int) -> LinkOut:
    """Let somebody in once who has lost their password; links that were made before are void."""
    with session() as database:
        row = people.find_person(database, person_id)
        return LinkOut(person=_person(row), link=people.create_sign_in_link(database, row))


@router.get("/audit", openapi_extra=SUPERVISES)
def show_audit(before: int | None = None) -> list[AuditOut]:
    """What was done, newest first. before: the number of an act, for those that came before it."""
    with session() as database:
        return [AuditOut.model_validate(row, from_attributes=True) for row in people.list_audit(database, before, MOST_SHOWN)]


def _me(database: Session, known: Identity) -> MeOut:
    has_password = people.find_person(database, known.id).password != ""
    return MeOut(name=known.name, role=known.role, has_password=has_password, by_link=known.by_link)


def _person(row: PersonRow) -> PersonOut:
    return PersonOut(id=row.id, name=row.name, role=Role(row.role), disabled=row.disabled, has_password=row.password != "")


def _token(row: CredentialRow) -> TokenOut:
    return TokenOut(id=row.id, name=row.name, created=row.created, seen=row.seen, expires=row.expires)
