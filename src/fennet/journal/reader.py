"""Read a journal: every record validated straight into the core's dataclasses, or set aside with its reason."""

from __future__ import annotations

import json
import types
import typing
from collections.abc import Callable, Iterable, Mapping, Set
from dataclasses import dataclass, field, fields, is_dataclass, replace
from datetime import datetime
from functools import lru_cache
from typing import Any, cast
from zoneinfo import ZoneInfo

from pydantic import TypeAdapter, ValidationError

from fennet.core import records as rec
from fennet.core.history import effective_events, most_up, occupancies
from fennet.core.lighting.shone_on import ShoneOn
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import lives
from fennet.core.salvage import salvage
from fennet.crops import CropTable, UnknownCrop, shipped
from fennet.journal.accepted import accepted_by
from fennet.journal.events import EventFault, check_references, read_event
from fennet.journal.open_sections import MOST_ENTRIES, OPEN_SECTIONS, fault_of, target_note
from fennet.journal.readings import MOST_IN_A_JOURNAL, Collector, Group, Known, as_series, from_dicts
from fennet.journal.rejected import FormatError, Rejection, shown
from fennet.journal.times import parse_instant, zone_of

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
SECTIONS = ("garden", "crops", *NAMESPACE, *OWN_IDS, "readings", "events", "wants", *KEPT)


@dataclass
class Existing:
    """What a garden holds already, so that a second journal may refer to it."""

    things: Mapping[str, str] = field(default_factory=dict)
    lamps: Mapping[str, rec.Lamp] = field(default_factory=dict)
    sources: Mapping[str, rec.Source] = field(default_factory=dict)
    seed_lots: frozenset[str] = frozenset()
    outlets: frozenset[str] = frozenset()
    crops: list[dict[str, Any]] = field(default_factory=list)
    timezone: str | None = None
    # (tray, cell) → who holds it, from when to when (seconds UTC).
    held: Mapping[tuple[str, str], list[tuple[float, float, str]]] = field(default_factory=dict)
    #: Its things and events, for readings that must be told by what hung over them.
    recorded: Callable[[], Journal] = Journal


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


@lru_cache
def _adapter(cls: type) -> TypeAdapter[Any]:
    return TypeAdapter(cls)


def key_of(f: Any) -> str:
    """How a field is spelled in the journal."""
    return str(f.metadata.get("key", f.name))


@lru_cache
def _keys(cls: type) -> dict[str, tuple[str, Any]]:
    """Journal key → (field name, type) of a record."""
    hints = typing.get_type_hints(cls)
    return {key_of(f): (f.name, hints[f.name]) for f in fields(cls)}


def _inner(hint: Any) -> Any:
    """The record type inside `X | None` or `list[X] | None`, and datetime; other types as they are."""
    if isinstance(hint, types.UnionType) or typing.get_origin(hint) is typing.Union:
        return next((_inner(a) for a in typing.get_args(hint) if a is not type(None)), hint)
    if typing.get_origin(hint) is list:
        return _inner(typing.get_args(hint)[0])
    return hint


