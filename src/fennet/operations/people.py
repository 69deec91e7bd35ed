"""People: the first owner, sessions, passwords and the second step, invitations, roles, gardens made and left."""

from __future__ import annotations

import hmac
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

import pyotp
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError
from sqlalchemy import Connection, Engine, delete, func, insert, select, text, update

from fennet.core.bounds import is_plain_text
from fennet.core.records import Garden
from fennet.operations.acting import Refusal, Secret, WriteContext, for_owners
from fennet.operations.gardens import checked_zone, join, make_garden
from fennet.operations.tokens import hashed
from fennet.storage import people, queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of
from fennet.storage.people import Link, Person
from fennet.storage.queries import GardenRef

LEAST_PASSWORD, LONGEST_PASSWORD = 10, 500
ROLES = ("owner", "helper", "viewer")
#: A session that lay unused for so long is over; its use is noted at most so often.
SESSION_KEPT, NOTED_EVERY = timedelta(days=60), timedelta(hours=1)
INVITED_FOR, RESET_FOR = timedelta(days=7), timedelta(days=1)
MOST_SESSIONS, MOST_LINKS, MOST_GARDENS, SPARE_CODES = 50, 40, 60, 8

_hasher = PasswordHasher()
#: Checked when the name is unknown, so that an unknown name takes as long as a wrong password.
_NOBODY = _hasher.hash("nobody signs in with this")


@dataclass(frozen=True)
class NewPerson:
    """Who is new: the name and password they chose, and how their browser writes figures."""

    name: str
    password: str
    temperature_unit: str = "degC"
    locale: str = "en_GB"
    measures: str = "metric"


# -- passwords ------------------------------------------------------------------------------------------------------------


def hash_of(password: str) -> str:
    """A password as it is kept. Raises Refusal where it will not do."""
    if not LEAST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise Refusal(f"The password has {len(password)} letters; accepted: {LEAST_PASSWORD} to {LONGEST_PASSWORD}.", "password")
    if not is_plain_text(password):
        raise Refusal("The password has a character that cannot be typed again; accepted: plain text.", "password")
    return _hasher.hash(password)


def is_password(person: Person | None, password: str) -> bool:
    """Whether this is the person's password; it takes as long where there is no such person."""
    try:
        _hasher.verify(person.password_hash if person else _NOBODY, password[: LONGEST_PASSWORD + 1])
    except (Argon2Error, InvalidHashError, UnicodeEncodeError):
        return False
    return person is not None


def change_password(engine: Engine, person: Person, old: str, new: str, session: str) -> None:
    """A new password, known by the old one; every other session ends. Raises Refusal."""
    if not is_password(person, old):
        raise Refusal("That is not the password you have now.", "old")
    with engine.begin() as c:
        _set_password(c, person.id, hash_of(new))
        _end_sessions(c, person.id, but=session)


def new_password(engine: Engine, name: str) -> str:
    """A new password for a person, made by whoever sits at the machine: every session and the second step end with the old one.
    Raises Refusal for a name nobody has."""
    made = "-".join(secrets.token_hex(3) for _ in range(4))
    with engine.begin() as c:
        person = people.person(c, name=name)
        if person is None:
            known = ", ".join(p.name for p in people.people(c)[:20]) or "nobody yet"
            raise Refusal(f"{name!r} is nobody's name here; accepted: {known}", "name", name)
        _set_password(c, person.id, hash_of(made))
        _end_sessions(c, person.id)
        p = table_of(t.PersonRow)
        c.execute(update(p).where(p.c.id == person.id).values(totp_key=None, totp_step=None, spare_codes=None))
    return made


def _set_password(c: Connection, person_id: int, password_hash: str) -> None:
    p, x = table_of(t.PersonRow), table_of(t.OneTimeLinkRow)
    c.execute(update(p).where(p.c.id == person_id).values(password_hash=password_hash))
    c.execute(delete(x).where(x.c.person_id == person_id))


# -- sessions -------------------------------------------------------------------------------------------------------------


def begin_session(engine: Engine, person_id: int, agent: str, now: datetime) -> str:
    """A new session's token. Those that lay unused too long go, and the oldest where there are too many."""
    s = table_of(t.SessionRow)
    token = secrets.token_urlsafe(32)
    kept = "".join(c for c in agent if is_plain_text(c))[:200]
    with engine.begin() as c:
        c.execute(delete(s).where(s.c.person_id == person_id, s.c.last_at < now - SESSION_KEPT))
        newest = select(s.c.token_hash).where(s.c.person_id == person_id).order_by(s.c.last_at.desc()).limit(MOST_SESSIONS - 1)
        c.execute(delete(s).where(s.c.person_id == person_id, s.c.token_hash.not_in(newest)))
        c.execute(insert(s).values(token_hash=hashed(token), person_id=person_id, made_at=now, last_at=now, agent=kept))
    return token


