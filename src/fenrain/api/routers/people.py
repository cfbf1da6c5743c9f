"""Signing in and out, one's own account, and, for supervisors, everybody's."""

from collections.abc import Iterator

from fastapi import APIRouter, Request, Response
from fastapi.responses import StreamingResponse
from limits import RateLimitItemPerHour
from sqlalchemy.orm import Session

from fenrain.api.authentication import (
    OF_PEOPLE,
    OWN,
    SUPERVISES,
    TAKES_AWAY,
    Asking,
    count_against_limit,
    delete_session_cookie,
    set_session_cookie,
)
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
    place = request.client.host if request.client else ""
    count_against_limit(TRIES_FROM_ONE_PLACE, "sign-in from", place)
    with session() as database:
        if body.link:
            secret = people.sign_in_by_link(database, body.link)
        else:
            name = request.scope["fenrain.tried_as"] = people.cleaned_name(body.name)
            count_against_limit(TRIES, "sign-in as", name.casefold(), place)
            secret = people.sign_in_by_password(database, name, body.password)
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


@router.put("/session/password", status_code=204, openapi_extra=OWN | OF_PEOPLE)
def set_password(body: PasswordIn, asking: Asking) -> None:
    """Set one's own password; every other session of one's own ends, and every token."""
    count_against_limit(TRIES, "passwords of", asking.name)
    with session() as database:
        people.set_password(database, asking, body.password, body.current)


@router.get("/tokens")
def list_tokens(asking: Asking) -> list[TokenOut]:
    """One's own tokens."""
    with session() as database:
        return [_token(row) for row in people.list_tokens(database, asking.id)]


@router.post("/tokens", status_code=201, openapi_extra=OWN | OF_PEOPLE)
def make_token(body: TokenIn, asking: Asking) -> NewTokenOut:
    """A token for a script, which may do what oneself may. Its secret is shown this once."""
    with session() as database:
        return NewTokenOut(secret=people.create_token(database, asking.id, body.name, body.days))


@router.delete("/tokens/{token_id}", status_code=204, openapi_extra=OWN | OF_PEOPLE)
def end_token(token_id: int, asking: Asking) -> None:
    with session() as database:
        people.end_token(database, asking.id, token_id)


@router.get("/people", openapi_extra=SUPERVISES | OF_PEOPLE)
def list_people() -> list[PersonOut]:
    with session() as database:
        return [_person(row) for row in people.list_people(database)]


@router.post("/people", status_code=201, openapi_extra=SUPERVISES | OF_PEOPLE)
def add_person(body: PersonIn) -> LinkOut:
    """Give somebody an account, with a link that lets them in once."""
    with session() as database:
        row = people.add_person(database, body.name, body.role)
        return LinkOut(person=_person(row), link=people.create_sign_in_link(database, row))


@router.put("/people/{person_id}/role", openapi_extra=SUPERVISES | OF_PEOPLE)
def set_role(person_id: int, body: RoleIn) -> PersonOut:
    """Set what somebody may do; who is disabled is put out at once."""
    with session() as database:
        return _person(people.set_role(database, person_id, body.role, disabled=body.disabled))


@router.post("/people/{person_id}/link", status_code=201, openapi_extra=SUPERVISES | OF_PEOPLE)
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


@router.get("/audit/lines", openapi_extra=SUPERVISES | TAKES_AWAY, response_class=StreamingResponse)
def export_audit() -> StreamingResponse:
    """All of it, oldest first, as JSON Lines."""
    named = {"Content-Disposition": 'attachment; filename="audit.jsonl"'}
    return StreamingResponse(_lines_of_audit(), media_type="application/jsonl", headers=named)


def _lines_of_audit() -> Iterator[str]:
    after = 0
    with session() as database:
        while rows := people.list_audit_since(database, after, MOST_SHOWN):
            for row in rows:
                yield AuditOut.model_validate(row, from_attributes=True).model_dump_json() + "\n"
            after = rows[-1].id


def _me(database: Session, known: Identity) -> MeOut:
    has_password = people.find_person(database, known.id).password != ""
    return MeOut(name=known.name, role=known.role, has_password=has_password, by_link=known.by_link)


def _person(row: PersonRow) -> PersonOut:
    return PersonOut(id=row.id, name=row.name, role=Role(row.role), disabled=row.disabled, has_password=row.password != "")


def _token(row: CredentialRow) -> TokenOut:
    return TokenOut(id=row.id, name=row.name, created=row.created, seen=row.seen, expires=row.expires)
