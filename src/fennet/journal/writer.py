"""Write a journal: the record as it was given, times in the garden's offset, nothing that was not there."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from dataclasses import fields, is_dataclass
from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core.records import Journal
from fennet.journal.events import write_event
from fennet.journal.reader import FORMAT, KEPT, VERSION
from fennet.journal.readings import Group, as_dicts, plain_number
from fennet.journal.record_reader import key_of
from fennet.journal.times import format_instant, zone_of

RECORD_SECTIONS = ("seed_lots", "rooms", "places", "outlets", "lamps", "mats", "fans", "trays", "sources", "batches")


def write_record(record: Any, zone: ZoneInfo) -> Any:
    """A core record as a JSON value; what is None or empty is left out."""
    if is_dataclass(record) and not isinstance(record, type):
        entries = ((key_of(f), getattr(record, f.name)) for f in fields(record))
        return {key: write_record(value, zone) for key, value in entries if value is not None and value != [] and value != {}}
    if isinstance(record, datetime):
        return format_instant(record, zone)
    if isinstance(record, date):
        return record.isoformat()
    if isinstance(record, float):
        return plain_number(record)
    if isinstance(record, list):
        return [write_record(r, zone) for r in record]
    if isinstance(record, dict):
        return {k: write_record(v, zone) for k, v in record.items()}
    return record


def write_journal(journal: Journal, groups: Iterable[Group]) -> Iterator[str]:
    """The text of a journal, piece by piece, so that millions of readings need no second copy in memory."""
    zone = zone_of(journal.garden.timezone)

    def dump(value: Any) -> str:
        return json.dumps(value, ensure_ascii=False)

    yield f'{{"format": "{FORMAT}", "version": {VERSION},\n "garden": {dump(write_record(journal.garden, zone))}'
    for section in ("crops", *RECORD_SECTIONS):
        yield from _list(section, (dump(write_record(r, zone)) for r in getattr(journal, section)))
    yield from _list("readings", (dump(r) for r in as_dicts(groups, zone)))
    yield from _list("events", (dump(write_event(e, zone)) for e in journal.events))
    yield from _list("wants", (dump(write_record(w, zone)) for w in journal.wants))
    for section in KEPT:
        yield from _list(section, (dump(r) for r in getattr(journal, section)))
    yield "\n}\n"


def _list(section: str, entries: Iterable[str]) -> Iterator[str]:
    yield f',\n "{section}": ['
    first = True
    for entry in entries:
        yield ("\n  " if first else ",\n  ") + entry
        first = False
    yield "]"
