"""What a batch was exposed to: its own readings, else its tray's, else the place's where the tray stood, else the room's;
brought onto one even grid, gaps filled and carried forward."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from operator import itemgetter

import numpy as np
from numpy.typing import NDArray

from fennet.core.drying import anchored, drained_pct, dry_down
from fennet.core.heat_mat import soil_from_air
from fennet.core.history import Stay, life_stays, place_stays, tray_stays
from fennet.core.kept import of_batch, shared
from fennet.core.records import Batch, Event, FloatArray, Journal, Series

DAY_S, HOUR_S = 86_400.0, 3_600.0
STEP_S = 1_800.0
STEPS_A_DAY = int(DAY_S / STEP_S)
#: So far back a batch is worked out and told at most: pages and charts show no more.
LONGEST_GRID_S = 3 * 366 * DAY_S
#: Events that bear on how warm a batch's soil was, and on how wet.
WARMS = frozenset(("placed", "potted_up", "moved", "mat", "cover"))
WETS = WARMS | {"watered"}
WARMTH = frozenset(("soil_temperature", "air_temperature"))
#: Gaps: joined by a line up to here; filled with the daily pattern up to the next; beyond it nothing is claimed.
#: Source: growers_rule.
JOIN_S, CLAIM_S = 12 * HOUR_S, 3 * DAY_S
PATTERN_NEEDS_S, RECENT_S = 2 * DAY_S, 3 * DAY_S
#: A jump that a probe in the mix cannot show, °C within seconds; and the longest it is believed to have lain out, s. Source:
#: starting_estimate.
JUMP_C, JUMP_WITHIN_S, OPEN_AT_MOST_S = 3.5, 40 * 60.0, 5 * DAY_S
#: The same of a logger that writes by the hour; and the longest a probe is believed to have begun on the bench, s.
HOURLY_JUMP_C, HOURLY_WITHIN_S, BENCH_AT_MOST_S, HOURLY_MOST = 4.5, 70 * 60.0, 1.5 * DAY_S, 2
#: Of thermometers in one place that read so far apart, °C, one that keeps by the day so near to the air is in the air. Source:
#: starting_estimate.
APART_C, WITH_AIR_C = 1.5, 0.7
#: A guess at the room ("about 18 °C") speaks for this long, not for a moment only. Source: starting_estimate.
GUESS_HOLDS_S = 60 * DAY_S
#: Standard deviations in °C: a thermometer's offset, a filled gap, a guess, soil judged from air. Source: starting_estimate.
SD_METER_C, SD_FILLED_C, SD_GUESS_C, SD_AIR_C = 0.4, 1.5, 2.0, 2.0
#: How the daily mean wanders after the last reading: sd after d days, °C, and no more than the last. Source: starting_estimate.
SD_AHEAD_PER_ROOT_DAY_C, SD_AHEAD_MOST_C = 0.35, 1.5
#: The usual wander weighs as many days of the record's own, of which the last so many are used. Source: starting_estimate.
WANDER_WEIGHT, WANDER_DAYS = 2.0, 11


def readings_for(journal: Journal, batch: Batch, events: Sequence[Event], quantity: str, at_s: float) -> tuple[str, list[Series]]:
    """The series of one quantity that speak for a batch up to a moment, and at which level: batch, tray, place, room or none. In
    each tray it stood the nearest level that was read there; the level told is the last one."""
    start = batch.sown_at.timestamp() - JOIN_S
    of_quantity = [s for s in journal.series if s.quantity == quantity]
    room_of = {p.id: p.room for p in journal.places if p.room}

    def during(stays: Sequence[Stay], slack_s: float) -> list[Series]:
        found = []
        for stay in stays:
            first = max(start, stay.from_s - (slack_s if stay is stays[0] else 0.0))
            for series in of_quantity:
                if series.place == stay.where:
                    keep = (series.at_s >= first) & (series.at_s <= min(at_s, stay.to_s)) & ~np.isnan(series.value)
                    if keep.any():
                        found.append(series.only(keep))
        return found

    told, out = "none", []
    own = during([Stay(batch.id, start, float("inf"))], 0.0)
    for i, tray in enumerate(life_stays(journal, batch, events)):
        stood = [Stay(p.where, max(p.from_s, tray.from_s), min(p.to_s, tray.to_s)) for p in place_stays(tray.where, events)]
        places = [s for s in stood if s.to_s > s.from_s]
        rooms = [Stay(str(room_of[p.where]), p.from_s, p.to_s) for p in places if p.where in room_of]
        nearer = [*own]
        for level, stays in (("tray", [tray]), ("place", places), ("room", rooms)):
            found = _beyond(during(stays, JOIN_S if i == 0 else 0.0), nearer)
            if not found:
                continue
            out += found
            nearer += found
            told = level if told == "none" or len(nearer) == len(found) else told
    every = [*own, *out]
    if quantity == "soil_temperature" and len(every) > 1:
        # What one of several thermometers read in the air speaks for no soil, whoever asks.
        airy = with_air(every, readings_for(journal, batch, events, "air_temperature", at_s)[1])
        every = [s for s in (s.only(~of_air) for s, of_air in zip(every, airy, strict=True)) if len(s.at_s)]
    return ("batch" if own else told), every


def with_air(soil: Sequence[Series], air: Sequence[Series]) -> list[NDArray[np.bool_]]:
    """Which readings of several thermometers in one place are of the air: those of days on which one stood as the air did while
    another stood well off it. One alone tells nothing: soil without heat stands as the room does. Source: starting_estimate.

    >>> at, quiet = np.arange(48) * 3600.0, np.zeros(48, bool)
    >>> air, wrong, right = (Series("A", "", k, at, np.full(48, c), quiet) for k, c in (("a", 17.0), ("b", 17.3), ("c", 23.0)))
    >>> [bool(m.all()) for m in with_air([wrong, right], [air])], [bool(m.any()) for m in with_air([wrong], [air])]
    ([True, False], [False])
    """
    masks = [np.zeros(len(s.at_s), dtype=bool) for s in soil]
    if len(soil) < 2 or not any(len(a.at_s) for a in air):
        return masks
    off_by_day: list[dict[int, float]] = []
    for s in soil:
        total, n = np.zeros(len(s.at_s)), np.zeros(len(s.at_s))
        for a in air:
            if len(a.at_s):
                values, near = _on_grid(a, s.at_s)
                total, n = total + np.where(near, values, 0.0), n + near
        known = n > 0
        days, which = np.unique((s.at_s[known] // DAY_S).astype(int), return_inverse=True)
        off_c = (s.value - total / np.maximum(n, 1))[known]
        mean_c = np.bincount(which, off_c) / np.maximum(np.bincount(which), 1) if len(off_c) else off_c
        off_by_day.append(dict(zip(days.tolist(), mean_c.tolist(), strict=True)))
    for i, s in enumerate(soil):
        others = [off for j, off in enumerate(off_by_day) if j != i]
        airy = [
            d for d, c in off_by_day[i].items()
            if abs(c) <= WITH_AIR_C and any(abs(o.get(d, 0.0)) >= WITH_AIR_C + APART_C for o in others)
        ]  # fmt: skip
        masks[i] = np.isin((s.at_s // DAY_S).astype(int), airy)
    return masks


def soil_series(journal: Journal, tray: str, events: Sequence[Event], at_s: float) -> list[Series]:
    """What the thermometers in a tray's mix read until a moment (seconds UTC), without what one of them read in the air."""
    kept = [s.only(~airy) for s, airy in _told_apart(journal, tray, events, at_s)]
    return [s for s in kept if len(s.at_s)]


