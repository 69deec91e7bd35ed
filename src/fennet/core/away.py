"""Gone for some days: what fails first, what to do before leaving, and what to ask of whoever looks in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.drying import SOAKED_PCT, dry_down, refill_ml
from fennet.core.history import counts_of
from fennet.core.learning.habits import Habit, usual_of
from fennet.core.light import DAY_S
from fennet.core.moisture import DRY_PCT
from fennet.core.records import Event, Journal
from fennet.core.room import RoomState
from fennet.core.work.task import BatchDay, Task

#: Under this seedlings flag and waiting seed stops, % of capacity. Source: gummerson_1986 (the foot of its range, and a margin).
FLAGS_PCT = DRY_PCT + 10.0
LONGEST_D = 30
#: Less than this is not worth a can. Source: growers_rule.
LEAST_ML = 50.0


@dataclass(frozen=True)
class Ask:
    """One thing for whoever looks in: the deed, of which tray, mat or lamp, between which moments (seconds UTC), and how much."""

    action: str
    tray: str
    from_s: float
    to_s: float
    thing: str = ""
    ml: float | None = None


@dataclass(frozen=True)
class Away:
    """What an absence means. `first` the first thing that fails if nothing is done; `before` tasks and deeds before leaving."""

    until_s: float
    first: Ask | None
    before: list[Ask]
    tasks: list[Task]
    asks: list[Ask]
    unknown: list[str]


def away(
    journal: Journal,
    state: RoomState,
    events: Sequence[Event],
    days: Sequence[BatchDay],
    tasks: Sequence[Task],
    at_s: float,
    n_days: int,
    habits: Sequence[Habit] = (),
) -> Away:
    """What happens over the next days with nobody there. `tasks` is the worklist now. Raises ValueError beyond 1 to 30 days.

    Water by each tray's own dry-down, of one that nobody felt as often as people here water where that is sooner; seedlings by
    the forecasts. Source: starting_estimate, growers_rule.
    """
    if not 1 <= n_days <= LONGEST_D:
        raise ValueError(f"{n_days} days; accepted: 1 to {LONGEST_D}")
    until_s = at_s + n_days * DAY_S
    fails: list[Ask] = []
    before: list[Ask] = []
    asks: list[Ask] = []
    unknown: list[str] = []
    by_tray: dict[str, list[BatchDay]] = {}
    usual = usual_of(habits, "watered")
    for d in days:
        by_tray.setdefault(d.tray.id, []).append(d)
    for tray, inside in by_tray.items():
        wet = next(
            (d.conditions.channels["moisture"] for d in inside if d.conditions.channels["moisture"].value is not None), None
        )
        leafy_s = min((s for d in inside if (s := d.conditions.leafy_s) is not None), default=None)
        loss = dry_down(journal, tray, events, at_s, leafy_s)
        if wet is None or wet.value is None:
            unknown.append(tray)
        else:
            dry_s = at_s + loss.days_to(wet.value, FLAGS_PCT).p10 * DAY_S
            if dry_s < until_s:
                fails.append(Ask("dries_out", tray, dry_s, at_s + loss.days_to(wet.value, FLAGS_PCT).p90 * DAY_S))
        ml = refill_ml(inside[0].tray, wet.value if wet and wet.value is not None else 60.0, events)
        if ml is None or ml >= LEAST_ML:
            before.append(Ask("water_full", tray, at_s, at_s, ml=ml))
        again = loss.days_to(SOAKED_PCT, FLAGS_PCT + 10.0)
        if usual is not None and tray in unknown and usual.days.p50 < again.p50:
            again = usual.days
        when_s = at_s + again.p10 * DAY_S
        while when_s < until_s and again.p10 > 0.2:
            late_s = when_s + (again.p50 - again.p10) * DAY_S
            asks.append(Ask("water", tray, when_s, late_s, ml=refill_ml(inside[0].tray, 45.0, events)))
            when_s += again.p50 * DAY_S
        for d in inside:
            f = d.forecast
            up = counts_of(d.batch, events)
            covered = state.trays[tray].cover != "off" or state.trays[tray].mat is not None
            half = f.half_up if f is not None else None
            if half is not None and not half.settled and half.p10 < until_s and up.up * 2 < up.of and covered:
                asks.append(Ask("hand_over", tray, max(at_s, half.p10), min(until_s, half.p90)))
                fails.append(Ask("comes_up_covered", tray, max(at_s, half.p10), half.p90))
    mats = [m for m, s in state.mats.items() if s.trays and s.on]
    before += [Ask("mat_alone", state.mats[m].trays[0], at_s, at_s, m) for m in mats]
    asks += [Ask("look_at_mat", state.mats[m].trays[0], at_s + DAY_S, until_s, m) for m in mats]
    by_hand = [lamp for lamp, s in state.lamps.items() if s.place is not None and not s.periods and any(
        t.place == s.place for t in state.trays.values())]  # fmt: skip
    before += [Ask("lamp_timer", "", at_s, at_s, lamp) for lamp in by_hand]
    first = min(fails, key=lambda a: a.from_s, default=None)
    now = [t for t in tasks if t.due_s <= at_s and t.kind in ("hand_over", "call_it", "no_light", "lamp_near", "probe_silent")]
    return Away(until_s, first, before, now, sorted(asks, key=lambda a: a.from_s), unknown)
