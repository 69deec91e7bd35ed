"""What to grow again of last season, what to change and what to drop, by what came of it; and dates as they really went."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from fennet.core.planning.results import Result
from fennet.core.records import Want
from fennet.core.variety_notes import VarietyNotes

#: Planted so much of what was wanted, it is enough; under so much it fell short. Source: growers_rule.
ENOUGH, SHORT = 0.9, 0.6
#: A mark of taste under this speaks for another variety. Source: growers_rule.
POOR_TASTE = 2.5
#: Planted so many days later than wanted, the date was no good; seed of which less lives is dropped. Source: growers_rule.
LATE_D, TOO_WEAK = 4, 0.4


@dataclass(frozen=True)
class Advice:
    """What to do with a want: `verdict` repeat, change, drop or new (nothing was sown of it); `reasons` as keys with their
    figures, the weightiest first; `out_by` corrected by when the last went out; seed left and the share of it that lives."""

    verdict: str
    reasons: Sequence[tuple[str, Mapping[str, object]]]
    out_by: date | None
    seeds_left: int | None
    alive: float | None


def advice(
    want: Want, result: Result, notes: VarietyNotes, better: str | None, planted_on: date | None, seeds_left: int | None,
    alive: float | None,
) -> Advice:  # fmt: skip
    """Advice on a want by what came of it. `better` the variety of the kind that did best, where that is another one;
    `planted_on` the day the last of it went out. Source: growers_rule.
    """
    reasons: list[tuple[str, Mapping[str, object]]] = []
    wanted = want.plants or 0
    drop = change = False
    if notes.did is not None and notes.did.taste is not None and notes.did.taste < POOR_TASTE:
        drop = True
        reasons.append(("tasted_poor", {"taste": notes.did.taste}))
    if notes.failed is not None:
        change = True
        f = notes.failed
        reasons.append(("failed", {"up": f.up, "of": f.of, "lost": dict(f.lost), "cause": f.cause, "year": f.year}))
    if wanted and result.planted and result.planted < SHORT * wanted:
        change = True
        reasons.append(("fell_short", {"planted": result.planted, "wanted": wanted}))
    elif wanted and result.planted >= ENOUGH * wanted:
        reasons.append(("enough", {"planted": result.planted, "wanted": wanted}))
    if better is not None:
        change = True
        reasons.append(("better", {"variety": better}))
    if alive is not None and alive < TOO_WEAK:
        change = True
        reasons.append(("weak_seed", {"alive": alive}))
    if not reasons and result.batches:
        reasons.append(("growing", {}))
    out_by = want.out_by
    if planted_on is not None and want.out_by is not None:
        late = (planted_on - want.out_by).days
        if late > LATE_D:
            reasons.append(("went_out_late", {"days": late}))
            out_by = want.out_by + timedelta(days=late)
    if not result.batches:
        return Advice("new", (("not_sown", {}), *reasons), want.out_by, seeds_left, alive)
    return Advice("drop" if drop else "change" if change else "repeat", tuple(reasons), out_by, seeds_left, alive)
