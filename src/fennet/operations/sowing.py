"""Sow: several kinds into one tray in one go."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Engine, insert

from fennet.core.history import standing
from fennet.core.records import Batch, Covering, Pretreatment, SeedLot, Tray
from fennet.core.room import free_in
from fennet.core.sowing import depth_by_school_mm
from fennet.core.targets import practice_of
from fennet.crops import UnknownCrop, shipped
from fennet.operations.acting import Actor, AlreadyDone, Refusal, once, remember_outcome, writing
from fennet.operations.gardens import insert_thing
from fennet.operations.logging import checked_time, new_id, write_events
from fennet.operations.planning import named_want
from fennet.operations.projecting import project_cells
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row


@dataclass(frozen=True)
class Sowing:
    """One kind in some cells: what the sowing form gives. `lot` is an existing packet's id or a new packet to keep."""

    crop: str
    cells: tuple[str, ...]
    seeds_per_cell: int
    depth_mm: float | None = None
    variety: str | None = None
    lot: str | SeedLot | None = None
    covered_with: Covering | None = None
    pretreatment: tuple[Pretreatment, ...] = ()
    # The place in the list of the want it is sown for, and which of its sowings it is.
    want: int | None = None
    which: str | None = None


def replace_covering(sowing: Sowing, covered_with: Covering | None) -> Sowing:
    """The same sowing under another covering material."""
    return replace(sowing, covered_with=covered_with)


def sow(
    engine: Engine,
    actor: Actor,
    tray_id: str,
    sowings: Sequence[Sowing],
    batch_template: Batch,
    sown_at: datetime,
    now: datetime,
    covered: bool = False,
    key: str | None = None,
) -> list[str]:
    """Sow some kinds in cells of one tray; returns the batches' ids. All or nothing.

    `batch_template` carries what all share (set-up, mix). Raises Refusal for a sowing in the future, an unknown crop, cells
    that are not the tray's or are held by another batch.
    """
    deeds = [("cover", {"tray": tray_id, "on": True})] if covered else []
    return sow_in_trays(engine, actor, [(tray_id, sowings)], batch_template, sown_at, now, deeds, key)


def sow_in_trays(
    engine: Engine,
    actor: Actor,
    trays: Sequence[tuple[str, Sequence[Sowing]]],
    batch_template: Batch,
    sown_at: datetime,
    now: datetime,
    deeds: Sequence[tuple[str, Mapping[str, Any]]] = (),
    key: str | None = None,
) -> list[str]:
    """Sow in one tray or several, with what goes with it (cover, mat), as one write; returns the batches' ids. Raises Refusal."""
    checked_time(sown_at, now)
    if not any(sowings for _, sowings in trays):
        raise Refusal("Nothing is sown yet: choose a crop and its cells.", "crop")
    with writing(engine, actor) as c:
        try:
            once(c, actor, key, now)
        except AlreadyDone as done:
            return list(done.outcome.get("batches", []))
        known = set(queries.things(c, actor.ref.id))
        batches = []
        for tray_id, sowings in trays:
            batches += _sow_in(c, actor, tray_id, sowings, batch_template, sown_at, known)
        project_cells(c, actor.ref.id, batches, [])
        if deeds:
            write_events(c, actor, [(kind, fields, sown_at) for kind, fields in deeds], now)
        ids = [b.id for b in batches]
        remember_outcome(c, actor, key, {"batches": ids})
        return ids


def lay_in_towel(
    engine: Engine, actor: Actor, sowing: Sowing, seeds: int, template: Batch, now: datetime, key: str | None = None
) -> str:
    """Lay seeds in a damp towel in a bag: a batch that is counted by seeds and stands in no cells yet. Raises Refusal."""
    if not 1 <= seeds <= 5000:
        raise Refusal("1 to 5,000 seeds go into a towel.", "seeds", str(seeds))
    with writing(engine, actor) as c:
        try:
            once(c, actor, key, now)
        except AlreadyDone as done:
            return str(done.outcome.get("batches", [""])[0])
        known = set(queries.things(c, actor.ref.id))
        crop = shipped().with_own(queries.own_crops(c, actor.ref.id)).get(sowing.crop)
        batch = replace(
            template,
            id=new_batch_id(crop.id, known),
            crop=crop.id,
            tray=None,
            cells=None,
            cell_list=None,
            seeds=seeds,
            set_up="towel",
            sown_at=now,
            variety=sowing.variety or None,
            seed_lot=_lot(c, actor, sowing, crop.id),
            pretreatment=list(sowing.pretreatment) or None,
            want=named_want(c, actor, sowing.want).id if sowing.want is not None else None,
            sowing=sowing.which,
        )
        insert_thing(c, actor.ref.id, batch.id, "batch")
        c.execute(insert(table_of(t.BatchRow)).values(**to_row(batch, t.BatchRow, actor.ref.id)))
        remember_outcome(c, actor, key, {"batches": [batch.id]})
        return batch.id


