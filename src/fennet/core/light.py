"""Light at a tray: when the lamps were lit, how bright it was, and what that adds up to each day."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from operator import itemgetter
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from astral import Observer
from astral.sun import elevation, sunrise, sunset

from fennet.core.records import Event, FloatArray, Lamp, Place
from fennet.core.units import lux_factor

HOUR_S, DAY_S = 3_600.0, 86_400.0
MICRO = 1e-6
#: Effective depth of the lamp behind its face, mm: half its width. Source: starting_estimate.
FACE_DEPTH_MM: dict[str, float] = {
    "fluorescent_cool": 20.0, "fluorescent_warm": 20.0, "hot_tube": 20.0, "white_led": 60.0, "red_blue_led": 60.0,
    "hps": 120.0, "metal_halide": 120.0, "incandescent": 40.0,
}  # fmt: skip
#: Nearest a lamp may hang to a leaf where its maker says nothing, by kind, mm; and any other. Source: growers_rule.
LEAST_MM: dict[str, float] = {
    "fluorescent_cool": 25.0, "fluorescent_warm": 25.0, "hot_tube": 60.0, "white_led": 100.0, "red_blue_led": 100.0,
    "hps": 300.0, "metal_halide": 300.0, "incandescent": 300.0,
}  # fmt: skip
LEAST_OTHER_MM = 100.0
#: How light falls off with distance before anything is measured: exponent and its sd. Source: starting_estimate.
FALL_OFF, FALL_OFF_SD = 1.2, 0.4
#: Share of a lamp's lumens that reaches the lit area in the open. Source: starting_estimate.
USE_SHARE = 0.6
#: Sides of foil or white keep so much more of it over the trays. Source: growers_rule (use 0.8 against 0.6).
SHIELDED = 0.8 / 0.6
#: Readings closer than this are a logger's and speak for themselves; a window reading stands no longer than the second.
#: Source: growers_rule.
LOGGED_S, WINDOW_STANDS_S = 2 * HOUR_S, 3 * HOUR_S
#: A switch reading says how the lamp is until the next one, or for a day. Source: growers_rule.
SWITCH_STANDS_S = DAY_S

Minutes = tuple[int, int]


def minutes_of(clock: str) -> int:
    """Minutes after midnight of a clock time.

    Raises ValueError for what is not a time of day.

    >>> minutes_of("06:30"), minutes_of("24:00")
    (390, 1440)
    """
    hours, _, minutes = clock.partition(":")
    if hours.isdigit() and (minutes or "0").isdigit():
        out = int(hours) * 60 + int(minutes or 0)
        if 0 <= out <= 1440 and int(minutes or 0) < 60:
            return out
    raise ValueError(f"{clock!r} is not a time of day; accepted: 06:30")


def clock_of(minutes: int) -> str:
    """The clock time so many minutes after midnight, as records keep it; a day later is the same clock.

    >>> clock_of(390), clock_of(1450)
    ('06:30', '00:10')
    """
    return f"{minutes // 60 % 24:02}:{minutes % 60:02}"


def hours_of(periods: Sequence[Minutes]) -> float:
    """Hours lit in a day by timer periods in minutes after midnight; one that ends before it begins crosses midnight.

    >>> hours_of([(18 * 60, 8 * 60)])
    14.0
    """
    return sum(((off - on) % 1440 or 1440) / 60 for on, off in periods)


def least_mm(lamp: Lamp) -> float:
    """The nearest a lamp may hang to a leaf, mm: as its maker says, else by its kind; nought says nothing. Source: growers_rule.

    >>> least_mm(Lamp(id="l", kind="hps")), least_mm(Lamp(id="l", kind="hps", min_distance_mm=0.0)), least_mm(Lamp(id="l"))
    (300.0, 300.0, 100.0)
    """
    return lamp.min_distance_mm or LEAST_MM.get(lamp.kind or "", LEAST_OTHER_MM)


@dataclass(frozen=True)
class LampState:
    """How a lamp hung and was timed, from a moment to another. `periods` None: the timer is not known; (): switched off."""

    lamp: str
    from_s: float
    to_s: float
    place: str | None = None
    height_mm: float | None = None
    periods: tuple[Minutes, ...] | None = None
    dim_pct: float | None = None


def lamp_states(lamp: Lamp, events: Sequence[Event]) -> list[LampState]:
    """What was set on a lamp over time: each event changes what it names and leaves the rest as it was.

    >>> from datetime import UTC
    >>> set_to = {"lamp": "l", "height_mm": 150.0, "on": "06:00", "off": "20:00"}
    >>> e = Event(kind="lamp", at=datetime(2026, 2, 3, tzinfo=UTC), id="e", fields=set_to)
    >>> [(s.height_mm, s.periods) for s in lamp_states(Lamp(id="l"), [e])]
    [(None, None), (150.0, ((360, 1200),))]
    """
    now: dict[str, Any] = {"place": lamp.place, "periods": None}
    marks = {float("-inf"): now}
    for e in events:
        if e.kind == "lamp" and e.fields.get("lamp") == lamp.id:
            now = {**now, **lamp_changes(e.fields, now["periods"])}
            marks[e.at_s] = now
    ends = [*marks, float("inf")][1:]
    return [LampState(lamp.id, from_s, to_s, **set_to) for (from_s, set_to), to_s in zip(marks.items(), ends, strict=True)]


def lamp_at(lamp: Lamp, events: Sequence[Event], at_s: float) -> LampState:
    """How a lamp hung and was timed at a moment (seconds UTC)."""
    return next(s for s in reversed(lamp_states(lamp, events)) if s.from_s <= at_s)


def lamp_changes(fields: Any, before: tuple[Minutes, ...] | None = None) -> dict[str, Any]:
    """The changes one lamp event makes to a LampState."""
    changes: dict[str, Any] = {k: fields[k] for k in ("place", "height_mm", "dim_pct") if fields.get(k) is not None}
    if fields.get("periods") is not None:
        changes["periods"] = tuple((minutes_of(on), minutes_of(off)) for on, off in fields["periods"])
    elif fields.get("on") is False:
        changes["periods"] = ()
    elif isinstance(fields.get("on"), str) or fields.get("off"):
        on, off = (before or ((None, None),))[0] if before is None or len(before) == 1 else (None, None)
        on = minutes_of(fields["on"]) if isinstance(fields.get("on"), str) else on
        off = minutes_of(fields["off"]) if fields.get("off") else off
        if on is not None and off is not None:
            changes["periods"] = ((on, off),)
    return changes


def local_days(from_s: float, to_s: float, zone: ZoneInfo) -> list[tuple[date, float, float]]:
    """The local days that touch a span: (day, its first second, its last), right across clock changes.

    >>> z = ZoneInfo("Europe/Tallinn")
    >>> spring = datetime(2026, 3, 29, 12, tzinfo=z).timestamp()
    >>> [(t1 - t0) / 3600 for _, t0, t1 in local_days(spring, spring + 1, z)]
    [23.0]
    """
    day = datetime.fromtimestamp(from_s, zone).date()
    last = datetime.fromtimestamp(to_s, zone).date()
    out = []
    while day <= last:
        start = datetime(day.year, day.month, day.day, tzinfo=zone).timestamp()
        following = day + timedelta(days=1)
        end = datetime(following.year, following.month, following.day, tzinfo=zone).timestamp()
        out.append((day, start, end))
        day = following
    return out


def lit_at(states: Sequence[LampState], zone: ZoneInfo, at_s: float) -> bool:
    """Whether a lamp's timer has it lit at a moment; one whose timer is not known may be.

    >>> day = LampState("l", 0.0, float("inf"), periods=((360, 1200),))
    >>> [lit_at([day], ZoneInfo("UTC"), hour * 3600.0) for hour in (5, 7)]
    [False, True]
    """
    state = next((s for s in reversed(states) if s.from_s <= at_s), None)
    if state is None or state.periods is None:
        return True
    local = datetime.fromtimestamp(at_s, zone)
    minute = local.hour * 60 + local.minute
    return any(on <= minute < off if on < off else minute >= on or minute < off for on, off in state.periods)


def lit_spans(
    states: Sequence[LampState], zone: ZoneInfo, from_s: float, to_s: float, switch_s: FloatArray | None = None,
    switched: FloatArray | None = None,
) -> list[tuple[float, float]]:  # fmt: skip
    """When a lamp was lit between two moments, as (from, to) in seconds UTC.

    Timer periods are local clock times, so a clock change moves them; switch readings (`switch_s`, `switched` 0 or 1) are
    stronger than the timer for a day after each. Source: growers_rule.
    """
    spans: list[tuple[float, float]] = []
    for state in states:
        first, last = max(from_s, state.from_s), min(to_s, state.to_s)
        if not state.periods or first >= last:
            continue
        for day, _, _ in local_days(first - DAY_S, last, zone):
            for on, off in state.periods:
                start = _clock(day, on, zone)
                end = _clock(day if off > on else day + timedelta(days=1), off, zone)
                start, end = max(start, first), min(end, last)
                if end > start:
                    spans.append((start, end))
    if switch_s is not None and switched is not None and len(switch_s):
        ends = np.minimum(np.append(switch_s[1:], np.inf), switch_s + SWITCH_STANDS_S)
        for start, end in zip(switch_s.tolist(), ends.tolist(), strict=True):
            spans = _without(spans, start, end)
        spans += [
            (max(a, from_s), min(b, to_s))
            for a, b, on in zip(switch_s.tolist(), ends.tolist(), switched.tolist(), strict=True)
            if on and min(b, to_s) > max(a, from_s)
        ]
    return joined_spans(spans)


def _clock(day: date, minutes: int, zone: ZoneInfo) -> float:
    extra, minutes = divmod(minutes, 1440)
    day += timedelta(days=extra)
    return datetime(day.year, day.month, day.day, minutes // 60, minutes % 60, tzinfo=zone).timestamp()


def _without(spans: list[tuple[float, float]], a: float, b: float) -> list[tuple[float, float]]:
    out = []
    for start, end in spans:
        out += [(s, e) for s, e in ((start, min(end, a)), (max(start, b), end)) if e > s]
    return out


def joined_spans(spans: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Spans in order, those that touch made one, empty ones left out.

    >>> joined_spans([(3, 4), (0, 2), (1, 3), (9, 9)])
    [(0, 4)]
    """
    out: list[tuple[float, float]] = []
    for start, end in sorted(spans):
        if end <= start:
            continue
        if out and start <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], end))
        else:
            out.append((start, end))
    return out


