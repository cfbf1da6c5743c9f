"""People and what lets them in, as they go over the wire."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import BaseModel, Field

from fenrain.services.people import Role

PersonName = Annotated[str, Field(min_length=1, max_length=80)]
Secret = Annotated[str, Field(max_length=200)]


class SignInIn(BaseModel):
    """Name and password, or the secret of a one-time link."""

    name: str = Field(default="", max_length=80)
    password: Secret = ""
    link: Secret = ""


class MeOut(BaseModel):
    """by_link: whether one came by a one-time link, and may set a password without the one before."""

    name: str
    role: Role
    has_password: bool
    by_link: bool


class PasswordIn(BaseModel):
    password: Secret
    current: Secret = ""


class TokenIn(BaseModel):
    name: PersonName
    days: int


class TokenOut(BaseModel):
    """seen: when it was used last."""

    id: int
    name: str
    created: datetime
    seen: datetime
    expires: datetime


class NewTokenOut(BaseModel):
    secret: str


class RoleIn(BaseModel):
    role: Role
    disabled: bool = False


class PersonIn(BaseModel):
    name: PersonName
    role: Role


class PersonOut(BaseModel):
    id: int
    name: str
    role: Role
    disabled: bool
    has_password: bool


class LinkOut(BaseModel):
    """link: the secret that the page “/enter#…” takes."""

    person: PersonOut
    link: str


class AuditOut(BaseModel):
    """status: of the answer, as HTTP counts it; source: the address that it came from; tried_as: the name that was given by whoever was not
    let in."""

    id: int
    moment: datetime
    by: str
    act: str
    place: str
    status: int
    source: str
    tried_as: str