class _Reader:
    def __init__(self, zone: ZoneInfo) -> None:
        self.zone = zone
        self.rejected: list[Rejection] = []
        self.unknown: set[str] = set()

    def prepare(self, section: str, cls: type, item: Any) -> Any:
        """Journal keys to field names, times to instants, nulls dropped; unknown keys noted."""
        if not isinstance(item, dict):
            return item
        known = _keys(cls)
        out = {}
        for key, value in item.items():
            if key not in known:
                self.unknown.add(f"{section}.{key}")
                continue
            if value is None:
                continue
            name, hint = known[key]
            inner = _inner(hint)
            if inner is datetime:
                try:
                    value = parse_instant(value, self.zone)
                except ValueError as e:
                    raise EventFault(key, value, str(e)) from None
            elif is_dataclass(inner) and isinstance(inner, type):
                value = (
                    [self.prepare(f"{section}.{key}", inner, v) for v in value]
                    if isinstance(value, list)
                    else self.prepare(f"{section}.{key}", inner, value)
                )
            out[name] = value
        return out

    def record(self, section: str, cls: type, item: Any, where: str) -> Any | None:
        """One record, or None with a reason set aside."""
        try:
            return _adapter(cls).validate_python(self.prepare(section, cls, item))
        except EventFault as e:
            self.rejected.append(Rejection(where, e.field, shown(e.value), e.accepted))
        except ValidationError as e:
            self.rejected.append(Rejection(where, *accepted_by(e.errors()[0])))
        return None

    def garden(self, item: Any) -> rec.Garden:
        """The garden's settings: one that cannot be is told and left out, the rest hold."""
        try:
            plain = self.prepare("garden", rec.Garden, item)
        except EventFault as e:
            plain = {}
            self.rejected.append(Rejection("garden", e.field, shown(e.value), e.accepted))
        if not isinstance(plain, dict):
            self.rejected.append(Rejection("garden", "", shown(item), "is no object; accepted: an object"))
            return rec.Garden(timezone=self.zone.key)
        try:
            return cast(rec.Garden, _adapter(rec.Garden).validate_python(plain))
        except ValidationError as e:
            wrong = {str(x["loc"][0]): Rejection("garden", *accepted_by(x)) for x in e.errors() if x["loc"]}
            self.rejected += wrong.values()
            kept, _ = salvage(_adapter(rec.Garden).validate_python, {**plain, "timezone": self.zone.key}, ())
            return kept or rec.Garden(timezone=self.zone.key)

    def records(self, data: Mapping[str, Any], section: str, cls: type) -> Iterable[tuple[str, Any]]:
        for where, item in self.items(data, section):
            made = self.record(section, cls, item, where)
            if made is not None:
                yield where, made

    def items(self, data: Mapping[str, Any], section: str) -> Iterable[tuple[str, Any]]:
        items = data.get(section)
        if items is None:
            return
        if not isinstance(items, list):
            self.rejected.append(Rejection(section, "", shown(items), "is no list; accepted: a list of objects"))
            return
        for i, item in enumerate(items):
            yield f"{section}[{i}]", item


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
    existing = existing or Existing()
    zone, early = _zone(data.get("garden"), existing.timezone)
    reader = _Reader(zone)
    reader.rejected.extend(early)
    notes = [f"key {key!r} is not known and was left out" for key in data if key not in (*SECTIONS, "format", "version")]
    raw_garden = data.get("garden")
    raw_garden = (
        {k: v for k, v in raw_garden.items() if not (k == "timezone" and early)} if isinstance(raw_garden, dict) else raw_garden
    )
    garden = reader.garden(raw_garden) if raw_garden is not None else rec.Garden(timezone=zone.key)

    table, own_crops = shipped(), list(existing.crops)
    new_crops = []
    for where, item in reader.items(data, "crops"):
        try:
            if not isinstance(item, dict):
                raise ValueError("is no object; accepted: {id, like, …}")
            table.with_own([*own_crops, item])
        except ValueError as e:
            reader.rejected.append(Rejection(where, "", shown(item), str(e)))
            continue
        own_crops.append(item)
        new_crops.append(item)
    table = table.with_own(own_crops)

    things: dict[str, str] = dict(existing.things)
    sections: dict[str, list[Any]] = {}
    own_ids: dict[str, set[str]] = {
        "seed_lots": set(existing.seed_lots),
        "outlets": set(existing.outlets),
        "sources": set(existing.sources),
    }
    for section, cls in OWN_IDS.items():
        sections[section] = _unique(reader, section, reader.records(data, section, cls), set())
        own_ids[section] |= {r.id for r in sections[section]}
    here: dict[str, str] = {}
    wheres: dict[str, str] = {}
    for section, (cls, kind) in NAMESPACE.items():
        kept = []
        for where, record in reader.records(data, section, cls):
            if record.id in here or things.get(record.id, kind) != kind:
                reader.rejected.append(
                    Rejection(
                        where,
                        "id",
                        shown(record.id),
                        f"is already a {here.get(record.id) or things[record.id]}; accepted: an id not used yet",
                    )
                )
                continue
            if isinstance(record, Batch) and not _batch_holds(reader, where, record, table, sections["trays"], things | here):
                continue
            here[record.id] = kind
            wheres[record.id] = where
            kept.append(record)
        sections[section] = kept
    things |= here
    sections["seed_lots"] = [
        lot for i, lot in enumerate(sections["seed_lots"]) if _crop_known(reader, f"seed_lots[{i}]", lot.crop, table)
    ]
    own_ids["seed_lots"] = {*existing.seed_lots, *(lot.id for lot in sections["seed_lots"])}
    sections["batches"] = [b for b in sections["batches"] if _links_hold(reader, wheres[b.id], b, things, own_ids)]
    for section in ("places", "lamps", "fans", "mats", "outlets"):
        sections[section] = [_loosened(reader, section, r, things, own_ids) for r in sections[section]]
    things = {
        k: v for k, v in things.items() if v != "batch" or k in existing.things or any(b.id == k for b in sections["batches"])
    }

    events = _counts_that_hold(reader, _events(reader, data, things), {b.id: b for b in sections["batches"]})
    sections["batches"] = _without_clashes(reader, sections["batches"], events, wheres, existing)
    there = {b.id for b in sections["batches"]} | {k for k, kind in existing.things.items() if kind == "batch"}
    sections["batches"] = [_with_origin(reader, wheres[b.id], b, there) for b in sections["batches"]]
    dropped = {i for i, kind in here.items() if kind == "batch"} - {b.id for b in sections["batches"]}
    if dropped:
        things = {k: v for k, v in things.items() if k not in dropped}
        for lost in [x for x in events if x.fields.get("batch") in dropped]:
            reader.rejected.append(
                Rejection(
                    f"events {lost.id}", "batch", shown(lost.fields["batch"]), "was set aside; accepted: a batch that was taken"
                )
            )
        events = [x for x in events if x.fields.get("batch") not in dropped]

    wants = _wants(reader, data, table, own_ids["seed_lots"])
    kept_sections: dict[str, list[dict[str, Any]]] = {}
    for section in KEPT:
        good: list[dict[str, Any]] = []
        for where, item in reader.items(data, section):
            wrong = fault_of(section, item) if len(good) < MOST_ENTRIES else ("", f"is one too many; accepted: {MOST_ENTRIES}")
            if wrong is None:
                good.append(item)
                if section == "targets" and (note := target_note(item)) is not None:
                    notes.append(f"{where}: {note}")
            else:
                value = item.get(wrong[0], "") if isinstance(item, dict) else item
                reader.rejected.append(Rejection(where, wrong[0], shown(value) if value != "" else "", wrong[1]))
        kept_sections[section] = good

    lamps = {**existing.lamps, **{lamp.id: lamp for lamp in sections["lamps"]}}
    sources = {**existing.sources, **{s.id: s for s in sections["sources"]}}
    things_of_a_time: dict[str, Any] = {s: sections[s] for s in ("places", "lamps", "mats", "fans", "trays", "batches")}
    alive = lives(Journal(**things_of_a_time))

    @lru_cache
    def shone_on() -> ShoneOn:
        old = existing.recorded()
        whole: dict[str, Any] = {s: [*getattr(old, s), *sections[s]] for s in ("places", "trays", "batches")}
        over = Journal(lamps=list(lamps.values()), **whole)
        return ShoneOn(over, effective_events([*old.events, *events], float("inf")))

    known = Known(things, lamps, sources, alive, shone_on)
    collector = Collector(known, zone, label="readings[{}]".format, most_groups=MOST_IN_A_JOURNAL)
    from_dicts((item for _, item in reader.items(data, "readings")), collector)
    unknown_reading_keys = _reading_keys(data.get("readings"))
    taken = collector.close()
    notes += [f"key {key!r} is not known and was left out" for key in sorted(reader.unknown | unknown_reading_keys)]
    journal = Journal(garden=garden, crops=new_crops, events=events, wants=wants, **sections, **kept_sections)  # type: ignore[arg-type]
    return Read(journal, taken.groups, reader.rejected + taken.rejected, notes, table, taken.repeated)


