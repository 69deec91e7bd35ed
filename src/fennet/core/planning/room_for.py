"""What the room has: mat places, shelf and lamp area; what is in use already; and what the record says it is like."""

from __future__ import annotations

import math
import statistics
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fennet.core.crop import Crop
from fennet.core.history import counts_of, ended_s
from fennet.core.learning.garden import crop_of
from fennet.core.light import constant_dli_mol, hours_of, lamp_at
from fennet.core.lighting.curve import rough_umol
from fennet.core.planning.growing import PlannedRoom, emerging, growing
from fennet.core.records import Batch, Event, Journal, Series, Tray
from fennet.core.room import lives, room_at, trays_at
from fennet.core.working import Input, Working

#: Places that plants stand on indoors; a porch bench takes plants that harden off.
SHELF_KINDS = (None, "shelf", "sill", "porch")
#: A tray where the garden has none: cells, the side of a cell in mm, its volume. Source: starting_estimate.
USUAL_CELLS, CELL_MM, USUAL_CELL_ML = 24, 55.0, 50.0
#: Air and soil of the last days count for the plan. Source: starting_estimate.
RECENT_D = 21.0
#: Light at the leaf is read seldom. Source: starting_estimate.
LIGHT_RECENT_D = 60.0
DAY_S = 86_400.0
RESOURCES = ("mat_places", "shelf_mm2", "lamp_mm2")
#: How much of what there is may be in use before it is worth a word: a tray may overlap an edge by a hundredth, a mat by none.
ROOM_GIVEN = np.array([[1.0], [1.01], [1.01]])


@dataclass(frozen=True)
class TrayKind:
    """The tray sowings are planned in: its cells and its footprint; `own` is its id where the garden has one."""

    cells: int
    area_mm2: float
    cell_ml: float | None = None
    own: str = ""

    @property
    def cell_mm2(self) -> float:
        return self.area_mm2 / self.cells

    @property
    def fill_ml(self) -> float:
        """What a cell holds: its own volume, or the usual where the tray does not say."""
        return self.cell_ml or USUAL_CELL_ML


@dataclass(frozen=True)
class Capacity:
    """What there is of each resource; None where the garden does not say."""

    mat_places: float | None
    shelf_mm2: float | None
    lamp_mm2: float | None
    lamps: int

    def as_row(self) -> list[float]:
        return [math.inf if x is None else x for x in (self.mat_places, self.shelf_mm2, self.lamp_mm2)]


@dataclass(frozen=True)
class InUse:
    """What a live batch takes until when: (resource number, from, to, amount), days counted from today."""

    batch: Batch
    crop: Crop
    spans: tuple[tuple[int, int, int, float], ...]


def tray_area_mm2(tray: Tray) -> float | None:
    """A tray's footprint; from its cells where its sides are not known; None where neither is."""
    if tray.width_mm and tray.depth_mm:
        return tray.width_mm * tray.depth_mm
    return tray.rows * tray.columns * CELL_MM**2 if tray.rows and tray.columns else None


def tray_kind(trays: Sequence[Tray]) -> TrayKind:
    """The kind of cell tray the garden has most of; 24 cells of 55 mm where it has none.

    >>> tray_kind([Tray(id="A", rows=4, columns=6, width_mm=280, depth_mm=540)]).cells
    24
    """
    known = [t for t in trays if t.rows and t.columns and t.kind in (None, "cells")]
    if not known:
        return TrayKind(USUAL_CELLS, USUAL_CELLS * CELL_MM**2)
    sizes = Counter((t.rows or 0) * (t.columns or 0) for t in known)
    most = max(sizes.values())
    cells = max(n for n, times in sizes.items() if times == most)
    tray = next(t for t in known if (t.rows or 0) * (t.columns or 0) == cells)
    return TrayKind(cells, tray_area_mm2(tray) or cells * CELL_MM**2, tray.cell_ml, tray.id)


