"""What the record says of the light at one tray: its lamps, its readings, its window."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.history import Stay, place_stays
from fennet.core.light import (
    DAY_S,
    HOUR_S,
    LOGGED_S,
    Brightness,
    LampState,
    TrayLight,
    joined_spans,
    lamp_states,
    lit_spans,
    local_days,
    sun_all_day,
    sun_span,
)
from fennet.core.lighting.curve import DOUBTED, FAR_OFF, LEAST_GAP_MM, LampCurve, lamp_curve, rough_umol
from fennet.core.records import Batch, Event, Journal, Series, Tray, is_logger
from fennet.core.room import canopy_mm, leaf_distance_mm
from fennet.core.stretch import measured_heights

#: Places lit by the sky when no lamp hangs over them.
SKY_KINDS = ("sill", "porch", "outdoors")


def light_at_tray(
    journal: Journal, tray: Tray, batches: Sequence[Batch], events: Sequence[Event], zone: ZoneInfo, from_s: float, to_s: float
) -> TrayLight:
    """Lit spans and standing brightness at a tray between two moments, from wherever it stood.

    Readings at the tray outrank readings at its place. After a lamp is moved or dimmed, as the leaves are measured taller, and
    where the meter was held at another height than they, a reading is carried to the leaves by the lamp's own curve (basis
    `moved`); with no reading at all the lamp's lumens give a rough figure (basis `lumens`).
    Hours come from the photoperiod logged of the tray or its place, else the lamp's switches or timer, else sunrise to sunset on
    a sill, else the photoperiod of the room.
    Source: growers_rule, starting_estimate (fall-off, lumens).
    """
    stays = [s for s in place_stays(tray.id, events) if s.to_s > from_s and s.from_s < to_s]
    places = {p.id: p for p in journal.places}
    lit: list[tuple[float, float]] = []
    brightness: list[Brightness] = []
    hours_from = "timer"
    unlogged: list[tuple[float, float]] = []
    kinds = {s.id: s.kind for s in journal.sources}
    own = _light_series(journal, {tray.id, *(b.id for b in batches)})
    logged, by_hand, window = _sorted_out(own, kinds)
    for stay in stays:
        first, last = max(from_s, stay.from_s), min(to_s, stay.to_s)
        place = places.get(stay.where)
        over: list[LampState] = []
        hung = [(x, [s for s in lamp_states(x, events) if s.place == stay.where]) for x in journal.lamps]
        lamps = [x for x, states in hung if states]
        for lamp, states in hung:
            if not states:
                continue
            switch = next((s for s in journal.series if s.quantity == "lamp_on" and s.place == lamp.id), None)
            spans = lit_spans(states, zone, first, last, switch.at_s if switch else None, switch.value if switch else None)
            lit += spans
            hours_from = "switches" if switch is not None and len(switch.at_s) else hours_from
            if switch is None or not len(switch.at_s):
                # A lamp without a timer on record is not a lamp that is off.
                unlogged += [
                    (max(first, s.from_s), min(last, s.to_s))
                    for s in states
                    if s.periods is None and s.to_s > first and s.from_s < last
                ]
            over += [s for s in states if s.to_s > stay.from_s and s.from_s < last]
        if not lamps and place is not None and place.kind in SKY_KINDS:
            hours_from = "day length"
            garden = journal.garden
            if garden.latitude is not None and garden.longitude is not None:
                # A day of the calendar may be another by the sun: those on either side are looked at too.
                for day, day_from, day_to in local_days(first - DAY_S, last + DAY_S, zone):
                    span = sun_span(day, garden.latitude, garden.longitude)
                    if span is None and sun_all_day(day, garden.latitude, garden.longitude):
                        span = (day_from, day_to)
                    if span and min(span[1], last) > max(span[0], first):
                        lit.append((max(span[0], first), min(span[1], last)))
        there = _at_tray(_light_series(journal, {stay.where}), tray, events, first)
        if not there and place is not None and place.room is not None:
            there = _light_series(journal, {place.room})
        more_logged, there_by_hand, there_window = _sorted_out(there, kinds)
        logged = logged or [_cut(s, first, last) for s in more_logged]
        # What was read earlier in the same stay still stands, so its whole length is looked at.
        hand = [_cut(s, stay.from_s, last) for s in by_hand or there_by_hand]
        window += [_cut(s, first, last) for s in there_window]
        if lamps:
            rough = sum(filter(None, (rough_umol(journal, x, place) for x in lamps))) or None
            brightness += _standing(hand, over, tray, batches, events, rough, stay.from_s, last, journal)
        else:
            window += hand
    said = _photoperiods(journal, tray, batches, stays, lit, zone, from_s, to_s)
    for (start, end), hours in said.items():
        # Laid around noon, for want of clock times; of such a day nothing is unlogged any more.
        noon = (start + end) / 2
        lit = [*_without(lit, start, end), (max(from_s, noon - hours * HOUR_S / 2), min(to_s, noon + hours * HOUR_S / 2))]
        unlogged = _without(unlogged, start, end)
    hours_from = "logged" if said else hours_from
    log_s, log_v = _merged(logged)
    win_s, win_v = _merged(window)
    brightness.sort(key=lambda b: b.from_s)
    return TrayLight(joined_spans(lit), brightness, log_s, log_v, win_s, win_v, hours_from, unlogged)


def _light_series(journal: Journal, places: set[str]) -> list[Series]:
    return [s for s in journal.series if s.quantity == "light" and s.place in places and len(s.at_s)]


def _sorted_out(series: Sequence[Series], kinds: Mapping[str, str | None]) -> tuple[list[Series], list[Series], list[Series]]:
    """Logger's series, readings by hand under a lamp, and readings of window light."""
    logged, hand, window = [], [], []
    for s in series:
        keep = ~np.isnan(s.value)
        s = s.only(keep)
        if not len(s.at_s):
            continue
        if is_logger(s, kinds) and float(np.median(np.diff(s.at_s))) <= LOGGED_S:
            logged.append(s)
            continue
        sky = s.daylight if s.daylight is not None else np.zeros(len(s.at_s), dtype=bool)
        if (~sky).any():
            hand.append(s.only(~sky))
        if sky.any():
            window.append(s.only(sky))
    return logged, hand, window


