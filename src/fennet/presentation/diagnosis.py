"""A finding in words: the verdict, what speaks, the check, the remedies with their cautions."""

from __future__ import annotations

from functools import singledispatch
from typing import Any

from fennet.core.care.feeding import QUARTER_MG
from fennet.core.diagnosis.finding import (
    ArguedCause,
    DampingFigures,
    Figures,
    Finding,
    LeggyFigures,
    Remedy,
    SignsFigures,
    SlowFigures,
)
from fennet.core.stretch import LEGGY_FROM
from fennet.presentation.entries import SIGN_WORDS
from fennet.presentation.evidence import complaint_words, evidence_words
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import counted_word

#: What each cause is called; what to do to hear a witness; what each outcome is called on its button, and once it was heard; what
#: is missing; remedies with the effect expected, and the caution that stands beside the act.
CAUSE_NAMES: dict[str, str] = complaint_words()["causes"]
CHECKS: dict[str, str] = {w: x["do"] for w, x in complaint_words()["checks"].items() if x["do"]}
OUTCOMES: dict[str, dict[str, str]] = {w: x["buttons"] for w, x in complaint_words()["checks"].items() if "buttons" in x}
MISSING: dict[str, str] = {
    **complaint_words()["missing"],
    **{w: x["missing"] for w, x in complaint_words()["checks"].items() if x["missing"]},
}
REMEDIES: dict[str, tuple[str, str]] = {d: (x["do"], x["effect"]) for d, x in complaint_words()["remedies"].items() if "do" in x}
CAUTIONS: dict[str, str] = {d: x["caution"] for d, x in complaint_words()["remedies"].items() if "caution" in x}


def verdict_words(f: Finding, fmt: Formatter) -> str:
    """The verdict in one sentence."""
    words = _verdict(f.figures, f, fmt)
    return (words[0].upper() + words[1:] + ".").replace(" %", "\N{NO-BREAK SPACE}%")


def likely_words(f: Finding, fmt: Formatter) -> str:
    """What the likeliest cause is, and how sure that is."""
    main = f.main
    if main is None or main.cause == "unexplained":
        return "Nothing on record explains it"
    if not main.speaks_for:
        # A cause that nothing recorded speaks for leads no verdict: it is asked about.
        asked = check_words(f, fmt)
        return f"Nothing recorded explains it{f'. First: {asked[0][0].lower()}{asked[0][1:]}'.rstrip('.') if asked else ''}"
    if main.share >= 0.45 or len(f.causes) < 2:
        return f"The most likely cause is {CAUSE_NAMES[main.cause]} ({fmt.percent(main.share)})"
    second = f.causes[1]
    either = f"{CAUSE_NAMES[main.cause]} ({fmt.percent(main.share)}) or {CAUSE_NAMES[second.cause]} ({fmt.percent(second.share)})"
    return f"It may be {either}"


@singledispatch
def _verdict(g: Figures, f: Finding, fmt: Formatter) -> str:
    """The verdict, by what the finding rests on."""
    raise TypeError(f"no verdict for {f.complaint}")


@_verdict.register
def _slow_verdict(g: SlowFigures, f: Finding, fmt: Formatter) -> str:
    days, first = fmt.days(g.days), fmt.small(g.up)
    here = "rooted" if g.towel else "up"
    so_far = f"{first} of {fmt.small(g.of)} {counted_word(f.batch)} are {here}" if g.up else f"nothing is {here}"
    at_target = f"at {fmt.temperature(g.target_c)} half would be {here} in {fmt.days(g.days_at_target)}"
    if g.uncounted:
        return f"cannot tell whether all came up: plants were seen after {days}, and nobody has counted them. Count what is up"
    if f.state == "cannot_tell":
        return f"cannot tell: after {days} nothing measures the soil and nobody has noted what is up. Measure the soil and count"
    if f.state == "not_due_yet":
        again = f"; look for the first about {fmt.day(f.look_again_s)}" if f.look_again_s else ""
        return f"not due yet: {so_far} after {days}, and {at_target}{again}"
    if f.state in ("on_time", "as_it_should"):
        return f"as it should be: {so_far} after {days}, and {at_target}"
    return f"{so_far} after {days}; {at_target}. {likely_words(f, fmt)}"


