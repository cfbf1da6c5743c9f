"""People: who they are, what they may do, and what lets them in.

A secret is shown once, to whom it belongs, and kept as its digest. References: OWASP ASVS 5.0 V6 (passwords, one-time secrets) and V7
(sessions); RFC 9106 for the parameters of Argon2.
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session, joinedload
from zxcvbn import zxcvbn

from fenrain.core.errors import InputError, NotFoundError, NotSignedInError
from fenrain.store.tables import AuditRow, CredentialRow, PersonRow, now


class Role(StrEnum):
    """What a person may do, each what those before it may: look at everything; work on materials; accept looks, set tolerances, let
    people in."""

    READER = "reader"
    TD = "td"
    SUPERVISOR = "supervisor"

    def covers(self, other: Role) -> bool:
        order = list(Role)
        return order.index(self) >= order.index(other)


class CredentialKind(StrEnum):
    SESSION = "session"
    LINK = "link"
    TOKEN = "token"


SESSION_AT_MOST, SESSION_AT_REST = timedelta(days=7), timedelta(hours=12)
"""How long a session lasts, and how long nobody may use it in between."""
LINK_FOR = timedelta(hours=24)
TOKEN_AT_MOST = timedelta(days=366)
NOTED_EVERY = timedelta(minutes=1)
"""How exactly it is noted when a credential was used last."""
SHORTEST, LONGEST = 8, 128
"""Characters of a password."""
LEAST_STRENGTH = 3
"""Of zxcvbn's 0…4: not to be guessed within 10^8 tries."""


@dataclass(frozen=True)
class Identity:
    """Somebody who was let in. by_link: whether it was a one-time link that did."""

    id: int
    name: str
    role: Role
    credential: int
    kind: CredentialKind
    by_link: bool


def list_people(database: Session) -> list[PersonRow]:
    return list(database.scalars(select(PersonRow).order_by(PersonRow.name)))


def find_person(database: Session, person_id: int) -> PersonRow:
    """Raises NotFoundError."""
    row = database.get(PersonRow, person_id)
    if row is None:
        raise NotFoundError("There is no such person.", place=f"people/{person_id}")
    return row


def find_person_by_name(database: Session, name: str) -> PersonRow:
    """Raises NotFoundError."""
    row = database.scalar(select(PersonRow).where(PersonRow.name == name))
    if row is None:
        raise NotFoundError(f"Nobody is called “{name}”.", place="name", remedy="“fenrain people” lists who there is.")
    return row


def cleaned_name(name: str) -> str:
    """A name as it is kept: without blanks around it, one between its words."""
    return " ".join(name.split())


def add_person(database: Session, name: str, role: Role) -> PersonRow:
    """Raises InputError for a name that is empty or taken."""
    cleaned = cleaned_name(name)
    if not cleaned:
        raise InputError("A person has a name.", place="name", remedy="Type one.")
    if database.scalar(select(PersonRow.id).where(PersonRow.name == cleaned)) is not None:
        raise InputError(f"Somebody is called “{cleaned}” already.", place="name", remedy="Choose another name.")
    row = PersonRow(name=cleaned, role=role)
    database.add(row)
    database.flush()
    return row


def set_role(database: Session, person_id: int, role: Role, *, disabled: bool) -> PersonRow:
    """What a person may do from now on; who is disabled is put out at once. Raises InputError where no supervisor would be left,
    NotFoundError."""
    row = find_person(database, person_id)
    supervisors = database.scalars(
        select(PersonRow).where(PersonRow.role == Role.SUPERVISOR, PersonRow.disabled.is_(False)).with_for_update()
    ).all()
    if [one.id for one in supervisors] == [row.id] and (disabled or role is not Role.SUPERVISOR):
        raise InputError("Nobody would be left who lets people in.", place="role", remedy="Make somebody else a supervisor first.")
    row.role, row.disabled = role, disabled
    if disabled:
        database.execute(delete(CredentialRow).where(CredentialRow.person_id == row.id))
    database.flush()
    return row


