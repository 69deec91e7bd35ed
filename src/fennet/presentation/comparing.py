"""Comparisons in words and as a document."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fennet.core.comparing.comparison import Comparison, Group
from fennet.core.comparing.pairs import Difference
from fennet.core.comparing.shares import ShareDifference
from fennet.presentation.formatter import Formatter


def difference_words(d: Difference, fmt: Formatter) -> str:
    """What two groups show, in a sentence that says how little where it is little."""
    trays = " against ".join(f"{fmt.small(n)} {'tray' if n == 1 else 'trays'}" for n in d.trays)
    if d.shown:
        later, sooner = (d.b, d.a) if d.days > 0 else (d.a, d.b)
        low, high = sorted((abs(d.low), abs(d.high)))
        span = f"{fmt.number(low)} to {fmt.number(high)}"
        return f"{later} came {fmt.days(abs(d.days))} later than {sooner} at the same warmth ({span})."
    return f"{trays.capitalize()} say too little: {d.a} and {d.b} would have to differ by {fmt.days(d.least_shown)} to show."


SHARES = {"came": "came up", "survival": "lived to be planted"}


def share_words(d: ShareDifference, fmt: Formatter) -> str:
    """What two groups show of a share; empty where they show nothing."""
    if not d.shown:
        return ""
    more, less = (d.b, d.a) if d.share > 0 else (d.a, d.b)
    low, high = sorted((abs(d.low), abs(d.high)))
    span = f"{fmt.percent(low)} to {fmt.percent(high)}"
    return f"More of {more} than of {less} {SHARES[d.measure]}: {fmt.percent(abs(d.share))} more ({span})."


def ranks(groups: Sequence[Group], fmt: Formatter) -> list[str]:
    """Yield and taste of the groups of one kind as ranks: so few say no more."""
    out = []
    yields = [(g.grams / g.planted, g.name) for g in groups if g.grams is not None and g.planted]
    tastes = [(g.taste, g.name) for g in groups if g.taste is not None]
    for name, found, unit in (("Heaviest", yields, "g a plant"), ("Best tasting", tastes, "of 5")):
        if len(found) > 1:
            order = ", ".join(f"{who} {fmt.number(x, 0 if unit != 'of 5' else 1)}" for x, who in sorted(found, reverse=True))
            out.append(f"{name} first: {order} {unit}.")
    return out


UNTOLD = {
    "no_readings": "nobody read its soil", "gap": "its soil was not read for days", "not_counted": "nobody counted it",
    "not_sown": "it came as plants", "still_coming": "more of it may still come",
}  # fmt: skip


def untold_words(batch: str, why: str) -> str:
    """Why a batch says nothing of pace."""
    return f"{batch} is left out of the days: {UNTOLD.get(why, 'its record has a gap')}."


def as_json(c: Comparison, fmt: Formatter) -> dict[str, Any]:
    """A comparison as its command gives it (formats)."""
    pairs = [
        {
            "crop": crop, "a": d.a, "b": d.b, "measure": "emergence", "difference": round(d.days, 2),
            "range": [round(d.low, 2), round(d.high, 2)], "p": _chance(d.p), "p_adjusted": _chance(d.p_adjusted),
            "log_rank_p": _chance(d.log_rank_p), "least_shown": round(d.least_shown, 2), "says": difference_words(d, fmt),
        }
        for crop, d in c.pairs
    ]  # fmt: skip
    pairs += [
        {
            "crop": crop, "a": d.a, "b": d.b, "measure": d.measure, "difference": round(d.share, 4),
            "range": [round(d.low, 4), round(d.high, 4)], "p": _chance(d.p), "p_adjusted": _chance(d.p_adjusted),
            "says": share_words(d, fmt) or "So few trays show no difference.",
        }
        for crop, d in c.shares
    ]  # fmt: skip
    return {"by": c.by, "groups": [_group(g) for g in c.groups], "pairs": pairs}


def _group(g: Group) -> dict[str, Any]:
    half = (
        None if g.pace is None else {k: round(v, 2) for k, v in (("p10", g.pace.p10), ("p50", g.pace.p50), ("p90", g.pace.p90))}
    )
    return {
        "crop": g.crop, "name": g.name, "batches": g.batches, "sown": g.sown, "up": g.up, "days_to_half": half,
        "planted": g.planted, "harvest_g": g.grams, "taste": g.taste, "cannot_tell": dict(g.untold),
        "lived": list(g.lived) if g.lived is not None else None, "planted_after_d": _rounded(g.planted_d, 1),
        "stretch": _rounded(g.stretch, 2),
    }  # fmt: skip


def _rounded(value: float | None, digits: int) -> float | None:
    return None if value is None else round(value, digits)


def _chance(p: float) -> float:
    return float(f"{p:.3g}")
