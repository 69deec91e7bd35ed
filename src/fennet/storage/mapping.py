"""Core records to table rows and back: the one place where they meet."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import MISSING, fields
from datetime import datetime
from functools import lru_cache
from typing import Any, cast

from pydantic import TypeAdapter
from sqlalchemy import Table
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import SQLModel

from fennet.core import records as rec
from fennet.core.records import Event
from fennet.core.salvage import salvage
from fennet.storage import tables as t

#: Journal section → (record, table, kind in the namespace of ids or None).
SECTIONS: dict[str, tuple[type, type[SQLModel], str | None]] = {
    "seed_lots": (rec.SeedLot, t.SeedLotRow, None),
    "rooms": (rec.Room, t.RoomRow, "room"),
    "places": (rec.Place, t.PlaceRow, "place"),
    "outlets": (rec.Outlet, t.OutletRow, None),
    "lamps": (rec.Lamp, t.LampRow, "lamp"),
    "mats": (rec.Mat, t.MatRow, "mat"),
    "fans": (rec.Fan, t.FanRow, "fan"),
    "trays": (rec.Tray, t.TrayRow, "tray"),
    "sources": (rec.Source, t.SourceRow, None),
    "batches": (rec.Batch, t.BatchRow, "batch"),
}


def table_of(model: type[SQLModel]) -> Table:
    return cast(Table, model.__table__)  # type: ignore[attr-defined]


@lru_cache
def _adapter(cls: type) -> TypeAdapter[Any]:
    return TypeAdapter(cls)


def to_row(record: Any, model: type[SQLModel], garden_id: int) -> dict[str, Any]:
    """A record as column values."""
    plain = _adapter(record.__class__).dump_python(record, mode="json", exclude_none=True)
    columns = table_of(model).columns
    row: dict[str, Any] = {"garden_id": garden_id}
    for f in fields(record):
        value = getattr(record, f.name)
        if isinstance(columns[f.name].type, JSONB):
            value = plain.get(f.name) or None
        row[f.name] = value
    return row


@lru_cache
def _needed(cls: type) -> frozenset[str]:
    """The fields without which there is no record of this class."""
    return frozenset(f.name for f in fields(cls) if f.default is MISSING and f.default_factory is MISSING)


def from_row(cls: type, row: Mapping[Any, Any]) -> tuple[Any, dict[str, Any]]:
    """Column values as a record (None where there can be none), and the values that cannot be, by field: what an earlier version
    stored is read without them. Empty nested values take the record's default."""
    plain = {f.name: row[f.name] for f in fields(cls) if row.get(f.name) is not None}
    return salvage(_adapter(cls).validate_python, plain, _needed(cls))


def event_row(event: Event, garden_id: int) -> dict[str, Any]:
    """An event as column values; what queries need of it stands in columns of its own beside the body."""
    body = {k: _event_body(v) if isinstance(v, Event) else v for k, v in event.fields.items()}
    about = event.fields["event"].fields if isinstance(event.fields.get("event"), Event) else event.fields
    return {
        "garden_id": garden_id,
        "id": event.id,
        "kind": event.kind,
        "at": event.at,
        "by": event.by,
        "body": body,
        "batch": about.get("batch"),
        "tray": about.get("tray"),
        "target": event.fields.get("target"),
    }


def _event_body(event: Event) -> dict[str, Any]:
    return {"kind": event.kind, "at": event.at.isoformat(), "id": event.id, "by": event.by, "fields": dict(event.fields)}


def event_from_row(row: Mapping[str, Any]) -> Event:
    body = dict(row["body"])
    if row["kind"] == "corrects":
        inner = body["event"]
        body["event"] = Event(
            kind=inner["kind"],
            at=datetime.fromisoformat(inner["at"]),
            id=inner["id"],
            by=inner["by"],
            fields=inner["fields"],
        )
    return Event(kind=row["kind"], at=row["at"], id=row["id"], by=row["by"], fields=body)
