"""What one month showed of a garden's trays, mats and lamps, each against what the tables led one to expect.

A month that is over stands for good: it is looked at by itself, with nothing that was learned elsewhere, and with the readings of
that month alone. Only months in which something was inside teach: an empty tray dries as no sown one does.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from hashlib import sha256

import numpy as np

from fennet.core.drying import DRIES, UsualLoss, stretches
from fennet.core.heat_mat import IDLE_ASKS_C, IDLE_SHARE
from fennet.core.history import tray_stays
from fennet.core.learning.lessons import TELLS_NOTHING
from fennet.core.light import DAY_S, LampState, from_lumens_umol, hours_of, lamp_at, lamp_states
from fennet.core.lighting.curve import AIM_SD, METER_SD, UNKNOWN_SD, UNKNOWN_UMOL, fit_curve, light_points
from fennet.core.records import Batch, Journal, Lamp, Mat, Series
from fennet.core.room_here import NEVER_S, RoomHere
from fennet.core.stages import leafy_span, stage_spans
from fennet.core.tuning.mat_fit import (
    SD_LIFT_C,
    SD_OFFSET_C,
    USUAL_OFFSET_C,
    MatFit,
    MatRecord,
    fit_mat,
    mat_record,
    usual_lift_c,
)

#: Quantities that tell of trays, mats and lamps, and kinds of event that tell nothing of them.
READ = frozenset(("moisture", "soil_temperature", "air_temperature", "light", "height"))
BESIDE_ROOM = frozenset(("fed", "taste", "washed", "check", "sign", "thinned", "topped", "fan", "note", "set"))
#: From so long before it was sown, and for so long after, a batch is inside.
BEFORE, INSIDE_FOR = timedelta(days=4), timedelta(days=120)
#: The latest months that are looked at: of older ones no tray, mat or lamp is what it was.
MOST_MONTHS = 72
#: Hours on a mat in one month that tell anything of it. Source: growers_rule.
LEAST_MAT_HOURS = 24
#: What one month's fit of a mat may be off besides, °C: hours of one month err together. Source: starting_estimate.
MONTH_OFF_C = 0.5
#: A mat tells what it lifts where it ran flat out for so much of its hours, and how far soil stands over its set-point where it
#: did not for so much. Source: convention.
LIMIT_SHARE = 0.25
#: Hours a day that a lamp may have burned while nobody logged a timer. Source: starting_estimate.
UNTOLD_H = 14.0


@dataclass(frozen=True)
class RoomLesson:
    """What a month (its first moment and its end, seconds UTC) showed of one thing: `thing` a tray, a mat or a lamp, `tray` on a
    mat, or those a lamp was read in; how far off the table (`off`, log of a factor or °C) with its variance, by `n` stretches,
    hours or readings.

    Of a lamp: its `kind`; the thousands of hours it had burned by its timer (`burned_kh`), and those it may have burned besides;
    `lumens` whether it is told against its lumens, or against a lamp of which nothing is known; `alike_sd` what readings in the
    same trays are off alike in every month.
    """

    measure: str
    thing: str
    tray: str
    from_s: float
    to_s: float
    off: float
    var: float
    n: int
    kind: str = ""
    burned_kh: float = 0.0
    untold_kh: float = 0.0
    lumens: bool = True
    alike_sd: float = 0.0


def months_inside(batches: Iterable[Batch], until_s: float) -> tuple[float, ...]:
    """The first moments (seconds UTC) of the months of the calendar in which batches were inside, by a moment: the latest of
    them, in order. Whoever reads only part of a record reads these whole.

    >>> one = Batch(id="b", crop="leek", sown_at=datetime(2026, 2, 10, tzinfo=UTC), cells=4)
    >>> [datetime.fromtimestamp(t, UTC).month for t in months_inside([one], datetime(2026, 4, 5, tzinfo=UTC).timestamp())]
    [2, 3, 4]
    """
    until, months = datetime.fromtimestamp(until_s, UTC), set()
    for b in batches:
        at, end = b.sown_at.astimezone(UTC) - BEFORE, min(until, b.sown_at.astimezone(UTC) + INSIDE_FOR)
        while at < end:
            first = month_of(at.timestamp())
            months.add(first)
            at = datetime.fromtimestamp(next_month_s(first), UTC)
    return tuple(sorted(months)[-MOST_MONTHS:])


def month_of(at_s: float) -> float:
    """The first moment of a moment's month of the calendar, seconds UTC."""
    return datetime.fromtimestamp(at_s, UTC).replace(day=1, hour=0, minute=0, second=0, microsecond=0).timestamp()


def next_month_s(first_s: float) -> float:
    """The first moment of the month after one that begins so, seconds UTC."""
    return month_of(first_s + 32 * DAY_S)


@dataclass(frozen=True)
class Month:
    """A month that is over (its first moment and its end, seconds UTC), and a digest of all that its lessons read."""

    from_s: float
    to_s: float
    digest: str


