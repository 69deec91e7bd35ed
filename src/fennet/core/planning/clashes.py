"""What the room cannot hold, week by week, and the least change that would make it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from fennet.core.planning.drafts import Draft
from fennet.core.planning.plan import Plan, Planned, load_of
from fennet.core.planning.room_for import RESOURCES, ROOM_GIVEN
from fennet.core.planning.ways import STRETCHED_D, Way, trays_of, ways_of
from fennet.core.records import FloatArray

#: A move beyond a sowing's range costs its days; a mat or a shelf more, and fewer plants, weigh so many days each.
#: Source: growers_rule.
MORE_COSTS, FEWER_COSTS, ROOM_HEAT_COSTS, LONGEST_CHAIN = 35.0, 45.0, 20.0, 3
#: Wants that are proposed to be left out together at most. Source: growers_rule.
LONGEST_LIST = 6


@dataclass(frozen=True)
class Change:
    """One change: kind move (a sowing to another day), room_heat (without a mat), fewer (plants) or more (of a resource).

    `sowing` and `day`, `plants` of `wanted` (all parts of the want together), `amount` as the kind needs; `days_beyond` how far
    a move lies outside the range.
    """

    kind: str
    cost: float
    sowing: Planned | None = None
    day: date | None = None
    days_beyond: int = 0
    plants: int | None = None
    wanted: int | None = None
    amount: float | None = None
    resource: str = ""


@dataclass(frozen=True)
class Clash:
    """A stretch of days in which a resource is short: `over` the most by which, `who` takes part, `changes` the ways out with
    the least first; each way is one change or a chain of them that together clear it."""

    resource: str
    from_day: date
    to_day: date
    over: float
    needed: float
    have: float
    who: tuple[Planned, ...]
    changes: tuple[tuple[Change, ...], ...]

    def weeks(self) -> list[date]:
        """Mondays of the weeks it touches."""
        monday = self.from_day - timedelta(days=self.from_day.weekday())
        return [monday + timedelta(days=7 * i) for i in range(((self.to_day - monday).days - 1) // 7 + 1)]


def clashes(p: Plan) -> list[Clash]:
    """What is over, in order of time, each with its ways out. Lamps whose crops want more timers than there are come last."""
    load = load_of(p.problem, p.result)
    have = p.problem.have
    out = []
    planned = {x.name: x for x in p.sowings}
    for r, name in enumerate(RESOURCES):
        room = np.maximum(have[r], p.problem.taken[r]) * ROOM_GIVEN[r]
        hot = load[r] > room + 1e-6
        for a, b in _runs(hot):
            who = tuple(
                planned[d.name]
                for g, k, unit in zip(p.groups, p.result.choice, p.problem.units, strict=True)
                if any(x < b and y > a for x, y, _ in unit.options[k].use[r])
                for d in g
            )  # fmt: skip
            top = a + int(np.argmax(load[r, a:b]))
            out.append(
                Clash(
                    name, p.start + timedelta(days=a), p.start + timedelta(days=b), float(load[r, top] - have[r]),
                    float(load[r, top]), float(have[r]), who, _ways_out(p, load, r, a, b),
                )
            )  # fmt: skip
    out.sort(key=lambda c: (c.from_day, c.resource))
    return [*out, *_timers(p)]


def _runs(hot: np.ndarray) -> list[tuple[int, int]]:
    """Stretches of days that are over; a break under a week is bridged."""
    runs: list[tuple[int, int]] = []
    for day in np.nonzero(hot)[0]:
        if runs and day - runs[-1][1] < 7:
            runs[-1] = (runs[-1][0], int(day) + 1)
        else:
            runs.append((int(day), int(day) + 1))
    return runs


def _over(p: Plan, load: FloatArray) -> float:
    have = p.problem.have
    scale = np.where(np.isfinite(have) & (have > 0), have, 1.0)[:, None]
    room = np.maximum(have[:, None], p.problem.taken)
    return float((np.maximum(load - room, 0) / scale).sum())


def _dense(p: Plan, use: Sequence[Sequence[tuple[int, int, float]]]) -> FloatArray:
    out = np.zeros_like(p.problem.taken)
    for r, spans in enumerate(use):
        for a, b, amount in spans:
            out[r, max(0, a) : max(0, b)] += amount
    return out


def _ways_out(p: Plan, load: FloatArray, r: int, a: int, b: int) -> tuple[tuple[Change, ...], ...]:
    have = float(p.problem.have[r])
    short = float(load[r, a:b].max() - have)
    found: list[tuple[float, tuple[Change, ...]]] = []
    chain = _moves(p, load, r, a, b)
    if chain:
        found.append((sum(c.cost for c in chain), chain))
    fewer = _fewer(p, load, r, a, b)
    if fewer:
        found.append((sum(c.cost for c in fewer), fewer))
    more = Change("more", MORE_COSTS * max(1.0, short / max(have, 1.0)), amount=_rounded(short, r), resource=RESOURCES[r])
    found.append((more.cost, (more,)))
    found.sort(key=lambda x: x[0])
    return tuple(ways for _, ways in found)


def _rounded(short: float, r: int) -> float:
    return float(math.ceil(short - 1e-6)) if RESOURCES[r] == "mat_places" else math.ceil(short / 1e4) * 1e4


def _hopeless(p: Plan, load: FloatArray, r: int, a: int, b: int) -> bool:
    """Whether even the largest sowings of the worst day, moved away together, would leave it over."""
    day = a + int(np.argmax(load[r, a:b]))
    taken = [
        sum(amount for x, y, amount in unit.options[k].use[r] if x <= day < y)
        for unit, k in zip(p.problem.units, p.result.choice, strict=True)
    ]
    over = load[r, day] - max(float(p.problem.have[r]), float(p.problem.taken[r, day]))
    return bool(sum(sorted(taken)[-LONGEST_CHAIN:]) < over - 1e-6)


def _moves(p: Plan, load: FloatArray, r: int, a: int, b: int) -> tuple[Change, ...]:
    """Moves beyond the ranges, and sowings without a mat, that together clear a stretch without making another; () if none."""
    if _hopeless(p, load, r, a, b):
        return ()
    now = load.copy()
    room = np.maximum(max(float(p.problem.have[r]), 0.0), p.problem.taken[r, a:b])
    tries: dict[int, list[tuple[Way, FloatArray]]] = {}
    for i, group in enumerate(p.groups):
        chosen = p.problem.units[i].options[p.result.choice[i]]
        if any(x < b and y > a for x, y, _ in chosen.use[r]) and not any(d.moved for d in group):
            was = _dense(p, chosen.use)
            ways = ways_of(group, p.tray, max(p.start, p.today), STRETCHED_D)
            tries[i] = [(way, _dense(p, way.option.use) - was) for way in ways]

    def hot(x: FloatArray) -> float:
        return float(np.maximum(x[r, a:b] - room, 0).sum())

    chain: list[Change] = []
    while hot(now) > 1e-6 and len(chain) < LONGEST_CHAIN:
        before, over_before = hot(now), _over(p, now)
        best: tuple[float, Change, FloatArray, int] | None = None
        for i, options in tries.items():
            for way, step in options:
                gain = before - float(np.maximum(now[r, a:b] + step[r, a:b] - room, 0).sum())
                if gain < 1e-6:
                    continue
                change = _move(p, p.groups[i][0], way.sow, way.on_mat)
                price = (change.cost + 1) / gain
                if (best is None or price < best[0]) and _over(p, now + step) <= over_before - 1e-9:
                    best = (price, change, step, i)
        if best is None:
            return ()
        _, change, step, i = best
        now = now + step
        chain.append(change)
        del tries[i]
    return tuple(chain) if hot(now) <= 1e-6 else ()


def _move(p: Plan, d: Draft, day: date, on_mat: bool) -> Change:
    planned = next(x for x in p.sowings if x.draft is d)
    assert d.sow_from is not None and d.sow_to is not None
    beyond = max((d.sow_from - day).days, (day - d.sow_to).days, 0)
    if planned.on_mat and not on_mat:
        return Change("room_heat", ROOM_HEAT_COSTS + beyond, planned, day, beyond)
    return Change("move", float(beyond) + 1.0, planned, day, beyond)


def _fewer(p: Plan, load: FloatArray, r: int, a: int, b: int) -> tuple[Change, ...]:
    """Fewer plants, so that the rest fits: of one want where that does it, else the largest left out one after the other."""
    room = np.maximum(max(float(p.problem.have[r]), 0.0), p.problem.taken[r, a:b])
    takes = {at: _taken_by(p, at, r)[a:b] for at in dict.fromkeys(d.at for g in p.groups for d in g)}
    over = np.maximum(load[r, a:b] - room, 0.0)
    chain: list[Change] = []
    while takes and len(chain) < LONGEST_LIST:
        alone = [change for at, part in takes.items() if (change := _fewer_of(p, at, part, over, r)) is not None]
        if alone:
            return (*chain, min(alone, key=lambda c: c.cost))
        at = max(takes, key=lambda k: float(np.minimum(takes[k], over).sum()))
        over = np.maximum(over - takes.pop(at), 0.0)
        mine = _sowings_of(p, at)
        wanted = sum(x.draft.much.wanted for x in mine)
        chain.append(Change("fewer", FEWER_COSTS + 10.0, mine[0], plants=0, wanted=wanted, resource=RESOURCES[r]))
    return ()


def _fewer_of(p: Plan, at: int, part: FloatArray, over: FloatArray, r: int) -> Change | None:
    """How many plants of one want can stay; None where it does not take as much as is over."""
    if not part.any() or (over > part + 1e-6).any():
        return None
    mine = _sowings_of(p, at)
    keeps = float(np.min(np.where(over > 0, (part - over) / np.where(part > 0, part, 1.0), 1.0)))
    trays = sum(trays_of(g, p.tray) for g in p.groups if any(d.at == at for d in g))
    if trays > 1 or RESOURCES[r] == "mat_places":
        # Cells come by whole trays.
        keeps = math.floor(keeps * trays + 1e-6) / trays
    wanted = sum(x.draft.much.wanted for x in mine)
    plants = math.floor(wanted * keeps)
    cost = FEWER_COSTS * (1 - plants / wanted) + 10.0
    return Change("fewer", cost, mine[0], plants=plants, wanted=wanted, resource=RESOURCES[r])


def _sowings_of(p: Plan, at: int) -> list[Planned]:
    return [x for x in p.sowings if x.draft.at == at and x.sow_on]


def _taken_by(p: Plan, at: int, r: int) -> FloatArray:
    """What one want takes of a resource day by day: its part of every tray it is in."""
    out: FloatArray = np.zeros(p.problem.days)
    for group, unit, k in zip(p.groups, p.problem.units, p.result.choice, strict=True):
        share = sum(d.much.cells for d in group if d.at == at) / max(1, sum(d.much.cells for d in group))
        if share > 0:
            for x, y, amount in unit.options[k].use[r]:
                out[max(0, x) : max(0, y)] += share * amount
    return out


def _timers(p: Plan) -> list[Clash]:
    """Weeks in which the crops under lamps need more timers of their own than there are lamps."""
    if p.have.lamps == 0:
        return []
    out = []
    weeks = [w for w in p.load if w.settings > p.have.lamps]
    runs: list[list[date]] = []
    for w in weeks:
        if runs and (w.monday - runs[-1][-1]).days == 7:
            runs[-1].append(w.monday)
        else:
            runs.append([w.monday])
    most = {w.monday: w.settings for w in weeks}
    for run in runs:
        need = max(most[m] for m in run)
        change = Change("more", MORE_COSTS, amount=float(need - p.have.lamps), resource="lamp_timers")
        out.append(
            Clash("lamp_timers", run[0], run[-1] + timedelta(days=7), need - p.have.lamps, need, p.have.lamps, (), ((change,),))
        )  # fmt: skip
    return out