def _wants(reader: _Reader, data: Mapping[str, Any], table: CropTable, lots: set[str]) -> list[rec.Want]:
    """Wants of known crops; an id once; a packet that is not there is left out of its want and told."""
    out: list[rec.Want] = []
    for where, want in reader.records(data, "wants", rec.Want):
        if not _crop_known(reader, where, want.crop, table):
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
    from fennet.journal.readings import FIELDS

    known = set(FIELDS)
    if not isinstance(readings, list):
        return set()
    return {
        f"readings.{key}"
        for item in readings
        if isinstance(item, dict) and not item.keys() <= known
        for key in item.keys() - known
    }


def _unique(reader: _Reader, section: str, found: Iterable[tuple[str, Any]], seen: set[str]) -> list[Any]:
    kept = []
    for where, record in found:
        if record.id in seen:
            reader.rejected.append(
                Rejection(where, "id", shown(record.id), f"stands twice in {section}; accepted: one entry an id")
            )
            continue
        seen.add(record.id)
        kept.append(record)
    return kept


def _crop_known(reader: _Reader, where: str, crop: str, table: CropTable) -> bool:
    try:
        table.get(crop)
    except UnknownCrop as e:
        near = f"nearest: {', '.join(e.nearest)}" if e.nearest else "see ./fennet crops"
        reader.rejected.append(Rejection(where, "crop", shown(crop), f"is not known; accepted: a crop of the table ({near})"))
        return False
    return True


