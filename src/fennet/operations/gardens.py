"""People and gardens: the first owner, a new garden, settings."""

from __future__ import annotations

import re
import secrets
import unicodedata
from datetime import datetime

from sqlalchemy import Connection, Engine, insert, select, text, update

from fennet.core.kinds import is_id
from fennet.core.records import Garden, Tray
from fennet.journal.times import zone_of
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.logging import write_events
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row
from fennet.storage.queries import GardenRef

LEAST_PASSWORD = 10


def slug_for(c: Connection, name: str) -> str:
    """An address for a garden's name, not used yet."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:40] or "garden"
    g = table_of(t.GardenRow)
    taken = {r[0] for r in c.execute(select(g.c.slug).where(g.c.slug.like(f"{base}%")))}
    return next(s for s in (base, *(f"{base}-{n}" for n in range(2, 10_000))) if s not in taken)


def make_garden(c: Connection, garden: Garden, demo: bool = False) -> GardenRef:
    g = table_of(t.GardenRow)
    row = {
        **{
            k: getattr(garden, k)
            for k in ("name", "timezone", "latitude", "longitude", "last_frost", "last_frost_sd_d", "tariff_per_kwh", "currency")
        },
        "practice": garden.practice or None,
        "slug": slug_for(c, garden.name),
        "demo": demo,
    }
    number = c.execute(insert(g).values(**row).returning(g.c.id)).scalar_one()
    return GardenRef(number, row["slug"], garden, "owner", demo)


def make_person(
    c: Connection, name: str, password_hash: str, now: datetime, temperature_unit: str = "degC", locale: str = "en_GB",
    measures: str = "metric",
) -> int:  # fmt: skip
    p = table_of(t.PersonRow)
    values = {
        "name": name,
        "password_hash": password_hash,
        "created_at": now,
        "temperature_unit": temperature_unit,
        "locale": locale,
        "measures": measures,
        "session_mark": secrets.token_hex(16),
    }
    return int(c.execute(insert(p).values(**values).returning(p.c.id)).scalar_one())


def join(c: Connection, ref: GardenRef, person_id: int, role: str) -> None:
    c.execute(insert(table_of(t.MembershipRow)).values(garden_id=ref.id, person_id=person_id, role=role))


def give_to_first_owner(c: Connection, ref: GardenRef) -> None:
    """A garden that came in from outside belongs to whoever set Fennet up, once somebody has."""
    p = table_of(t.PersonRow)
    first = c.execute(select(p.c.id).order_by(p.c.id).limit(1)).scalar()
    if first is not None:
        join(c, ref, first, "owner")


def first_owner(
    engine: Engine, name: str, password: str, password_hash: str, garden: Garden, now: datetime, temperature_unit: str = "degC",
    locale: str = "en_GB", measures: str = "metric",
) -> int:  # fmt: skip
    """The first visit: an owner and a garden. Gardens imported before anyone signed in become the owner's too.

    Raises Refusal when there is an owner already or something given will not do.
    """
    name = name.strip()
    if not 1 <= len(name) <= 60:
        raise Refusal("A name of 1 to 60 letters is needed.", "name", name)
    if len(password) < LEAST_PASSWORD:
        raise Refusal(f"The password has {len(password)} letters; at least {LEAST_PASSWORD} are needed.", "password")
    if not garden.name.strip():
        raise Refusal("The garden needs a name.", "garden")
    checked_zone(garden.timezone)
    with engine.begin() as c:
        # Two first visits at once: the second waits here and then sees the first.
        c.execute(text("lock table person in exclusive mode"))
        if queries.has_people(c):
            raise Refusal("This Fennet has an owner already. Sign in instead.")
        person_id = make_person(c, name, password_hash, now, temperature_unit, locale, measures)
        waiting = queries.gardens(c)
        for ref in waiting or [make_garden(c, garden)]:
            join(c, ref, person_id, "owner")
    return person_id


def checked_zone(name: str) -> str:
    try:
        return zone_of(name).key
    except ValueError:
        raise Refusal(f"There is no time zone {name!r}; one looks like Europe/Tallinn.", "timezone", name) from None


def set_preferences(
    engine: Engine, person_id: int, temperature_unit: str, locale: str, measures: str = "metric", shortcuts: bool = True
) -> None:
    if temperature_unit not in ("degC", "degF"):
        raise Refusal("Temperatures are shown in °C or °F.", "temperature_unit", temperature_unit)
    if measures not in ("metric", "imperial"):
        raise Refusal("Lengths and volumes are shown in metric or imperial measures.", "measures", measures)
    p = table_of(t.PersonRow)
    chosen = {"temperature_unit": temperature_unit, "locale": locale, "measures": measures, "shortcuts": shortcuts}
    with engine.begin() as c:
        c.execute(update(p).where(p.c.id == person_id).values(**chosen))


def add_tray(w: WriteContext, tray: Tray, place: str | None) -> None:
    """A new tray, and where it stands if that is known. Raises Refusal for an id in use or a place that is not there."""
    if not is_id(tray.id):
        raise Refusal("A tray's name is 1 to 64 letters, digits, dots, dashes or underscores, without spaces.", "id", tray.id)
    known = queries.things(w.c, w.garden_id)
    if tray.id in known:
        raise Refusal(f"{tray.id} is the name of a {known[tray.id]} already. Choose another.", "id", tray.id)
    if place and known.get(place) not in ("place", "room"):
        raise Refusal(f"There is no place {place} in this garden.", "place", place)
    insert_thing(w.c, w.garden_id, tray.id, "tray")
    w.c.execute(insert(table_of(t.TrayRow)).values(**to_row(tray, t.TrayRow, w.garden_id)))
    if place:
        write_events(w, [("placed", {"tray": tray.id, "place": place}, w.now)])


def insert_thing(c: Connection, garden_id: int, id: str, kind: str) -> None:
    c.execute(insert(table_of(t.ThingRow)).values(garden_id=garden_id, id=id, kind=kind))