@lru_cache(maxsize=4096)
def sun_span(day: date, latitude: float, longitude: float) -> tuple[float, float] | None:
    """Sunrise and sunset about the noon that a day has at its longitude, in seconds UTC; None where the sun does not rise or set
    that day. Source: astronomy.

    >>> a, b = sun_span(date(2026, 6, 21), 52.0, 4.5)
    >>> round((b - a) / 3600, 1)
    16.7
    >>> datetime.fromtimestamp(sun_span(date(2026, 10, 9), -41.0, 174.0)[0], UTC).isoformat(timespec="hours")
    '2026-10-08T17+00:00'
    """
    place = Observer(latitude, longitude)
    noon = datetime(day.year, day.month, day.day, 12, tzinfo=UTC) - timedelta(hours=longitude / 15.0)
    try:
        # The library tells the rise and the set that fall on a day of UTC, which far from Greenwich belong to two noons.
        rises = [sunrise(place, noon.date() - timedelta(days=d)) for d in (0, 1)]
        sets = [sunset(place, noon.date() + timedelta(days=d)) for d in (0, 1)]
    except ValueError:
        return None
    return max(t for t in rises if t <= noon).timestamp(), min(t for t in sets if t >= noon).timestamp()


def sun_all_day(day: date, latitude: float, longitude: float) -> bool:
    """Whether the sun is up all through a day on which it neither rises nor sets. Source: astronomy.

    >>> sun_all_day(date(2026, 6, 21), 70.0, 23.0), sun_all_day(date(2026, 12, 21), 70.0, 23.0)
    (True, False)
    """
    # Midnight by the sun is twelve hours from the noon of the longitude.
    midnight = datetime(day.year, day.month, day.day, tzinfo=UTC) - timedelta(hours=longitude / 15.0)
    return sun_span(day, latitude, longitude) is None and elevation(Observer(latitude, longitude), midnight) > -0.833


