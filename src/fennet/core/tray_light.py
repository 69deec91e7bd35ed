"""What the record says of the light at one tray: its lamps, its readings, its window."""

from __future__ import annotations

from collections.abc import Sequence
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.history import place_stays
from fennet.core.light import (
    FALL_OFF,
    HOUR_S,
    LOGGED_S,
    Brightness,
    LampState,
    TrayLight,
    at_distance_umol,
    from_lumens_umol,
    joined_spans,
    lamp_states,
    lit_spans,
    local_days,
    sun_span,
)
from fennet.core.lighting.curve import lamp_curve
from fennet.core.records import Batch, Event, Journal, Series, Tray
from fennet.core.room import canopy_mm, leaf_distance_mm

#: Places lit by the sky when no lamp hangs over them.
SKY_KINDS = ("sill", "porch", "outdoors")


def light_at_tray(
    journal: Journal, tray: Tray, batches: Sequence[Batch], events: Sequence[Event], zone: ZoneInfo, from_s: float, to_s: float
) -> TrayLight:
    """Lit spans and standing brightness at a tray between two moments, from wherever it stood.

    Readings at the tray outrank readings at its place. After a lamp is moved the last reading is carried to the new distance by
    the lamp's fall-off (basis `moved`); with no reading at all the lamp's lumens give a rough figure (basis `lumens`).
    Hours come from the tray's own photoperiod readings, else the lamp's switches or timer, else sunrise to sunset on a sill.
    Source: growers_rule, starting_estimate (fall-off, lumens).
    """
    stays = [s for s in place_stays(tray.id, events) if s.to_s > from_s and s.from_s < to_s]
    places = {p.id: p for p in journal.places}
    lit: list[tuple[float, float]] = []
    standing: list[Brightness] = []
    hours_from = "timer"
    own = _light_series(journal, {tray.id, *(b.id for b in batches)})
    logged, by_hand, window = _sorted_out(own)
    for stay in stays:
        first, last = max(from_s, stay.from_s), min(to_s, stay.to_s)
        place = places.get(stay.where)
        over: list[tuple[LampState, str | None]] = []
        lamps = [x for x in journal.lamps if any(s.place == stay.where for s in lamp_states(x, events))]
        for lamp in lamps:
            states = [s for s in lamp_states(lamp, events) if s.place == stay.where]
            switch = next((s for s in journal.series if s.quantity == "lamp_on" and s.place == lamp.id), None)
            spans = lit_spans(states, zone, first, last, switch.at_s if switch else None, switch.value if switch else None)
            lit += spans
            hours_from = "switches" if switch is not None and len(switch.at_s) else hours_from
            over += [(s, lamp.kind) for s in states if s.to_s > stay.from_s and s.from_s < last]
        if not lamps and place is not None and place.kind in SKY_KINDS:
            hours_from = "day length"
            garden = journal.garden
            if garden.latitude is not None and garden.longitude is not None:
                for day, _, _ in local_days(first, last, zone):
                    span = sun_span(day, garden.latitude, garden.longitude)
                    if span and min(span[1], last) > max(span[0], first):
                        lit.append((max(span[0], first), min(span[1], last)))
        there = _at_tray(_light_series(journal, {stay.where}), tray, events, first)
        more_logged, there_by_hand, there_window = _sorted_out(there)
        logged = logged or [_cut(s, first, last) for s in more_logged]
        # What was read earlier in the same stay still stands, so its whole length is looked at.
        hand = [_cut(s, stay.from_s, last) for s in by_hand or there_by_hand]
        window += [_cut(s, first, last) for s in there_window]
        if lamps:
            rough = sum(filter(None, (from_lumens_umol(x, place) for x in lamps))) or None
            standing += _standing(hand, over, tray, batches, events, rough, stay.from_s, last, journal)
        else:
            window += hand
    lit, hours_from = _photoperiods(journal, tray, batches, lit, hours_from, zone, from_s, to_s)
    log_s, log_v = _merged(logged)
    win_s, win_v = _merged(window)
    standing.sort(key=lambda b: b.from_s)
    return TrayLight(joined_spans(lit), standing, log_s, log_v, win_s, win_v, hours_from)


def _light_series(journal: Journal, places: set[str]) -> list[Series]:
    return [s for s in journal.series if s.quantity == "light" and s.place in places and len(s.at_s)]


