"""Sow: several kinds into one tray in one go."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlalchemy import insert

from fennet.core.crop import Crop
from fennet.core.history import effective_events
from fennet.core.records import SEEDS_IN_A_ROW, Batch, Covering, Mix, Pretreatment, SeedLot, Start, Tray
from fennet.core.room import free_in
from fennet.core.sowing import depth_by_school_mm
from fennet.core.targets import practice_of
from fennet.crops import CropTable, UnknownCrop, shipped
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.gardens import insert_thing
from fennet.operations.logging import checked_time, new_id, write_events
from fennet.operations.projecting import project_cells
from fennet.operations.wants import named_want
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row

#: Seeds that one box or towel takes; and how near they lie in a row, mm.
MOST_SEEDS = 5_000
NEAREST_SEEDS_MM = 2.0


@dataclass(frozen=True)
class Sowing:
    """One kind in some cells: what the sowing form gives. `lot` is an existing packet's id or a new packet to keep.

    In a box without cells `seeds_per_cell` is all the seeds.
    """

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
    sowing_no: str | None = None
    # What came as plants: from what, from where, how tall.
    start: Start | None = None
    source: str | None = None
    size_mm: float | None = None
    # What is done otherwise with this one, and the mix it really stands in.
    practice: Mapping[str, str] = field(default_factory=dict)
    mix: Mix | None = None

    @property
    def from_seed(self) -> bool:
        return self.start in (None, "seed")


def sow(
    w: WriteContext, tray_id: str, sowings: Sequence[Sowing], batch_template: Batch, sown_at: datetime,
    covered: bool | Mapping[str, Any] = False, watered: str | None = None, also: Sequence[str] = (),
) -> list[str]:  # fmt: skip
    """Sow some kinds in cells of one tray; returns the batches' ids. All or nothing.

    `batch_template` carries what all share (set-up, mix). Raises Refusal for a sowing in the future, an unknown crop, cells
    that are not the tray's or are held by another batch. `covered`: by practice, or what the cover is (its fields `on`, `how`);
    `watered` how the first water came; `also` other trays that are sown alike, cell for cell.
    """
    trays = list(dict.fromkeys([tray_id, *also]))
    actions: list[tuple[str, dict[str, Any]]] = []
    for tray in trays:
        if covered:
            told = {"tray": tray, **covered} if isinstance(covered, Mapping) else cover_set(tray, practice_of(w.actor.ref.garden))
            actions.append(("cover", told))
        if watered:
            actions.append(("watered", {"tray": tray, "how": watered}))
    return sow_in_trays(w, [(tray, sowings) for tray in trays], batch_template, sown_at, actions)


def cover_set(tray_id: str, practice: Mapping[str, str]) -> dict[str, Any]:
    """A cover put on at sowing, closed or vented by practice."""
    return {"tray": tray_id, "on": "vented" if practice["cover"] == "vented" else True}


def sow_in_trays(
    w: WriteContext,
    trays: Sequence[tuple[str, Sequence[Sowing]]],
    batch_template: Batch,
    sown_at: datetime,
    actions: Sequence[tuple[str, Mapping[str, Any]]] = (),
) -> list[str]:
    """Sow in one tray or several, with what goes with it (cover, mat), as one write; returns the batches' ids. Raises Refusal."""
    checked_time(sown_at, w.now)
    if not any(sowings for _, sowings in trays):
        raise Refusal("Nothing is sown yet: choose a crop and its cells.", "crop")
    known = set(queries.things(w.c, w.garden_id))
    batches = []
    for tray_id, sowings in trays:
        batches += _sow_in(w, tray_id, sowings, batch_template, sown_at, known)
    project_cells(w.c, w.garden_id, batches, [])
    if actions:
        write_events(w, [(kind, fields, sown_at) for kind, fields in actions])
    return [b.id for b in batches]


