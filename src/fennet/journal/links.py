"""What a journal's records say of one another: ids, links, cells and counts that must fit; what does not is told."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Set
from dataclasses import dataclass, field, replace
from typing import Any

from fennet.core import records as rec
from fennet.core.history import effective_events, most_up, occupancies
from fennet.core.records import Batch, Event, Journal
from fennet.crops import CropTable, UnknownCrop
from fennet.journal.record_reader import RecordReader
from fennet.journal.rejected import Rejection, shown


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


def unique(reader: RecordReader, section: str, found: Iterable[tuple[str, Any]], seen: set[str]) -> list[Any]:
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


def crop_known(reader: RecordReader, where: str, crop: str, table: CropTable) -> bool:
    try:
        table.get(crop)
    except UnknownCrop as e:
        near = f"nearest: {', '.join(e.nearest)}" if e.nearest else "see ./fennet crops"
        reader.rejected.append(Rejection(where, "crop", shown(crop), f"is not known; accepted: a crop of the table ({near})"))
        return False
    return True


def batch_holds(
    reader: RecordReader, where: str, b: Batch, table: CropTable, trays: list[rec.Tray], things: Mapping[str, str]
) -> bool:
    """Whether a batch makes sense in itself and in its tray."""

    def refuse(name: str, value: Any, words: str) -> bool:
        reader.rejected.append(Rejection(where, name, shown(value), words))
        return False

    if not crop_known(reader, where, b.crop, table):
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


def links_hold(reader: RecordReader, where: str, b: Batch, things: Mapping[str, str], own_ids: Mapping[str, set[str]]) -> bool:
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


def with_origin(reader: RecordReader, where: str, b: Batch, there: Set[str]) -> Batch:
    """A batch potted up from one that was set aside is kept without that link, and the loss is told."""
    if b.from_batch is None or b.from_batch in there:
        return b
    words = "was set aside, the batch is kept without it; accepted: a batch that was taken"
    reader.rejected.append(Rejection(where, "from", shown(b.from_batch), words))
    return replace(b, from_batch=None)


def loosened(reader: RecordReader, section: str, record: Any, things: Mapping[str, str], own_ids: Mapping[str, set[str]]) -> Any:
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


def counts_that_hold(reader: RecordReader, events: list[Event], batches: Mapping[str, Batch]) -> list[Event]:
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


def without_clashes(
    reader: RecordReader, batches: list[Batch], events: list[Event], wheres: Mapping[str, str], existing: Existing
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
