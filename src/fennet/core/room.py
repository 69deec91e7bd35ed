"""The room at a moment: where each tray stood, what lay under it and hung over it, and what cannot be right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from fennet.core.history import life_events, occupancies, tray_stays
from fennet.core.light import LampState, lamp_states
from fennet.core.records import Batch, Event, Fan, Journal, Lamp, Mat, Outlet, Place, Series, Tray

#: Share of a circuit's rating for continuous loads, unless local code differs. Source: growers_rule.
CONTINUOUS_SHARE = 0.8
#: Height of a tray whose height is not given, mm. Source: starting_estimate.
USUAL_TRAY_HEIGHT_MM = 60.0


@dataclass(frozen=True)
class TrayState:
    """One tray at a moment. `cover` on, off or vented; `mat` the id of the mat under it."""

    tray: str
    place: str | None = None
    x_mm: float | None = None
    y_mm: float | None = None
    turned_deg: float = 0.0
    mat: str | None = None
    cover: str = "off"
    since_s: float | None = None


@dataclass(frozen=True)
class MatState:
    mat: str
    setpoint_c: float | None = None
    periods: Any = None
    insulated: bool = False
    probe: str | None = None
    on: bool = True
    trays: tuple[str, ...] = ()


@dataclass(frozen=True)
class FanState:
    fan: str
    hours_per_day: float | None = None


@dataclass(frozen=True)
class RoomState:
    """Everything that can be moved or set, as it was at `at_s` (seconds UTC)."""

    at_s: float
    trays: dict[str, TrayState] = field(default_factory=dict)
    lamps: dict[str, LampState] = field(default_factory=dict)
    mats: dict[str, MatState] = field(default_factory=dict)
    fans: dict[str, FanState] = field(default_factory=dict)

    def over(self, place: str | None) -> list[LampState]:
        """The lamps that hang over a place."""
        return [s for s in self.lamps.values() if place is not None and s.place == place]


def room_at(journal: Journal, events: Sequence[Event], at_s: float) -> RoomState:
    """The room as it was at a moment, from effective events in order of time.

    >>> from datetime import UTC, datetime
    >>> j = Journal(trays=[Tray(id="A")], places=[Place(id="p")])
    >>> e = Event(kind="placed", at=datetime(2026, 2, 3, tzinfo=UTC), id="e", fields={"tray": "A", "place": "p"})
    >>> room_at(j, [e], e.at_s).trays["A"].place
    'p'
    """
    trays = {t.id: TrayState(t.id) for t in journal.trays}
    mats = {m.id: MatState(m.id) for m in journal.mats}
    fans = {f.id: FanState(f.id) for f in journal.fans}
    for e in events:
        if e.at_s > at_s:
            break
        f = e.fields
        if e.kind == "placed" and f["tray"] in trays:
            old = trays[f["tray"]]
            moved = old.place != f["place"] or "x_mm" in f
            trays[f["tray"]] = replace(
                old,
                place=f["place"],
                x_mm=f.get("x_mm") if moved else old.x_mm,
                y_mm=f.get("y_mm") if moved else old.y_mm,
                turned_deg=turned_deg(f["turned"]) if "turned" in f else old.turned_deg,
                since_s=e.at_s if moved else old.since_s,
            )
        elif e.kind == "cover" and f["tray"] in trays:
            trays[f["tray"]] = replace(trays[f["tray"]], cover={True: "on", False: "off"}.get(f["on"], "vented"))
        elif e.kind == "mat" and f["mat"] in mats:
            _mat(e, trays, mats)
        elif e.kind == "fan" and f.get("fan") in fans and "hours_per_day" in f:
            fans[f["fan"]] = replace(fans[f["fan"]], hours_per_day=f["hours_per_day"])
    for mat in mats:
        mats[mat] = replace(mats[mat], trays=tuple(t.tray for t in trays.values() if t.mat == mat))
    known = [e for e in events if e.at_s <= at_s]
    lamps = {lamp.id: lamp_states(lamp, known)[-1] for lamp in journal.lamps}
    return RoomState(at_s, trays, lamps, mats, fans)


def turned_deg(given: Any) -> float:
    """How a tray stands against the way it was measured, degrees: a number as given, true is end for end.

    >>> turned_deg(True), turned_deg(90), turned_deg(False)
    (180.0, 90.0, 0.0)
    """
    if isinstance(given, bool):
        return 180.0 if given else 0.0
    return float(given) % 360 if isinstance(given, int | float) else 0.0


def _mat(e: Event, trays: dict[str, TrayState], mats: dict[str, MatState]) -> None:
    f = e.fields
    changes = {k: f[k] for k in ("setpoint_c", "periods", "probe") if k in f}
    if "insulated" in f:
        changes["insulated"] = bool(f["insulated"])
    tray = f.get("tray")
    if tray is None and "on" in f:
        changes["on"] = f["on"] is not False
    mats[f["mat"]] = replace(mats[f["mat"]], **changes)
    if tray in trays:
        trays[tray] = replace(trays[tray], mat=None if f.get("on") is False else f["mat"])


def tray_of(batch: Batch, events: Sequence[Event], at_s: float) -> str | None:
    """The tray a batch is in at a moment."""
    return next((s.where for s in reversed(tray_stays(batch, events)) if s.from_s <= at_s), None)


def trays_at(batches: Sequence[Batch], events: Sequence[Event], at_s: float) -> dict[str, str | None]:
    """The tray each of some batches is in at a moment, by its id: as `tray_of`, in one walk through the events."""
    came_s: dict[str, float] = {}
    potted: dict[str, str] = {}
    for e in events:
        if e.kind == "potted_up" and e.fields.get("tray") and e.at_s <= at_s:
            potted[e.fields["batch"]] = e.fields["tray"]
        elif e.kind == "moved" and e.fields.get("to_batch"):
            came_s.setdefault(e.fields["to_batch"], e.at_s)
    out: dict[str, str | None] = {}
    for b in batches:
        from_s = came_s.get(b.id) if b.from_batch is not None else None
        there = (b.sown_at.timestamp() if from_s is None else from_s) <= at_s
        out[b.id] = potted.get(b.id, b.tray if there else None)
    return out


def in_trays(batches: Sequence[Batch], events: Sequence[Event], at_s: float) -> dict[str, list[Batch]]:
    """Batches by the tray they are in at a moment, in their order; those in none are left out."""
    stands_in = trays_at(batches, events, at_s)
    out: dict[str, list[Batch]] = {}
    for b in batches:
        tray = stands_in[b.id]
        if tray:
            out.setdefault(tray, []).append(b)
    return out


def free_in(tray: Tray, batches: Sequence[Batch], events: Sequence[Event], at_s: float) -> list[str]:
    """Cells of a tray that hold nothing at a moment (seconds UTC). `events` are effective events."""
    stays = [s for b in batches for s in occupancies(b, events)]
    held = {s.cell for s in stays if s.tray == tray.id and s.from_s <= at_s < s.to_s}
    return [cell for cell in tray.cell_names() if cell not in held]


def free_cells(journal: Journal, events: Sequence[Event], at_s: float) -> dict[str, list[str]]:
    """Free cells by tray; trays without cells of their own, or gone by then, are left out. `events` are effective events."""
    return {
        t.id: free_in(t, journal.batches, events, at_s)
        for t in journal.trays
        if t.rows and t.columns and t.kind in (None, "cells") and (t.until is None or t.until.timestamp() > at_s)
    }


def canopy_mm(batches: Sequence[Batch], events: Sequence[Event], at_s: float, series: Sequence[Series] = ()) -> float | None:
    """Height of the tallest plants of some batches as last logged, by deed or by reading, mm; None when no height was."""
    ids = {b.id for b in batches}
    last: dict[str, tuple[float, float]] = {}
    for e in events:
        if e.kind == "height" and e.fields["batch"] in ids and e.at_s <= at_s:
            last[e.fields["batch"]] = (e.at_s, float(e.fields["mm"]))
    for b in batches:
        if b.from_batch is not None and b.id not in last:
            # Not measured since they were pricked out: as tall as then.
            told = [e for e in life_events(b, events, "height") if e.at_s <= at_s]
            if told:
                last[b.id] = (told[-1].at_s, float(told[-1].fields["mm"]))
    for s in series:
        if s.quantity == "height" and s.place in ids:
            known = s.until(at_s)
            if len(known.at_s) and float(known.at_s[-1]) >= last.get(s.place, (0.0, 0.0))[0]:
                last[s.place] = (float(known.at_s[-1]), float(known.value[-1]))
    return max((mm for _, mm in last.values()), default=None)


def leaf_distance_mm(height_mm: float | None, tray: Tray, canopy: float | None) -> float | None:
    """From the lamp's lower face to the leaves: height over the place − tray height − canopy, mm. Source: arithmetic.

    A tray without a height counts as 60 mm, plants without one as none. None when the lamp's height is not known.

    >>> leaf_distance_mm(240.0, Tray(id="A", height_mm=60.0), 40.0)
    140.0
    """
    if height_mm is None:
        return None
    return height_mm - (tray.height_mm or USUAL_TRAY_HEIGHT_MM) - (canopy or 0.0)


def lives(journal: Journal) -> dict[str, tuple[float, float]]:
    """From when to when each thing was there (seconds UTC), of those whose beginning or end is known. A batch begins a day
    before it is sown: its mix may be measured first."""
    out: dict[str, tuple[float, float]] = {b.id: (b.sown_at.timestamp() - 86_400.0, float("inf")) for b in journal.batches}
    things: list[Place | Lamp | Mat | Fan | Tray] = [
        *journal.places, *journal.lamps, *journal.mats, *journal.fans, *journal.trays,
    ]  # fmt: skip
    for x in things:
        if x.since or x.until:
            first = x.since.timestamp() if x.since else float("-inf")
            out[x.id] = (first, x.until.timestamp() if x.until else float("inf"))
    return out


@dataclass(frozen=True)
class RoomProblem:
    """Something in the room that cannot be, or should not: `grave` when it cannot be true at all."""

    what: str
    things: tuple[str, ...]
    words: str
    mend: str
    grave: bool = False


def footprint_mm(tray: Tray, turned_by_deg: float) -> tuple[float, float] | None:
    """Width along the shelf and depth of a tray as it stands, mm; None when it is not known."""
    if tray.width_mm is None or tray.depth_mm is None:
        return None
    across = round(turned_by_deg / 90) % 2 == 1
    return (tray.depth_mm, tray.width_mm) if across else (tray.width_mm, tray.depth_mm)


def room_problems(journal: Journal, state: RoomState, canopies: dict[str, float | None]) -> list[RoomProblem]:
    """What is wrong with the room as it stands: trays in one spot, trays too big for their place, a mat under places apart, too
    many trays on a mat, a lamp nearer than its safe distance, outlets over their load. `canopies` mm by tray."""
    out: list[RoomProblem] = []
    trays = {t.id: t for t in journal.trays}
    places = {p.id: p for p in journal.places}
    by_place: dict[str, list[TrayState]] = {}
    for s in state.trays.values():
        if s.place in places:
            by_place.setdefault(s.place, []).append(s)
    for place_id, there in by_place.items():
        out += _crowding(places[place_id], there, trays)
        gap = gap_above_mm(places[place_id], journal.places)
        for s in there:
            tall = trays[s.tray].height_mm
            if gap is not None and tall is not None and tall >= gap:
                name = places[place_id].name or place_id
                words = f"{s.tray} is {tall:.0f} mm tall; over {name} there are {gap:.0f} mm to the next shelf."
                out.append(RoomProblem("too_tall", (s.tray, place_id), words, "Stand it where there is room above it."))
    for mat in journal.mats:
        under = state.mats[mat.id].trays
        stands = sorted({p for p in (state.trays[t].place for t in under) if p})
        if len(stands) > 1:
            words = f"{mat.id} cannot lie under {' and '.join(under)}: they stand on {' and '.join(stands)}."
            out.append(
                RoomProblem("mat_apart", (mat.id, *under), words, f"Take one of them off the mat: {under[0]} mat off.", True)
            )
        if mat.trays_max and len(under) > mat.trays_max:
            words = f"{mat.id} carries {len(under)} trays; it holds {mat.trays_max}."
            out.append(RoomProblem("mat_full", (mat.id, *under), words, f"Take one off: {under[-1]} mat off."))
    for lamp in journal.lamps:
        hung = state.lamps[lamp.id]
        # By its kind alone the day's list speaks of it: it knows whether leaves stood it.
        least = lamp.min_distance_mm
        if not least or hung.height_mm is None or hung.place is None:
            continue
        for s in by_place.get(hung.place, []):
            distance = leaf_distance_mm(hung.height_mm, trays[s.tray], canopies.get(s.tray))
            if distance is not None and distance < least:
                words = (
                    f"{lamp.id} hangs {distance:.0f} mm over the leaves of {s.tray}; its maker allows {least:.0f} mm and more."
                )
                raised = hung.height_mm + least - distance
                out.append(RoomProblem("lamp_near", (lamp.id, s.tray), words, f"Raise it: {lamp.id} at {raised:.0f}mm."))
    return out + [t for load in outlet_loads(journal) for t in load.room_problems()]


def gap_above_mm(place: Place, places: Sequence[Place]) -> float | None:
    """Height between a shelf and the next one above it in its room, mm; None where their heights are not known.

    >>> low, high = Place(id="a", room="r", kind="shelf", z_mm=300.0), Place(id="b", room="r", kind="shelf", z_mm=700.0)
    >>> gap_above_mm(low, [low, high]), gap_above_mm(high, [low, high])
    (400.0, None)
    """
    if place.z_mm is None or place.kind != "shelf":
        return None
    beside = place.x_mm or 0.0, (place.x_mm or 0.0) + (place.width_mm or 1.0)
    above = [
        p.z_mm for p in places
        if p.id != place.id and p.room == place.room and p.kind == "shelf" and p.z_mm is not None and p.z_mm > place.z_mm
        and (p.x_mm or 0.0) < beside[1] and (p.x_mm or 0.0) + (p.width_mm or 1.0) > beside[0]
    ]  # fmt: skip
    return min(above) - place.z_mm if above else None


def _crowding(place: Place, there: Sequence[TrayState], trays: dict[str, Tray]) -> list[RoomProblem]:
    out = []
    spots: list[tuple[float, float, float, float, str]] = []
    for s in there:
        size = footprint_mm(trays[s.tray], s.turned_deg)
        if size is None:
            continue
        if (place.width_mm and size[0] > place.width_mm) or (place.depth_mm and size[1] > place.depth_mm):
            measure = f"{place.width_mm or 0:.0f} × {place.depth_mm or 0:.0f} mm"
            words = f"Tray {s.tray} is {size[0]:.0f} × {size[1]:.0f} mm; {place.name or place.id} is {measure}."
            out.append(
                RoomProblem("tray_too_big", (s.tray, place.id), words, f"Turn it, or take a larger place: {s.tray} turned.")
            )
        if s.x_mm is not None:
            spots.append((s.x_mm, s.y_mm or 0.0, *size, s.tray))
    for i, (x, y, w, d, tray) in enumerate(spots):
        for x2, y2, w2, d2, other in spots[:i]:
            if x < x2 + w2 - 1 and x2 < x + w - 1 and y < y2 + d2 - 1 and y2 < y + d - 1:
                words = f"{tray} and {other} would stand in one spot of {place.name or place.id}."
                free = max(a + b for a, _, b, _, _ in spots)
                mend = f"Free from {free:.0f} mm: {tray} to {place.id} x {free:.0f}."
                out.append(RoomProblem("one_spot", (tray, other), words, mend, True))
    return out


@dataclass(frozen=True)
class OutletLoad:
    """Watts that hang on one outlet if all of it runs, against its limit."""

    outlet: Outlet
    watts: float
    parts: tuple[tuple[str, float], ...]
    unknown: tuple[str, ...]

    @property
    def allowed_w(self) -> float | None:
        return self.outlet.limit_w * CONTINUOUS_SHARE if self.outlet.limit_w else None

    def room_problems(self) -> list[RoomProblem]:
        if self.allowed_w is None or self.watts <= self.allowed_w:
            return []
        most = f"{self.allowed_w:.0f} W is four fifths of its {self.outlet.limit_w:.0f} W"
        words = f"{self.outlet.id} carries {self.watts:.0f} W; {most}."
        return [RoomProblem("outlet_load", (self.outlet.id,), words, "Move something to another outlet.")]


def outlet_loads(journal: Journal) -> list[OutletLoad]:
    """Watts by outlet: every lamp, mat and fan plugged into it, all running. Source: arithmetic, growers_rule (four fifths).

    >>> j = Journal(outlets=[Outlet(id="w", limit_w=100.0)], lamps=[Lamp(id="l", watts=36.0, outlet="w")])
    >>> [(x.watts, x.allowed_w) for x in outlet_loads(j)]
    [(36.0, 80.0)]
    """
    out = []
    for outlet in journal.outlets:
        plugged: list[Lamp | Mat | Fan] = [*journal.lamps, *journal.mats, *journal.fans]
        plugged = [x for x in plugged if x.outlet == outlet.id]
        parts = tuple((x.id, x.watts) for x in plugged if x.watts is not None)
        out.append(OutletLoad(outlet, sum(w for _, w in parts), parts, tuple(x.id for x in plugged if x.watts is None)))
    return out