def lay_in_towel(w: WriteContext, sowing: Sowing, seeds: int, template: Batch) -> str:
    """Lay seeds in a damp towel in a bag: a batch that is counted by seeds and stands in no cells yet. Raises Refusal."""
    if not 1 <= seeds <= MOST_SEEDS:
        raise Refusal(f"1 to {MOST_SEEDS:,} seeds go into a towel.", "seeds", str(seeds))
    known = set(queries.things(w.c, w.garden_id))
    crop = _crop(shipped().with_own(queries.own_crops(w.c, w.garden_id)), sowing.crop)
    batch = replace(
        template,
        id=new_batch_id(crop.id, known),
        crop=crop.id,
        tray=None,
        cells=None,
        cell_list=None,
        seeds=seeds,
        set_up="towel",
        sown_at=w.now,
        variety=sowing.variety or None,
        seed_lot=_lot(w, sowing, crop.id),
        pretreatment=list(sowing.pretreatment) or None,
        want=named_want(w, sowing.want).id if sowing.want is not None else None,
        sowing=sowing.sowing_no,
    )
    insert_thing(w.c, w.garden_id, batch.id, "batch")
    w.c.execute(insert(table_of(t.BatchRow)).values(**to_row(batch, t.BatchRow, w.garden_id)))
    return batch.id


def _sow_in(
    w: WriteContext, tray_id: str, sowings: Sequence[Sowing], template: Batch, sown_at: datetime, known: set[str]
) -> list[Batch]:
    trays = queries.records(w.c, w.garden_id, "trays", table_of(t.TrayRow).c.id == tray_id)
    if not trays:
        raise Refusal(f"There is no tray {tray_id} in this garden.", "tray", tray_id)
    table = shipped().with_own(queries.own_crops(w.c, w.garden_id))
    batches = []
    school = practice_of(w.actor.ref.garden)["depth"]
    # A box without cells is sown by the number of seeds.
    located = bool(trays[0].rows and trays[0].columns)
    for sowing in sowings:
        crop = _crop(table, sowing.crop)
        by_seed = not located or (trays[0].kind == "open" and sowing.from_seed)
        _check_cells(trays[0], sowing, located)
        lot_id = _lot(w, sowing, crop.id)
        batch_id = new_batch_id(crop.id, known)
        known.add(batch_id)
        batch = replace(
            template,
            id=batch_id,
            crop=crop.id,
            tray=tray_id,
            sown_at=sown_at,
            cell_list=list(sowing.cells) if located else None,
            cells=None,
            seeds=sowing.seeds_per_cell * max(1, len(sowing.cells)) if by_seed else None,
            seeds_per_cell=None if by_seed and located else sowing.seeds_per_cell if located and sowing.from_seed else 1,
            depth_mm=sowing.depth_mm if sowing.depth_mm is not None or not sowing.from_seed else depth_by_school_mm(crop, school),
            variety=sowing.variety or None,
            seed_lot=lot_id,
            covered_with=sowing.covered_with,
            pretreatment=list(sowing.pretreatment) or None,
            want=named_want(w, sowing.want).id if sowing.want is not None else None,
            sowing=sowing.sowing_no,
            start=sowing.start,
            source=sowing.source,
            size_mm=sowing.size_mm,
            practice={**template.practice, **sowing.practice},
            mix=sowing.mix or template.mix,
        )
        insert_thing(w.c, w.garden_id, batch_id, "batch")
        w.c.execute(insert(table_of(t.BatchRow)).values(**to_row(batch, t.BatchRow, w.garden_id)))
        batches.append(batch)
    return batches


def _crop(table: CropTable, name: str) -> Crop:
    """The kind of a name. Raises Refusal with the nearest names."""
    try:
        return table.get(name)
    except UnknownCrop as e:
        near = f" Nearest: {', '.join(e.nearest)}." if e.nearest else ""
        raise Refusal(f"No crop is called {name!r}.{near}", "crop", name) from None


