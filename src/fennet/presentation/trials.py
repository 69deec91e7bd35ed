"""Trials in words: what was asked, what came of it, and what spoiled it."""

from __future__ import annotations

from fennet.core.trials.power import Needed
from fennet.core.trials.result import Answer, Result, Side
from fennet.core.trials.trial import Trial
from fennet.presentation.comparing import UNTOLD
from fennet.presentation.formatter import Formatter

DIFFERS_WORDS = {
    "variety": "variety", "lot": "packet of seed", "depth": "depth", "source": "where the seed is from",
    "saved": "saved at home against bought", "mix": "mix", "lamp": "lamp", "mat": "mat", "practice": "practice",
    "other": "something else",
}  # fmt: skip
MEASURE_WORDS = {
    "emergence": "when it comes up", "came": "how much of it comes up", "lived": "how much lives to be planted",
    "yield": "what it gives", "taste": "how it tastes",
}  # fmt: skip
SPOILED = {
    "not_sown": "{of} is not sown.",
    "asked_afterwards": "It was marked after sowing: what is found now was not asked beforehand.",
    "different_days": "The groups were not sown on one day.",
    "given_up": "{of} was given up early: what would still have come is not known.",
    "looked_seldom": "{of} was looked at too seldom for so small a difference.",
    "too_few": "{of} has fewer cells than the trial needs.",
    "not_beside": "The groups stood in different trays: their trays differ as well, and nothing tells the two apart.",
    "also_variety": "They differ in variety as well.", "also_lot": "They differ in their packet of seed as well.",
    "also_depth": "They differ in depth as well.", "also_mix": "They differ in their mix as well.",
    "also_crop": "They are not of one kind.", "also_seeds_per_cell": "They differ in seeds a cell as well.",
}  # fmt: skip


def spoiled_words(key: str, of: str) -> str:
    """What speaks against an answer."""
    if key in SPOILED:
        return SPOILED[key].format(of=of)
    return f"{of} says nothing: {UNTOLD.get(key, 'its record has a gap')}."


def figure_words(measure: str, value: float | None, fmt: Formatter) -> str:
    """One side's figure."""
    if value is None:
        return "not known"
    if measure == "emergence":
        return f"{fmt.number(value)} days"
    if measure == "yield":
        return f"{fmt.number(value, 0)} g a plant"
    return f"{fmt.number(value)} of 5" if measure == "taste" else fmt.percent(value)


def answer_words(a: Answer, measure: str, fmt: Formatter) -> str:
    """What a trial shows of two groups, in one sentence."""
    if not a.shown:
        return f"{a.a} and {a.b}: nothing shows. The lot alone would set them as far apart {_often(a.chance_adjusted)}."
    low, high = sorted((abs(a.range.p10), abs(a.range.p90)))
    if measure == "emergence":
        later, sooner = (a.b, a.a) if a.difference > 0 else (a.a, a.b)
        span = (
            f"up to {fmt.number(high)} days"
            if a.range.p10 <= 0 <= a.range.p90
            else f"{fmt.number(low)} to {fmt.number(high)} days"
        )
        return f"{later} comes {fmt.days(abs(a.difference))} later than {sooner} ({span})."
    more, less = (a.b, a.a) if a.difference > 0 else (a.a, a.b)
    verb = "comes up" if measure == "came" else "lives"
    span = f"{fmt.percent(low)} to {fmt.percent(high)}"
    return f"More of {more} {verb} than of {less}: {fmt.percent(abs(a.difference))} more ({span})."


def _often(chance: float) -> str:
    return "nearly always" if chance > 0.9 else f"in {max(1, round(chance * 100))} of 100 trials"


def result_words(r: Result, fmt: Formatter) -> list[str]:
    """The answer to what was asked, and nothing else."""
    if r.state == "waiting":
        missing = [name for key, name in r.spoiled if key == "not_sown"]
        return [f"Not sown yet: {', '.join(missing)}." if missing else "It is under way: more may still come."]
    if r.trial.measure in ("yield", "taste"):
        return [f"{ranks(r, fmt)} So few batches say little of {MEASURE_WORDS[r.trial.measure]}."]
    if r.state == "cannot_tell":
        return ["It cannot be told: see what spoiled it."]
    return [answer_words(a, r.trial.measure, fmt) for a in r.answers]


def ranks(r: Result, fmt: Formatter) -> str:
    """The sides in order, the best first."""
    known: list[Side] = sorted((s for s in r.sides if s.middle is not None), key=lambda s: -(s.middle or 0.0))
    return ", ".join(f"{s.name} {figure_words(r.trial.measure, s.middle, fmt)}" for s in known) + "."


def needed_words(n: Needed | None, trial: Trial, fmt: Formatter) -> str:
    """How many cells each group needs; empty where nobody said what difference matters."""
    if n is None or trial.see is None:
        return ""
    size = fmt.days(trial.see) if trial.measure == "emergence" else fmt.percent(trial.see)
    planned = ""
    if trial.cells and n.planned is not None:
        planned = f" With the {trial.cells} planned, such a difference shows in {fmt.percent(n.planned)} of trials."
    if n.cells is None:
        return f"No tray holds enough cells to show {size} in four of five trials: ask for a larger difference.{planned}"
    return f"To show {size} in four of five trials each group needs {n.cells} cells side by side.{planned}"