@_verdict.register
def _leggy_verdict(g: LeggyFigures, f: Finding, fmt: Formatter) -> str:
    age = fmt.days(g.age_d)
    if g.stretch is not None and g.expected_mm is not None and g.height_mm is not None:
        times, expected = g.stretch, fmt.length(g.expected_mm)
        against = (
            f"about the {expected} expected" if 0.9 <= times <= 1.1 else f"{fmt.number(times)} times the {expected} expected"
        )
        measured = f"{fmt.length(g.height_mm)} tall at {age} of growth, {against}"
    else:
        measured = f"nobody has measured them, {age} after coming up"
    shrunk = ""
    if g.shrunk_mm is not None:
        fell = f"{fmt.length(g.shrunk_mm[0])} to {fmt.length(g.shrunk_mm[1])}"
        shrunk = f". A height fell from {fell}: measure the same ones"
    if g.eye_against_ruler and g.stretch is not None:
        return (
            f"you saw long thin stems; by the ruler they are {measured}, and what to expect of a variety is an estimate. "
            f"Measure three from the mix to the seed leaves. {likely_words(f, fmt)}{shrunk}"
        )
    if f.state == "cannot_tell":
        return "cannot tell: neither height nor light is on record. Measure three seedlings with a ruler"
    if f.state == "foretold":
        return f"likely to stretch: {measured}, but by their light and warmth they will be long. {likely_words(f, fmt)}"
    if f.state == "leggy":
        # A look may have found them long where the ruler alone would only watch.
        how = "long and thin" if g.stretch is None or g.stretch >= LEGGY_FROM else "getting long"
        return f"{how}: {measured}. {likely_words(f, fmt)}{shrunk}"
    if f.state == "watch":
        return f"watch them: {measured}{shrunk}"
    return f"sturdy: {measured}{shrunk}"


@_verdict.register
def _damping_verdict(g: DampingFigures, f: Finding, fmt: Formatter) -> str:
    if f.state == "fallen":
        fell = "one has" if g.fallen <= 1 else f"{fmt.small(g.fallen)} have"
        early = f"; the risk was high from {fmt.day(g.warned_s)}" if g.warned_s else ""
        return f"damping off: {fell} fallen{early}. Act within the hour. {likely_words(f, fmt)}"
    if f.state == "warned":
        parts = " and ".join(
            CAUSE_NAMES[c.cause] for c in sorted(f.causes, key=lambda c: -(c.ratio or 1.0))[:2] if (c.ratio or 1) > 1.1
        )
        so_far = "no seedling has fallen yet" if g.up else "nothing is up yet"
        return (
            f"{so_far}, but the risk of damping off is {fmt.number(g.index, 0)} of 100{': ' + parts if parts else ''}. "
            f"Acting now is easy. The figure ranks risk; it does not measure disease"
        )
    return "no damping off: the stems that fell have a sound base"


@_verdict.register
def _signs_verdict(g: SignsFigures, f: Finding, fmt: Formatter) -> str:
    seen = [SIGN_WORDS.get(s, s) for s in g.signs]
    lead = " and ".join(seen) if seen else "what was looked at"
    if f.state == "by_nature":
        return f"{lead}: likely nothing wrong; {g.purple}"
    if f.state == "midday_wilt":
        return f"{lead}: seen only in the heat of the day; leaves get over that by dusk"
    if f.state == "surface":
        deeds = "Let it dry between waterings, move the air, water from below"
        return f"{lead}: harmless in itself, and a sign that the top stays wet. {deeds}"
    if f.state == "nothing":
        return f"{lead}: likely nothing wrong, look again in a week"
    if f.state == "cannot_tell":
        return f"{lead}: cannot tell yet. {likely_words(f, fmt)}; one more check would help most"
    return f"{lead}. {likely_words(f, fmt)}"


def cause_words(c: ArguedCause, fmt: Formatter) -> dict[str, list[str]]:
    """What speaks for a cause, against it, and what is not recorded."""
    return {
        "for": [evidence_words(e, fmt) for e in c.speaks_for],
        "against": [evidence_words(e, fmt) for e in c.speaks_against],
        "missing": list(dict.fromkeys(MISSING[m] for m in c.missing)),
    }


def check_words(f: Finding, fmt: Formatter) -> tuple[str, str] | None:
    """The check that settles most, and why it."""
    if f.next_check is None:
        return None
    told = [CAUSE_NAMES[c.cause] for c in f.causes[:2] if c.cause != "unexplained"]
    between = f"whether it is {told[0]} or {told[1]}" if len(told) > 1 else f"whether it is {told[0]}" if told else "what it is"
    do = CHECKS[f.next_check.witness]
    if isinstance(f.figures, SlowFigures) and f.figures.towel and f.next_check.witness == "dug_seed":
        do = "Open the bag and press two seeds between finger and thumb."
    return do, f"It tells best {between}."


