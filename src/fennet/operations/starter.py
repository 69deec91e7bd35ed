"""The starter arrangement: a stand of two shelves under two lamps, a mat, a sill and two trays, to adjust."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from sqlalchemy import insert

from fennet.operations.acting import Refusal, WriteContext, for_owners
from fennet.operations.logging import write_events
from fennet.operations.room import parsed
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import SECTIONS, table_of, to_row

_SHELF = {"room": "room", "kind": "shelf", "width_mm": 1200, "depth_mm": 450, "x_mm": 0}
_LAMP = {"kind": "white_led", "watts": 36, "length_mm": 900, "min_distance_mm": 50, "outlet": "wall-1"}
_TRAY = {"kind": "cells", "rows": 4, "columns": 6, "cell_ml": 50, "width_mm": 360, "depth_mm": 240, "height_mm": 60}
STARTER: dict[str, list[dict[str, Any]]] = {
    "rooms": [{"id": "room", "name": "Grow-room"}],
    "outlets": [{"id": "wall-1", "limit_w": 2300}],
    "places": [
        {**_SHELF, "id": "shelf-1", "name": "Upper shelf", "z_mm": 1300},
        {**_SHELF, "id": "shelf-2", "name": "Lower shelf", "z_mm": 700},
        {
            "id": "sill",
            "room": "room",
            "kind": "sill",
            "name": "Window sill",
            "width_mm": 1000,
            "depth_mm": 250,
            "x_mm": 1400,
            "z_mm": 900,
        },
    ],
    "lamps": [{**_LAMP, "id": "lamp-1", "place": "shelf-1"}, {**_LAMP, "id": "lamp-2", "place": "shelf-2"}],
    "mats": [
        {
            "id": "mat-1",
            "watts": 20,
            "control": "thermostat",
            "trays_max": 1,
            "width_mm": 500,
            "depth_mm": 250,
            "outlet": "wall-1",
        },
    ],
    "trays": [{**_TRAY, "id": "A"}, {**_TRAY, "id": "B"}],
    "sources": [{"id": "by-hand", "kind": "person"}],
}
STARTER_DEEDS: list[tuple[str, dict[str, Any]]] = [
    ("placed", {"tray": "A", "place": "shelf-1", "x_mm": 20.0}),
    ("placed", {"tray": "B", "place": "shelf-2", "x_mm": 20.0}),
    ("mat", {"mat": "mat-1", "tray": "B", "on": True, "setpoint_c": 24.0}),
    ("lamp", {"lamp": "lamp-1", "place": "shelf-1", "height_mm": 200.0, "on": "06:30", "off": "21:00"}),
    ("lamp", {"lamp": "lamp-2", "place": "shelf-2", "height_mm": 200.0, "on": "06:30", "off": "21:00"}),
]


@for_owners
def start(w: WriteContext) -> None:
    """The starter arrangement in a garden without a room. Raises Refusal where a name is taken."""
    known = queries.things(w.c, w.garden_id)
    if set(known.values()) & {"room", "place"}:
        raise Refusal("There is a room already: change it as it stands.")
    for section, entries in STARTER.items():
        _, model, kind = SECTIONS[section]
        for entry in entries:
            if entry["id"] in known:
                continue
            record = parsed(section, entry)
            if kind:
                w.c.execute(insert(table_of(t.ThingRow)).values(garden_id=w.garden_id, id=record.id, kind=kind))
            found = queries.records(w.c, w.garden_id, section, table_of(model).c.id == record.id)
            if not found:
                w.c.execute(insert(table_of(model)).values(**to_row(record, model, w.garden_id)))
    actions = [d for d in STARTER_DEEDS if d[1].get("tray") not in known]
    # A moment ago, so that what is logged in the next minute comes after it.
    write_events(w, [(kind, fields, w.now - timedelta(minutes=1)) for kind, fields in actions])