def _check_cells(tray: Tray, sowing: Sowing, located: bool) -> None:
    if not located:
        if not 1 <= sowing.seeds_per_cell <= MOST_SEEDS:
            raise Refusal(f"1 to {MOST_SEEDS:,} seeds go into a box.", "seeds_per_cell", str(sowing.seeds_per_cell))
        _check_depth(sowing)
        return
    if not sowing.cells:
        raise Refusal(f"Choose the cells for {sowing.crop}.", "cells")
    outside = [cell for cell in sowing.cells if cell not in tray.cell_names()]
    if outside:
        raise Refusal(
            f"Tray {tray.id} has no cell {outside[0]}; it has r1c1 to r{tray.rows}c{tray.columns}.", "cells", outside[0]
        )
    if tray.kind == "open" and sowing.from_seed:
        _check_row(tray, sowing)
    elif not 1 <= sowing.seeds_per_cell <= 200:
        raise Refusal("1 to 200 seeds go into a cell.", "seeds_per_cell", str(sowing.seeds_per_cell))
    _check_depth(sowing)


def _check_row(tray: Tray, sowing: Sowing) -> None:
    """That so many seeds lie in a row of a box: from a few, which are cells, to what its length holds."""
    n = sowing.seeds_per_cell
    most = MOST_SEEDS if tray.width_mm is None else max(SEEDS_IN_A_ROW, int(tray.width_mm / NEAREST_SEEDS_MM))
    if not SEEDS_IN_A_ROW <= n <= most:
        long = (
            ""
            if tray.width_mm is None
            else f": the box is {tray.width_mm:g} mm long, and they lie {NEAREST_SEEDS_MM:g} mm apart at least"
        )
        raise Refusal(f"{SEEDS_IN_A_ROW} to {most:,} seeds go into a row{long}.", "seeds_per_cell", str(n))


def _check_depth(sowing: Sowing) -> None:
    if sowing.depth_mm is not None and not 0 <= sowing.depth_mm <= 150:
        raise Refusal("Seed is sown 0 to 150 mm deep.", "depth_mm", f"{sowing.depth_mm:g}")


def _lot(w: WriteContext, sowing: Sowing, crop: str) -> str | None:
    if sowing.lot is None:
        return None
    if isinstance(sowing.lot, str):
        known = queries.records(w.c, w.garden_id, "seed_lots", table_of(t.SeedLotRow).c.id == sowing.lot)
        if not known:
            raise Refusal(f"There is no packet {sowing.lot} in the seed box.", "lot", sowing.lot)
        if known[0].crop != crop:
            raise Refusal(
                f"That packet holds {known[0].crop.replace('_', ' ')}, not {crop.replace('_', ' ')}.", "lot", sowing.lot
            )
        return sowing.lot
    lot = replace(sowing.lot, id=new_id("lot"), crop=crop)
    w.c.execute(insert(table_of(t.SeedLotRow)).values(**to_row(lot, t.SeedLotRow, w.garden_id)))
    return lot.id


def free_cells(w: WriteContext, tray_id: str, n: int) -> list[str]:
    """The first `n` free cells of a tray. Raises Refusal where there is no such tray, or it has fewer."""
    trays = queries.records(w.c, w.garden_id, "trays", table_of(t.TrayRow).c.id == tray_id)
    if not trays:
        raise Refusal(f"There is no tray {tray_id} in this garden.", "tray", tray_id)
    others = queries.records(w.c, w.garden_id, "batches", table_of(t.BatchRow).c.tray == tray_id)
    about = effective_events(queries.events_about(w.c, w.garden_id, [], [b.id for b in others]), float("inf"))
    free = free_in(trays[0], others, about, w.now.timestamp())
    if len(free) < n:
        raise Refusal(f"{tray_id} has {len(free)} free cells; {n} are needed.", "tray", tray_id)
    return free[:n]


def new_batch_id(crop: str, known: set[str]) -> str:
    """The next free id for a batch of a crop."""
    stem = re.sub(r"[^a-z0-9_]", "", crop.lower())[:40] or "batch"
    return next(f"{stem}-{n}" for n in range(1, 100_000) if f"{stem}-{n}" not in known)
