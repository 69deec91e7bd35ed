"""Events from journal entries: each kind's fields checked, each fault told in words."""

from __future__ import annotations

import difflib
import hashlib
import json
import re
from collections.abc import Mapping
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core.bounds import is_open_entry, is_plain_text
from fennet.core.kinds import EVENT_KINDS, FIELD_TYPES, SEEN, SIGNS, is_id
from fennet.core.records import Event
from fennet.journal.rejected import Rejection, shown
from fennet.journal.times import format_instant, parse_instant

_CLOCK = re.compile(r"([01]\d|2[0-3]):[0-5]\d|24:00")
_RANGES = {
    "number": (-1e6, 1e6, "a number"),
    "temperature": (-60, 120, "°C from -60 to 120"),
    "percent": (0, 100, "0 to 100"),
    "day_hours": (0, 24, "hours from 0 to 24"),
    "positive": (0, 1e7, "a number from 0 to ten million"),
    "plant_mm": (0, 5000, "mm from 0 to 5,000"),
    "share": (0, 1, "0 to 1"),
}
#: Which kind of thing a field of an event must name.
NAMES_KIND = {"tray": "tray", "mat": "mat", "lamp": "lamp", "fan": "fan", "batch": "batch", "to_batch": "batch", "probe": "tray"}


class EventFault(ValueError):
    def __init__(self, field: str, value: Any, accepted: str) -> None:
        self.field, self.value, self.accepted = field, value, accepted
        super().__init__(accepted)


def read_event(item: Mapping[str, Any], zone: ZoneInfo, unknown: set[str]) -> Event:
    """One event from a journal entry. Raises EventFault naming the field. Unknown keys are added to `unknown`."""
    kind = item.get("kind")
    if not isinstance(kind, str) or kind not in EVENT_KINDS:
        near = difflib.get_close_matches(str(kind), EVENT_KINDS, n=1)
        raise EventFault(
            "kind", kind, f"is not known{f'; nearest: {near[0]}' if near else ''}; accepted: {', '.join(EVENT_KINDS)}"
        )
    try:
        at = parse_instant(item.get("at"), zone)
    except ValueError as e:
        raise EventFault("at", item.get("at"), str(e)) from None
    by = item.get("by")
    if by is not None and not (isinstance(by, str) and len(by) <= 4000 and is_plain_text(by)):
        raise EventFault("by", by, "is not a name; accepted: a text")
    given = dict(item)
    if kind in ("corrects", "withdrawn"):
        # Here `id` names the event meant; the entry's own identity is `entry`.
        given["target"], given["id"] = item.get("target", item.get("id")), item.get("entry")
    schema = EVENT_KINDS[kind]
    fields: dict[str, Any] = {}
    for name in (*schema.required, *schema.optional):
        value = given.get(name)
        if value is None:
            if name in schema.required:
                raise EventFault(
                    "id" if name == "target" else name, None, f"is missing; a {kind} needs {', '.join(schema.required)}"
                )
            continue
        fields[name] = _field(name, value, zone, unknown)
    if schema.one_of and not any(name in fields for name in schema.one_of):
        raise EventFault(schema.one_of[0], None, f"is missing; a {kind} needs one of {', '.join(schema.one_of)}")
    unknown |= {
        f"events.{key}" for key in item if key not in {"id", "by", "at", "kind", "entry", *schema.required, *schema.optional}
    }
    own_id = given.get("id")
    if own_id is not None and not (isinstance(own_id, str) and is_id(own_id)):
        raise EventFault("id", own_id, "is not an id; accepted: 1–64 of A–Z a–z 0–9 . _ -")
    return Event(kind=kind, at=at, id=own_id or _made_id(item), by=by, fields=fields)


def _made_id(item: Mapping[str, Any]) -> str:
    """An id for an entry that came without one: the same entry always gets the same."""
    text = json.dumps(item, sort_keys=True, ensure_ascii=False, default=str)
    return "e-" + hashlib.sha256(text.encode()).hexdigest()[:16]