def _sorted_out(series: Sequence[Series]) -> tuple[list[Series], list[Series], list[Series]]:
    """Logger's series, readings by hand under a lamp, and readings of window light."""
    logged, hand, window = [], [], []
    for s in series:
        keep = ~np.isnan(s.value)
        s = s.only(keep)
        if not len(s.at_s):
            continue
        if len(s.at_s) > 12 and float(np.median(np.diff(s.at_s))) <= LOGGED_S:
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


def _standing(
    hand: Sequence[Series], over: Sequence[tuple[LampState, str | None]], tray: Tray, batches: Sequence[Batch],
    events: Sequence[Event], rough: float | None, first: float, last: float, journal: Journal,
) -> list[Brightness]:  # fmt: skip
    """Brightness over one stay: each reading from its moment on, carried over moves of the lamp, lumens before the first."""
    at_s, value = _merged(hand)
    out: list[Brightness] = []
    marks = sorted({first, *(s.from_s for s, _ in over if first < s.from_s < last), *at_s.tolist()})
    reading: tuple[float, float | None] | None = None
    for mark in marks:
        state, kind = next(((s, k) for s, k in over if s.from_s <= mark < s.to_s), (None, None))
        distance = leaf_distance_mm(state.height_mm, tray, canopy_mm(batches, events, mark, journal.series)) if state else None
        i = int(np.searchsorted(at_s, mark))
        if i < len(at_s) and at_s[i] == mark:
            reading = (float(value[i]), distance)
            out.append(Brightness(mark, float(value[i]), "measured", distance))
        elif reading is not None:
            figure, at_distance = reading
            moved = distance is not None and at_distance is not None and abs(distance - at_distance) >= 5
            if moved and distance is not None and at_distance is not None:
                fall_off = _fall_off(journal, state.lamp, events, last) if state else FALL_OFF
                out.append(Brightness(mark, at_distance_umol(figure, at_distance, distance, kind, fall_off), "moved", distance))
        elif rough is not None:
            dim = (state.dim_pct if state and state.dim_pct is not None else 100.0) / 100
            out.append(Brightness(mark, rough * dim, "lumens", distance))
    return out


def _fall_off(journal: Journal, lamp: str, events: Sequence[Event], at_s: float) -> float:
    """A lamp's own fall-off as its readings tell it by then."""
    own = next((x for x in journal.lamps if x.id == lamp), None)
    return lamp_curve(journal, own, events, at_s).exponent if own else FALL_OFF


def _at_tray(series: Sequence[Series], tray: Tray, events: Sequence[Event], at_s: float) -> list[Series]:
    """Of a place's readings those that speak of one tray: without a spot, or at a spot inside it. Where its own place on the
    shelf is not known every spot speaks."""
    stood = [e for e in events if e.kind == "placed" and e.fields["tray"] == tray.id and e.at.timestamp() <= at_s]
    left = stood[-1].fields.get("x_mm") if stood else None
    if left is None or tray.width_mm is None:
        return list(series)
    right = left + tray.width_mm
    inside = [s for s in series if s.spot_mm is None or s.spot_mm[0] is None or left <= s.spot_mm[0] <= right]
    return inside or list(series)


def _photoperiods(
    journal: Journal, tray: Tray, batches: Sequence[Batch], lit: list[tuple[float, float]], hours_from: str, zone: ZoneInfo,
    from_s: float, to_s: float,
) -> tuple[list[tuple[float, float]], str]:  # fmt: skip
    """A day's total of hours logged by hand takes the place of that day's spans: laid around noon, for want of clock times."""
    names = {tray.id, *(b.id for b in batches)}
    for series in journal.series:
        if series.quantity != "photoperiod" or series.place not in names:
            continue
        for at_s, hours in zip(series.at_s.tolist(), series.value.tolist(), strict=True):
            if not from_s <= at_s <= to_s:
                continue
            _, start, end = local_days(at_s, at_s, zone)[0]
            lit = [(s, e) for a, b in lit for s, e in ((a, min(b, start)), (max(a, end), b)) if e > s]
            noon = (start + end) / 2
            lit.append((max(from_s, noon - hours * HOUR_S / 2), min(to_s, noon + hours * HOUR_S / 2)))
            hours_from = "logged"
    return lit, hours_from
