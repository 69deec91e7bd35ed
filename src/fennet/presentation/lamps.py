"""What to set a lamp to, in words."""

from __future__ import annotations

from typing import Any

from fennet.core.light import clock_of, least_mm, start_mm
from fennet.core.lighting.photothermal import Photothermal
from fennet.core.tuning.lamp_instead import LampInstead
from fennet.core.tuning.lamps import LampSetting
from fennet.core.tuning.under_lamp import ExpectedLight
from fennet.journal.times import format_instant
from fennet.presentation.formatter import Formatter

INSTEAD = {
    "undim": "Turn {lamp} up to full",
    "reflect": "Put white or foil-faced sides along the shelf",
    "longer_day": "Your practice keeps the day short: allow up to eighteen hours, the most any seedling should have",
    "smaller_area": "Draw the trays together under the middle of {lamp}",
    "move": "Move {tray} elsewhere{to}: it needs different light from the rest",
    "lift": "Stand {tray} higher under {lamp}, by",
    "another_lamp": "Hang another lamp beside {lamp}",
    "tallest": "Move {tray}, the tallest, to the edge or elsewhere{to}",
    "fewer_tubes": "Light fewer tubes of {lamp}",
    "dim": "Dim {lamp}, or stand {tray} lower",
    "turn": "Turn {tray} end for end every few days: one end has much less light",
    "swap": "Swap {tray} with the brightest tray every few days",
    "narrow": "The lamp is too narrow for this shelf: front and back get much less light than the middle",
    "uneven": "The light is uneven over the shelf: see the map",
    "read_at_lamp": "A reading of {umol} was not used: it looks as if it was taken at the lamp, not at the leaves",
    "shaded": "A reading of {umol} was not used: something seems to have shaded the meter",
    "no_height": "A reading of {umol} could not be used: nobody logged how high {lamp} hung",
    "lux_unknown": "A lux meter cannot read {lamp}’s colours: use a quantum sensor, or enter its maker’s lux for one µmol",
    "read_light": "Read the light at the leaves of {tray}: until then Fennet can only judge by the lamp’s lumens, if at all",
    "one_reading": "One reading has to do for the whole shelf; read {tray} too: the ends often get half as much",
    "read_another_height": "Read once more with {lamp} about 100 mm higher or lower: that shows how fast its light falls off",
    "log_height": "Log how high {lamp} hangs",
    "log_timer": "Log when {lamp} is lit",
}
CAUTION = (
    "Unplug before moving it; rated hooks; plugs and strips above and away from trays, on an earth-leakage protected outlet. "
    "Never nearer than the maker’s distance. Do not look into the lamp. Local electrical rules come first."
)


RATIO_WORDS = {"thin": "will stretch", "low": "low", "sturdy": "sturdy", "high": "high"}


def ratio_words(p: Photothermal, fmt: Formatter) -> str:
    """Light against warmth: its figure, and what comes of it."""
    return f"{fmt.number(p.ratio, 2)}, {RATIO_WORDS[p.words]}"


def mol_words(mol: float, fmt: Formatter) -> str:
    return f"{fmt.number(mol)} mol"


def ppfd_words(umol: float, fmt: Formatter) -> str:
    return f"{fmt.number(umol, 0)} µmol m⁻² s⁻¹"


def instead_words(i: LampInstead, s: LampSetting, fmt: Formatter) -> str:
    """One thing to do beside or instead of a setting, with what it may bring."""
    to = f", for instance under {i.thing}" if i.thing else ""
    umol = ppfd_words(i.umol, fmt) if i.umol is not None else "light"
    words = INSTEAD[i.action].format(tray=i.tray or "the tray", lamp=s.lamp.id, to=to, umol=umol)
    if i.action in ("reflect", "longer_day", "undim") and i.mol is not None:
        return f"{words}: about {mol_words(i.mol, fmt)} a day (estimated)."
    if i.action == "tallest" and i.factor is not None and i.lift_mm is not None:
        lower = fmt.length(i.lift_mm)
        return f"{words}: the lamp could hang {lower} lower and give the rest {fmt.number(i.factor)} times the light."
    if i.action == "fewer_tubes" and i.factor is not None and i.lift_mm is not None:
        return f"{words}: {fmt.small(i.factor)} of {fmt.small(i.lift_mm)}."
    if i.action == "lift" and i.lift_mm is not None:
        return f"{words} {fmt.length(i.lift_mm)}: it is short while the rest is not."
    if i.action == "another_lamp" and i.factor is not None:
        return f"{words}: {fmt.number(i.factor)} times the light is needed. Watts add up: stay under the outlet’s limit."
    return f"{words}."


def expect_words(e: ExpectedLight, fmt: Formatter) -> str:
    low, high = fmt.number(e.dli.p10), fmt.number(e.dli.p90)
    where = "in band" if e.low <= e.dli.p50 <= e.high else "short" if e.dli.p50 < e.low else "over"
    return f"{low}–{high} mol a day, {where} ({fmt.number(e.low)}–{fmt.number(e.high)})"