def create_sign_in_link(database: Session, person: PersonRow) -> str:
    """A secret that lets the person in once; links that were made before are void."""
    database.execute(delete(CredentialRow).where(CredentialRow.person_id == person.id, CredentialRow.kind == CredentialKind.LINK))
    return _issue(database, person, CredentialKind.LINK, LINK_FOR)


def sign_in_by_link(database: Session, secret: str) -> str:
    """The secret of a new session. Raises NotSignedInError for a link that was used, is too old or never was."""
    link = _find_credential(database, secret, (CredentialKind.LINK,), lock=True)
    if link is None:
        raise NotSignedInError(
            "This link lets nobody in any more.", place="link", remedy="Links work once: ask for a new one, or run “fenrain enter”."
        )
    person = link.person
    database.delete(link)
    return _issue(database, person, CredentialKind.SESSION, SESSION_AT_MOST, by_link=True)


def sign_in_by_password(database: Session, name: str, password: str) -> str:
    """The secret of a new session. Raises NotSignedInError, the same whether the name or the password is wrong."""
    row = database.scalar(select(PersonRow).where(PersonRow.name == name, PersonRow.disabled.is_(False)))
    kept = row.password if row is not None and row.password else _nobodys_password()
    if not _is_password(kept, password) or row is None:
        raise NotSignedInError(
            "Name and password do not go together.", place="password", remedy="Try again, or ask a supervisor for a one-time link."
        )
    if _hasher().check_needs_rehash(kept):
        row.password = _hasher().hash(password)
    return _issue(database, row, CredentialKind.SESSION, SESSION_AT_MOST)


def set_password(database: Session, known: Identity, password: str, current: str) -> None:
    """Set a person's own password; every other session of theirs ends, and every token.

    current: the one before, not asked of whoever came by a one-time link. Raises InputError for a password that is easily guessed,
    NotSignedInError for a wrong current one.
    """
    row = find_person(database, known.id)
    if row.password and not known.by_link and not _is_password(row.password, current):
        raise NotSignedInError("That is not your password.", place="current", remedy="Type the one that you sign in with now.")
    _require_strong(password, row.name)
    row.password = _hasher().hash(password)
    database.execute(delete(CredentialRow).where(CredentialRow.person_id == row.id, CredentialRow.id != known.credential))
    # From now on it is a session like any other: whoever finds it open must know the password to change it.
    database.execute(update(CredentialRow).where(CredentialRow.id == known.credential).values(by_link=False))


def sign_out(database: Session, known: Identity) -> None:
    """End a session. Raises InputError for a token, which is ended by its number."""
    if known.kind is not CredentialKind.SESSION:
        raise InputError("A token does not sign out.", place="session", remedy="End the token itself.")
    database.execute(delete(CredentialRow).where(CredentialRow.id == known.credential))


def create_token(database: Session, person_id: int, name: str, days: int) -> str:
    """A secret for a script, which may do what the person may. Raises InputError for one without a name or an end."""
    if not name.strip() or not 0 < days <= TOKEN_AT_MOST.days:
        raise InputError(
            f"A token has a name, and lasts 1 to {TOKEN_AT_MOST.days} days.", place="token", remedy="Say what it is for, and for how long."
        )
    return _issue(database, find_person(database, person_id), CredentialKind.TOKEN, timedelta(days=days), name=name.strip())


def list_tokens(database: Session, person_id: int) -> list[CredentialRow]:
    query = select(CredentialRow).where(CredentialRow.person_id == person_id, CredentialRow.kind == CredentialKind.TOKEN)
    return list(database.scalars(query.order_by(CredentialRow.id)))


def end_token(database: Session, person_id: int, token_id: int) -> None:
    """Raises NotFoundError where it is not the person's."""
    row = database.get(CredentialRow, token_id)
    if row is None or (row.person_id, row.kind) != (person_id, CredentialKind.TOKEN):
        raise NotFoundError("There is no such token.", place=f"tokens/{token_id}")
    database.delete(row)


