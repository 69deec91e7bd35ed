"""All that a garden has learned, line by line, each with what it rests on: to be read, corrected and forgotten."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from scipy.special import ndtr, ndtri

from fennet.core.crop import LEARNED_HERE, Crop
from fennet.core.learning.corrections import own_figure
from fennet.core.learning.garden import GROWN_ON_LIVE, SEEDLINGS_LIVE, Learned, log_odds
from fennet.core.learning.pooling import Figure, Pool
from fennet.core.seed import USUAL_RATE
from fennet.core.sowing_quantity import SURVIVAL
from fennet.core.working import Input, Interval, Working

_P90 = 1.2816
#: What a line of a kind or a variety speaks of: not of a season, nor of one batch.
LASTING = ("garden", "crop", "variety")


@dataclass(frozen=True)
class Line:
    """One thing learned of a kind and variety (none named: of all of it). `measure` pace: days to come up, times the table's;
    spread: how far apart they come, times the table's; alive: of seed labelled 85 %, the share that came; survival: the share of
    what is up that lives to be planted, seedlings of it to grow on, grown_on from there; height and leaves: how tall it grows and
    days from leaf to leaf, times the table's. With its 80 % range, how many batches and seasons it rests on, the grower's own
    figure where there is one, and its working."""

    measure: str
    crop: str
    variety: str
    value: Interval[float]
    rests_on: int
    seasons: int
    own: float | None
    working: Working


@dataclass(frozen=True)
class YearLine:
    """How a year was, all kinds together: days times what was expected, with its 80 % range; how many batches; and whether it is
    left out."""

    year: int
    times: Interval[float]
    rests_on: int
    left_out: bool


def lines(learned: Learned, crops: Mapping[str, Crop]) -> list[Line]:
    """Every line by kind and variety, in the order of their names. `crops` by id. Source: empirical_bayes."""
    known = set(learned.known.values())
    out: list[Line] = []
    for crop, variety in sorted(known):
        if crop not in crops:
            continue
        names = {"garden": "", "crop": crop, "variety": f"{crop}|{variety}"}
        for measure, of in (
            ("pace", learned.pace), ("spread", learned.spread), ("alive", learned.alive), ("survival", learned.survival),
            ("seedlings", learned.seedlings), ("grown_on", learned.grown_on),
            ("height", learned.height), ("leaves", learned.leaves),
        ):  # fmt: skip
            own = own_figure(learned.corrections, measure, crop, variety)
            mine = [f for f in of.found if f.names.get("variety") == names["variety"]]
            if mine or own is not None:
                out.append(_line(measure, crop, variety, of.figure(names, of=LASTING), len(mine), of, own))
    return _with_steps(out)


def _with_steps(found: Sequence[Line]) -> list[Line]:
    """Lines of survival with its steps in their working."""
    steps = {(x.crop, x.variety, x.measure): x.value for x in found}

    def told(x: Line) -> Line:
        own = [
            Input(name, round(v.p50, 3), f"of 1, {v.p10:.2f} to {v.p90:.2f}", LEARNED_HERE)
            for measure, name in (("seedlings", "of that living to grow on"), ("grown_on", "and from there to be planted"))
            if (v := steps.get((x.crop, x.variety, measure))) is not None
        ]  # fmt: skip
        return replace(x, working=replace(x.working, inputs=(*own, *x.working.inputs))) if x.measure == "survival" else x

    return [told(x) for x in found]


def _line(measure: str, crop: str, variety: str, f: Figure, n: int, of: Pool, own: float | None) -> Line:
    low, middle, high = (_shown(measure, f.off + z * f.sd) for z in (-_P90, 0.0, _P90))
    value = Interval(min(low, high), middle, max(low, high))
    says = {
        "pace": ("days to come up against the table", "× the table's days", ""),
        "spread": ("spread of waits against the table", "× the table's spread", ""),
        "alive": ("share that comes of seed labelled 85 %", "of 1", "label, age, depth and warmth are reckoned with"),
        "height": ("height against the table", "× the table’s height", "light, warmth, hands and the variety’s nature together"),
        "leaves": ("days from leaf to leaf against the table", "× the table’s days", ""),
        "seedlings": ("share of what is up that grows on", "of 1", "only batches of which nearly all are accounted for"),
        "grown_on": ("share of what grows on that is planted", "of 1", "only batches of which nearly all are accounted for"),
        "survival": ("share of what is up that is planted", "of 1", "only batches of which nearly all are accounted for"),
    }[measure]
    working = Working(
        says[0],
        (
            Input("batches of this variety", n, "", LEARNED_HERE),
            Input("batches in all", len(of.found), "", LEARNED_HERE),
            Input("how far varieties of a kind lie apart here", round(of.sd.get("variety", 0.0), 3), ""),
            Input("how far one batch lies from the next", round(of.sd[of.finding.name], 3), ""),
        ),
        "garden, kind and variety drawn together from every batch, each towards nothing by how little it rests on",
        ("empirical_bayes", LEARNED_HERE), says[2] or "this garden alone", round(middle, 3), says[1],
    )  # fmt: skip
    return Line(measure, crop, variety, value, n, f.seasons, own, working)


def _shown(measure: str, off: float) -> float:
    if measure == "pace":
        return math.exp(-off)
    if measure in ("spread", "height", "leaves"):
        return math.exp(off)
    if measure == "alive":
        return float(ndtr(float(ndtri(USUAL_RATE)) + off))
    usual = {"seedlings": SEEDLINGS_LIVE, "grown_on": GROWN_ON_LIVE}.get(measure, SURVIVAL)
    return 1.0 / (1.0 + math.exp(-(log_odds(usual) + off)))


def years(learned: Learned) -> list[YearLine]:
    """How each year was against the others, all kinds together, the latest first."""
    out = []
    for year in sorted({x.year for x in learned.lessons}, reverse=True):
        mine = [f for f in learned.pace.found if f.names.get("season") == str(year)]
        f = learned.pace.figure({"season": str(year)}, of=("season",))
        left_out = any(c.leave_out and c.year == year for c in learned.corrections)
        low, middle, high = (math.exp(-(f.off + z * f.sd)) for z in (_P90, 0.0, -_P90))
        out.append(YearLine(year, Interval(low, middle, high), len(mine), left_out))
    return out