def setting_sentence(s: LampSetting, fmt: Formatter) -> str:
    """The proposal in a sentence or two."""
    if s.case.ahead and s.case.batches:
        return f"Nothing under {s.lamp.id} is up yet: it can stay off until the first seedling shows. Then: {_proposal(s, fmt)}"
    return _proposal(s, fmt)


def _proposal(s: LampSetting, fmt: Formatter) -> str:
    lamp = s.lamp.id
    if s.why_not == "nothing_lit":
        return f"Nothing under {lamp} needs light."
    if s.why_not == "not_known" or s.height_mm is None or s.hours is None or s.on_min is None or s.off_min is None:
        begin = fmt.length(start_mm(s.lamp))
        return (
            f"Nothing tells how bright {lamp} is: hang it {begin} above the leaves for 14 to 16 hours a day to begin with. "
            f"A light reading at the leaves, or its watts and the shelf’s measures, gives a real setting."
        )
    lit = f"{clock_of(s.on_min)}–{clock_of(s.off_min)}"
    where = f"{fmt.length(s.height_mm)} above the shelf ({fmt.length(s.distance_mm or 0.0)} above the leaves), lit {lit}"
    worst = min(s.expected, key=lambda e: e.dli.p50 / e.aim)
    range_words = f"{fmt.number(worst.dli.p10)}–{fmt.number(worst.dli.p90)} mol a day"
    if not s.reaches:
        if worst.dli.p50 < worst.low:
            nearest = s.distance_mm is not None and s.distance_mm <= least_mm(s.lamp) + 15
            best = "As near as is safe" if nearest else "At its best"
            return (
                f"{lamp} is too weak for {worst.tray}. {best}, {where}, it gives {range_words}; "
                f"{worst.tray} needs at least {fmt.number(worst.low)}."
            )
        return f"No setting of {lamp} suits everything under it; {where} is the best compromise."
    if not s.changes:
        return f"{lamp} is set right: {where} gives {range_words}."
    verb = _verb(s)
    return f"{verb} {lamp} to {where}: {range_words}{' at least' if len(s.expected) > 1 else ''}."


def _verb(s: LampSetting) -> str:
    there = s.case.state.height_mm
    if there is None or s.height_mm is None or abs(there - s.height_mm) < 10:
        return "Set"
    return "Lower" if s.height_mm < there else "Raise"


def button_words(s: LampSetting, fmt: Formatter) -> str:
    """What the button that sets it bears."""
    if s.height_mm is None or s.hours is None:
        return "Set it"
    return f"{_verb(s)} to {fmt.length(s.height_mm)}, {fmt.number(s.hours, 2)} h"


def basis_words(s: LampSetting, fmt: Formatter) -> str:
    """What the curve rests on."""
    c = s.case.curve
    if c.basis == "lumens":
        return "judged from the lamp’s lumens, rough: ± 40 %"
    if c.basis == "earlier":
        months = "a month" if c.rests_on == 1 else f"{c.rests_on} months"
        return f"by what was read under it in {months} of earlier seasons, and its age since"
    if c.basis == "none":
        return "nobody has read the light under it"
    at = c.measured_mm
    spread = (
        f" at {fmt.length(at[0])}"
        if at and at[1] - at[0] < 5
        else f" from {fmt.length(at[0])} to {fmt.length(at[1])}"
        if at
        else ""
    )
    n = len(c.points)
    return f"{'one reading' if n == 1 else f'{n} readings'}{spread} from the lamp’s face"


def as_json(s: LampSetting, fmt: Formatter) -> dict[str, Any]:
    """A lamp's setting with the keys of docs/formats.md."""
    worst = min(s.expected, key=lambda e: e.dli.p50 / e.aim) if s.expected else None

    def span(i: Any, digits: int) -> dict[str, float]:
        return {"p10": round(i.p10, digits), "p50": round(i.p50, digits), "p90": round(i.p90, digits)}

    return {
        "lamp": s.lamp.id,
        "trays": [t.tray.id for t in s.case.trays],
        "height_mm": s.height_mm,
        "distance_mm": None if s.distance_mm is None else round(s.distance_mm, 1),
        "on": None if s.on_min is None else clock_of(s.on_min),
        "off": None if s.off_min is None else clock_of(s.off_min),
        "hours": s.hours,
        "expect_ppfd": span(worst.ppfd, 1) if worst else None,
        "expect_dli": span(worst.dli, 2) if worst else None,
        "reaches_target": s.reaches,
        "instead": [instead_words(i, s, fmt) for i in s.instead],
        "expect": [
            {"tray": e.tray, "batch": e.batch, "ppfd": span(e.ppfd, 1), "dli": span(e.dli, 2), "band": [e.low, e.high],
             "aim": round(e.aim, 2), "hours_in_band": e.hours_ok}
            for e in s.expected
        ],
        "raise": [{"on": format_instant(round(at_s), fmt.zone)[:10], "height_mm": mm} for at_s, mm in s.raise_at],
        "sentence": setting_sentence(s, fmt),
        "curve": {
            "basis": s.case.curve.basis, "readings": len(s.case.curve.points), "n": round(s.case.curve.exponent, 3),
            "left_out": [{"why": p.why, "ppfd": round(p.ppfd_umol, 1)} for p in s.case.curve.left_out],
        },
        "caution": CAUTION,
    }  # fmt: skip