def day_length_h(day: date, latitude: float, longitude: float) -> float | None:
    """Hours from sunrise to sunset; None beyond the polar circles on days without one or the other."""
    span = sun_span(day, latitude, longitude)
    return (span[1] - span[0]) / HOUR_S if span else None


def constant_dli_mol(ppfd_umol: float, hours: float) -> float:
    """Daily light integral, mol m⁻² d⁻¹, of constant light. Source: arithmetic.

    >>> constant_dli_mol(200.0, 14.0)
    10.08
    """
    return round(0.0036 * ppfd_umol * hours, 10)


def mean_ppfd_umol(mol: float, hours: float) -> float | None:
    """Mean brightness while lit, µmol m⁻² s⁻¹, of a daily light in mol over so many hours; None in the dark. Source: arithmetic.

    >>> mean_ppfd_umol(10.08, 14.0)
    200.0
    """
    return round(mol / constant_dli_mol(1.0, hours), 6) if mol > 0 and hours > 0 else None


#: Lumens that a watt gives by kind of lamp, where its lumens are not told. Source: starting_estimate.
LUMENS_A_WATT = {
    "white_led": 95.0, "fluorescent_cool": 75.0, "fluorescent_warm": 70.0, "hot_tube": 85.0, "hps": 105.0, "metal_halide": 85.0,
    "incandescent": 13.0,
}  # fmt: skip
#: Where nothing tells how bright a lamp is, it hangs so far over the leaves to begin with, mm. Source: growers_rule.
START_MM = {
    "white_led": 150.0, "fluorescent_cool": 60.0, "fluorescent_warm": 60.0, "hot_tube": 150.0, "hps": 600.0,
    "metal_halide": 600.0, "red_blue_led": 300.0, "incandescent": 400.0,
}  # fmt: skip
USUAL_START_MM = 150.0


