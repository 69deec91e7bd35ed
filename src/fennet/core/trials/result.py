"""What a trial answered: what was asked and nothing else, and what spoiled it."""

from __future__ import annotations

import statistics
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, pairwise

import numpy as np

from fennet.core.comparing.emergence import Came, came
from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S
from fennet.core.hardening.after import after_of
from fennet.core.history import counts_of, lost_of, over_s
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.scoring import settled_s
from fennet.core.trials.ranks import LEVEL, Block, chance_by_lot
from fennet.core.trials.trial import Trial, TrialGroup
from fennet.core.working import Input, Interval, Working

#: Groups sown farther apart than this were not sown together; a trial marked later than this after sowing was asked afterwards.
TOGETHER_D, AFTERWARDS_D = 1.0, 1.0
#: Samples drawn for the range of a difference.
SAMPLES = 1000


@dataclass(frozen=True)
class Side:
    """One group's part: how many of how many came, its middle figure for what was asked (days, or a share; None where nothing
    tells), and how many figures that rests on."""

    name: str
    up: int
    of: int
    middle: float | None
    figures: int


@dataclass(frozen=True)
class Answer:
    """How far side b lies above side a in what was asked, with its 95 % range; the chance of as much by the lot alone, and among
    as many pairs as the trial has; whether that is a claim."""

    a: str
    b: str
    difference: float
    range: Interval[float]
    chance: float
    chance_adjusted: float

    @property
    def shown(self) -> bool:
        return self.chance_adjusted <= LEVEL


@dataclass(frozen=True)
class Result:
    """`state`: waiting (not all is in), answered, or cannot_tell. `spoiled` what speaks against the answer, as keys with the
    batch or group they are about."""

    trial: Trial
    state: str
    sides: tuple[Side, ...]
    answers: tuple[Answer, ...]
    spoiled: tuple[tuple[str, str], ...]
    working: Working | None = None


def result_of(trial: Trial, journal: Journal, crops: Mapping[str, Crop], events: Sequence[Event], at_s: float) -> Result:
    """What a trial says at a moment (seconds UTC). `crops` by the names batches spell. `events` are effective events.

    Groups side by side in the same trays are put to the test their plan by lot allows; groups that never shared a tray cannot be
    told from their trays, and the result says so. Yield and taste are ranks of a few batches: given, never claimed. Source:
    fisher_1935.
    """
    by_id = {b.id: b for b in journal.batches}
    found = {g.name: [by_id[i] for i in g.batches if i in by_id and by_id[i].sown_at.timestamp() <= at_s] for g in trial.groups}
    spoiled = _spoiled(trial, journal, found, events, at_s)
    told = {name: [_came(journal, crops, b, events, at_s) for b in of if b.crop in crops] for name, of in found.items()}
    figures = {name: [_figures(trial.measure, c, events, at_s) for c in cs] for name, cs in told.items()}
    spoiled += [(c.told, c.batch.id) for cs in told.values() for c in cs if c.told and c.told != "still_coming"]
    sides = tuple(_side(g, told[g.name], figures[g.name]) for g in trial.groups)
    waiting = any(not found[g.name] for g in trial.groups) or any(c.told == "still_coming" for cs in told.values() for c in cs)
    if waiting and not any(key == "given_up" for key, _ in spoiled):
        return Result(trial, "waiting", sides, (), tuple(dict.fromkeys(spoiled)))
    if any(s.middle is None for s in sides):
        return Result(trial, "cannot_tell", sides, (), tuple(dict.fromkeys(spoiled)))
    if trial.measure in ("yield", "taste"):
        return Result(trial, "answered", sides, (), tuple(dict.fromkeys(spoiled)))
    answers = []
    beside = True
    for a, b in combinations(trial.groups, 2):
        blocks = _blocks(told, figures, a.name, b.name)
        beside = beside and any(0 < x.second.sum() < len(x.value) for x in blocks)
        first, second = (np.concatenate([*figures[g.name], np.zeros(0)]) for g in (a, b))
        difference, span = _difference(trial.measure, first, second)
        chance = chance_by_lot(blocks)
        answers.append(Answer(a.name, b.name, difference, span, chance, chance))
    if not beside:
        spoiled.append(("not_beside", ""))
    working = Working(
        "difference between the groups",
        tuple(Input(s.name, round(s.middle, 2) if s.middle is not None else None, f"middle of {s.figures}") for s in sides),
        "the middle of all differences between a cell of the one and a cell of the other; its chance by drawing the lot anew "
        "within each tray, adjusted for the pairs of the trial (Holm)",
        ("fisher_1935", "holm_1979"), "groups placed by lot side by side in the same trays",
    )  # fmt: skip
    state = "answered" if beside else "cannot_tell"
    return Result(trial, state, sides, tuple(_adjusted(answers)), tuple(dict.fromkeys(spoiled)), working)


def _came(journal: Journal, crops: Mapping[str, Crop], batch: Batch, events: Sequence[Event], at_s: float) -> Came:
    """What came of a batch, by days at target warmth; where nobody read its soil, by the calendar: side by side in one tray all
    had the same."""
    c = came(journal, crops[batch.crop], batch, events, at_s)
    counts = counts_of(batch, events)
    if c.told not in ("no_readings", "gap") or not counts.at_s:
        return c
    sown_s = batch.sown_at.timestamp()
    if settled_s(counts, sown_s, over_s(batch, events, at_s), at_s) is None:
        return replace(c, told="still_coming")
    looks = (np.array(counts.at_s) - sown_s) / DAY_S
    new = np.diff(np.array([0, *counts.total]))
    middle = (np.concatenate([[0.0], looks[:-1]]) + looks) / 2
    return Came(batch, counts.of, counts.up, np.repeat(middle, new), float(looks[-1]))


