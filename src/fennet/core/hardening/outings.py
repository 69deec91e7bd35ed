"""The outings that harden a batch off: which step of its school comes next, and what of it this day allows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta

import numpy as np

from fennet.core.crop import Crop
from fennet.core.hardening.weather import HOUR_S, DayOutdoors
from fennet.core.history import life_events
from fennet.core.records import Batch, Event, FloatArray, Garden
from fennet.core.working import Input, Working

#: How much of the sun falls on a leaf in shade, half shade and the open. Source: starting_estimate.
PASSES = {"shade": 0.2, "half": 0.5, "full": 1.0}
#: The share of an outing in shade that each stands for in a record.
SHADE_SHARE = {"shade": 1.0, "half": 0.5, "full": 0.0}
#: Outings begin and end between these hours of the clock, and are no shorter than this, h. Source: growers_rule.
EARLIEST_H, LATEST_H, SHORTEST_H = 7.0, 20.0, 0.25
#: By day plants stay in under this, whatever the kind, °C; a young outing wants so much more than the kind's least night, which
#: falls to nothing as they harden. Source: starting_estimate.
LEAST_DAY_C, YOUNG_WANTS_C = 4.0, 4.0
#: From so warm on they go into shade, and over that they stay in, °C. Source: growers_rule.
SHADE_FROM_C, TOO_HOT_C = 28.0, 34.0
#: Wind that first and last outings stand in the open, m/s; at so many times it they stay in. Source: starting_estimate.
FIRST_WIND_M_S, LAST_WIND_M_S, TOO_WINDY = 4.0, 8.0, 1.9
#: A night out wants this much over the kind's least, °C. Source: starting_estimate.
NIGHT_MARGIN_C = 1.0
#: A forecast's wind may be so much stronger where the plants stand. Source: starting_estimate.
GUSTS = 1.15
#: What mix in cells loses an hour outdoors at 15 °C in still shade, of what it holds, and how warmth, wind and sun raise it; an
#: outing that would take more than this is watered again while it lasts. Source: starting_estimate.
LOSS_AN_HOUR, LOSS_WARMTH_C, LOSS_WIND_M_S, LOSS_SUN, WATER_AGAIN = 0.03, 12.0, 8.0, 1.5, 0.35
#: Rain that beats young plants down, mm in an outing. Source: starting_estimate.
RAIN_MM = 4.0
#: A cloudy day may be this much longer. Source: starting_estimate.
CLOUD_LONGER = 1.5
#: So many days missed in a row cost a step, and again. Source: growers_rule.
MISSED_D = 3
#: An outing of less than this part of its step leaves the step to be done.
DONE_SHARE = 0.6
#: And of this part it is done in full: who looks and sees nothing on plants that were out so long may go on quicker. Source:
#: starting_estimate.
WELL_SHARE = 0.9
#: An hour under a roof counts for so much where the step wants sun. Source: starting_estimate.
ROOFED_COUNTS = 0.5
#: Of what was seen on coming in: how many steps it takes back. Source: growers_rule.
BACK = {"bleached": 2, "limp": 0, "windburnt": 0, "chilled": 0, "stress": 0}
WORST_FIRST = ("bleached", "chilled", "windburnt", "limp", "stress")
#: An outing from birth: so long on any mild day.
FROM_BIRTH_H = 1.0


#: What one's own thermometer puts right is told from so much on, °C.
TOLD_SHIFT_C = 0.5


@dataclass(frozen=True)
class Step:
    """One day of a school: hours out, the sun that may fall on the leaves (hours of it straight from above), and how shaded."""

    hours: float
    sun_h: float
    sun: str = "full"


def _rising(hours: Sequence[float], first: float, last: float) -> tuple[Step, ...]:
    doses = np.linspace(first, last, len(hours))
    return tuple(Step(h, float(d)) for h, d in zip(hours, doses, strict=True))


#: The steps of each school before its night out. Source: growers_rule.
SCHOOLS: Mapping[str, tuple[Step, ...]] = {
    "shade_week": (
        *(Step(float(h), 0.2 * h, "shade") for h in (2, 3, 4, 5, 6, 7, 8)),
        *_rising((8, 8, 8, 9, 9, 10, 10), 1.8, 6.5),
    ),
    "hour_a_day": _rising((1, 2, 3, 4, 5, 6, 7, 8), 0.6, 5.5),
    "quarter_hour": _rising((0.25, 0.5, 1.5, 3, 4.5, 6, 8), 0.2, 5.5),
    "from_birth": _rising((2, 4, 6, 8), 1.4, 5.5),
}  # fmt: skip


@dataclass(frozen=True)
class Why:
    """A reason by its key, with its figures; the words are told elsewhere."""

    key: str
    figures: Mapping[str, float | str] = field(default_factory=dict)


@dataclass(frozen=True)
class Outing:
    """A day's outing: go or stay; hours, from when (hours by the clock), sun (shade, half, full), sheltered, overnight."""

    day: date
    go: bool
    hours: float = 0.0
    from_h: float | None = None
    sun: str = "shade"
    sheltered: bool = False
    night: bool = False
    why: tuple[Why, ...] = ()
    working: Working | None = None


