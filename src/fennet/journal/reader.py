"""Read a journal: every record validated straight into the core's dataclasses, or set aside with its reason."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core import records as rec
from fennet.core.history import effective_events
from fennet.core.lighting.shone_on import ShoneOn
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import lives
from fennet.crops import CropTable, shipped
from fennet.journal.events import EventFault, check_references, read_event
from fennet.journal.learned import correction_note
from fennet.journal.links import (
    Existing,
    batch_holds,
    counts_that_hold,
    crop_known,
    links_hold,
    loosened,
    unique,
    with_origin,
    without_clashes,
)
from fennet.journal.open_sections import MOST_ENTRIES, OPEN_SECTIONS, fault_of, target_note
from fennet.journal.readings import FIELDS, MOST_IN_A_JOURNAL, Collector, Group, Known, Taken, as_series, from_dicts
from fennet.journal.record_reader import RecordReader
from fennet.journal.rejected import FormatError, Rejection, shown
from fennet.journal.times import zone_of
from fennet.journal.trials import trial_note

FORMAT, VERSION = "fennet-journal", 1
MOST_READINGS = 20_000_000
#: Sections of records that share one namespace of ids, and the kind each id is of.
NAMESPACE: dict[str, tuple[type, str]] = {
    "rooms": (rec.Room, "room"),
    "places": (rec.Place, "place"),
    "lamps": (rec.Lamp, "lamp"),
    "mats": (rec.Mat, "mat"),
    "fans": (rec.Fan, "fan"),
    "trays": (rec.Tray, "tray"),
    "batches": (rec.Batch, "batch"),
}
#: Sections with their own ids, and records without any.
OWN_IDS: dict[str, type] = {"seed_lots": rec.SeedLot, "outlets": rec.Outlet, "sources": rec.Source}
#: Sections whose entries are kept as they came, once they can be.
KEPT = OPEN_SECTIONS
#: What tells of an entry that is kept and not gone by.
NOTES = {"targets": target_note, "learned": correction_note, "trials": trial_note}
SECTIONS = ("garden", "crops", *NAMESPACE, *OWN_IDS, "readings", "events", "wants", *KEPT)


@dataclass
class Read:
    """A journal read: the record (without readings), its readings in columns, what was set aside, what was not understood."""

    journal: Journal
    groups: list[Group]
    rejected: list[Rejection]
    notes: list[str]
    crops: CropTable
    repeated: int = 0

    def with_series(self) -> Journal:
        return replace(self.journal, series=as_series(self.groups))


def _int(text: str) -> int | float:
    """A whole number of JSON; of more digits than any figure has it stays a float, and is set aside."""
    return int(text) if len(text) <= 18 else float(text)


def open_journal(text: str | bytes) -> dict[str, Any]:
    """The JSON object of a journal. Raises FormatError for what is none, or is of a newer version."""
    try:
        data = json.loads(text, parse_int=_int, parse_constant=str)
    except UnicodeDecodeError as e:
        raise FormatError(f"byte {e.start}: not UTF-8; accepted: a journal, JSON in UTF-8") from None
    except json.JSONDecodeError as e:
        raise FormatError(f"line {e.lineno} column {e.colno}: {e.msg}; accepted: a journal, one JSON object") from None
    except (RecursionError, MemoryError):
        raise FormatError("line 1: nested too deeply; accepted: a journal, one JSON object") from None
    if not isinstance(data, dict):
        raise FormatError(f"line 1: found {shown(data)}; accepted: one JSON object")
    if data.get("format") != FORMAT:
        raise FormatError(f'format: found {shown(data.get("format"))}; accepted: "{FORMAT}"')
    if data.get("version") != VERSION:
        newer = isinstance(data.get("version"), int) and data["version"] > VERSION
        hint = " (this file is newer than this program)" if newer else ""
        raise FormatError(f"version: found {shown(data.get('version'))}{hint}; accepted: {VERSION}")
    readings = data.get("readings")
    if isinstance(readings, list) and len(readings) > MOST_READINGS:
        raise FormatError(f"readings: found {len(readings)}; accepted: at most {MOST_READINGS}")
    return data


def read_journal(data: Mapping[str, Any], existing: Existing | None = None) -> Read:
    """Read an opened journal. Bad records are set aside with their reasons and never stop the rest."""
    intake = _Intake(data, existing or Existing())
    garden, own_crops = intake.garden(), intake.own_crops()
    intake.take_things()
    intake.hold_links()
    events = intake.events()
    wants = _wants(intake.reader, data, intake.table, intake.own_ids["seed_lots"])
    open_sections = intake.open_sections()
    taken, unknown_keys = intake.readings(events)
    keys = sorted(intake.reader.unknown | unknown_keys)
    journal = Journal(garden=garden, crops=own_crops, events=events, wants=wants, **intake.sections, **open_sections)  # type: ignore[arg-type]
    notes = intake.notes + [f"key {key!r} is not known and was left out" for key in keys]
    return Read(journal, taken.groups, intake.reader.rejected + taken.rejected, notes, intake.table, taken.repeated)


class _Intake:
    """A journal on its way in, step by step: what was taken so far, and what is known of the garden it goes into."""

    def __init__(self, data: Mapping[str, Any], existing: Existing) -> None:
        self.data, self.existing = data, existing
        self.zone, self.early = _zone(data.get("garden"), existing.timezone)
        self.reader = RecordReader(self.zone)
        self.reader.rejected.extend(self.early)
        self.notes = [f"key {key!r} is not known and was left out" for key in data if key not in (*SECTIONS, "format", "version")]
        self.table = shipped()
        self.things: dict[str, str] = dict(existing.things)
        self.sections: dict[str, list[Any]] = {}
        self.own_ids: dict[str, set[str]] = {
            "seed_lots": set(existing.seed_lots), "outlets": set(existing.outlets), "sources": set(existing.sources),
        }  # fmt: skip
        #: Of the things that came with this journal: their kind, and where they stand in it.
        self.here: dict[str, str] = {}
        self.wheres: dict[str, str] = {}

    def garden(self) -> rec.Garden:
        given = self.data.get("garden")
        if isinstance(given, dict):
            given = {k: v for k, v in given.items() if not (k == "timezone" and self.early)}
        return self.reader.garden(given) if given is not None else rec.Garden(timezone=self.zone.key)

    def own_crops(self) -> list[dict[str, Any]]:
        """The garden's own kinds, and the crop table with them and those that are there."""
        known, new = list(self.existing.crops), []
        for where, item in self.reader.items(self.data, "crops"):
            try:
                if not isinstance(item, dict):
                    raise ValueError("is not an object; accepted: {id, like, …}")
                self.table.with_own([*known, item])
            except ValueError as e:
                self.reader.rejected.append(Rejection(where, "", shown(item), str(e)))
                continue
            known.append(item)
            new.append(item)
        self.table = self.table.with_own(known)
        return new

    def take_things(self) -> None:
        """Things by their ids: those with an id of their own kind, and those that share one namespace."""
        for section, cls in OWN_IDS.items():
            self.sections[section] = unique(self.reader, section, self.reader.records(self.data, section, cls), set())
            self.own_ids[section] |= {r.id for r in self.sections[section]}
        for section, (cls, kind) in NAMESPACE.items():
            kept = []
            for where, record in self.reader.records(self.data, section, cls):
                if record.id in self.here or self.things.get(record.id, kind) != kind:
                    taken = f"is already a {self.here.get(record.id) or self.things[record.id]}; accepted: an id not used yet"
                    self.reader.rejected.append(Rejection(where, "id", shown(record.id), taken))
                    continue
                known = self.things | self.here
                if isinstance(record, Batch) and not batch_holds(
                    self.reader, where, record, self.table, self.sections["trays"], known
                ):
                    continue
                self.here[record.id] = kind
                self.wheres[record.id] = where
                kept.append(record)
            self.sections[section] = kept
        self.things |= self.here

    def hold_links(self) -> None:
        """Packets of known kinds, batches whose links hold, things without links that lead nowhere."""
        sections, reader = self.sections, self.reader
        sections["seed_lots"] = [
            lot for i, lot in enumerate(sections["seed_lots"]) if crop_known(reader, f"seed_lots[{i}]", lot.crop, self.table)
        ]
        self.own_ids["seed_lots"] = {*self.existing.seed_lots, *(lot.id for lot in sections["seed_lots"])}
        batches = sections["batches"]
        sections["batches"] = [b for b in batches if links_hold(reader, self.wheres[b.id], b, self.things, self.own_ids)]
        for section in ("places", "lamps", "fans", "mats", "outlets"):
            sections[section] = [loosened(reader, section, r, self.things, self.own_ids) for r in sections[section]]
        taken = {b.id for b in sections["batches"]}
        self.things = {k: v for k, v in self.things.items() if v != "batch" or k in self.existing.things or k in taken}

    def events(self) -> list[Event]:
        """The events that can be; batches that clash with them, or with one another, go, and what was said of these."""
        reader, sections = self.reader, self.sections
        events = counts_that_hold(reader, _events(reader, self.data, self.things), {b.id: b for b in sections["batches"]})
        sections["batches"] = without_clashes(reader, sections["batches"], events, self.wheres, self.existing)
        there = {b.id for b in sections["batches"]} | {k for k, kind in self.existing.things.items() if kind == "batch"}
        sections["batches"] = [with_origin(reader, self.wheres[b.id], b, there) for b in sections["batches"]]
        dropped = {i for i, kind in self.here.items() if kind == "batch"} - {b.id for b in sections["batches"]}
        if not dropped:
            return events
        self.things = {k: v for k, v in self.things.items() if k not in dropped}
        for lost in [x for x in events if x.fields.get("batch") in dropped]:
            words = "was set aside; accepted: a batch that was taken"
            reader.rejected.append(Rejection(f"events {lost.id}", "batch", shown(lost.fields["batch"]), words))
        return [x for x in events if x.fields.get("batch") not in dropped]

    def open_sections(self) -> dict[str, list[dict[str, Any]]]:
        """Sections whose entries are kept as they came, once they can be."""
        out: dict[str, list[dict[str, Any]]] = {}
        for section in KEPT:
            good: list[dict[str, Any]] = []
            for where, item in self.reader.items(self.data, section):
                full = len(good) >= MOST_ENTRIES
                wrong = ("", f"is one too many; accepted: {MOST_ENTRIES}") if full else fault_of(section, item)
                if wrong is None:
                    good.append(item)
                    notes = NOTES.get(section)
                    if notes is not None and (note := notes(item)) is not None:
                        self.notes.append(f"{where}: {note}")
                else:
                    value = item.get(wrong[0], "") if isinstance(item, dict) else item
                    self.reader.rejected.append(Rejection(where, wrong[0], shown(value) if value != "" else "", wrong[1]))
            out[section] = good
        return out

    def readings(self, events: list[Event]) -> tuple[Taken, set[str]]:
        """The readings in columns, and keys in them that nobody knows."""
        sections, existing = self.sections, self.existing
        lamps = {**existing.lamps, **{lamp.id: lamp for lamp in sections["lamps"]}}
        sources = {**existing.sources, **{s.id: s for s in sections["sources"]}}
        things_of_a_time: dict[str, Any] = {s: sections[s] for s in ("places", "lamps", "mats", "fans", "trays", "batches")}

        @lru_cache
        def shone_on() -> ShoneOn:
            old = existing.recorded()
            whole: dict[str, Any] = {s: [*getattr(old, s), *sections[s]] for s in ("places", "trays", "batches")}
            over = Journal(lamps=list(lamps.values()), **whole)
            return ShoneOn(over, effective_events([*old.events, *events], float("inf")))

        known = Known(self.things, lamps, sources, lives(Journal(**things_of_a_time)), shone_on)
        collector = Collector(known, self.zone, label="readings[{}]".format, most_groups=MOST_IN_A_JOURNAL)
        from_dicts((item for _, item in self.reader.items(self.data, "readings")), collector)
        return collector.close(), _reading_keys(self.data.get("readings"))


