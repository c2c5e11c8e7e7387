"""What is said of people and their access, in and out."""

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

RoleName = Literal["reads", "works", "releases", "administers"]
Name = Annotated[str, Field(min_length=1, max_length=150)]
Password = Annotated[str, Field(min_length=1, max_length=1000)]


class Message(Schema):
    detail: str


class SignIn(Schema):
    name: str
    password: str
    code: str = Field(default="", max_length=40)


class Me(Schema):
    name: str
    organisation: str
    role: RoleName


class SiteOut(Schema):
    id: int
    name: str
    people: int
    jobs: int


class SiteIn(Schema):
    name: Annotated[str, Field(max_length=100)]


class SiteOfIn(Schema):
    site: int | None = Field(description="number of a site; null: all of them")


class PersonOut(Schema):
    id: int
    name: str
    role: RoleName
    site: int | None = Field(description="the site that they belong to; null: all of them")
    state: Literal["here", "out", "forgotten"]
    you: bool
    mail: str | None = Field(description="null for those who do not administer")
    second: bool | None = Field(description="whether a second factor is on; null for those who do not administer")
    last: datetime | None = Field(description="the last sign-in; null for those who do not administer, and for never")


class InvitationOut(Schema):
    id: int
    mail: str
    role: RoleName
    site: int | None
    by: str
    created: datetime
    ends: datetime


class PeopleOut(Schema):
    people: list[PersonOut]
    sites: list[SiteOut]
    invitations: list[InvitationOut]


class RoleIn(Schema):
    role: RoleName


class InviteIn(Schema):
    mail: Annotated[str, Field(max_length=254, pattern=r"^$|^[^@\s]+@[^@\s]+$")] = ""
    role: RoleName = "works"
    site: int | None = None


class InvitationMade(InvitationOut):
    link: str
    sent: bool = Field(description="whether a letter with the link is on its way")


class InvitedOut(Schema):
    organisation: str
    mail: str
    role: RoleName
    by: str


class AcceptIn(Schema):
    name: Name
    password: Password


class ForgottenIn(Schema):
    name: Name


class AnewIn(Schema):
    password: Password


class PasswordIn(Schema):
    old: Password
    new: Password


class ElsewhereOut(Schema):
    """`name` of the provider, empty where there is none; `said`: why the last try came to nothing; `code`: the second factor's is wanted."""

    name: str
    said: str
    code: bool


class JoinIn(Schema):
    key: str = Field(max_length=100)


class JoinOut(Schema):
    """What a worker needs to reach what it works with, as its environment."""

    environment: dict[str, str]


class CodeIn(Schema):
    code: str = Field(max_length=40)


class SeatOut(Schema):
    id: int
    address: str
    browser: str
    begun: datetime
    seen: datetime
    here: bool


class AccountOut(Schema):
    mail: str
    second: bool
    spare: int = Field(description="spare codes that are left")
    seats: list[SeatOut]


class SecondBegun(Schema):
    address: str
    picture: str


class SpareCodes(Schema):
    codes: list[str]