@dataclass(frozen=True)
class Done:
    """What was done on one local day: hours out, the share of them in shade, a night, what was seen on coming in, and the share
    of the hours under a porch's or a cold house's roof."""

    day: date
    hours: float
    shade_share: float
    night: bool
    seen: str
    roofed_share: float = 0.0

    def counts_h(self, step: Step) -> float:
        """The hours that count for a step: under a roof they count as shade, and half where sun is wanted. Source:
        growers_rule."""
        return self.hours if step.sun == "shade" else self.hours * (1.0 - (1.0 - ROOFED_COUNTS) * self.roofed_share)


@dataclass(frozen=True)
class Progress:
    """How far a batch has hardened: the next step of its school (their number when only the night is left), whether a night out
    passed, how often it showed stress, and what was done day by day."""

    step: int
    night_passed: bool
    stressed: int
    last_seen: str
    done: tuple[Done, ...]


def outings_done(batch: Batch, events: Sequence[Event], garden: Garden, at_s: float) -> list[Done]:
    """What was logged of a batch's outings until a moment, one entry for each local day; those still out count from when they
    went. `events` are effective events."""
    by_day: dict[date, list[Event]] = {}
    for e in life_events(batch, events, "outing"):
        if e.at_s <= at_s:
            by_day.setdefault(garden.day_of(datetime.fromtimestamp(_out_s(e), UTC)), []).append(e)
    out = []
    for day in sorted(by_day):
        hours = [hours_of(e, at_s) for e in by_day[day]]
        total = sum(hours)
        shade = sum(h * float(e.fields.get("shade_share") or 0.0) for h, e in zip(hours, by_day[day], strict=True))
        seen = [seen_of(e) for e in by_day[day]]
        night = any(e.fields.get("night") is True or h > 18.0 for h, e in zip(hours, by_day[day], strict=True))
        worst = next((s for s in WORST_FIRST if s in seen), "none" if "none" in seen else "")
        roofed = sum(h for h, e in zip(hours, by_day[day], strict=True) if e.fields.get("place") is not None)
        share = (shade / total, roofed / total) if total else (0.0, 0.0)
        out.append(Done(day, total, share[0], night, worst, share[1]))
    return out


def hours_of(outing: Event, at_s: float) -> float:
    """How long an outing took, h: as said, else from its way out to its way in, or to now while it is still out."""
    f = outing.fields
    if f.get("hours") is not None:
        return float(f["hours"])
    if f.get("out_at") is None:
        return 1.0
    end_s = _seconds(f["in_at"]) if f.get("in_at") is not None else at_s
    return max(0.0, (end_s - _seconds(f["out_at"])) / HOUR_S)


def is_out(outing: Event) -> bool:
    """Whether an outing has not come in again."""
    return outing.fields.get("out_at") is not None and outing.fields.get("in_at") is None and outing.fields.get("hours") is None


def still_out(batch: Batch, events: Sequence[Event], at_s: float) -> Event | None:
    """The outing of a batch that is under way at a moment (seconds UTC). `events` are effective events."""
    known = [e for e in life_events(batch, events, "outing") if e.at_s <= at_s]
    return known[-1] if known and is_out(known[-1]) else None


def sun_of(shade_share: float) -> str:
    """How plants stood of which so much of the time was told as shade: the nearest of shade, half and full.

    >>> [sun_of(share) for share in (1.0, 0.7, 0.4, 0.1)]
    ['shade', 'half', 'half', 'full']
    """
    return min(SHADE_SHARE, key=lambda sun: abs(SHADE_SHARE[sun] - shade_share))


def _out_s(outing: Event) -> float:
    at = outing.fields.get("out_at")
    return _seconds(at) if at is not None else outing.at_s


def _seconds(moment: str) -> float:
    return datetime.fromisoformat(moment).timestamp()


