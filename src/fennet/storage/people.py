"""Reads about people: who they are, where they are signed in, which gardens they belong to, which links are out."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, case, select

from fennet.storage import tables as t
from fennet.storage.mapping import table_of


@dataclass(frozen=True)
class Person:
    id: int
    name: str
    password_hash: str
    temperature_unit: str
    locale: str
    measures: str
    shortcuts: bool
    keeper: bool
    totp_key: str | None
    totp_step: int | None
    spare_codes: tuple[str, ...]


@dataclass(frozen=True)
class Session:
    """A browser that is signed in."""

    token_hash: str
    made_at: datetime
    last_at: datetime
    agent: str


@dataclass(frozen=True)
class Member:
    """A person as one garden has them."""

    person_id: int
    name: str
    role: str
    keeper: bool


@dataclass(frozen=True)
class Link:
    """A link for one use: an invitation (of a garden, with a role) or a new password's (of a person)."""

    token_hash: str
    garden_id: int | None
    role: str | None
    person_id: int | None
    made_at: datetime
    until: datetime
    by: str
    used_at: datetime | None

    def holds(self, now: datetime) -> bool:
        return self.used_at is None and now < self.until


_PERSON = (
    "id", "name", "password_hash", "temperature_unit", "locale", "measures", "shortcuts", "keeper", "totp_key", "totp_step",
    "spare_codes",
)  # fmt: skip


def _columns() -> list[Any]:
    p = table_of(t.PersonRow)
    return [p.c[name] for name in _PERSON]


def _person(row: tuple[object, ...] | None) -> Person | None:
    return None if row is None else Person(*row[:-1], spare_codes=tuple(row[-1] or ()))  # type: ignore[arg-type,misc]


def person(c: Connection, *, id: int | None = None, name: str | None = None) -> Person | None:
    p = table_of(t.PersonRow)
    this = p.c.id == id if id is not None else p.c.name == name
    found = c.execute(select(*_columns()).where(this)).first()
    return _person(tuple(found) if found else None)


def has_people(c: Connection) -> bool:
    return c.execute(select(table_of(t.PersonRow).c.id).limit(1)).first() is not None


def people(c: Connection) -> list[Person]:
    """Everybody who may sign in, by name."""
    p = table_of(t.PersonRow)
    rows = c.execute(select(*_columns()).order_by(p.c.name)).all()
    return [known for row in rows if (known := _person(tuple(row))) is not None]


def signed_in(c: Connection, token_hash: str, since: datetime) -> tuple[Person, datetime] | None:
    """Whose session a token opens and when it was last used; None where there is none that was used since `since`."""
    p, s = table_of(t.PersonRow), table_of(t.SessionRow)
    mine = select(s.c.last_at, *_columns()).join(p, p.c.id == s.c.person_id)
    found = c.execute(mine.where(s.c.token_hash == token_hash, s.c.last_at > since)).first()
    if found is None:
        return None
    known = _person(tuple(found)[1:])
    return None if known is None else (known, found[0])


def sessions(c: Connection, person_id: int, since: datetime) -> list[Session]:
    """Where a person is signed in, the last used first."""
    s = table_of(t.SessionRow)
    columns = (s.c.token_hash, s.c.made_at, s.c.last_at, s.c.agent)
    mine = select(*columns).where(s.c.person_id == person_id, s.c.last_at > since).order_by(s.c.last_at.desc())
    return [Session(*row) for row in c.execute(mine)]


def members(c: Connection, garden_id: int) -> list[Member]:
    """Who belongs to a garden, owners first."""
    p, m = table_of(t.PersonRow), table_of(t.MembershipRow)
    rank = case({"owner": 0, "helper": 1}, value=m.c.role, else_=2)
    found = select(p.c.id, p.c.name, m.c.role, p.c.keeper).join(m, m.c.person_id == p.c.id).where(m.c.garden_id == garden_id)
    return [Member(*row) for row in c.execute(found.order_by(rank, p.c.name))]


def roles_of(c: Connection, person_id: int) -> dict[int, str]:
    """Every garden a person belongs to, with the role there."""
    m = table_of(t.MembershipRow)
    return dict(c.execute(select(m.c.garden_id, m.c.role).where(m.c.person_id == person_id)).tuples().all())


def _links() -> list[Any]:
    x = table_of(t.OneTimeLinkRow)
    return [x.c[name] for name in Link.__dataclass_fields__]


def link(c: Connection, token_hash: str) -> Link | None:
    x = table_of(t.OneTimeLinkRow)
    found = c.execute(select(*_links()).where(x.c.token_hash == token_hash)).first()
    return Link(*found) if found else None


def invitations(c: Connection, garden_id: int, since: datetime) -> list[Link]:
    """Invitations to a garden that are out, or were used since, the newest first."""
    x = table_of(t.OneTimeLinkRow)
    mine = select(*_links()).where(x.c.garden_id == garden_id, x.c.until > since).order_by(x.c.made_at.desc())
    return [Link(*row) for row in c.execute(mine)]