def _field(name: str, value: Any, zone: ZoneInfo, unknown: set[str]) -> Any:
    """One field of an event, checked by its type. Raises EventFault."""
    kind = FIELD_TYPES[name]

    def fault(accepted: str) -> EventFault:
        return EventFault(name, value, f"is not accepted; accepted: {accepted}")

    is_number = isinstance(value, int | float) and not isinstance(value, bool)
    if kind in _RANGES:
        low, high, words = _RANGES[kind]
        if not is_number or not low <= value <= high:
            raise fault(words)
    elif kind == "count":
        if not is_number or not 0 <= value <= 1_000_000 or value != int(value):
            raise fault("a whole number, 0 or more")
        return int(value)
    elif kind == "mark":
        if not is_number or not 1 <= value <= 5:
            raise fault("1 to 5")
    elif kind in ("id", "loose_id"):
        if not isinstance(value, str) or not is_id(value):
            raise fault("an id of this journal")
    elif kind == "bool":
        if not isinstance(value, bool):
            raise fault("true or false")
    elif kind == "switch":
        if not isinstance(value, bool) and value != "vented" and not (isinstance(value, str) and _CLOCK.fullmatch(value)):
            raise fault('true, false, "vented" (a cover) or a time like "07:00" (a lamp)')
    elif kind == "clock":
        if not (isinstance(value, str) and _CLOCK.fullmatch(value)):
            raise fault('a time like "21:30"')
    elif kind == "periods":
        if (
            not isinstance(value, list)
            or len(value) > 24
            or not all(
                isinstance(p, list) and len(p) == 2 and all(isinstance(c, str) and _CLOCK.fullmatch(c) for c in p) for p in value
            )
        ):
            raise fault('periods like [["06:00","10:00"]]')
    elif kind == "cells":
        if not isinstance(value, list) or len(value) > 3600 or not all(_is_cell(c) for c in value):
            raise fault('a list of cells like ["r1c1"]')
    elif kind == "text":
        if not isinstance(value, str) or len(value) > 20_000 or not is_plain_text(value):
            raise fault("a text without control characters")
    elif kind == "any":
        if not is_open_entry(value) or len(repr(value)) > 4_000:
            raise fault("a short value")
    elif kind == "sign":
        if value not in SIGNS:
            near = difflib.get_close_matches(str(value), SIGNS, n=1)
            raise fault(f"{f'{near[0]}, ' if near else ''}or another of {', '.join(SIGNS)}")
    elif kind == "seen":
        if value not in SEEN:
            raise fault(", ".join(SEEN))
    elif kind == "moment":
        try:
            return format_instant(parse_instant(value, zone), zone)
        except ValueError as e:
            raise EventFault(name, value, str(e)) from None
    elif kind == "event":
        if not isinstance(value, dict):
            raise fault("the corrected event, an object")
        return read_event(value, zone, unknown)
    return value


def _is_cell(value: Any) -> bool:
    return isinstance(value, str) and 0 < len(value) <= 16 and is_plain_text(value)


def write_event(event: Event, zone: ZoneInfo) -> dict[str, Any]:
    """An event as a journal entry."""
    meant = event.kind in ("corrects", "withdrawn")
    entry: dict[str, Any] = {"id": event.fields["target"], "entry": event.id} if meant else {"id": event.id}
    if event.by is not None:
        entry["by"] = event.by
    entry |= {"at": format_instant(event.at, zone), "kind": event.kind}
    for name, value in event.fields.items():
        if name == "target":
            continue
        entry[name] = write_event(value, zone) if isinstance(value, Event) else value
    return entry


def references(event: Event) -> list[tuple[str, str]]:
    """(field, id) of every thing an event names."""
    return [(f, v) for f, v in event.fields.items() if f in NAMES_KIND or (f == "place" and isinstance(v, str))]


def check_references(event: Event, things: Mapping[str, str]) -> Rejection | None:
    """Why an event's references cannot hold, or None. `things` maps each known id to its kind."""
    for name, thing in references(event):
        kind = things.get(thing)
        wanted = NAMES_KIND.get(name)
        if kind is None or (wanted is not None and kind != wanted):
            accepted = f"the id of a {wanted}" if wanted else "the id of a thing"
            return Rejection(
                "",
                name,
                shown(thing),
                f"{'is not known' if kind is None else f'is a {kind}'}; accepted: {accepted} in this garden",
            )
    return None