def note_use(c: Connection, token_hash: str, now: datetime) -> None:
    s = table_of(t.SessionRow)
    c.execute(update(s).where(s.c.token_hash == token_hash).values(last_at=now))


def end_session(engine: Engine, person_id: int, token_hash: str) -> None:
    """End one session of a person; one that is over already is no fault."""
    s = table_of(t.SessionRow)
    with engine.begin() as c:
        c.execute(delete(s).where(s.c.person_id == person_id, s.c.token_hash == token_hash))


def end_other_sessions(engine: Engine, person_id: int, session: str) -> None:
    with engine.begin() as c:
        _end_sessions(c, person_id, but=session)


def _end_sessions(c: Connection, person_id: int, but: str = "") -> None:
    s = table_of(t.SessionRow)
    c.execute(delete(s).where(s.c.person_id == person_id, s.c.token_hash != but))


# -- the second step ------------------------------------------------------------------------------------------------------


def new_key() -> str:
    return str(pyotp.random_base32())


def key_address(key: str, name: str) -> str:
    """What an authenticator program reads from the picture."""
    return str(pyotp.TOTP(key).provisioning_uri(name=name, issuer_name="Fennet"))


def turn_on_second_step(engine: Engine, person: Person, key: str, code: str, now: datetime) -> list[str]:
    """Ask for a code at every sign-in from now on; the codes for a lost phone, shown once. Raises Refusal for a wrong code."""
    step = _step_of(key, code, now)
    if step is None:
        raise Refusal("That code does not fit. Is the phone's clock right? Take the code that shows now.", "code")
    spare = [f"{secrets.token_hex(2)}-{secrets.token_hex(2)}" for _ in range(SPARE_CODES)]
    p = table_of(t.PersonRow)
    with engine.begin() as c:
        kept = {"totp_key": key, "totp_step": step, "spare_codes": [hashed(x) for x in spare]}
        c.execute(update(p).where(p.c.id == person.id).values(**kept))
    return spare


def turn_off_second_step(engine: Engine, person: Person, password: str) -> None:
    if not is_password(person, password):
        raise Refusal("That is not the password you have now.", "password")
    p = table_of(t.PersonRow)
    with engine.begin() as c:
        c.execute(update(p).where(p.c.id == person.id).values(totp_key=None, totp_step=None, spare_codes=None))


def passes_second_step(engine: Engine, person_id: int, code: str, now: datetime) -> bool:
    """Whether a code opens; each opens once, also where two are sent at one moment."""
    p = table_of(t.PersonRow)
    with engine.begin() as c:
        c.execute(select(p.c.id).where(p.c.id == person_id).with_for_update())
        person = people.person(c, id=person_id)
        if person is None or person.totp_key is None:
            return person is not None
        step = _step_of(person.totp_key, code, now)
        if step is not None and step > (person.totp_step or 0):
            c.execute(update(p).where(p.c.id == person_id).values(totp_step=step))
            return True
        given = hashed(code.strip().lower())
        left = [x for x in person.spare_codes if not hmac.compare_digest(x, given)]
        if len(left) < len(person.spare_codes):
            c.execute(update(p).where(p.c.id == person_id).values(spare_codes=left))
            return True
    return False


def _step_of(key: str, code: str, now: datetime) -> int | None:
    """The half minute whose code this is: this one or a neighbour, for clocks that differ."""
    typed = code.replace(" ", "")
    if not key or not (len(typed) == 6 and typed.isascii() and typed.isdecimal()):
        return None
    totp = pyotp.TOTP(key)
    this = int(now.timestamp()) // int(totp.interval)
    return next((n for n in (this, this - 1, this + 1) if hmac.compare_digest(totp.at(n * totp.interval), typed)), None)


# -- who belongs ----------------------------------------------------------------------------------------------------------


def make_person(c: Connection, new: NewPerson, now: datetime, keeper: bool = False) -> int:
    """A new person. Raises Refusal for a name that will not do or is taken."""
    name = new.name.strip()
    if not 1 <= len(name) <= 60 or not is_plain_text(name):
        raise Refusal("A name of 1 to 60 letters is needed.", "name", name)
    kept = hash_of(new.password)
    p = table_of(t.PersonRow)
    taken = c.execute(select(p.c.id).where(func.lower(p.c.name) == name.lower())).first()
    if taken is not None:
        raise Refusal("Somebody has that name here already. Choose another, or sign in if it is yours.", "name", name)
    values = {"name": name, "password_hash": kept, "created_at": now, "keeper": keeper, "temperature_unit": new.temperature_unit,
              "locale": new.locale, "measures": new.measures}  # fmt: skip
    return int(c.execute(insert(p).values(**values).returning(p.c.id)).scalar_one())