def lumens_of(lamp: Lamp) -> float | None:
    """A lamp's lumens as told, else by its watts and kind; None where neither tells. Source: starting_estimate.

    >>> lumens_of(Lamp(id="l", kind="white_led", watts=20.0))
    1900.0
    """
    if lamp.lumens:
        return lamp.lumens
    a_watt = LUMENS_A_WATT.get(lamp.kind or "")
    return lamp.watts * a_watt if lamp.watts and a_watt else None


def start_mm(lamp: Lamp) -> float:
    """How far over the leaves a lamp begins that nobody measured, and no nearer than it may. Source: growers_rule."""
    return max(START_MM.get(lamp.kind or "", USUAL_START_MM), least_mm(lamp))


def from_lumens_umol(lamp: Lamp, place: Place | None) -> float | None:
    """A rough mean over the lit area from the lamp's lumens, or by its watts, ± 40 %; None where these or the area are not known.

    Source: starting_estimate (six tenths of the lumens arrive), thimijan_heins_1983 (lux per µmol).

    >>> lamp = Lamp(id="l", kind="white_led", lumens=3600.0)
    >>> round(from_lumens_umol(lamp, Place(id="p", width_mm=1200.0, depth_mm=450.0)))
    60
    """
    factor, lumens = lux_factor(lamp), lumens_of(lamp)
    if not lumens or not factor or place is None or not place.width_mm or not place.depth_mm:
        return None
    return lumens / factor * USE_SHARE * (SHIELDED if lamp.shield else 1.0) / (place.width_mm * place.depth_mm * MICRO)


#: Where a figure of brightness comes from, the best first.
BASES = ("logged", "measured", "moved", "lumens", "none")


@dataclass(frozen=True)
class Brightness:
    """PPFD standing from a moment on (µmol m⁻² s⁻¹) while the lamp is lit, and what it rests on (one of BASES)."""

    from_s: float
    ppfd_umol: float
    basis: str
    distance_mm: float | None = None


@dataclass(frozen=True)
class DayOfLight:
    """One local day at a tray: hours lit and their spans, daily light in mol m⁻² d⁻¹, and for how many lit hours it is known.

    `mol` is None when no lit hour has a brightness. `so_far` marks the day that is not over.
    """

    day: date
    from_s: float
    to_s: float
    lit_h: float
    lit: tuple[tuple[float, float], ...]
    mol: float | None
    known_h: float
    basis: str
    so_far: bool = False
    hours_from: str = "timer"
    #: A lamp hung there whose hours nobody logged.
    unlogged: bool = False


@dataclass
class TrayLight:
    """What is known of the light at one tray: lit spans from its lamps or the sun, and brightness over time.

    `logged_s`/`logged_umol` are a logger's own series, which needs neither.
    """

    lit: list[tuple[float, float]]
    brightness: list[Brightness] = field(default_factory=list)
    logged_s: FloatArray = field(default_factory=lambda: np.zeros(0))
    logged_umol: FloatArray = field(default_factory=lambda: np.zeros(0))
    window_s: FloatArray = field(default_factory=lambda: np.zeros(0))
    window_umol: FloatArray = field(default_factory=lambda: np.zeros(0))
    hours_from: str = "timer"
    #: When a lamp hung there whose hours nobody logged: neither light nor darkness.
    unlogged: list[tuple[float, float]] = field(default_factory=list)


def days_of_light(light: TrayLight, zone: ZoneInfo, from_s: float, to_s: float) -> list[DayOfLight]:
    """Daily light and lit hours of each local day between two moments; days of a lamp whose hours nobody logged are left out.

    Light is the sum of brightness times time: a reading by hand stands while the lamp is lit until the next reading or a
    move of the lamp; window readings add their own for three hours each; a logger's series is taken as it is. What has no
    brightness is not counted, and `known_h` says so. Source: arithmetic (DLI), growers_rule (how long a reading stands).
    """
    return [d for d in spans_of_light(light, local_days(from_s, to_s, zone), from_s, to_s) if not d.unlogged]