def _cut(series: Series, from_s: float, to_s: float) -> Series:
    return series.only((series.at_s >= from_s) & (series.at_s < to_s))


def _merged(series: Sequence[Series]) -> tuple[np.ndarray, np.ndarray]:
    if not series:
        return np.zeros(0), np.zeros(0)
    at_s = np.concatenate([s.at_s for s in series])
    order = np.argsort(at_s, kind="stable")
    return at_s[order], np.concatenate([s.value for s in series])[order]


@dataclass(frozen=True)
class _HandReading:
    """A reading by hand: `z_mm` the height over the place at which the meter was held, None where it was held at the leaves."""

    at_s: float
    umol: float
    z_mm: float | None


def _by_hand(series: Sequence[Series]) -> list[_HandReading]:
    """Readings by hand in order; of several at one moment the last."""
    by_time = {
        at: _HandReading(at, umol, s.spot_mm[2] if s.spot_mm else None)
        for s in series
        for at, umol in zip(s.at_s.tolist(), s.value.tolist(), strict=True)
    }
    return [by_time[at] for at in sorted(by_time)]


class _Curves:
    """The curves of lamps as they were known at a moment, each learned when first asked for."""

    def __init__(self, journal: Journal, events: Sequence[Event], at_s: float) -> None:
        self._journal, self._events, self._at_s = journal, events, at_s
        self._known: dict[str, LampCurve | None] = {}

    def of(self, lamp: str) -> LampCurve | None:
        if lamp not in self._known:
            own = next((x for x in self._journal.lamps if x.id == lamp), None)
            self._known[lamp] = lamp_curve(self._journal, own, self._events, self._at_s) if own else None
        return self._known[lamp]


