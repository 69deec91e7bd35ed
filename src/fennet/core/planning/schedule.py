"""Which day each sowing goes in, so that mats, shelves and lamps hold them all: a search that always gives the same answer.

The problem: units (whole trays that move together), each with some options (a day, with or without a mat), each option a use of
every resource day by day. Wanted: no resource over what there is, and each unit as near its best option as that allows.

The search: every unit to its best option first; then, over and over, the unit and option are changed that bring the excess down
most, with what was just changed left alone for a while (a tabu search); where excess stays and the case is small, a
depth-first search with look-ahead settles whether any schedule fits; at last units slide back towards their best days.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fennet.core.records import FloatArray

#: Rounds of the tabu search for each unit, and how long a unit rests after it moved.
ROUNDS_A_UNIT, MOST_ROUNDS, RESTS = 12, 500, 7
#: Rounds without anything better after which the tabu search stops.
PATIENCE = 40
#: Figures that one tabu search may look at in all: what bounds it where units are many.
MOST_LOOKS = 2e7
#: Nodes of the depth-first search before it gives up, and figures it may look at in all.
MOST_NODES, MOST_WORK = 40_000, 3e7
#: Part of what there is that may be over, and the sum under which a schedule fits: shelves are not measured to the millimetre.
TINY, FITS = 1e-6, 1e-5


@dataclass(frozen=True)
class Option:
    """One way to do a unit: `use[r]` is what it takes of resource r as (from day, to day, amount); `cost` what it is short of
    the best way, in days."""

    use: tuple[tuple[tuple[int, int, float], ...], ...]
    cost: float


@dataclass(frozen=True)
class Unit:
    name: str
    options: tuple[Option, ...]


@dataclass(frozen=True)
class Problem:
    """`have[r]` is what there is of resource r each day (inf: unknown, never short); `taken[r, day]` what is in use already."""

    units: tuple[Unit, ...]
    have: FloatArray
    taken: FloatArray

    @property
    def days(self) -> int:
        return int(self.taken.shape[1])


@dataclass(frozen=True)
class Schedule:
    """`choice[i]` is the option of unit i; `excess` the sum of what is over, in parts of what there is, day by day; `settled`
    true where it fits, or where everything was looked through and nothing does."""

    choice: tuple[int, ...]
    excess: float
    cost: float
    settled: bool


#: Excess, cost and the choice that has them.
_Found = tuple[float, float, tuple[int, ...]]


class _State:
    """A choice for every unit with its load. Everything is in parts of what there is; a unit is looked at only within the days
    that its options can touch."""

    def __init__(self, problem: Problem) -> None:
        self.p = problem
        have = problem.have
        # Something of which there is none is short by the whole of what is asked.
        scale = np.where(np.isfinite(have) & (have > 0), have, 1.0)[:, None]
        # What is over already is no unit's fault.
        self.room = np.maximum(have[:, None] - problem.taken, 0.0) / scale + TINY
        self.cost = [np.array([o.cost for o in u.options]) for u in problem.units]
        self.span: list[slice] = []
        self.use: list[FloatArray] = []
        for unit in problem.units:
            spans = [x for o in unit.options for use in o.use for x in use]
            first, last = min((max(0, x[0]) for x in spans), default=0), max((x[1] for x in spans), default=1)
            out = np.zeros((len(unit.options), len(have), max(1, last - first)))
            for k, option in enumerate(unit.options):
                for r, use in enumerate(option.use):
                    for from_d, to_d, amount in use:
                        out[k, r, max(0, from_d) - first : max(0, to_d) - first] += amount / scale[r, 0]
            self.span.append(slice(first, first + out.shape[2]))
            self.use.append(out)
        self.choice = [int(np.argmin(c)) for c in self.cost]
        self.load = np.zeros_like(problem.taken)
        self._excess: float | None = None
        for u in range(len(self.use)):
            self.add(u, 1)

    def add(self, u: int, sign: int) -> None:
        self.load[:, self.span[u]] += sign * self.use[u][self.choice[u]]
        self._excess = None

    def tries(self, u: int, standing: bool = True) -> FloatArray:
        """Excess of the whole for each option of one unit, the rest as they are; `standing`: it is in the load now."""
        span = self.span[u]
        inside = self.load[:, span]
        outside = self.excess - float(np.maximum(inside - self.room[:, span], 0.0).sum())
        rest = inside - self.room[:, span] - (self.use[u][self.choice[u]] if standing else 0.0)
        over = self.use[u] + rest
        np.maximum(over, 0.0, out=over)
        tried: FloatArray = np.round(over.sum(axis=(1, 2)) + outside, 7)
        return tried

    def take(self, u: int, k: int) -> None:
        self.add(u, -1)
        self.choice[u] = k
        self.add(u, 1)

    def restart(self, choice: Sequence[int]) -> None:
        for u, k in enumerate(choice):
            self.take(u, k)

    @property
    def excess(self) -> float:
        if self._excess is None:
            self._excess = float(np.maximum(self.load - self.room, 0.0).sum())
        return self._excess

    @property
    def total_cost(self) -> float:
        return float(sum(c[k] for c, k in zip(self.cost, self.choice, strict=True)))

    @property
    def found(self) -> _Found:
        return round(self.excess, 7), self.total_cost, tuple(self.choice)

    def touching(self) -> list[int]:
        """Units that take part in what is over."""
        hot = self.load > self.room
        return [
            u for u, span in enumerate(self.span) if bool((self.use[u][self.choice[u]][hot[:, span]] > 0).any())
        ]  # fmt: skip


def greedy(problem: Problem) -> Schedule:
    """Each unit in turn, by its best day, takes the option that adds least excess: what one does on an envelope."""
    state = _State(problem)
    order = sorted(range(len(problem.units)), key=lambda u: _first_day(problem.units[u].options[state.choice[u]]))
    state.load[:] = 0.0
    for u in order:
        state.choice[u] = int(np.lexsort((state.cost[u], state.tries(u, standing=False)))[0])
        state.add(u, 1)
    return Schedule(tuple(state.choice), state.excess, state.total_cost, False)


def _first_day(option: Option) -> int:
    return min((a for spans in option.use for a, _, _ in spans), default=0)


def schedule(problem: Problem) -> Schedule:
    """The best schedule found: no excess if one fits, and near the best days. Deterministic; a case of 60 units in under 2 s.

    Range: at least one option a unit; days from 0. Raises ValueError for a unit without options.
    """
    if any(not u.options for u in problem.units):
        raise ValueError("a unit without options cannot be scheduled")
    if not problem.units:
        return Schedule((), 0.0, 0.0, True)
    state = _State(problem)
    best = _tabu(state)
    settled = best[0] <= FITS
    if not settled:
        state.restart(greedy(problem).choice)
        best = min(best, _tabu(state), key=lambda found: found[:2])
        settled = best[0] <= FITS
    if not settled:
        chosen, settled = _search(state)
        if chosen is not None:
            state.restart(chosen)
            best = state.found
    state.restart(best[2])
    _slide(state)
    return Schedule(tuple(state.choice), max(0.0, round(state.excess, 6)), state.total_cost, settled)


def _tabu(state: _State) -> _Found:
    n = len(state.use)
    rests = [0] * n
    best, better_at, looks = state.found, 0, 0
    for turn in range(1, min(MOST_ROUNDS, ROUNDS_A_UNIT * n) + 1):
        if best[0] <= FITS or turn - better_at > PATIENCE or looks > MOST_LOOKS:
            break
        move: tuple[float, float, int, int] | None = None
        for u in state.touching():
            over = state.tries(u)
            looks += state.use[u].size
            over[state.choice[u]] = math.inf
            k = int(np.lexsort((state.cost[u], over))[0])
            # A resting unit may move only to something better than all before.
            if math.isinf(over[k]) or (rests[u] > turn and over[k] >= best[0]):
                continue
            step = (float(over[k]), float(state.cost[u][k]), u, k)
            if move is None or step < move:
                move = step
        if move is None:
            break
        _, _, u, k = move
        state.take(u, k)
        rests[u] = turn + RESTS + (u * 3 + turn) % 5
        if state.found[:2] < best[:2]:
            best, better_at = state.found, turn
    return best


def _search(state: _State) -> tuple[list[int] | None, bool]:
    """Depth first with look-ahead: a choice without excess, or None; and whether everything was looked through."""
    n = len(state.use)
    fits = [np.nonzero((use <= state.room[:, span]).all(axis=(1, 2)))[0] for use, span in zip(state.use, state.span, strict=True)]
    if any(not len(a) for a in fits):
        return None, True
    # What one look at every option costs decides how many looks there can be.
    nodes = min(MOST_NODES, int(MOST_WORK / sum(use.size for use in state.use)))
    chosen = [-1] * n
    load = np.zeros_like(state.load)

    def visit(left: list[int], open_options: dict[int, NDArray[np.intp]]) -> bool | None:
        nonlocal nodes
        if not left:
            return True
        u = min(left, key=lambda x: (len(open_options[x]), x))
        rest = [x for x in left if x != u]
        for k in sorted(open_options[u], key=lambda o: (state.cost[u][o], o)):
            nodes -= 1
            if nodes < 0:
                return None
            load[:, state.span[u]] += state.use[u][k]
            still = {}
            for x in rest:
                free = state.room[:, state.span[x]] - load[:, state.span[x]]
                still[x] = open_options[x][(state.use[x][open_options[x]] <= free).all(axis=(1, 2))]
                if not len(still[x]):
                    break
            else:
                chosen[u] = int(k)
                found = visit(rest, still)
                if found or found is None:
                    return found
            load[:, state.span[u]] -= state.use[u][k]
        return False

    found = visit(list(range(n)), dict(enumerate(fits)))
    return (chosen if found else None), found is not None


def _slide(state: _State) -> None:
    """Move units, and pairs of units, towards their best options while the excess does not grow."""
    n = len(state.use)
    for _ in range(4):
        moved = False
        limit = round(state.excess, 7)
        for u in sorted(range(n), key=lambda x: -state.cost[x][state.choice[x]]):
            good = np.nonzero((state.tries(u) <= limit) & (state.cost[u] < state.cost[u][state.choice[u]] - 1e-9))[0]
            if len(good):
                state.take(u, int(good[np.argmin(state.cost[u][good])]))
                moved = True
        if not moved and (limit > FITS or not _exchange(state, limit)):
            break


def _exchange(state: _State, limit: float) -> bool:
    """One unit to a better option, another out of its way, where the two together cost less."""
    late = [u for u in range(len(state.use)) if state.cost[u][state.choice[u]] > 0]
    moved = False
    for u in sorted(late, key=lambda x: -state.cost[x][state.choice[x]])[:20]:
        was = state.choice[u]
        better = np.nonzero(state.cost[u] < state.cost[u][was] - 1e-9)[0]
        for k in better[np.argsort(state.cost[u][better], kind="stable")][:6]:
            gain = state.cost[u][was] - state.cost[u][k]
            state.take(u, int(k))
            others = [x for x in state.touching() if x != u]
            pair = None
            for x in others[:8]:
                over = state.tries(x)
                price = state.cost[x] - state.cost[x][state.choice[x]]
                good = np.nonzero((over <= limit) & (price < gain - 1e-9))[0]
                if len(good):
                    step = (float(price[good].min()), x, int(good[np.argmin(price[good])]))
                    pair = step if pair is None else min(pair, step)
            if pair is not None:
                state.take(pair[1], pair[2])
                moved = True
                break
            state.take(u, was)
    return moved
