"""The first hour: a room from what there is, a sowing that is done already, seedlings that came from nowhere. One press each."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from string import ascii_uppercase
from typing import Any

from sqlalchemy import insert

from fennet.core.records import Batch, Mix, Tray
from fennet.crops import UnknownCrop, shipped
from fennet.operations import gardens
from fennet.operations.acting import Refusal, WriteContext, for_owners
from fennet.operations.actions import check_action
from fennet.operations.logging import checked_time, write_events
from fennet.operations.readings import HandReading, write_by_hand
from fennet.operations.room import change_garden, parsed
from fennet.operations.sowing import MOST_SEEDS, Sowing, sow
from fennet.operations.towns import town_of
from fennet.storage import queries
from fennet.storage.mapping import SECTIONS, table_of, to_row

#: Of a day so many hours are night.
NIGHT_H = 9.0
#: A tray made here has at most so many cells or pots, and is so many wide.
MOST_CELLS = 360
COLUMNS = 6
#: Where something can be said to stand that is not set up yet: the kind of place it makes, with its name.
NEW_PLACES = {"+sill": ("sill", "Window sill"), "+shelf": ("shelf", "Shelf"), "+mat": ("shelf", "Shelf with a mat")}
#: How long ago seedlings came up, days, as it is told.
UP_SINCE = {"days": 4.0, "week": 10.0, "weeks": 21.0, "month": 40.0}


@dataclass(frozen=True)
class Beginning:
    """What a newcomer tells of a garden, each of it or nothing: a town or degrees, the last frost (month-day), the warmth of the
    room by day and night °C, and how many sills (and which way
    their windows face, degrees from north), lamps and mats there are."""

    town: str | None = None
    latitude: float | None = None
    longitude: float | None = None
    last_frost: str | None = None
    day_c: float | None = None
    night_c: float | None = None
    sills: int = 0
    facing_deg: float | None = None
    lamps: int = 0
    mats: int = 0


@for_owners
def begin(w: WriteContext, told: Beginning) -> None:
    """Keep what was told, and make the room of it, to be adjusted later. Raises Refusal."""
    changes: dict[str, Any] = {}
    if told.town:
        town = town_of(told.town)
        changes = {"latitude": town.latitude, "longitude": town.longitude, "timezone": town.timezone}
    elif told.latitude is not None:
        changes = {"latitude": told.latitude, "longitude": told.longitude}
    if told.last_frost:
        changes["last_frost"] = told.last_frost
    if changes:
        change_garden(w, changes)
    warmth = told.day_c is not None or told.night_c is not None
    if told.sills or told.lamps or told.mats or warmth:
        _room(w, told)
    if warmth:
        mean_c = _mean_c(told.day_c, told.night_c)
        write_by_hand(w, [HandReading("room", "air_temperature", mean_c, "degC", w.now - timedelta(minutes=1), estimated=True)])


def _mean_c(day_c: float | None, night_c: float | None) -> float:
    """The mean of a day of which the warmth by day or by night is told; the other is taken 3 °C off it."""
    day = day_c if day_c is not None else (night_c or 0.0) + 3.0
    night = night_c if night_c is not None else day - 3.0
    return round((day * (24 - NIGHT_H) + night * NIGHT_H) / 24, 1)


def _room(w: WriteContext, told: Beginning) -> None:
    known = set(queries.things(w.c, w.garden_id))
    if "room" not in known:
        _add(w, "rooms", {"id": "room", "name": "Grow-room"})
    facing = {} if told.facing_deg is None else {"facing_deg": told.facing_deg}
    for i in range(1, told.sills + 1):
        sill = {
            "id": f"sill-{i}",
            "room": "room",
            "kind": "sill",
            "name": f"Window sill {i}" if told.sills > 1 else "Window sill",
        }
        if sill["id"] not in known:
            _add(w, "places", {**sill, "width_mm": 1000, "depth_mm": 250, "x_mm": 1400, "z_mm": 900 + 10 * i, **facing})
    deeds: list[tuple[str, Mapping[str, Any], datetime]] = []
    for i in range(1, told.lamps + 1):
        shelf = {"id": f"shelf-{i}", "room": "room", "kind": "shelf", "name": f"Shelf {i}", "x_mm": 0, "z_mm": 300 + 500 * i}
        if shelf["id"] not in known:
            _add(w, "places", {**shelf, "width_mm": 1200, "depth_mm": 450})
        if f"lamp-{i}" not in known:
            _add(w, "lamps", {"id": f"lamp-{i}", "kind": "white_led", "place": shelf["id"]})
            deeds.append(("lamp", {"lamp": f"lamp-{i}", "place": shelf["id"]}, w.now - timedelta(minutes=1)))
    for i in range(1, told.mats + 1):
        if f"mat-{i}" not in known:
            _add(w, "mats", {"id": f"mat-{i}"})
    if deeds:
        write_events(w, deeds)


def _add(w: WriteContext, section: str, entry: Mapping[str, Any]) -> None:
    _, model, kind = SECTIONS[section]
    record = parsed(section, entry)
    if kind:
        gardens.insert_thing(w.c, w.garden_id, record.id, kind)
    w.c.execute(insert(table_of(model)).values(**to_row(record, model, w.garden_id)))


def sown_somewhere(
    w: WriteContext, crop: str, cells: int, at: datetime, where: str | None, warm_c: float | None, watered: str | None,
    variety: str | None = None, open_box: bool = False,
) -> tuple[str, str]:  # fmt: skip
    """A sowing that is done, in a tray that nobody set up: tray and batch; in an open box `cells` are seeds. Raises Refusal."""
    checked_time(at, w.now)
    tray = _tray(w, cells, where, at, open_box)
    template = Batch(id="new", crop="new", sown_at=at, cells=1, set_up="in_mix", mix=Mix(kind=None))
    sowing = Sowing(crop, tuple(tray.cell_names()[:cells]), cells if open_box else 1, variety=variety)
    (batch,) = sow(w, tray.id, [sowing], template, at, False, watered)
    if warm_c is not None:
        write_by_hand(w, [HandReading(tray.id, "soil_temperature", round(warm_c, 1), "degC", at, estimated=True)])
    return tray.id, batch


def seedlings_somewhere(
    w: WriteContext, crop: str, cells: int, since: str, where: str | None, start: str | None
) -> tuple[str, str]:  # fmt: skip
    """Plants that are there and were never logged: a tray, and a batch that came up about so long ago, or was bought then. Raises
    Refusal."""
    if since not in UP_SINCE:
        raise Refusal("Say about how long they have been up.", "since", since)
    up = w.now - timedelta(days=UP_SINCE[since])
    try:
        kind = shipped().with_own(queries.own_crops(w.c, w.garden_id)).get(crop)
    except UnknownCrop as e:
        near = f" Nearest: {', '.join(e.nearest)}." if e.nearest else ""
        raise Refusal(f"No crop is called {crop!r}.{near} Try its English name.", "crop", crop) from None
    wait_d = 1.0 / max(0.03, float(kind.response.rate_per_day(18.0)))
    sown = up if start else up - timedelta(days=min(60.0, wait_d))
    tray = _tray(w, cells, where, sown)
    template = Batch(id="new", crop="new", sown_at=sown, cells=1, set_up="in_mix", mix=Mix(kind=None))
    names = tuple(tray.cell_names()[:cells])
    (batch,) = sow(w, tray.id, [Sowing(crop, names, 1, start="bought" if start else None)], template, sown)
    told: list[tuple[str, Mapping[str, Any], datetime]] = []
    if not start:
        told.append(("count", {"batch": batch, "cells_up": cells, "cell_list": list(names)}, up))
    text = "Its first days are told from memory, not counted."
    told.append(("note", {"batch": batch, "text": text}, w.now))
    for deed, fields, at in told:
        check_action(w, deed, fields, at)
    write_events(w, told)
    return tray.id, batch


def _tray(w: WriteContext, cells: int, where: str | None, at: datetime, open_box: bool = False) -> Tray:
    """A new tray of so many cells, or an open box, standing where it is said to stand, since before something was sown in it."""
    if not 1 <= cells <= (MOST_SEEDS if open_box else MOST_CELLS):
        raise Refusal(
            f"1 to {MOST_CELLS} cells or pots go into a tray; scattered seed, up to {MOST_SEEDS:,}, into an open box.",
            "cells", str(cells),
        )  # fmt: skip
    known = set(queries.things(w.c, w.garden_id))
    columns = min(COLUMNS, cells)
    names = (x + y for x in ("", *ascii_uppercase) for y in ascii_uppercase)
    id = next(n for n in names if n not in known)
    tray = Tray(id=id, kind="open") if open_box else Tray(id=id, kind="cells", rows=math.ceil(cells / columns), columns=columns)
    gardens.add_tray(w, tray, None)
    place = _place(w, where, known)
    if place is not None:
        deeds: list[tuple[str, Mapping[str, Any], datetime]] = [
            ("placed", {"tray": tray.id, "place": place}, at - timedelta(minutes=1))
        ]
        if where == "+mat":
            mat = next(f"mat-{n}" for n in range(1, 1000) if f"mat-{n}" not in known)
            _add(w, "mats", {"id": mat})
            deeds.append(("mat", {"mat": mat, "tray": tray.id, "on": True}, at - timedelta(minutes=1)))
        write_events(w, deeds)
    return tray


def _place(w: WriteContext, where: str | None, known: set[str]) -> str | None:
    if not where:
        return None
    if where not in NEW_PLACES:
        if where not in known:
            raise Refusal(f"There is no place {where} in this garden.", "where", where)
        return where
    kind, name = NEW_PLACES[where]
    if "room" not in known:
        _add(w, "rooms", {"id": "room", "name": "Grow-room"})
    id = next(f"{kind}-{n}" for n in range(1, 1000) if f"{kind}-{n}" not in known)
    _add(w, "places", {"id": id, "room": "room", "kind": kind, "name": name, "width_mm": 1000, "depth_mm": 300})
    known.add(id)
    return id