def _standing(
    hand: Sequence[Series], over: Sequence[LampState], tray: Tray, batches: Sequence[Batch], events: Sequence[Event],
    rough: float | None, first: float, last: float, journal: Journal,
) -> list[Brightness]:  # fmt: skip
    """Brightness over one stay: each reading from its moment on, carried to where the leaves are by the lamp's own curve; lumens
    before the first. A reading taken at the lamp, or that all the others contradict, is not the leaves'."""
    curves = _Curves(journal, events, last)
    readings = {r.at_s: r for r in _believed(_by_hand(hand), over, curves)}
    out: list[Brightness] = []
    stands: tuple[float, float | None, float] | None = None
    guessed = False
    hung = {s.from_s for s in over if first < s.from_s < last}
    # Leaves that were measured again have come nearer to the lamp.
    grown = {t for b in batches for t, _ in measured_heights(journal, b, events, last) if first < t < last}
    for mark in sorted({first, *hung, *grown, *readings}):
        state = next((s for s in over if s.from_s <= mark < s.to_s), None)
        canopy = canopy_mm(batches, events, mark, journal.series)
        distance = leaf_distance_mm(state.height_mm, tray, canopy) if state else None
        dim = (state.dim_pct if state and state.dim_pct is not None else 100.0) / 100
        now = readings.get(mark)
        if now is not None:
            held_mm = state.height_mm - now.z_mm if state and state.height_mm is not None and now.z_mm is not None else distance
            if held_mm is not None and held_mm < LEAST_GAP_MM and now.z_mm is not None:
                continue
            stands, guessed = (now.umol, held_mm, dim), canopy is None and now.z_mm is None
        if stands is not None:
            figure, held_mm, dim_then = stands
            if guessed and canopy is not None and held_mm is not None:
                # Read at leaves that nobody had measured: they are taken to have stood as they were first measured.
                stands, guessed = (figure, max(LEAST_GAP_MM, held_mm - canopy), dim_then), False
                held_mm = stands[1]
            umol = figure * dim / dim_then if dim_then > 0 else figure
            moved = abs(dim - dim_then) > 0.001
            if state and distance is not None and held_mm is not None and abs(distance - held_mm) >= LEAST_GAP_MM:
                curve = curves.of(state.lamp)
                umol, moved = (curve.carried_umol(umol, held_mm, distance), True) if curve else (umol, moved)
            out.append(Brightness(mark, umol, "moved" if moved else "measured", distance))
        elif rough is not None:
            out.append(Brightness(mark, rough * dim, "lumens", distance))
    return out


def _believed(readings: list[_HandReading], over: Sequence[LampState], curves: _Curves) -> list[_HandReading]:
    """The readings without those that the lamp's curve leaves out because all the others contradict them."""
    values = [r.umol for r in readings if r.umol > 0]
    if len(values) < 3 or max(values) < FAR_OFF * min(values):
        # Nothing is far enough off for the curve to doubt it.
        return readings
    doubted = {p.at_s for lamp in {s.lamp for s in over} if (c := curves.of(lamp)) for p in c.left_out if p.why in DOUBTED}
    return [r for r in readings if r.at_s not in doubted]


def _at_tray(series: Sequence[Series], tray: Tray, events: Sequence[Event], at_s: float) -> list[Series]:
    """Of a place's readings those that speak of one tray: without a spot, or at a spot inside it. Where its own place on the
    shelf is not known every spot speaks."""
    stood = [e for e in events if e.kind == "placed" and e.fields["tray"] == tray.id and e.at_s <= at_s]
    left = stood[-1].fields.get("x_mm") if stood else None
    if left is None or tray.width_mm is None:
        return list(series)
    right = left + tray.width_mm
    inside = [s for s in series if s.spot_mm is None or s.spot_mm[0] is None or left <= s.spot_mm[0] <= right]
    return inside or list(series)


def _photoperiods(
    journal: Journal, tray: Tray, batches: Sequence[Batch], stays: Sequence[Stay], lit: Sequence[tuple[float, float]],
    zone: ZoneInfo, from_s: float, to_s: float,
) -> dict[tuple[float, float], float]:  # fmt: skip
    """Days (seconds UTC, from and to) whose total of hours somebody logged: of the tray or its batches, else of the place where
    it stood then, else, where no lamp or sun is known to have lit it, of the room."""
    own = {tray.id, *(b.id for b in batches)}
    room_of = {p.id: p.room for p in journal.places}
    found: dict[tuple[float, float], tuple[int, float]] = {}
    for series in journal.series:
        if series.quantity != "photoperiod":
            continue
        for at_s, hours in zip(series.at_s.tolist(), series.value.tolist(), strict=True):
            if not from_s <= at_s <= to_s:
                continue
            where = next((s.where for s in stays if s.from_s <= at_s < s.to_s), None)
            rank = 0 if series.place in own else 1 if series.place == where else 2
            if rank == 2 and (where is None or series.place != room_of.get(where)):
                continue
            _, start, end = local_days(at_s, at_s, zone)[0]
            if rank == 2 and any(a < end and b > start for a, b in lit):
                continue
            if rank <= found.get((start, end), (rank, 0.0))[0]:
                found[start, end] = (rank, hours)
    return {day: hours for day, (_, hours) in found.items()}


def _without(spans: Sequence[tuple[float, float]], start: float, end: float) -> list[tuple[float, float]]:
    """What of some spans lies outside one stretch."""
    return [(s, e) for a, b in spans for s, e in ((a, min(b, start)), (max(a, end), b)) if e > s]