def one_in_air(journal: Journal, tray: str, events: Sequence[Event], from_s: float, at_s: float) -> bool:
    """Whether one of several thermometers of a tray stood in the air between two moments (seconds UTC)."""
    return any((airy & (s.at_s > from_s)).any() for s, airy in _told_apart(journal, tray, events, at_s))


def _told_apart(
    journal: Journal, tray: str, events: Sequence[Event], at_s: float
) -> list[tuple[Series, NDArray[np.bool_]]]:  # fmt: skip
    """A tray's thermometers until a moment, and which of their readings are of the air."""
    soil = [s for whole in journal.series if whole.quantity == "soil_temperature" and whole.place == tray
            and len((s := whole.until(at_s)).at_s)]  # fmt: skip
    place = next((s.where for s in reversed(place_stays(tray, events)) if s.from_s <= at_s), None)
    around = {tray, place, next((p.room for p in journal.places if p.id == place), None)} - {None}
    air = [s.until(at_s) for s in journal.series if s.quantity == "air_temperature" and s.place in around]
    return list(zip(soil, with_air(soil, air), strict=True))


def _beyond(found: list[Series], nearer: Sequence[Series]) -> list[Series]:
    """Of readings taken farther off those that no nearer one speaks for: a lone nearer reading hides its own hours, not a
    logger."""
    if not nearer or not found:
        return found
    at = np.sort(np.concatenate([s.at_s for s in nearer]))

    def alone(series: Series) -> Series:
        i = np.searchsorted(at, series.at_s)
        before = np.where(i > 0, series.at_s - at[np.maximum(i - 1, 0)], np.inf)
        after = np.where(i < len(at), at[np.minimum(i, len(at) - 1)] - series.at_s, np.inf)
        return series.only((before > JOIN_S) & (after > JOIN_S))

    return [s for s in map(alone, found) if len(s.at_s)]