def first_owner(engine: Engine, new: NewPerson, garden: Garden, now: datetime) -> int:
    """The first visit: a keeper and a garden. Gardens imported before anyone signed in become the keeper's too.

    Raises Refusal when there is somebody already or something given will not do.
    """
    if not garden.name.strip():
        raise Refusal("The garden needs a name.", "garden")
    checked_zone(garden.timezone)
    with engine.begin() as c:
        # Two first visits at once: the second waits here and then sees the first.
        c.execute(text("lock table person in exclusive mode"))
        if people.has_people(c):
            raise Refusal("This Fennet has an owner already. Sign in instead.")
        person_id = make_person(c, new, now, keeper=True)
        waiting = queries.gardens(c)
        for ref in waiting or [make_garden(c, garden)]:
            join(c, ref, person_id, "owner")
    return person_id


@for_owners
def invite(w: WriteContext, role: str) -> Secret:
    """A link by which one person joins; shown once. Raises Refusal."""
    if role not in ROLES:
        raise Refusal(f"{role!r} is no role; accepted: {', '.join(ROLES)}.", "role", role)
    out = [x for x in people.invitations(w.c, w.garden_id, w.now) if x.holds(w.now)]
    if len(out) >= MOST_LINKS:
        raise Refusal(f"{len(out)} invitations are out; take some back first.")
    return _link(w, INVITED_FOR, garden_id=w.garden_id, role=role)


def _link(w: WriteContext, kept: timedelta, **of: object) -> Secret:
    x = table_of(t.OneTimeLinkRow)
    token = secrets.token_urlsafe(24)
    values = {"token_hash": hashed(token), "made_at": w.now, "until": w.now + kept, "by": w.actor.name, **of}
    w.c.execute(insert(x).values(**values))
    return Secret(token)


@for_owners
def take_back(w: WriteContext, token_hash: str) -> None:
    """Take an invitation back that nobody used yet."""
    x = table_of(t.OneTimeLinkRow)
    w.c.execute(delete(x).where(x.c.garden_id == w.garden_id, x.c.token_hash == token_hash, x.c.used_at.is_(None)))


def accept(engine: Engine, token: str, who: int | NewPerson, now: datetime) -> tuple[int, str]:
    """Join by an invitation, as who is signed in or as somebody new: the person and the garden's address. Raises Refusal."""
    x, g, m, p = (table_of(r) for r in (t.OneTimeLinkRow, t.GardenRow, t.MembershipRow, t.PersonRow))
    with engine.begin() as c:
        link = _taken(c, token, now)
        if link.garden_id is None or link.role is None:
            raise Refusal("That link is no invitation.")
        person_id = who if isinstance(who, int) else make_person(c, who, now)
        there = c.execute(select(m.c.role).where(m.c.garden_id == link.garden_id, m.c.person_id == person_id)).first()
        if there is not None:
            raise Refusal(f"You belong to this garden already, as {there[0]}. The invitation still holds for somebody else.")
        c.execute(insert(m).values(garden_id=link.garden_id, person_id=person_id, role=link.role))
        name = c.execute(select(p.c.name).where(p.c.id == person_id)).scalar_one()
        c.execute(update(x).where(x.c.token_hash == link.token_hash).values(used_at=now, used_by=name))
        slug = c.execute(select(g.c.slug).where(g.c.id == link.garden_id)).scalar_one()
    return person_id, str(slug)


def _taken(c: Connection, token: str, now: datetime) -> Link:
    """A link that holds, locked for this use. Raises Refusal in words for one that does not."""
    x = table_of(t.OneTimeLinkRow)
    c.execute(select(x.c.token_hash).where(x.c.token_hash == hashed(token)).with_for_update())
    return checked_link(people.link(c, hashed(token)), now)


def checked_link(link: Link | None, now: datetime) -> Link:
    """A link that still holds. Raises Refusal saying why one does not."""
    if link is None:
        raise Refusal("This link opens nothing: it was taken back, or was not copied whole. Ask for a new one.")
    if link.used_at is not None:
        raise Refusal("This link was used already; each works once. Ask for a new one.")
    if now >= link.until:
        raise Refusal("This link is too old to work. Ask for a new one.")
    return link