def months_over(journal: Journal, at_s: float, set_up: Sequence[tuple[float, bytes]]) -> list[Month]:
    """The months in which something was inside and that are over at a moment. `journal` holds effective events in order of time;
    `set_up` its set-up as `set_up_of` gives it. What was written since a month was over changes no digest of it."""
    out: list[Month] = []
    told, events, i, sown = sha256(), journal.events, 0, 0
    read = [s for s in journal.series if s.quantity in READ]
    for first_s in months_inside(journal.batches, at_s):
        end_s = next_month_s(first_s)
        if end_s > at_s:
            break
        while i < len(events) and events[i].at_s < end_s:
            told.update(f"{events[i].id}|{journal.corrected.get(events[i].id, '')};".encode())
            i += 1
        while sown < len(set_up) and set_up[sown][0] < end_s:
            told.update(set_up[sown][1])
            sown += 1
        whole = told.copy()
        for s in read:
            whole.update(_read_in(journal, s, first_s, end_s))
        out.append(Month(first_s, end_s, whole.hexdigest()))
    return out


def _read_in(journal: Journal, s: Series, first_s: float, end_s: float) -> bytes:
    """A digest of what a series holds of a month; nothing where it holds nothing."""

    def made() -> bytes:
        a, b = np.searchsorted(s.at_s, [first_s, end_s])
        if a >= b:
            return b""
        whole = sha256(f"{s.place}|{s.quantity}|{s.source}|{s.spot_mm};".encode())
        whole.update(s.at_s[a:b].tobytes() + s.value[a:b].tobytes())
        whole.update(s.daylight[a:b].tobytes() if s.daylight is not None else b"")
        return whole.digest()

    if journal.revision is None or s.revision is None:
        return made()
    # Of all that is read of a garden little is new after one write.
    return journal.keeps.get(("read in month", s.revision, first_s), made)


def set_up_of(journal: Journal) -> list[tuple[float, bytes]]:
    """A garden's set-up as bytes, and each of its batches by when it was sown (seconds UTC), in that order."""
    things = (journal.trays, journal.places, journal.rooms, journal.lamps, journal.mats, journal.fans, journal.sources)
    sown = sorted((b.sown_at.timestamp(), repr(b).encode()) for b in journal.batches)
    return [(NEVER_S, repr((journal.garden.timezone, things)).encode()), *sown]


def of_month(journal: Journal, month: Month) -> Journal:
    """Of a record (effective events) all that a month's lessons read: its readings, what was done and sown until its end."""
    series = []
    for s in journal.series:
        a, b = np.searchsorted(s.at_s, [month.from_s, month.to_s])
        if a < b and s.quantity in READ:
            sky = s.daylight[a:b] if s.daylight is not None else None
            cut = replace(s, at_s=s.at_s[a:b], value=s.value[a:b], estimated=s.estimated[a:b], daylight=sky, revision=None)
            series.append(cut)
    return replace(
        journal, series=series, events=[e for e in journal.events if e.at_s < month.to_s], here=RoomHere(), revision=None,
        batches=[b for b in journal.batches if b.sown_at.timestamp() < month.to_s],
    )  # fmt: skip


def month_lessons(journal: Journal, over: Month) -> tuple[RoomLesson, ...]:
    """What a month that is over showed. `journal` holds effective events. Source: arithmetic; each model names its own."""
    month, first_s = of_month(journal, over), over.from_s
    read = {(s.quantity, s.place) for s in month.series}
    out: list[RoomLesson] = []
    felt = {t.id for t in month.trays if ("moisture", t.id) in read}
    for tray, leafy in _sown_in(month, felt, over).items():
        out += _drying(month, tray, leafy, over)
    laid = {(e.fields.get("mat"), e.fields.get("tray")) for e in month.events if e.kind == "mat"}
    for tray in (t.id for t in month.trays if ("soil_temperature", t.id) in read):
        for mat in month.mats:
            if (mat.id, tray) in laid:
                out += _warming(month, mat, tray, first_s)
    if any(quantity == "light" for quantity, _ in read):
        for lamp in month.lamps:
            out += _output(month, lamp, first_s)
    return tuple(out)


def _sown_in(month: Journal, trays: set[str], over: Month) -> dict[str, list[tuple[float, float]]]:
    """Of some trays those in which something was inside in a month, and when leaves drank in each, seconds UTC."""
    found: dict[str, list[tuple[float, float]]] = {}
    moves = [e for e in month.events if e.kind in ("potted_up", "moved")]
    for b in month.batches if trays else ():
        inside = {s.where for s in tray_stays(b, moves) if s.to_s > over.from_s} & trays
        span = leafy_span(stage_spans(b, month.events, over.to_s)) if inside else None
        for tray in inside:
            found.setdefault(tray, []).extend([span] if span is not None else [])
    return {t: found[t] for t in sorted(found)}


def _drying(month: Journal, tray: str, leafy: Sequence[tuple[float, float]], over: Month) -> list[RoomLesson]:
    """How a sown tray dried against what was usual of it as it was then."""
    told = [e for e in month.events if e.kind in DRIES and e.fields.get("tray") == tray]
    sown = replace(month, events=told, series=[s for s in month.series if s.place == tray and s.quantity == "moisture"])
    found = stretches(sown, tray, UsualLoss(sown, tray, over.to_s, leafy), over.from_s, over.to_s)
    if not found:
        return []
    weight = sum(w for _, w in found)
    off = sum(ratio * w for ratio, w in found) / weight
    return [RoomLesson("drying", tray, tray, over.from_s, over.to_s, off, 1.0 / weight, len(found))]