def jumps_of(series: Series) -> NDArray[np.intp]:
    """The readings of a logger after which it jumps as no mix can. Source: starting_estimate.

    >>> jumps_of(Series("A", "soil_temperature", "p", np.arange(4) * 1800.0, np.array([25.0, 25, 17, 17]), np.zeros(4, bool)))
    array([1])
    """
    if len(series.at_s) < 3:
        return np.zeros(0, dtype=np.intp)
    step_s, step_c = np.diff(series.at_s), np.diff(series.value)
    quick = (step_s <= JUMP_WITHIN_S) & (np.abs(step_c) >= JUMP_C)
    hourly = (step_s <= HOURLY_WITHIN_S) & (np.abs(step_c) >= HOURLY_JUMP_C)
    if int(hourly.sum()) > HOURLY_MOST:
        # What jumps day after day is a mat on a timer, no probe that is pulled out every morning.
        hourly[:] = False
    return np.flatnonzero((quick | hourly) & ~series.estimated[1:])


def lain_open(series: Series) -> NDArray[np.bool_]:
    """Which readings of a logger were taken out of the mix: between a jump that no mix can make and the jump back.

    Mix warms and cools over hours; a step of 3.5 °C within forty minutes is the probe being pulled out, one the other way within
    five days its being put back; a logger by the hour must show 4.5 °C. A first jump without a second is a probe that began on
    the bench. By hand, hours apart, nothing can be told. Source: starting_estimate.

    >>> at = np.arange(8) * 1800.0
    >>> s = Series("A", "soil_temperature", "p", at, np.array([25.0, 25, 17, 17, 17, 25, 25, 25]), np.zeros(8, bool))
    >>> lain_open(s).tolist()
    [False, False, True, True, True, False, False, False]
    """
    out = np.zeros(len(series.at_s), dtype=bool)
    jumps, step_c = jumps_of(series), np.diff(series.value)
    i = 0
    if len(jumps) % 2 and series.at_s[jumps[0]] - series.at_s[0] <= BENCH_AT_MOST_S:
        # It began on the bench: the first jump is its being put in.
        out[: int(jumps[0]) + 1] = True
        i = 1
    while i + 1 < len(jumps):
        first, back = int(jumps[i]), int(jumps[i + 1])
        if step_c[first] * step_c[back] < 0 and series.at_s[back] - series.at_s[first] <= OPEN_AT_MOST_S:
            out[first + 1 : back + 1] = True
            i += 2
        else:
            i += 1
    return out


@dataclass(frozen=True)
class SoilRecord:
    """Soil temperature for one batch on an even grid from sowing to `at`.

    `soil_c` °C each half hour; `sd_c` what a constant error may be, same length; `pattern_c` the day carried forward, 48
    half hours starting at the grid's last step; `basis` soil, air or guess; `gap_reason` why nothing can be claimed, or "".
    """

    grid_s: FloatArray
    soil_c: FloatArray
    sd_c: FloatArray
    pattern_c: FloatArray
    basis: str
    level: str
    last_s: float
    n_readings: int
    gap_reason: str = ""
    gap_from_s: float = 0.0
    gap_to_s: float = 0.0
    open_d: float = 0.0

    @property
    def mean_c(self) -> float:
        return float(np.mean(self.soil_c))

    @cached_property
    def wander_c(self) -> float:
        """How the daily mean wanders from day to day, °C per root day: what is usual, weighed against this record's own days.
        Soil that a thermostat holds hardly wanders, an unheated sill does. Source: starting_estimate for what is usual."""
        n_days = len(self.soil_c) // STEPS_A_DAY
        usual = SD_AHEAD_PER_ROOT_DAY_C**2
        if n_days < 2 or not self.n_readings:
            return SD_AHEAD_PER_ROOT_DAY_C
        means = self.soil_c[-n_days * STEPS_A_DAY :].reshape(n_days, STEPS_A_DAY).mean(axis=1)
        steps = np.diff(means[-WANDER_DAYS:])
        return float(np.sqrt((WANDER_WEIGHT * usual + float((steps**2).sum())) / (WANDER_WEIGHT + len(steps))))

    @property
    def recent_c(self) -> float:
        """Mean of the day that is carried forward."""
        return float(np.mean(self.pattern_c))