@for_owners
def set_role(w: WriteContext, person_id: int, role: str) -> str:
    """Another role for a member; the name. Raises Refusal where the garden would be left without an owner."""
    if role not in ROLES:
        raise Refusal(f"{role!r} is no role; accepted: {', '.join(ROLES)}.", "role", role)
    member = _member(w.c, w.garden_id, person_id)
    if role != "owner":
        _needs_another_owner(w.c, w.garden_id, person_id)
    m = table_of(t.MembershipRow)
    w.c.execute(update(m).where(m.c.garden_id == w.garden_id, m.c.person_id == person_id).values(role=role))
    return member.name


@for_owners
def remove(w: WriteContext, person_id: int) -> str:
    """Take a person out of the garden; what they logged stays. The name. Raises Refusal."""
    member = _member(w.c, w.garden_id, person_id)
    _needs_another_owner(w.c, w.garden_id, person_id)
    m = table_of(t.MembershipRow)
    w.c.execute(delete(m).where(m.c.garden_id == w.garden_id, m.c.person_id == person_id))
    return member.name


def leave(engine: Engine, ref: GardenRef, person_id: int) -> None:
    """Leave a garden; what one logged stays. Raises Refusal for the only owner."""
    m = table_of(t.MembershipRow)
    with engine.begin() as c:
        c.execute(select(m.c.person_id).where(m.c.garden_id == ref.id).with_for_update())
        _needs_another_owner(c, ref.id, person_id)
        c.execute(delete(m).where(m.c.garden_id == ref.id, m.c.person_id == person_id))


def _member(c: Connection, garden_id: int, person_id: int) -> people.Member:
    found = next((m for m in people.members(c, garden_id) if m.person_id == person_id), None)
    if found is None:
        raise Refusal("That person does not belong to this garden.")
    return found


def _needs_another_owner(c: Connection, garden_id: int, but: int) -> None:
    owners = [m for m in people.members(c, garden_id) if m.role == "owner"]
    if [m.person_id for m in owners] == [but]:
        raise Refusal("A garden needs an owner. Make somebody else one first, or remove the garden.")


@for_owners
def reset_link(w: WriteContext, person_id: int) -> Secret:
    """A link by which a member chooses a new password; shown once. Raises Refusal where that is not this owner's to give."""
    member = _member(w.c, w.garden_id, person_id)
    me = people.person(w.c, id=w.actor.person_id) if w.actor.person_id is not None else None
    owned = {g for g, role in people.roles_of(w.c, me.id).items() if role == "owner"} if me else set()
    if not (me is not None and (me.keeper or (not member.keeper and set(people.roles_of(w.c, person_id)) <= owned))):
        raise Refusal(
            f"{member.name} belongs to other gardens too, so a new password is not yours to give. Whoever set this Fennet up "
            "can, and whoever sits at the machine, by ./fennet password."
        )
    return _link(w, RESET_FOR, person_id=person_id)


def use_reset(engine: Engine, token: str, password: str, now: datetime) -> str:
    """Choose a new password by a link; the person's name. Every session ends. Raises Refusal."""
    with engine.begin() as c:
        link = _taken(c, token, now)
        person = people.person(c, id=link.person_id) if link.person_id is not None else None
        if person is None:
            raise Refusal("That link is not for a new password.")
        _set_password(c, person.id, hash_of(password))
        _end_sessions(c, person.id)
    return person.name


# -- gardens --------------------------------------------------------------------------------------------------------------


def found_garden(engine: Engine, person_id: int, garden: Garden) -> GardenRef:
    """Another garden, owned by who makes it. Raises Refusal."""
    if not garden.name.strip():
        raise Refusal("The garden needs a name.", "name")
    checked_zone(garden.timezone)
    with engine.begin() as c:
        c.execute(text("select pg_advisory_xact_lock(7302, :n)"), {"n": person_id})
        mine = people.roles_of(c, person_id)
        if len(mine) >= MOST_GARDENS:
            raise Refusal(f"You belong to {len(mine)} gardens; up to {MOST_GARDENS} are possible.")
        ref = make_garden(c, garden)
        join(c, ref, person_id, "owner")
    return ref


@for_owners
def remove_garden(w: WriteContext, typed: str) -> None:
    """Remove a garden with all its record, for good. Raises Refusal unless its name was typed."""
    if typed.strip() != w.actor.ref.garden.name:
        raise Refusal(f"Type the garden’s name to remove it: {w.actor.ref.garden.name}", "typed", typed)
    g = table_of(t.GardenRow)
    w.c.execute(delete(g).where(g.c.id == w.garden_id))