def capacity(journal: Journal, at_s: float) -> Capacity:
    """What the room has at a moment: things that have gone are left out. Unknown sizes make a resource unknown, not nought."""
    alive = lives(journal)

    def here(id: str) -> bool:
        from_s, to_s = alive.get(id, (-math.inf, math.inf))
        return from_s <= at_s < to_s

    places = {p.id: p for p in journal.places if here(p.id)}
    shelves = [p for p in places.values() if p.kind in SHELF_KINDS]
    areas = [p.width_mm * p.depth_mm for p in shelves if p.width_mm and p.depth_mm]
    mats = [m for m in journal.mats if here(m.id)]
    lamps = [x for x in journal.lamps if here(x.id)]
    lit, known = 0.0, bool(lamps)
    for place_id in dict.fromkeys(x.place for x in lamps):
        place = places.get(place_id or "")
        if place is None or not place.width_mm or not place.depth_mm:
            known = False
            continue
        under = [x.length_mm or place.width_mm for x in lamps if x.place == place_id]
        lit += min(place.width_mm, sum(under)) * place.depth_mm
    return Capacity(
        float(sum(m.trays_max or 1 for m in mats)) if mats or places else None,
        sum(areas) if areas and len(areas) == len(shelves) else None,
        lit if known else None,
        len(lamps),
    )


def load_workings(journal: Journal, have: Capacity, tray: TrayKind) -> list[Working]:
    """How the load of mats, shelves and lamps is counted, and what there is of each."""
    shelves = [p for p in journal.places if p.kind in SHELF_KINDS]
    sizes = [
        Input(p.name or p.id, f"{p.width_mm:g} × {p.depth_mm:g}" if p.width_mm and p.depth_mm else None, "mm") for p in shelves
    ]  # fmt: skip
    one = Input(
        "a tray of " + str(tray.cells) + " cells", round(tray.area_mm2 / 1e6, 3), "m²", "" if tray.own else "starting_estimate"
    )
    return [
        Working(
            "mat places", tuple(Input(m.name or m.id, f"holds {m.trays_max or 1}") for m in journal.mats),
            "trays on mats from sowing to half up, by the middle of the forecast; what live batches hold is counted",
            ("growers_rule",), "a tray a place; small sowings that agree share a tray",
            value=None if have.mat_places is None else round(have.mat_places), unit="places",
        ),
        Working(
            "shelf", (one, *sizes),
            "whole trays from sowing until they are potted up, then a pot's side squared for every plant wanted, "
            "until they go out",
            ("growers_rule",), "shelves, sills and a porch whose sizes are given; plants that harden off stand in at night",
            value=None if have.shelf_mm2 is None else round(have.shelf_mm2 / 1e6, 2), unit="m²",
        ),
        Working(
            "room under lamps", (*(Input(x.name or x.id, x.length_mm, "mm long") for x in journal.lamps), one),
            "the same areas from half up until hardening off; a lamp lights its length by the depth of its shelf",
            ("growers_rule",), "lamps that hang over a shelf whose depth is given; light falls off towards the ends",
            value=None if have.lamp_mm2 is None else round(have.lamp_mm2 / 1e6, 2), unit="m²",
        ),
    ]  # fmt: skip


def planned_room(journal: Journal, events: Sequence[Event], at_s: float) -> PlannedRoom:
    """Air, soil without a mat and daily light that the record of the last three weeks shows; what it does not is assumed."""
    indoors = {r.id for r in journal.rooms if not _outside(journal, r.id)} | {
        p.id for p in journal.places if p.kind in (None, "shelf", "sill")
    }
    room, seen = PlannedRoom(), set()
    air = _recent(journal.series, "air_temperature", indoors, at_s)
    if air is not None:
        room, seen = replace(room, air_c=round(air, 1), soil_without_mat_c=round(air, 1)), {"air_c"}
    light = _lamps_dli_mol(journal, events, at_s)
    if light is not None:
        room = replace(room, dli_mol=round(light, 1))
        seen.add("dli_mol")
    return replace(room, from_record=frozenset(seen))


def _outside(journal: Journal, room: str) -> bool:
    kinds = [p.kind for p in journal.places if p.room == room]
    return bool(kinds) and all(k in ("porch", "outdoors") for k in kinds)


def _recent(series: Sequence[Series], quantity: str, places: set[str], at_s: float) -> float | None:
    means = []
    for s in series:
        if s.quantity == quantity and s.place in places:
            value = s.value[(s.at_s > at_s - RECENT_D * DAY_S) & (s.at_s <= at_s)]
            if len(value):
                means.append(float(np.mean(value)))
    return statistics.fmean(means) if means else None