def seen_of(outing: Event) -> str:
    """What was seen on coming in: "" where nobody said."""
    seen = str(outing.fields.get("seen") or "")
    if seen:
        return seen
    stress = outing.fields.get("stress")
    return "" if stress is None else "stress" if stress else "none"


def progress(school: str, done: Sequence[Done], today: date) -> Progress:
    """How far outings have brought a batch by the morning of a day.

    A day well done moves a step on; from the second running on which somebody looked and saw nothing it moves two; stress
    repeats its step, scorch takes two back, three days missed in a row take one. Source: growers_rule.

    >>> day = date(2026, 4, 20)
    >>> well = [Done(day + timedelta(days=i), 2.0 + i, 1.0, False, "none") for i in range(3)]
    >>> progress("shade_week", well, day + timedelta(days=3)).step
    4
    """
    steps = SCHOOLS[school]
    step, stressed, last_seen, night, well = 0, 0, "", False, 0
    last: date | None = None
    for d in (x for x in done if x.day < today):
        if last is not None:
            step = max(0, step - ((d.day - last).days - 1) // MISSED_D)
        last, last_seen = d.day, d.seen
        now = steps[min(step, len(steps) - 1)]
        if d.seen in BACK:
            stressed, well = stressed + 1, 0
            step = max(0, step - BACK[d.seen])
            night = night and d.seen not in ("chilled", "bleached")
        elif d.counts_h(now) >= DONE_SHARE * now.hours or (d.night and step >= len(steps)):
            full = d.counts_h(now) >= WELL_SHARE * now.hours
            well = well + 1 if d.seen == "none" and full else 0
            step = min(len(steps), step + (2 if well >= 2 else 1))
        night = night or (d.night and d.seen not in BACK and step >= len(steps) - 1)
    if last is not None:
        step = max(0, step - ((today - last).days - 1) // MISSED_D)
    return Progress(step, night, stressed, last_seen, tuple(done))


def outing_of(crop: Crop, school: str, p: Progress, d: DayOutdoors) -> Outing:
    """What a day allows of the step that comes next. Source: growers_rule, starting_estimate.

    The hours are laid where the day is warm enough, least windy, and its sun no more than the step allows; cloud lets them be
    longer, heat and hard sun make them shorter or shaded. Nothing known of the day, the step stands with what to look for.
    """
    steps = SCHOOLS[school]
    ripe = min(1.0, p.step / len(steps))
    step = steps[min(p.step, len(steps) - 1)]
    least_c = max(LEAST_DAY_C, crop.planting.least_night_c) + YOUNG_WANTS_C * (1.0 - ripe) * 0.75
    why: list[Why] = []
    if p.last_seen in BACK:
        why.append(Why("repeat_after" if BACK[p.last_seen] == 0 else "back_after", {"seen": p.last_seen}))
    else:
        why.append(Why("step", {"n": float(min(p.step, len(steps) - 1) + 1), "of": float(len(steps))}))
    if not d.known:
        why.append(Why("by_rule", {"least_c": least_c, "wind_m_s": _wind_limit(ripe)}))
        return Outing(d.day, True, step.hours, 10.0, step.sun if step.sun != "full" or ripe > 0.4 else "half", why=tuple(why))
    if d.basis == "climate":
        why.append(Why("by_date"))
    if abs(d.shift_c) >= TOLD_SHIFT_C:
        why.append(Why("own_thermometer", {"shift_c": d.shift_c}))
    if d.disagree:
        why.append(Why("disagree"))
    found = _window(step, d, least_c, ripe, "shade" if p.last_seen == "bleached" else step.sun)
    if found is None:
        held = _working_of_stay(d, least_c, ripe)
        return Outing(d.day, False, why=(*why, _why_not(d, least_c, ripe)), working=held)
    hours, from_h, sun, sheltered = found
    inside = _share_of_hours(d, from_h, hours) > 0
    warm_c, wind = float(d.temperature_c[inside].max()), float(d.wind_m_s[inside].max())
    if warm_c >= SHADE_FROM_C:
        why.append(Why("hot", {"most_c": warm_c}))
    elif float(d.cloud_share[inside].mean()) >= 0.7:
        why.append(Why("cloud", {"cloud_share": float(d.cloud_share[inside].mean())}))
    elif sun != "full" and step.sun == "full":
        why.append(Why("hard_sun"))
    if hours < DONE_SHARE * step.hours:
        why.append(Why("short_day", {"hours": hours, "least_c": least_c}))
    if sheltered:
        why.append(Why("wind", {"wind_m_s": wind, "limit_m_s": _wind_limit(ripe)}))
    if float(d.rain_mm[inside].sum()) > RAIN_MM and ripe < 0.5:
        sheltered = True
        why.append(Why("rain", {"mm": float(d.rain_mm[inside].sum())}))
    lost = water_lost(d, from_h, hours, PASSES[sun])
    if lost > WATER_AGAIN:
        why.append(Why("water_again", {"lost": lost}))
    elif warm_c >= 20.0 or wind >= FIRST_WIND_M_S or hours >= 5.0:
        why.append(Why("water_before"))
    night = p.step >= len(steps) and _night(crop, d, why)
    dose = float((d.sun * _share_of_hours(d, from_h, hours)).sum()) * PASSES[sun]
    cool_c = float(d.temperature_c[inside].min())
    told = _working(step, p, d.basis, hours, (dose, cool_c, warm_c, wind), (least_c, _wind_limit(ripe)))
    return Outing(d.day, True, hours, from_h, sun, sheltered, night, tuple(why), told)


def _working(
    step: Step, p: Progress, basis: str, hours: float, met: tuple[float, float, float, float], limits: tuple[float, float]
) -> Working:
    """What stands behind an outing's hours; `met` its sun, lowest and highest temperature and wind, `limits` least and wind."""
    dose_h, cool_c, warm_c, wind_m_s = met
    return Working(
        "today’s outing",
        (
            Input("outings done well", p.step, "", "log"),
            Input("hours of this step", step.hours, "h", "growers_rule", True),
            Input("sun this step allows", round(step.sun_h, 1), "h from straight above", "starting_estimate", True),
            Input("sun on the leaves", round(dose_h, 1), "h from straight above", basis),
            Input("coolest while out", round(cool_c, 1), "°C", basis),
            Input("warmest while out", round(warm_c, 1), "°C", basis),
            Input("coolest it may go out at", round(limits[0], 1), "°C", "starting_estimate", True),
            Input("wind while out", round(wind_m_s, 1), "m/s", basis),
            Input("wind it can take in the open", round(limits[1], 1), "m/s", "starting_estimate", True),
        ),
        "the hours of the day that come nearest to the step’s, no cooler than it stands, with no more sun than the step allows; "
        "cloud makes them longer",
        ("growers_rule", "starting_estimate", "kasten_czeplak_1980"),
        "one day of outings, 34 °C at most",
        round(hours, 2),
        "h",
    )


def _working_of_stay(d: DayOutdoors, least_c: float, ripe: float) -> Working:
    """What stands behind a day in."""
    light = d.sun > 0.02
    most_c = float(d.temperature_c[light].max()) if light.any() else float(d.temperature_c.max())
    calmest = float(d.wind_m_s[light].min()) if light.any() else float(d.wind_m_s.min())
    return Working(
        "a day in",
        (
            Input("warmest by day", round(most_c, 1), "°C", d.basis),
            Input("it may be off by", round(0.3 * d.off_c, 1), "°C", "starting_estimate", True),
            Input("coolest it may go out at", round(least_c, 1), "°C", "starting_estimate", True),
            Input("warmest it may go out at", TOO_HOT_C, "°C", "growers_rule", True),
            Input("calmest by day, with gusts", round(GUSTS * calmest, 1), "m/s", d.basis),
            Input("wind over which it stays in", round(TOO_WINDY * _wind_limit(ripe), 1), "m/s", "starting_estimate", True),
        ),
        "no hour between seven and eight in the evening is warm, calm and mild enough for a quarter of an hour outside",
        ("growers_rule", "starting_estimate"),
        "one day of outings",
        0.0,
        "h",
    )


def _night(crop: Crop, d: DayOutdoors, why: list[Why]) -> bool:
    """Whether a batch whose steps are done may stay out over this night."""
    wants_c = crop.planting.least_night_c + NIGHT_MARGIN_C + 0.5 * d.off_c
    mild = d.night_low_c >= wants_c
    why.append(Why("night_out" if mild else "night_too_cold", {"low_c": d.night_low_c, "wants_c": wants_c}))
    return mild


def _wind_limit(ripe: float) -> float:
    return FIRST_WIND_M_S + (LAST_WIND_M_S - FIRST_WIND_M_S) * ripe


def water_lost(d: DayOutdoors, from_h: float, hours: float, passes: float) -> float:
    """The part of what its mix holds that a tray loses over an outing: with warmth, wind and the sun on it. Source:
    starting_estimate."""
    share = _share_of_hours(d, from_h, hours)
    warmth = np.maximum(0.2, 1.0 + (d.temperature_c - 15.0) / LOSS_WARMTH_C)
    return float((share * LOSS_AN_HOUR * warmth * (1.0 + d.wind_m_s / LOSS_WIND_M_S) * (1.0 + LOSS_SUN * d.sun * passes)).sum())


def _share_of_hours(d: DayOutdoors, from_h: float, hours: float) -> FloatArray:
    """The part of each hour of a day that an outing takes, 0–1."""
    hour = (d.at_s - d.at_s[0]) / HOUR_S
    return np.asarray(np.clip(np.minimum(hour + 1.0, from_h + hours) - np.maximum(hour, from_h), 0.0, 1.0))


def _window(step: Step, d: DayOutdoors, least_c: float, ripe: float, most_sun: str) -> tuple[float, float, str, bool] | None:
    """Hours, start, sun and shelter of the best outing that a day allows; None where it allows none.

    Best is what comes nearest to the step's hours and its sun; of the same, out of the wind and from the middle of the morning.
    """
    light = (d.sun > 0.02) & (d.temperature_c >= least_c)
    cloudy = bool(light.any()) and float(d.cloud_share[light].mean()) >= 0.7
    want = min(step.hours * (CLOUD_LONGER if cloudy and ripe > 0.0 else 1.0), LATEST_H - EARLIEST_H)
    suns = [s for s in ("full", "half", "shade") if PASSES[s] <= PASSES[most_sun] or (cloudy and s == "half")]
    limit = _wind_limit(ripe)
    best: tuple[float, float, float, str, bool] | None = None
    for part in (1.0, 0.85, 0.7, 0.55, 0.4, 0.25, 0.12):
        hours = max(SHORTEST_H, round(4 * want * part) / 4)
        for from_h in np.arange(EARLIEST_H, LATEST_H - hours + 0.01, 1.0):
            share = _share_of_hours(d, float(from_h), hours)
            inside = share > 0
            warm = d.temperature_c[inside]
            wind = GUSTS * float(d.wind_m_s[inside].max(initial=0.0))
            if not len(warm) or warm.min() - 0.3 * d.off_c < least_c or warm.max() > TOO_HOT_C or wind > TOO_WINDY * limit:
                continue
            for sun in suns:
                dose = float((d.sun * share).sum()) * PASSES[sun]
                if dose > step.sun_h * 1.05 or (sun == "full" and warm.max() >= SHADE_FROM_C):
                    continue
                value = min(hours, step.hours) / step.hours + 0.4 * min(1.0, dose / step.sun_h)
                value -= 0.06 * max(0.0, wind - limit) + 0.012 * abs(float(from_h) - 10.0)
                if best is None or value > best[0] + 1e-9:
                    best = (value, hours, float(from_h), sun, wind > limit)
    return best[1:] if best else None


def _why_not(d: DayOutdoors, least_c: float, ripe: float) -> Why:
    """What keeps a batch in, of cold, heat, wind and sun the first that alone would."""
    hour = (d.at_s - d.at_s[0]) / HOUR_S
    day = (hour >= EARLIEST_H) & (hour < LATEST_H)
    most_c, wind = float(d.temperature_c[day].max()), float(d.wind_m_s[day].min())
    if most_c - 0.3 * d.off_c < least_c:
        return Why("too_cold", {"most_c": most_c, "least_c": least_c + 0.3 * d.off_c})
    if float(d.temperature_c[day].min()) > TOO_HOT_C:
        return Why("too_hot", {"most_c": most_c})
    if wind > TOO_WINDY * _wind_limit(ripe):
        return Why("too_windy", {"wind_m_s": wind, "limit_m_s": _wind_limit(ripe)})
    return Why("no_hour", {"least_c": least_c})


def plan_ahead(crop: Crop, school: str, p: Progress, days: Sequence[DayOutdoors]) -> list[Outing]:
    """The outings of the days ahead, each as if those before it were done and nobody looked: who does may go on quicker. Source:
    growers_rule."""
    out = []
    for d in days:
        outing = outing_of(crop, school, p, d)
        out.append(outing)
        if outing.go:
            done = Done(outing.day, outing.hours, SHADE_SHARE[outing.sun], outing.night, "")
            p = progress(school, [*p.done, done], outing.day + timedelta(days=1))
    return out