def spans_of_light(light: TrayLight, days: Sequence[tuple[date, float, float]], from_s: float, to_s: float) -> list[DayOfLight]:
    """The same for any spans (day, first second, last), for instance days counted from a moment. Source: arithmetic."""
    edges = [from_s, to_s, *(t for _, a, b in days for t in (a, b)), *(t for span in light.lit for t in span)]
    edges += [b.from_s for b in light.brightness]
    for at_s, stands_s in ((light.logged_s, LOGGED_S), (light.window_s, WINDOW_STANDS_S)):
        edges += [*at_s.tolist(), *(at_s + stands_s).tolist()]
    marks = np.unique(np.clip(np.array(edges, dtype=float), from_s, to_s))
    if len(marks) < 2:
        return []
    middle, dt = (marks[:-1] + marks[1:]) / 2, np.diff(marks)
    lit = _inside(middle, light.lit)
    brightness = _stepped(
        middle, np.array([b.from_s for b in light.brightness]), np.array([b.ppfd_umol for b in light.brightness])
    )
    logged = _stepped(middle, light.logged_s, light.logged_umol, LOGGED_S)
    window = np.nan_to_num(_stepped(middle, light.window_s, light.window_umol, WINDOW_STANDS_S))
    has_log = ~np.isnan(logged)
    ppfd = np.where(has_log, np.nan_to_num(logged), np.where(lit, np.nan_to_num(brightness), 0.0) + window)
    known = has_log | (lit & ~np.isnan(brightness)) | (window > 0)
    rank = np.array([BASES.index(b.basis) for b in light.brightness] or [len(BASES) - 1])
    used = np.searchsorted(np.array([b.from_s for b in light.brightness]), middle, side="right") - 1
    basis = np.where(has_log, 0, np.where(lit & (used >= 0), rank[np.clip(used, 0, len(rank) - 1)], np.where(window > 0, 1, 0)))
    bright = known & (lit | has_log | (window > 0))
    lit_s, known_s, umol = dt * lit, dt * (known & lit), np.where(bright, ppfd * dt, 0.0)
    out = []
    for day, start, end in days:
        here = slice(*np.searchsorted(middle, (start, end)))
        lit_h, is_bright = float(lit_s[here].sum()) / HOUR_S, bright[here]
        # A lamp whose hours nobody logged is not dark: of such a day nothing is known, but what a logger wrote.
        unlogged = lit_h == 0 and not has_log[here].any() and any(min(b, end) - max(a, start) > HOUR_S for a, b in light.unlogged)
        mol = float(umol[here].sum()) * MICRO if is_bright.any() else (0.0 if len(is_bright) and lit_h == 0 else None)
        mol = None if unlogged else mol
        worst = BASES[int(basis[here][is_bright].max())] if is_bright.any() else "none"
        # The spans are joined, so that their ends rise as their starts do.
        there = light.lit[bisect_right(light.lit, start, key=itemgetter(1)) : bisect_left(light.lit, end, key=itemgetter(0))]
        spans = tuple((max(a, start), min(b, end)) for a, b in there)
        known_h = float(known_s[here].sum()) / HOUR_S
        out.append(DayOfLight(day, start, end, lit_h, spans, mol, known_h, worst, end > to_s, light.hours_from, unlogged))
    return out


def _inside(at_s: FloatArray, spans: Sequence[tuple[float, float]]) -> np.ndarray:
    if not spans:
        return np.zeros(len(at_s), dtype=bool)
    starts, ends = np.array(spans).T
    i = np.searchsorted(starts, at_s, side="right") - 1
    return np.asarray((i >= 0) & (at_s < ends[np.maximum(i, 0)]))


def _stepped(at_s: FloatArray, marks_s: FloatArray, value: FloatArray, stands_s: float = np.inf) -> FloatArray:
    """The last value before each moment, NaN before the first and where it no longer stands."""
    if len(marks_s) == 0:
        return np.full(len(at_s), np.nan)
    i = np.searchsorted(marks_s, at_s, side="right") - 1
    out = np.where(i >= 0, value[np.maximum(i, 0)], np.nan)
    return np.where((i >= 0) & (at_s - marks_s[np.maximum(i, 0)] < stands_s), out, np.nan)