def find_identity(database: Session, secret: str, kind: CredentialKind) -> Identity | None:
    """Who is let in by the secret of a session or a token, None for nobody."""
    row = _find_credential(database, secret, (kind,))
    if row is None:
        return None
    moment = now()
    if kind is CredentialKind.SESSION and moment - row.seen > SESSION_AT_REST:
        database.delete(row)
        return None
    if moment - row.seen > NOTED_EVERY:
        database.execute(update(CredentialRow).where(CredentialRow.id == row.id).values(seen=moment))
    person = row.person
    return Identity(person.id, person.name, Role(person.role), row.id, kind, row.by_link)


def has_session(database: Session, known: Identity) -> bool:
    """Whether what somebody was let in by would let them in again; a session that is at rest stays at rest."""
    query = select(CredentialRow.seen).join(PersonRow).where(CredentialRow.id == known.credential, CredentialRow.expires >= now())
    seen = database.scalar(query.where(PersonRow.disabled.is_(False)))
    return seen is not None and (known.kind is not CredentialKind.SESSION or now() - seen <= SESSION_AT_REST)


@dataclass(frozen=True)
class Act:
    """What the audit notes. by: who, "" for nobody who is known; act: the name of the address; place: its path; status: of the answer;
    source: the address that it came from; tried_as: the name that was given by whoever was not let in."""

    by: str
    act: str
    place: str
    status: int
    source: str
    tried_as: str


def record_audit(database: Session, act: Act) -> None:
    """Add an act to the audit."""
    short = {"act": act.act[:80], "place": act.place[:200], "source": act.source[:45], "tried_as": act.tried_as[:80]}
    database.add(AuditRow(by=act.by, status=act.status, **short))


def list_audit(database: Session, before: int | None, most: int) -> list[AuditRow]:
    """Acts, newest first; before: the number of one, for those that come before it."""
    query = select(AuditRow).order_by(AuditRow.id.desc()).limit(most)
    return list(database.scalars(query if before is None else query.where(AuditRow.id < before)))


def list_audit_since(database: Session, after: int, most: int) -> list[AuditRow]:
    """Acts, oldest first, that come after the one with this number."""
    return list(database.scalars(select(AuditRow).where(AuditRow.id > after).order_by(AuditRow.id).limit(most)))


def _issue(database: Session, person: PersonRow, kind: CredentialKind, lasts: timedelta, *, name: str = "", by_link: bool = False) -> str:
    _delete_expired(database, now())
    secret = secrets.token_urlsafe(32)
    made = CredentialRow(person_id=person.id, kind=kind, name=name, digest=_digest(secret), by_link=by_link, expires=now() + lasts)
    database.add(made)
    database.flush()
    return secret


def _delete_expired(database: Session, moment: datetime) -> None:
    database.execute(delete(CredentialRow).where(CredentialRow.expires < moment))


def _find_credential(database: Session, secret: str, kinds: tuple[CredentialKind, ...], *, lock: bool = False) -> CredentialRow | None:
    query = (
        select(CredentialRow)
        .options(joinedload(CredentialRow.person, innerjoin=True))
        .join(PersonRow)
        .where(CredentialRow.digest == _digest(secret), CredentialRow.kind.in_(kinds), CredentialRow.expires >= now())
        .where(PersonRow.disabled.is_(False))
    )
    return database.scalar(query.with_for_update(of=CredentialRow) if lock else query)


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


@cache
def _hasher() -> PasswordHasher:
    return PasswordHasher()


@cache
def _nobodys_password() -> str:
    """A hash that no password fits, so that an unknown name takes as long as a wrong password."""
    return _hasher().hash(secrets.token_urlsafe(32))


def _is_password(kept: str, password: str) -> bool:
    try:
        return _hasher().verify(kept, password)
    except VerificationError:
        return False


def _require_strong(password: str, name: str) -> None:
    if not SHORTEST <= len(password) <= LONGEST:
        raise InputError(f"A password has {SHORTEST} to {LONGEST} characters.", place="password", remedy="Choose another one.")
    found = zxcvbn(password[:LONGEST], user_inputs=[*name.split(), "fenrain"], max_length=LONGEST)
    if found["score"] < LEAST_STRENGTH:
        advice = " ".join([found["feedback"]["warning"] or "", *found["feedback"]["suggestions"]]).strip()
        raise InputError("This password is easily guessed.", place="password", remedy=advice or "Choose a longer one.")
