"""Feeding, pricking out and potting up: each a write of several steps, one transaction."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from sqlalchemy import delete, insert

from fennet.core.care.feeding import BURNS_MG, product_of, too_strong
from fennet.core.care.handling import ROUND, pots_area_mm2
from fennet.core.history import counts_of, effective_events, left_of, occupancies
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.room import footprint_mm, room_at, tray_of
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import check_action
from fennet.operations.gardens import insert_thing
from fennet.operations.logging import batch_and_events, cells_up, write_events
from fennet.operations.sowing import free_cells, new_batch_id
from fennet.operations.typed_records import keep_entry
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row

#: Of a place so much can be stood on: pots are round and hands need room.
USABLE_SHARE = 0.95
MOST_POTS = 400


def put_feed(w: WriteContext, entry: Mapping[str, Any]) -> None:
    """Keep a feed by its name with the figures of its label, in place of one of the same name. Raises Refusal."""
    try:
        product = product_of(entry)
    except ValueError as e:
        words = str(e)
        raise Refusal(f"{words[:1].upper()}{words[1:]}.", words.split(":")[0]) from None
    k = table_of(t.JournalSectionRow)
    mine = (k.c.garden_id == w.garden_id, k.c.section == "feeds", k.c.body["name"].astext == product.name)
    w.c.execute(delete(k).where(*mine))
    keep_entry(w, "feeds", dict(entry))


def drop_feed(w: WriteContext, name: str) -> None:
    """Take a feed off the shelf; what was fed with it stays on record."""
    k = table_of(t.JournalSectionRow)
    w.c.execute(delete(k).where(k.c.garden_id == w.garden_id, k.c.section == "feeds", k.c.body["name"].astext == name))


def log_fed(
    w: WriteContext, trays: Sequence[str], product: str, n_mg_per_l: float, sure: bool = False, young: bool = False
) -> list[Event]:  # fmt: skip
    """Log a feed of some trays. Raises Refusal for a dose that burns unless it is said to be meant, and for a slip always."""
    wrong = too_strong(n_mg_per_l, young)
    if wrong == "slip":
        raise Refusal(
            f"{n_mg_per_l:g} mg of nitrogen a litre is many times what burns seedlings ({BURNS_MG:g}): a decimal point?",
            "n_mg_per_l", f"{n_mg_per_l:g}",
        )  # fmt: skip
    if wrong and not sure:
        why = {
            "burns": f"{n_mg_per_l:g} mg of nitrogen a litre burns seedlings: over {BURNS_MG:g} the edges go brown.",
            "early": "No true leaf yet: seedlings still live on their seed, and feed only grows algae.",
        }[wrong]
        raise Refusal(f"{why} Tick that you mean it, or use less.", "n_mg_per_l", f"{n_mg_per_l:g}")
    actions = []
    for tray in trays:
        fields: dict[str, Any] = {"tray": tray, "n_mg_per_l": round(n_mg_per_l, 1)}
        if product:
            fields["feed"] = product
        check_action(w, "fed", fields, w.now)
        actions.append(("fed", fields, w.now))
    return write_events(w, actions)


def space_left_mm2(journal: Journal, place_id: str, events: Sequence[Event], at_s: float, without: str = "") -> float | None:
    """Area of a place that no tray stands on, mm²; None where its measures are not known. Source: arithmetic."""
    place = next((p for p in journal.places if p.id == place_id), None)
    if place is None or not place.width_mm or not place.depth_mm:
        return None
    state = room_at(journal, events, at_s)
    used = 0.0
    for tray in journal.trays:
        size = footprint_mm(tray, 0.0)
        gone = tray.until is not None and tray.until.timestamp() <= at_s
        if state.trays[tray.id].place == place_id and tray.id != without and size is not None and not gone:
            used += size[0] * size[1]
    return max(0.0, USABLE_SHARE * place.width_mm * place.depth_mm - used)


def pot_up(
    w: WriteContext, journal: Journal, events: Sequence[Event], batch_id: str, n: int, pot_mm: float, place: str,
    buried: bool, anyway: bool = False
) -> tuple[str, str]:  # fmt: skip
    """Pot up `n` plants of a batch into round pots of a width, stood on a place: a new tray of pots, and the batch moves into it
    whole, or the part of it becomes a batch of its own that names the old one. Returns (tray, batch). Raises Refusal."""
    if not 1 <= n <= MOST_POTS:
        raise Refusal(f"{n} pots; accepted: 1 to {MOST_POTS}.", "n", str(n))
    if not 30 <= pot_mm <= 400:
        raise Refusal(f"{pot_mm:g} mm is not a pot; accepted: 30 to 400.", "pot_mm", f"{pot_mm:g}")
    free = space_left_mm2(journal, place, events, w.now.timestamp())
    need = pots_area_mm2(n, pot_mm)
    if free is not None and need > free and not anyway:
        fits = int(free // pot_mm**2)
        raise Refusal(
            f"{n} pots of {pot_mm:g} mm do not fit on {place}: room is left for {fits}. Fewer, another place, or tick anyway.",
            "place", place,
        )  # fmt: skip
    batch, stood = _with_plants(w, batch_id, n)
    known = set(queries.things(w.c, w.garden_id))
    name = next(x for i in range(1, 10_000) if (x := f"P{i}") not in known)
    columns = min(n, 12)
    rows = -(-n // columns)
    tray = Tray(
        id=name, kind="pots", name=f"pots of {pot_mm:g} mm", rows=rows, columns=columns,
        cell_ml=round(ROUND * (pot_mm / 10) ** 3),
        width_mm=columns * pot_mm, depth_mm=rows * pot_mm, height_mm=round(0.9 * pot_mm), since=w.now,
    )  # fmt: skip
    insert_thing(w.c, w.garden_id, tray.id, "tray")
    w.c.execute(insert(table_of(t.TrayRow)).values(**to_row(tray, t.TrayRow, w.garden_id)))
    placed = {"tray": name, "place": place}
    check_action(w, "placed", placed, w.now, queries.things(w.c, w.garden_id))
    actions: list[tuple[str, dict[str, Any], datetime]] = [("placed", placed, w.now)]
    to = batch_id
    if n == left_of(batch, stood):
        actions.append(("potted_up", {"batch": batch_id, "tray": name, "buried": buried}, w.now))
    else:
        to, moved = _part_into(w, batch, stood, name, tray.cell_names()[:n], buried)
        actions += moved
    write_events(w, actions)
    return name, to


def prick_out(w: WriteContext, batch_id: str, tray_id: str, n: int, buried: bool) -> str:
    """Prick `n` plants of a batch out into the first free cells of a tray, one to a cell: a batch of its own that names the old
    one. Returns its id. Raises Refusal for more than there are, or than the tray has free."""
    batch, stood = _with_plants(w, batch_id, n)
    if tray_id == tray_of(batch, stood, w.now.timestamp()):
        raise Refusal(f"{batch_id} stands in {tray_id} already; choose another tray.", "tray", tray_id)
    cells = free_cells(w, tray_id, n)
    to, actions = _part_into(w, batch, stood, tray_id, cells, buried)
    write_events(w, actions)
    return to


def _with_plants(w: WriteContext, batch_id: str, n: int) -> tuple[Batch, list[Event]]:
    """A batch that still has so many plants, and its effective events. Raises Refusal."""
    batch, mine = batch_and_events(w, batch_id)
    stood = effective_events(mine, float("inf"))
    alive = left_of(batch, stood)
    if not 1 <= n <= alive:
        raise Refusal(f"{n} cannot be moved: {alive} of {batch_id} are left.", "n", str(n))
    return batch, stood


def _part_into(
    w: WriteContext, batch: Batch, stood: Sequence[Event], tray_id: str, cells: Sequence[str], buried: bool,
    ) -> tuple[str, list[tuple[str, dict[str, Any], datetime]]]:  # fmt: skip
    """A part of a batch as a batch of its own in some cells, one plant to a cell: its id, and the deeds to log."""
    n = len(cells)
    part = replace(
        batch, id=new_batch_id(batch.crop, set(queries.things(w.c, w.garden_id))), tray=tray_id, cell_list=list(cells),
        cells=None, seeds=None, seeds_per_cell=1, set_up="in_mix", from_batch=batch.id,
    )  # fmt: skip
    insert_thing(w.c, w.garden_id, part.id, "batch")
    w.c.execute(insert(table_of(t.BatchRow)).values(**to_row(part, t.BatchRow, w.garden_id)))
    fields: dict[str, Any] = {"batch": batch.id, "to_batch": part.id, "count": n, "buried": buried}
    up = cells_up(batch, stood)
    held = sorted(o.cell for o in occupancies(batch, stood) if o.to_s > w.now.timestamp() and (not up or o.cell in up))
    one_a_cell = counts_of(batch, stood).unit == "cells" and batch.set_up != "crowd" and not batch.by_seed
    if one_a_cell and len(held) >= n:
        # Of a crowd a cell is not empty because some were taken out of it.
        fields["cell_list"] = held[:n]
    return part.id, [("moved", fields, w.now), ("count", {"batch": part.id, "cells_up": n, "cell_list": list(cells)}, w.now)]