def _batch_holds(
    reader: _Reader, where: str, b: Batch, table: CropTable, trays: list[rec.Tray], things: Mapping[str, str]
) -> bool:
    """Whether a batch makes sense in itself and in its tray."""

    def refuse(name: str, value: Any, words: str) -> bool:
        reader.rejected.append(Rejection(where, name, shown(value), words))
        return False

    if not _crop_known(reader, where, b.crop, table):
        return False
    if b.cells is None and not b.cell_list and b.seeds is None:
        return refuse("cells", None, "is missing; accepted: cells, cell_list, or seeds for a towel")
    if b.cell_list is not None:
        if len(set(b.cell_list)) < len(b.cell_list):
            return refuse("cell_list", b.cell_list, "names a cell twice; accepted: each cell once")
        if b.cells is not None and b.cells != len(b.cell_list):
            return refuse("cells", b.cells, f"is not the number of cells listed; accepted: {len(b.cell_list)}")
        tray = next((t for t in trays if t.id == b.tray), None)
        if tray is not None and tray.rows and tray.columns:
            outside = sorted(set(b.cell_list) - set(tray.cell_names()))
            if outside:
                return refuse("cell_list", outside, f"lies outside tray {tray.id}; accepted: r1c1 to r{tray.rows}c{tray.columns}")
    return True


def _links_hold(reader: _Reader, where: str, b: Batch, things: Mapping[str, str], own_ids: Mapping[str, set[str]]) -> bool:
    for name, value, good in (
        ("tray", b.tray, things.get(b.tray or "") == "tray"),
        ("seed_lot", b.seed_lot, b.seed_lot in own_ids["seed_lots"]),
        ("from", b.from_batch, things.get(b.from_batch or "") == "batch" and b.from_batch != b.id),
    ):
        if value is not None and not good:
            reader.rejected.append(
                Rejection(
                    where,
                    name,
                    shown(value),
                    f"is not known; accepted: the id of a {'batch' if name == 'from' else name} in this journal",
                )
            )
            return False
    return True