def _warming(month: Journal, mat: Mat, tray: str, first_s: float) -> list[RoomLesson]:
    """How far the soil of a tray stood over its mat's set-point, and what the mat lifted it where it ran flat out."""
    end_s = next_month_s(first_s)
    whole = mat_record(month, mat.id, tray, month.events, end_s, first_s)
    covered = bool(np.median(whole.covered) > 0.5) if len(whole) else False
    record = MatRecord(*(x[(whole.covered > 0.5) == covered] for x in vars(whole).values()))
    if len(record) < LEAST_MAT_HOURS or np.isnan(record.air_c).mean() > 0.5 or _idle(record):
        return []
    fit = fit_mat(record, covered)
    if not fit.clear:
        return []
    lesson = RoomLesson("offset", mat.id, tray, first_s, end_s, 0.0, 0.0, len(record))
    out = []
    if fit.at_limit_share <= 1.0 - LIMIT_SHARE and (told := _told(fit, 0, USUAL_OFFSET_C, SD_OFFSET_C)) is not None:
        out.append(replace(lesson, off=told[0], var=told[1]))
    usual_c = usual_lift_c(covered)
    if fit.at_limit_share >= LIMIT_SHARE and (told := _told(fit, 3, usual_c, SD_LIFT_C)) is not None:
        lift_c = max(usual_c + told[0], 1.0)
        out.append(replace(lesson, measure="lift", off=math.log(lift_c / usual_c), var=told[1] / lift_c**2))
    return out


def _idle(record: MatRecord) -> bool:
    """Whether soil followed the air while the mat was asked for more: unplugged, broken, or its probe fallen out."""
    asked_c = float(np.nanmean(record.setpoint_c - record.air_c))
    lifted_c = float(np.nanmean(record.soil_c - record.air_c))
    return asked_c >= IDLE_ASKS_C and lifted_c < IDLE_SHARE * asked_c


def _told(fit: MatFit, i: int, prior: float, prior_sd: float) -> tuple[float, float] | None:
    """What the hours alone say of a parameter, off what is usual, and the variance of that."""
    var = float(fit.covariance[i, i])
    if var > TELLS_NOTHING * prior_sd**2:
        return None
    precision = 1.0 / var - 1.0 / prior_sd**2
    said = (float(fit.mean[i]) / var - prior / prior_sd**2) / precision
    return said - prior, 1.0 / precision + MONTH_OFF_C**2


def _output(month: Journal, lamp: Lamp, first_s: float) -> list[RoomLesson]:
    """What a lamp gave at 150 mm, against its lumens or against a lamp of which nothing is known."""
    end_s = next_month_s(first_s)
    points, _ = light_points(month, lamp, month.events, end_s)
    if not points:
        return []
    curve = fit_curve(lamp, points)
    level, var = float(curve.mean[0]), float(curve.covariance[0, 0])
    if var > TELLS_NOTHING * UNKNOWN_SD**2 or not curve.points:
        return []
    precision = 1.0 / var - 1.0 / UNKNOWN_SD**2
    alone = (level / var - math.log(UNKNOWN_UMOL) / UNKNOWN_SD**2) / precision
    # Only what differs from month to month: what the trays and the fall-off are off is the same in each.
    own_var = (METER_SD**2 + AIM_SD**2) / len(curve.points)
    under = "|".join(sorted({p.tray or "" for p in curve.points}))
    place = next((p for p in month.places if p.id == lamp_at(lamp, month.events, points[-1].at_s).place), None)
    rough = from_lumens_umol(lamp, place)
    burned_kh, untold_kh = burned(lamp_states(lamp, month.events), (first_s + end_s) / 2)
    return [
        RoomLesson(
            "output", lamp.id, under, first_s, end_s, alone - math.log(rough or UNKNOWN_UMOL), own_var, len(curve.points),
            lamp.kind or "", burned_kh, untold_kh, rough is not None, math.sqrt(1.0 / precision),
        )
    ]  # fmt: skip


def burned(states: Sequence[LampState], at_s: float) -> tuple[float, float]:
    """How long a lamp has burned by a moment (seconds UTC), thousands of hours: by its timer since it was first set, and what it
    may have burned besides while nobody logged one.

    >>> states = [LampState("l", 0.0, 100 * DAY_S, "p", periods=((360, 1080),)), LampState("l", 100 * DAY_S, float("inf"), "p")]
    >>> burned(states, 200 * DAY_S)
    (1.2, 1.4)
    """
    told = untold = 0.0
    for s in states:
        if s.from_s == float("-inf") or s.from_s >= at_s:
            continue
        days = (min(s.to_s, at_s) - s.from_s) / DAY_S
        if s.periods is None:
            untold += days * UNTOLD_H / 1000 if s.place is not None else 0.0
        else:
            told += days * hours_of(s.periods) / 1000
    return told, untold