def _wants(reader: RecordReader, data: Mapping[str, Any], table: CropTable, lots: set[str]) -> list[rec.Want]:
    """Wants of known crops; an id once; a packet that is not there is left out of its want and told."""
    out: list[rec.Want] = []
    for where, want in reader.records(data, "wants", rec.Want):
        if not crop_known(reader, where, want.crop, table):
            continue
        if want.id is not None and any(w.id == want.id for w in out):
            reader.rejected.append(Rejection(where, "id", shown(want.id), "stands twice in wants; accepted: one entry an id"))
            continue
        if want.seed_lot is not None and want.seed_lot not in lots:
            words = "is not in the seed box, the want is kept without it; accepted: the id of a packet"
            reader.rejected.append(Rejection(where, "seed_lot", shown(want.seed_lot), words))
            want = replace(want, seed_lot=None)
        out.append(want)
    return out


def _zone(garden: Any, fallback: str | None) -> tuple[ZoneInfo, list[Rejection]]:
    name = garden.get("timezone") if isinstance(garden, dict) else None
    default = zone_of(fallback or "UTC")
    if name is None:
        return default, []
    try:
        return zone_of(str(name)), []
    except ValueError as e:
        return default, [Rejection("garden", "timezone", shown(name), f"{e}; {default.key} is used")]