def _with_origin(reader: _Reader, where: str, b: Batch, there: Set[str]) -> Batch:
    """A batch potted up from one that was set aside is kept without that link, and the loss is told."""
    if b.from_batch is None or b.from_batch in there:
        return b
    words = "was set aside, the batch is kept without it; accepted: a batch that was taken"
    reader.rejected.append(Rejection(where, "from", shown(b.from_batch), words))
    return replace(b, from_batch=None)


def _loosened(reader: _Reader, section: str, record: Any, things: Mapping[str, str], own_ids: Mapping[str, set[str]]) -> Any:
    """A thing whose link leads nowhere is kept without the link, and the loss is told."""
    leads: dict[str, Callable[[Any], bool]] = {
        "room": lambda v: things.get(v) == "room",
        "place": lambda v: v in things,
        "outlet": lambda v: v in own_ids["outlets"],
    }
    for name, good in leads.items():
        value = getattr(record, name, None)
        if value is not None and not good(value):
            reader.rejected.append(
                Rejection(
                    f"{section} {record.id}",
                    name,
                    shown(value),
                    f"is not known, the {section[:-1]} is kept without it; accepted: the id of a {name}",
                )
            )
            record = replace(record, **{name: None})
    return record


def _events(reader: _Reader, data: Mapping[str, Any], things: Mapping[str, str]) -> list[Event]:
    events: list[Event] = []
    seen: dict[str, Event] = {}
    for where, item in reader.items(data, "events"):
        if not isinstance(item, dict):
            reader.rejected.append(Rejection(where, "", shown(item), "is no object; accepted: {at, kind, …}"))
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
                "is no event here; accepted: the id of an event of this journal",
            )
        )
        events.remove(event)
    return events


def _counts_that_hold(reader: _Reader, events: list[Event], batches: Mapping[str, Batch]) -> list[Event]:
    """Counts are running totals: one beyond what was sown, or below an earlier one, is set aside."""
    refused: set[str] = set()
    highest: dict[tuple[str, str], int] = {}
    for e in effective_events([e for e in events if e.kind in ("count", "corrects", "withdrawn")], float("inf")):
        batch = batches.get(e.fields.get("batch", ""))
        for name in ("cells_up", "seedlings_up", "rooted"):
            if e.kind != "count" or name not in e.fields:
                continue
            n, most = e.fields[name], most_up(batch, name) if batch else None
            least = highest.get((e.fields["batch"], name), 0)
            if (most is not None and n > most) or n < least:
                words = (
                    f"is more than was sown; accepted: up to {most}"
                    if most is not None and n > most
                    else f"is below an earlier total; accepted: {least} or more"
                )
                reader.rejected.append(Rejection(f"events {e.id}", name, str(n), words))
                refused.add(e.id)
            else:
                highest[(e.fields["batch"], name)] = n
    return [e for e in events if e.id not in refused and e.fields.get("target") not in refused]


def _without_clashes(
    reader: _Reader, batches: list[Batch], events: list[Event], wheres: Mapping[str, str], existing: Existing
) -> list[Batch]:
    """Of two batches in one cell at one time the later sown is set aside."""
    stands = effective_events(events, float("inf"))
    held = {cell: list(stays) for cell, stays in existing.held.items()}
    refused = set()
    for batch in sorted(batches, key=lambda b: b.sown_at):
        stays = occupancies(batch, stands)
        clash = next(
            (
                (s.cell, other)
                for s in stays
                for start, end, other in held.get((s.tray, s.cell), [])
                if other != batch.id and s.from_s < end and start < s.to_s
            ),
            None,
        )
        if clash:
            reader.rejected.append(
                Rejection(
                    wheres[batch.id],
                    "cell_list",
                    shown(clash[0]),
                    f"is held by batch {clash[1]} at that time; accepted: a free cell",
                )
            )
            refused.add(batch.id)
            continue
        for s in stays:
            held.setdefault((s.tray, s.cell), []).append((s.from_s, s.to_s, batch.id))
    return [b for b in batches if b.id not in refused]