def _figures(measure: str, c: Came, events: Sequence[Event], at_s: float) -> FloatArray:
    """What each cell of a batch showed of what was asked: days of those that came; 1 or 0 for a share; one figure for a batch."""
    if measure == "emergence":
        return c.days
    if measure == "came":
        return np.concatenate([np.ones(c.up), np.zeros(c.of - c.up)])
    known = [e for e in events if e.at_s <= at_s]
    after = after_of(c.batch, known, at_s)
    if measure == "lived":
        planted_s = after.planted_s if after is not None else at_s
        died = min(c.up, lost_of(c.batch, [e for e in known if e.at_s < planted_s]))
        return np.concatenate([np.ones(c.up - died), np.zeros(died)])
    if after is None:
        return np.zeros(0)
    if measure == "taste":
        return np.array([after.taste]) if after.taste is not None else np.zeros(0)
    return np.array([after.grams / after.planted]) if after.grams is not None and after.planted else np.zeros(0)


def _side(g: TrialGroup, told: Sequence[Came], figures: Sequence[FloatArray]) -> Side:
    every = np.concatenate([*figures, np.zeros(0)])
    middle = None if not len(every) else float(np.median(every)) if every.max() > 1.0 else float(every.mean())
    return Side(g.name, sum(c.up for c in told), sum(c.of for c in told), middle, len(every))


def _blocks(told: Mapping[str, Sequence[Came]], figures: Mapping[str, Sequence[FloatArray]], a: str, b: str) -> list[Block]:
    """Two groups' figures tray by tray."""
    by_tray: dict[str, tuple[list[FloatArray], list[FloatArray]]] = {}
    for i, name in enumerate((a, b)):
        for c, x in zip(told[name], figures[name], strict=True):
            by_tray.setdefault(c.batch.tray or c.batch.id, ([], []))[i].append(x)
    out = []
    for first, second in by_tray.values():
        one, other = np.concatenate([*first, np.zeros(0)]), np.concatenate([*second, np.zeros(0)])
        out.append(Block(np.concatenate([one, other]), np.arange(len(one) + len(other)) >= len(one)))
    return out


def _difference(measure: str, first: FloatArray, second: FloatArray) -> tuple[float, Interval[float]]:
    """How far the second lies above the first: the middle of all pairs for times, of means for shares, with a 95 % range by
    sampling anew."""

    def between(x: FloatArray, y: FloatArray) -> float:
        return float(np.median(y[:, None] - x[None, :])) if measure == "emergence" else float(y.mean() - x.mean())

    rng = np.random.default_rng(20260402)
    x = first if len(first) <= 400 else rng.choice(first, 400, replace=False)
    y = second if len(second) <= 400 else rng.choice(second, 400, replace=False)
    middle = between(x, y)
    n = SAMPLES if len(x) * len(y) <= 2_500 else 200
    drawn = [between(rng.choice(x, len(x)), rng.choice(y, len(y))) for _ in range(n)]
    low, high = (float(q) for q in np.percentile(drawn, (2.5, 97.5)))
    return middle, Interval(low, middle, high)


def _adjusted(answers: Sequence[Answer]) -> list[Answer]:
    """Chances adjusted for the pairs of the trial. Source: holm_1979."""
    order = sorted(range(len(answers)), key=lambda i: answers[i].chance)
    out = list(answers)
    least = 0.0
    for rank, i in enumerate(order):
        a = answers[i]
        least = min(1.0, max(least, a.chance * (len(answers) - rank)))
        out[i] = Answer(a.a, a.b, a.difference, a.range, a.chance, least)
    return out


def _spoiled(
    trial: Trial, journal: Journal, found: Mapping[str, Sequence[Batch]], events: Sequence[Event], at_s: float
) -> list[tuple[str, str]]:
    """What speaks against an answer: in how groups were sown, what else differs between them, and how they were kept."""
    every = [b for batches in found.values() for b in batches]
    out: list[tuple[str, str]] = [("not_sown", g.name) for g in trial.groups if not found[g.name]]
    if not every:
        return out
    sown = [b.sown_at.timestamp() for b in every]
    if trial.made_at is not None and trial.made_at.timestamp() > min(sown) + AFTERWARDS_D * DAY_S:
        out.append(("asked_afterwards", ""))
    if max(sown) - min(sown) > TOGETHER_D * DAY_S:
        out.append(("different_days", ""))
    what: dict[str, Callable[[Batch], object]] = {
        "variety": lambda b: (b.variety or "").casefold(), "lot": lambda b: b.seed_lot, "depth": lambda b: b.depth_mm,
        "mix": lambda b: b.mix.kind if b.mix is not None else None, "crop": lambda b: b.crop,
        "seeds_per_cell": lambda b: b.n_seeds_per_cell,
    }  # fmt: skip
    # A variety has its own packet; seed of another source or saving does too.
    free = {trial.differs, *({"lot"} if trial.differs in ("variety", "source", "saved") else set())}
    for name, of in what.items():
        if name not in free and len({of(b) for b in every}) > 1:
            out.append((f"also_{name}", ""))
    for b in every:
        if any(e.kind == "gave_up" and e.fields.get("batch") == b.id for e in events):
            out.append(("given_up", b.id))
        looks = counts_of(b, events).at_s
        gaps = [(y - x) / DAY_S for x, y in pairwise(looks)]
        if trial.measure == "emergence" and gaps and trial.see is not None and statistics.median(gaps) > max(1.5, trial.see):
            out.append(("looked_seldom", b.id))
    if trial.cells is not None:
        out += [("too_few", name) for name, batches in found.items() if batches and sum(b.n_cells for b in batches) < trial.cells]
    return out