def _reading_keys(readings: Any) -> set[str]:
    known = set(FIELDS)
    if not isinstance(readings, list):
        return set()
    return {
        f"readings.{key}"
        for item in readings
        if isinstance(item, dict) and not item.keys() <= known
        for key in item.keys() - known
    }


def _events(reader: RecordReader, data: Mapping[str, Any], things: Mapping[str, str]) -> list[Event]:
    events: list[Event] = []
    seen: dict[str, Event] = {}
    for where, item in reader.items(data, "events"):
        if not isinstance(item, dict):
            reader.rejected.append(Rejection(where, "", shown(item), "is not an object; accepted: {at, kind, …}"))
            continue
        try:
            event = read_event(item, reader.zone, reader.unknown)
        except EventFault as e:
            reader.rejected.append(Rejection(where, e.field, "" if e.value is None else shown(e.value), e.accepted))
            continue
        fault = check_references(event, things)
        if fault:
            reader.rejected.append(replace(fault, where=where))
            continue
        if event.id in seen:
            if seen[event.id] != event:
                reader.rejected.append(
                    Rejection(where, "id", shown(event.id), "stands on another event already; accepted: an id not used yet")
                )
            continue
        seen[event.id] = event
        events.append(event)
    for event in [e for e in events if e.kind in ("corrects", "withdrawn") and e.fields["target"] not in seen]:
        reader.rejected.append(
            Rejection(
                f"events {event.id}",
                "id",
                shown(event.fields["target"]),
                "is not an event here; accepted: the id of an event of this journal",
            )
        )
        events.remove(event)
    return events