def remedy_words(r: Remedy, fmt: Formatter) -> tuple[str, str]:
    """A remedy and the effect expected of it."""
    gain = "" if r.gain_days is None else f"About {fmt.days(r.gain_days.p50)} sooner for the middle seed"
    if r.gain_days is not None and round(r.gain_days.p10) != round(r.gain_days.p90):
        gain += f" ({fmt.number(r.gain_days.p10, 0)}–{fmt.number(r.gain_days.p90, 0)} d)"
    tray = r.tray or "the tray"
    if r.action == "warm_soil" and r.low_c is not None and r.high_c is not None:
        how = f"set {r.mat} by Tune" if r.mat else "onto a mat, or to a warmer spot"
        to = f"{fmt.temperature(r.low_c, unit=False)}–{fmt.temperature(r.high_c)}"
        return f"Warm the soil of {tray} to {to}: {how}.", f"{gain or 'Little is left to gain'}."
    if r.action == "cool_soil" and r.to_c is not None:
        how = f"lower {r.mat} or take the tray off it" if r.mat else "out of the heat"
        return (
            f"Cool the soil of {tray} to about {fmt.temperature(r.to_c)}: {how}.",
            "Seed held back by heat often wakes within days.",
        )
    if r.action == "check_plug":
        return f"See that {r.mat} is plugged in and warm to the hand.", f"{gain or 'The soil warms'} once it heats."
    do, effect = REMEDIES[r.action]
    found = _figures(r, fmt)
    return do.format(**found), effect.format(**found)


def _figures(r: Remedy, fmt: Formatter) -> dict[str, str]:
    """What a remedy's words may need, in the reader's units."""
    out = {
        "tray": r.tray or "the tray",
        "more": _sow_more(r.alive, fmt),
        "crop": r.crop or "",
        "quarter": fmt.number(QUARTER_MG, 0),
    }
    out["depth"] = "" if r.depth_mm is None else "pressed in, not" if r.depth_mm < 1 else fmt.length(r.depth_mm)
    if r.high_c is not None:
        out["high"] = fmt.temperature(r.high_c)
        out["low"] = fmt.temperature(r.low_c, unit=False) if r.low_c is not None else ""
    out["off_mat"] = f"off {r.mat}, " if r.mat else ""
    out["last"] = fmt.day(r.last_s) if r.last_s is not None else ""
    out["until"] = f" by {out['last']}, the last day that is in time" if r.last_s is not None else ""
    if r.height_mm is not None and r.hours is not None:
        height, hours = fmt.length(r.height_mm), fmt.number(r.hours, 2)
        out["tune"] = f"Set {r.lamp} to {height} over the place, {hours} hours: see Tune."
        mol = f"About {fmt.number(r.mol_per_day)} mol a day. " if r.mol_per_day is not None else ""
        out["tune_effect"] = f"{mol}New growth is sturdy within days; what is long stays long."
    return out


def _sow_more(alive: float | None, fmt: Formatter) -> str:
    per_cell = min(5, max(1, round(1.6 / max(0.05, alive or 0.8))))
    return f"Sow spares now, {fmt.small(per_cell)} {'seed' if per_cell == 1 else 'seeds'} to a cell."


def as_json(f: Finding, fmt: Formatter, text_of: Any) -> dict[str, Any]:
    """A finding with the keys of docs/formats.md; `text_of` writes a moment."""
    check = check_words(f, fmt)
    return {
        "complaint": f.complaint,
        "present": round(f.present, 4),
        "state": f.state,
        "verdict": verdict_words(f, fmt),
        "causes": [
            {
                "cause": c.cause,
                "share": share,
                "cells": round(c.cells, 2),
                "times": None if c.ratio is None else round(c.ratio, 3),
                **cause_words(c, fmt),
            }
            for c, share in zip(f.causes, _rounded([c.share for c in f.causes]), strict=True)
        ],
        "next_check": None
        if check is None
        else {"do": check[0], "because": check[1], "what": f.next_check.witness if f.next_check else ""},
        "actions": [
            {
                "do": remedy_words(r, fmt)[0],
                "effect": remedy_words(r, fmt)[1],
                "by": text_of(r.by_s) if r.by_s else None,
                "caution": CAUTIONS.get(r.action),
            }
            for r in f.remedies
        ],
        "look_again": text_of(f.look_again_s) if f.look_again_s else None,
    }


def _rounded(shares: list[float]) -> list[float]:
    """Shares to four digits that still add to 1.

    >>> _rounded([1 / 3, 1 / 3, 1 / 3])
    [0.3334, 0.3333, 0.3333]
    """
    out = [round(s, 4) for s in shares]
    if out:
        out[0] = round(out[0] + 1.0 - sum(out), 4)
    return out