def _sow_in(
    c: Connection, actor: Actor, tray_id: str, sowings: Sequence[Sowing], template: Batch, sown_at: datetime, known: set[str]
) -> list[Batch]:
    trays = queries.records(c, actor.ref.id, "trays", table_of(t.TrayRow).c.id == tray_id)
    if not trays:
        raise Refusal(f"There is no tray {tray_id} in this garden.", "tray", tray_id)
    table = shipped().with_own(queries.own_crops(c, actor.ref.id))
    batches = []
    school = practice_of(actor.ref.garden)["depth"]
    for sowing in sowings:
        try:
            crop = table.get(sowing.crop)
        except UnknownCrop as e:
            near = f" Nearest: {', '.join(e.nearest)}." if e.nearest else ""
            raise Refusal(f"No crop is called {sowing.crop!r}.{near}", "crop", sowing.crop) from None
        _check_cells(trays[0], sowing)
        lot_id = _lot(c, actor, sowing, crop.id)
        batch_id = new_batch_id(crop.id, known)
        known.add(batch_id)
        batch = replace(
            template,
            id=batch_id,
            crop=crop.id,
            tray=tray_id,
            sown_at=sown_at,
            cell_list=list(sowing.cells),
            cells=None,
            seeds_per_cell=sowing.seeds_per_cell,
            depth_mm=depth_by_school_mm(crop.depth_mm, school) if sowing.depth_mm is None else sowing.depth_mm,
            variety=sowing.variety or None,
            seed_lot=lot_id,
            covered_with=sowing.covered_with,
            pretreatment=list(sowing.pretreatment) or None,
            want=named_want(c, actor, sowing.want).id if sowing.want is not None else None,
            sowing=sowing.which,
        )
        insert_thing(c, actor.ref.id, batch_id, "batch")
        c.execute(insert(table_of(t.BatchRow)).values(**to_row(batch, t.BatchRow, actor.ref.id)))
        batches.append(batch)
    return batches


def _check_cells(tray: Tray, sowing: Sowing) -> None:
    if not sowing.cells:
        raise Refusal(f"Choose the cells for {sowing.crop}.", "cells")
    outside = [cell for cell in sowing.cells if cell not in tray.cell_names()]
    if outside:
        raise Refusal(
            f"Tray {tray.id} has no cell {outside[0]}; it has r1c1 to r{tray.rows}c{tray.columns}.", "cells", outside[0]
        )
    if not 1 <= sowing.seeds_per_cell <= 200:
        raise Refusal("1 to 200 seeds go into a cell.", "seeds_per_cell", str(sowing.seeds_per_cell))
    if sowing.depth_mm is not None and not 0 <= sowing.depth_mm <= 150:
        raise Refusal("Seed is sown 0 to 150 mm deep.", "depth_mm", f"{sowing.depth_mm:g}")


def _lot(c: Connection, actor: Actor, sowing: Sowing, crop: str) -> str | None:
    if sowing.lot is None:
        return None
    if isinstance(sowing.lot, str):
        known = queries.records(c, actor.ref.id, "seed_lots", table_of(t.SeedLotRow).c.id == sowing.lot)
        if not known:
            raise Refusal(f"There is no packet {sowing.lot} in the seed box.", "lot", sowing.lot)
        if known[0].crop != crop:
            raise Refusal(
                f"That packet holds {known[0].crop.replace('_', ' ')}, not {crop.replace('_', ' ')}.", "lot", sowing.lot
            )
        return sowing.lot
    lot = replace(sowing.lot, id=new_id("lot"), crop=crop)
    c.execute(insert(table_of(t.SeedLotRow)).values(**to_row(lot, t.SeedLotRow, actor.ref.id)))
    return lot.id


def free_cells(c: Connection, actor: Actor, tray_id: str, n: int, now: datetime) -> list[str]:
    """The first `n` free cells of a tray. Raises Refusal where there is no such tray, or it has fewer."""
    trays = queries.records(c, actor.ref.id, "trays", table_of(t.TrayRow).c.id == tray_id)
    if not trays:
        raise Refusal(f"There is no tray {tray_id} in this garden.", "tray", tray_id)
    others = queries.records(c, actor.ref.id, "batches", table_of(t.BatchRow).c.tray == tray_id)
    about = standing(queries.events_about(c, actor.ref.id, [], [b.id for b in others]), float("inf"))
    free = free_in(trays[0], others, about, now.timestamp())
    if len(free) < n:
        raise Refusal(f"{tray_id} has {len(free)} free cells; {n} are needed.", "tray", tray_id)
    return free[:n]


def new_batch_id(crop: str, known: set[str]) -> str:
    """The next free id for a batch of a crop."""
    stem = re.sub(r"[^a-z0-9_]", "", crop.lower())[:40] or "batch"
    return next(f"{stem}-{n}" for n in range(1, 100_000) if f"{stem}-{n}" not in known)
