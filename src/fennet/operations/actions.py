"""Whether a deed can be: its fields, what it speaks of, and the time it is said to have been."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from fennet.core.doubts import as_fahrenheit_c
from fennet.core.light import hours_of, lamp_changes
from fennet.core.records import Event
from fennet.core.tuning.mats import CAP_C
from fennet.core.tuning.probes import NO_SOIL_C
from fennet.journal.events import NAMES_KIND, EventFault, read_event
from fennet.journal.times import zone_of
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.logging import check_count, checked_time, write_events
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

NIGHT = "Plants need a night: most want 12 to 16 hours of light, none 24."


def log_event(w: WriteContext, kind: str, fields: Mapping[str, Any], at: datetime) -> Event | None:
    """Log one deed or sign about a batch, tray, lamp or place of this garden. Raises Refusal."""
    checked_time(at, w.now)
    check_action(w, kind, fields, at)
    return write_events(w, [(kind, fields, at)])[0]


def correct(w: WriteContext, event_id: str, fields: Mapping[str, Any], at: datetime) -> Event:
    """Say what an entry should have said: its whole fields and its time. The first entry stays; the last correction holds.
    Raises Refusal, also where a count would fall or pass what was sown."""
    checked_time(at, w.now)
    e = table_of(t.EventRow)
    found = queries.events(w.c, w.garden_id, e.c.id == event_id)
    if not found or found[0].kind in ("corrects", "withdrawn"):
        raise Refusal("There is no such entry in this garden.", "event", event_id)
    check_action(w, found[0].kind, fields, at)
    if found[0].kind == "count":
        check_count(w, event_id, fields, at)
    corrected = replace(found[0], at=at, fields=dict(fields))
    return write_events(w, [("corrects", {"target": event_id, "event": corrected}, w.now)])[0]


def check_action(
    w: WriteContext, kind: str, fields: Mapping[str, Any], at: datetime, known: Mapping[str, str] | None = None
) -> None:
    """Raises Refusal, in words a person reads, when a deed cannot be written."""
    known = queries.things(w.c, w.garden_id) if known is None else known
    item = {"id": "new", "kind": kind, "at": at.isoformat(), **fields}
    try:
        read_event(item, zone_of(w.actor.ref.garden.timezone), set())
    except EventFault as e:
        raise Refusal(f"{e.field.replace('_', ' ')}: {e.value!r} {e.accepted}.", e.field, str(e.value)) from None
    for name, wanted in {**NAMES_KIND, "place": ""}.items():
        value = fields.get(name)
        if value is None:
            continue
        if value not in known:
            raise Refusal(f"There is no {name.removeprefix('to_')} {value} in this garden.", name, str(value))
        if wanted and known[value] != wanted:
            raise Refusal(f"{value} is a {known[value]}, not a {wanted}.", name, str(value))
    if kind == "placed" and known[fields["place"]] not in ("place", "room"):
        raise Refusal(f"{fields['place']} is a {known[fields['place']]}; a tray stands on a place.", "place", fields["place"])
    if kind == "lamp":
        _check_timer(fields)
    if kind == "mat":
        _check_setpoint(fields)
    if fields.get("batch"):
        _check_sown(w, str(fields["batch"]), at)
    lives = _life(w, known, fields, at)
    if lives:
        raise Refusal(lives, "at", at.isoformat())


def _check_timer(fields: Mapping[str, Any]) -> None:
    if fields.get("on") is not None and fields.get("on") == fields.get("off"):
        raise Refusal(f"On and off are the same time, which is round the clock. {NIGHT}", "off", str(fields["off"]))
    periods = lamp_changes(fields).get("periods")
    if periods and hours_of(periods) >= 24:
        raise Refusal(f"{hours_of(periods):g} hours a day is round the clock. {NIGHT}", "periods")


def _check_setpoint(fields: Mapping[str, Any]) -> None:
    asked_c = fields.get("setpoint_c")
    if isinstance(asked_c, int | float) and asked_c > CAP_C:
        slip = f" As °F it is {as_fahrenheit_c(asked_c):.1f} °C: log {asked_c:g}F." if asked_c > NO_SOIL_C else ""
        raise Refusal(
            f"{asked_c:g} °C? A mat is set to {CAP_C:g} °C at most: no seed needs more.{slip}", "setpoint_c", f"{asked_c:g}"
        )


def _check_sown(w: WriteContext, batch: str, at: datetime) -> None:
    found = queries.records(w.c, w.garden_id, "batches", table_of(t.BatchRow).c.id == batch)
    if found and at < found[0].sown_at:
        raise Refusal(f"{batch} was sown later than that.", "at", at.isoformat())


def _life(w: WriteContext, known: Mapping[str, str], fields: Mapping[str, Any], at: datetime) -> str:
    """Why a thing a deed names was not there at that time, or nothing."""
    models: dict[str, Any] = {"place": t.PlaceRow, "lamp": t.LampRow, "mat": t.MatRow, "fan": t.FanRow, "tray": t.TrayRow}
    for name, model in models.items():
        value = fields.get(name)
        if value is None or known.get(value) != name:
            continue
        table = table_of(model)
        row = w.c.execute(
            table.select()
            .with_only_columns(table.c.since, table.c.until)
            .where(table.c.garden_id == w.garden_id, table.c.id == value)
        ).one()
        if (row.since and at < row.since) or (row.until and at > row.until):
            return f"{value} was not there at that time."
    return ""