def grid_from(start_s: float, at_s: float) -> FloatArray:
    """Half-hour steps from a start to the last one not after `at_s`, both in seconds; at least two, and of the last three years
    at most: a start further back is a slip of the year, or a plant whose youth bears on nothing any more."""
    start_s += max(0.0, (at_s - LONGEST_GRID_S - start_s) // STEP_S * STEP_S)
    return np.asarray(start_s + STEP_S * np.arange(max(2, int((at_s - start_s) // STEP_S) + 1)), dtype=float)


def _on_grid(series: Series, grid_s: FloatArray) -> tuple[FloatArray, NDArray[np.bool_]]:
    """A series on the grid, and where it is near enough to its readings to be trusted."""
    values = np.interp(grid_s, series.at_s, series.value)
    i = np.searchsorted(series.at_s, grid_s)
    before = series.at_s[np.maximum(i - 1, 0)]
    after = series.at_s[np.minimum(i, len(series.at_s) - 1)]
    inside = (after - before <= JOIN_S) & (i > 0) & (i < len(series.at_s))
    near = np.minimum(np.abs(grid_s - before), np.abs(after - grid_s)) <= STEP_S
    at_start = (i == 0) & (after - grid_s <= JOIN_S)
    return values, inside | near | at_start


def _guesses_as_points(series: Series, until_s: float) -> Series:
    """A guess stands until the next one or for two months; the first reaches back as far."""
    times, values = [], []
    ends = np.append(series.at_s[1:], until_s)
    for i, (t, v, end) in enumerate(zip(series.at_s, series.value, ends, strict=True)):
        first = t - GUESS_HOLDS_S if i == 0 else t
        steps = np.arange(first, min(end, t + GUESS_HOLDS_S), 6 * HOUR_S)
        times.extend([*steps, t])
        values.extend([v] * (len(steps) + 1))
    order = np.argsort(times, kind="stable")
    points = np.array(times)[order]
    return Series(series.place, series.quantity, series.source, points, np.array(values)[order], np.ones(len(points), dtype=bool))


def _day_pattern(grid_s: FloatArray, values: FloatArray, known: NDArray[np.bool_]) -> FloatArray:
    """Mean value in each half hour of the day (UTC), or the mean throughout when under two days are known."""
    mean = float(np.mean(values[known]))
    if known.sum() * STEP_S < PATTERN_NEEDS_S:
        return np.full(STEPS_A_DAY, mean)
    slot = _slots(grid_s[known])
    total = np.bincount(slot, values[known], STEPS_A_DAY)
    n = np.bincount(slot, minlength=STEPS_A_DAY)
    return np.where(n > 0, total / np.maximum(n, 1), mean)


def _slots(grid_s: FloatArray) -> NDArray[np.intp]:
    return ((grid_s % DAY_S) // STEP_S).astype(np.intp) % STEPS_A_DAY


def soil_record(journal: Journal, batch: Batch, events: Sequence[Event], at_s: float) -> SoilRecord:
    """The soil temperature a batch lived through, from the best readings there are; never anything later than `at_s`.

    Soil outranks air, measured outranks guessed, nearer outranks farther. `gap_reason` says in words why a forecast may not be
    claimed: no readings, or none for more than three days. Source: growers_rule (gap rules), starting_estimate (errors).
    """
    told, read = of_batch(journal, batch, events, WARMS, WARMTH)
    return shared("soil", journal, told, read, lambda part: _soil_record(part, batch, at_s), batch.id, at_s)


def _soil_record(journal: Journal, batch: Batch, at_s: float) -> SoilRecord:
    events = journal.events
    start_s = batch.sown_at.timestamp()
    grid_s = grid_from(start_s, at_s)
    n = len(grid_s)
    level, found = readings_for(journal, batch, events, "soil_temperature", at_s)
    basis = "soil"
    air_level, air = readings_for(journal, batch, events, "air_temperature", at_s)
    if not found:
        level, found, basis = air_level, air, "air"
    if not found:
        nothing = np.full(n, np.nan)
        return SoilRecord(
            grid_s, nothing, nothing, np.full(STEPS_A_DAY, np.nan), "none", "none", 0.0, 0, "no_readings", start_s, at_s
        )

    open_d = 0.0
    if basis == "soil":
        # Readings of a probe that lay in the open are of the room: left out, and filled like any gap.
        out_of_mix = [lain_open(x) for x in found]
        open_d = max(float(np.diff(x.at_s, prepend=x.at_s[0])[o].sum()) / DAY_S for x, o in zip(found, out_of_mix, strict=True))
        kept = [x.only(~o) for x, o in zip(found, out_of_mix, strict=True)]
        found = [x for x in kept if len(x.at_s)] or found
    total, weight, moments = np.zeros(n), np.zeros(n), []
    measured = [s for s in (s.only(~s.estimated) for s in found) if len(s.at_s)]
    guessed = [_guesses_as_points(s, at_s) for s in (s.only(s.estimated) for s in found) if len(s.at_s)]
    sd_c = np.full(n, SD_FILLED_C)
    for series in measured:
        values, trusted = _on_grid(series, grid_s)
        total += np.where(trusted, values, 0.0)
        weight += trusted
        moments.append(series.at_s)
    known_well = weight > 0
    sd_c[known_well] = SD_METER_C
    if basis == "soil" and air:
        # Hours in which nobody read the soil take the air with what the mat made of it then.
        judged_c, judged = _judged_from_air(journal, batch, events, air, grid_s)
        by_air = judged & ~known_well
        total += np.where(by_air, judged_c, 0.0)
        weight += by_air
        sd_c[by_air] = SD_AIR_C
        moments += [s.at_s for s in air]
        if by_air.sum() > known_well.sum():
            basis = "air"
        known_well = weight > 0
    for series in guessed:
        values, trusted = _on_grid(series, grid_s)
        use = trusted & ~known_well
        total += np.where(use, values, 0.0)
        weight += use
        sd_c[use] = SD_GUESS_C
        moments.append(series.at_s)
    known = weight > 0
    times = np.unique(np.concatenate(moments))
    times = times[times <= at_s]
    gap_from, gap_to = _widest_gap(times, start_s, at_s)
    if not known.any():
        # Every reading lies before sowing: its level is all there is to go by.
        total, weight, known = np.full(n, float(found[-1].value[-1])), np.ones(n), np.ones(n, dtype=bool)
    soil_c = np.where(known, total / np.maximum(weight, 1), 0.0)
    # A gap takes the place's daily pattern, shifted so that it meets the readings on either side.
    pattern = _day_pattern(grid_s, soil_c, known)[_slots(grid_s)]
    shift = np.interp(grid_s, grid_s[known], (soil_c - pattern)[known])
    soil_c = np.where(known, soil_c, pattern + shift)
    if basis == "air" and found is air:
        soil_c = _over_mats(journal, batch, events, soil_c, grid_s)
        sd_c = np.maximum(sd_c, SD_AIR_C)
    last_s = float(times[-1]) if len(times) else start_s
    recent = (grid_s >= last_s - RECENT_S) & (grid_s <= last_s) & known
    if not recent.any():
        recent = known
    by_slot = _day_pattern(grid_s, soil_c, recent)
    after_last = (grid_s > last_s) & ~known
    soil_c = np.where(after_last, by_slot[_slots(grid_s)], soil_c)
    pattern_c = np.roll(by_slot, -int(_slots(grid_s[-1:])[0]) - 1)
    gap_reason = "gap" if gap_to - gap_from > CLAIM_S else ""
    if basis == "soil" and not measured:
        basis = "guess"
    n_readings = sum(len(s.at_s) for s in found)
    return SoilRecord(grid_s, soil_c, sd_c, pattern_c, basis, level, last_s, n_readings, gap_reason, gap_from, gap_to, open_d)


def _judged_from_air(
    journal: Journal, batch: Batch, events: Sequence[Event], air: Sequence[Series], grid_s: FloatArray
) -> tuple[FloatArray, NDArray[np.bool_]]:
    """Soil as its air and its mats make it on a grid, and where the air was read near enough to say so."""
    total, weight = np.zeros(len(grid_s)), np.zeros(len(grid_s))
    for series in air:
        values, trusted = _on_grid(series, grid_s)
        total += np.where(trusted, values, 0.0)
        weight += trusted
    judged = weight > 0
    return _over_mats(journal, batch, events, total / np.maximum(weight, 1), grid_s), judged


def _over_mats(journal: Journal, batch: Batch, events: Sequence[Event], air_c: FloatArray, grid_s: FloatArray) -> FloatArray:
    """Soil over the mats of each tray a batch stood in, while it stood there."""
    out, zone = air_c.copy(), journal.garden.zone
    for i, stay in enumerate(life_stays(journal, batch, events)):
        there = (grid_s >= (stay.from_s if i else 0.0)) & (grid_s < stay.to_s)
        if there.any():
            out[there] = soil_from_air(air_c[there], grid_s[there], stay.where, events, zone, journal.here)
    return out


def _between(a: tuple[float, float], b: tuple[float, float], t: float) -> float:
    """The value at a moment on a straight line between two marks."""
    return a[1] if b[0] <= a[0] else a[1] + (b[1] - a[1]) * (t - a[0]) / (b[0] - a[0])


def _widest_gap(times: FloatArray, start_s: float, at_s: float) -> tuple[float, float]:
    """The longest stretch without a reading between sowing and now, as (from, to)."""
    inside = times[(times > start_s) & (times < at_s)]
    # A reading shortly before sowing stands in for the first one.
    marks = np.concatenate([[start_s], inside, [at_s]])
    widest = int(np.argmax(np.diff(marks)))
    return float(marks[widest]), float(marks[widest + 1])


def moisture_record(
    journal: Journal, batch: Batch, events: Sequence[Event], grid_s: FloatArray, at_s: float, leafy_s: float | None = None
) -> tuple[FloatArray, str]:
    """Moisture in percent of capacity on the grid, NaN where nothing was logged within three days, and its level. `leafy_s` since
    when leaves drink, seconds UTC (None: they do not).

    Between readings a line; a watering from below or above lifts it to 95 % there and then, a mist by 10. After the last
    figure the mix dries on for three days as the tray has shown it does (drying.py). Source: starting_estimate.
    """
    told, read = of_batch(journal, batch, events, WETS, frozenset(("moisture",)))
    grid = (float(grid_s[0]), len(grid_s), float(grid_s[-1])) if len(grid_s) else ()
    return shared(
        "moisture", journal, told, read, lambda part: _moisture(part, batch, grid_s, at_s, leafy_s), batch.id, at_s, grid, leafy_s
    )


def _moisture(
    journal: Journal, batch: Batch, grid_s: FloatArray, at_s: float, leafy_s: float | None
) -> tuple[FloatArray, str]:  # fmt: skip
    events = journal.events
    level, found = readings_for(journal, batch, events, "moisture", at_s)
    if not found:
        return np.full(len(grid_s), np.nan), "none"
    trays = {stay.where for stay in life_stays(journal, batch, events)}
    watered_s = [e.at_s for e in events if e.kind == "watered" and e.fields["tray"] in trays]
    found = [anchored(journal, s, watered_s) for s in found]
    times = np.concatenate([s.at_s for s in found])
    order = np.argsort(times, kind="stable")
    times, values = times[order], np.concatenate([s.value for s in found])[order]
    values = drained_pct(times, values, watered_s)
    marks = [(float(t), float(v)) for t, v in zip(times, values, strict=True)]
    for e in events:
        if e.kind == "watered" and e.fields["tray"] in trays and marks[0][0] <= e.at_s <= at_s:
            t, i = e.at_s, bisect_right(marks, e.at_s, key=itemgetter(0))
            before = _between(marks[i - 1], marks[i], t) if i < len(marks) else marks[-1][1]
            wet = min(95.0, before + 10.0) if e.fields.get("how") == "mist" else max(before, 95.0)
            marks[i:i] = [(t, before), (t + 60.0, wet)]
    marks.sort(key=itemgetter(0))
    times, values = np.array(marks).T
    out = np.interp(grid_s, times, values)
    after = np.searchsorted(times, grid_s, side="right")
    since = grid_s - times[np.maximum(after - 1, 0)]
    to_next = times[np.minimum(after, len(times) - 1)] - grid_s
    unknown = ((after == 0) & (to_next > CLAIM_S)) | ((since > CLAIM_S) & ((to_next > CLAIM_S) | (after == len(times))))
    tray = max(tray_stays(batch, events), key=lambda s: s.from_s, default=Stay("", 0.0, 0.0)).where
    loss = dry_down(journal, tray, events, at_s, leafy_s).per_day if (after == len(times)).any() else 0.0
    # Before the first figure nothing is known: there the mix must not dry backwards without end.
    out = np.where(after == len(times), out * np.exp(-loss * np.maximum(since, 0.0) / DAY_S), out)
    return np.where(unknown, np.nan, out), level