def _lamps_dli_mol(journal: Journal, events: Sequence[Event], at_s: float) -> float | None:
    """What the lamps give a day as their timers stand: by the middle of recent readings at the leaf, else by their lumens."""
    places = {p.id: p for p in journal.places}
    hours, rough = [], []
    for lamp in journal.lamps:
        state = lamp_at(lamp, events, at_s)
        if not state.periods:
            continue
        hours.append(hours_of(state.periods))
        umol = rough_umol(journal, lamp, places.get(state.place or ""))
        if umol:
            rough.append(constant_dli_mol(umol, hours[-1]))
    measured = []
    for s in journal.series:
        if s.quantity == "light":
            sky = s.daylight if s.daylight is not None else np.zeros(len(s.value), dtype=bool)
            measured.extend(s.value[(s.at_s > at_s - LIGHT_RECENT_D * DAY_S) & (s.at_s <= at_s) & ~sky].tolist())
    if measured and hours:
        return constant_dli_mol(statistics.median(measured), statistics.median(hours))
    return statistics.median(rough) if rough else None


def in_use(journal: Journal, crops: Mapping[str, Crop], events: Sequence[Event], room: PlannedRoom, at_s: float) -> list[InUse]:
    """What the batches that live now will take of mats, shelves and lamps, and for how long, as far as one can say."""
    state = room_at(journal, events, at_s)
    trays = {t.id: t for t in journal.trays}
    kinds = {p.id: p.kind for p in journal.places}
    cells_in: Counter[str] = Counter()
    there: list[tuple[Batch, Crop, Tray]] = []
    stands_in = trays_at(journal.batches, events, at_s)
    for batch in journal.batches:
        over = ended_s(batch, events)
        if batch.sown_at.timestamp() > at_s or (over is not None and over <= at_s) or batch.crop not in crops:
            continue
        tray = trays.get(stands_in[batch.id] or "")
        if tray is not None:
            cells_in[tray.id] += batch.n_cells
            there.append((batch, crop_of(crops, batch), tray))
    out = []
    mats_said: set[str] = set()
    for batch, crop, tray in there:
        stands = state.trays.get(tray.id)
        if stands is not None and kinds.get(stands.place or "") in ("outdoors", "floor", "bag"):
            continue
        sown_d = (batch.sown_at.timestamp() - at_s) / DAY_S
        comes = emerging(crop, crop.target_soil_c) or emerging(crop, room.soil_without_mat_c)
        up = counts_of(batch, events).up * 2 >= batch.n_cells
        half_d = math.ceil(max(0.0 if up else 1.0, sown_d + (comes.days.p50 if comes else 14.0)))
        grows = growing(crop, room)
        grown_d = half_d + (grows.aim_days if grows else crop.planting.grow_days)
        if up:
            grown_d = sown_d + (comes.days.p50 if comes else 14.0) + (grows.aim_days if grows else crop.planting.grow_days)
        harden_d = math.ceil(max(1.0, grown_d))
        out_d = math.ceil(harden_d + crop.planting.harden_days)
        area = (tray_area_mm2(tray) or 0.0) * batch.n_cells / max(1, cells_in[tray.id])
        spans: list[tuple[int, int, int, float]] = [(1, 0, out_d, area), (2, 0 if up else half_d, harden_d, area)]
        on_mat = stands is not None and stands.mat is not None
        if on_mat and not up and tray.id not in mats_said:
            mats_said.add(tray.id)
            spans.append((0, 0, half_d, 1.0))
        out.append(InUse(batch, crop, tuple(x for x in spans if x[2] > x[1])))
    return out


def lamp_settings(bands: Sequence[tuple[float, float]]) -> int:
    """Fewest lamps with timers of their own that give every band of hours what it wants.

    >>> lamp_settings([(14, 16), (10, 13), (12, 16)]), lamp_settings([])
    (2, 0)
    """
    n, end = 0, -math.inf
    for low, high in sorted(bands, key=lambda b: b[1]):
        if low > end:
            n, end = n + 1, high
    return n
