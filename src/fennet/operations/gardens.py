"""Gardens: a new one, its trays, and how a person reads it."""

from __future__ import annotations

import re
import unicodedata

from sqlalchemy import Connection, Engine, insert, select, update

from fennet.core.kinds import is_id
from fennet.core.records import Garden, Tray
from fennet.journal.times import zone_of
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.logging import write_events
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row
from fennet.storage.queries import GardenRef


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


def join(c: Connection, ref: GardenRef, person_id: int, role: str) -> None:
    c.execute(insert(table_of(t.MembershipRow)).values(garden_id=ref.id, person_id=person_id, role=role))


def give_to_first_owner(c: Connection, ref: GardenRef) -> None:
    """A garden that came in from outside belongs to whoever set Fennet up, once somebody has."""
    p = table_of(t.PersonRow)
    first = c.execute(select(p.c.id).order_by(p.c.keeper.desc(), p.c.id).limit(1)).scalar()
    if first is not None:
        join(c, ref, first, "owner")


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
