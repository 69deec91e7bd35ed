"""A tray's plants once they are up: how they stand against their age and light, and what they want next."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.answering.answers import Answers
from fennet.core.care.day import CareDay
from fennet.core.care.feeding import FeedDue
from fennet.core.care.handling import Handling
from fennet.core.care.watering import NextWatering
from fennet.core.conditions import Conditions
from fennet.core.crop import Crop
from fennet.core.history import life_events
from fennet.core.lighting.compared import light_week
from fennet.core.records import Batch, Tray
from fennet.core.stretch import Stretch, stretch_of
from fennet.core.working import Working
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import ratio_words
from fennet.presentation.work import HOLDS, WATER_WAYS, ready_words
from fennet.web.workings import WorkingView, working_view

STRETCH_WORDS = {"leggy": "long and thin", "watch": "getting long", "sturdy": "sturdy"}
#: What each handling is called in the row before its reason.
HANDLINGS = {"thin": "thin", "prick_out": "prick out", "pot_up": "pot up", "pinch": "pinch out"}


@dataclass(frozen=True)
class Plants:
    """One batch that is up: rows of name, words and working; what the ruler measures in; where its pots are."""

    batch: str
    name: str
    rows: list[tuple[str, str, WorkingView | None]]
    unit: str
    pots: bool


def plants(a: Answers, batch: Batch, name: str, tray: Tray, state: Conditions, care: CareDay, fmt: Formatter) -> Plants:
    """How a batch that is up stands now, and what it wants next."""
    crop, now_s = a.crop_here(batch), a.at_s
    rows = [_height(crop, care, batch, now_s, fmt)]
    made = a.leaves(batch)
    counted = any(e.fields.get("true_leaves") is not None for e in life_events(batch, a.events, "height"))
    if made >= 1 or counted:
        rows.append(("true leaves", f"{'' if counted else 'about '}{fmt.small(int(made))}", None))
    week = light_week(crop, state, now_s)
    if week.ratio is not None:
        rows.append(("light against warmth", ratio_words(week.ratio, fmt), _shown(f"{batch.id}-ratio", week.ratio.working, fmt)))
    rows.append(_water(batch, a.watering(batch, tray), now_s, fmt))
    if care.feed is not None:
        rows.append(("next feed", _feed(care.feed, now_s, fmt), None))
    rows += [(HANDLINGS[h.action], _handling(h, now_s, fmt), None) for h in care.handling]
    pots = any(h.action in ("pot_up", "prick_out") for h in care.handling)
    return Plants(batch.id, name, rows, "in" if fmt.imperial else "mm", pots)


def _shown(name: str, working: Working, fmt: Formatter) -> WorkingView:
    return working_view(f"w-{name}".replace(".", "-"), working, fmt)


def _height(crop: Crop, care: CareDay, batch: Batch, now_s: float, fmt: Formatter) -> tuple[str, str, WorkingView | None]:
    s: Stretch | None = stretch_of(crop, care.age)
    if s is None:
        expected = fmt.length(float(crop.growth.height_mm(care.age.now_d)))
        return "height", f"not measured; {expected} expected by now", None
    how = f"{fmt.number(s.ratio)} times the {fmt.length(s.expected_mm)} expected, {STRETCH_WORDS[s.words]}"
    day = f", on {fmt.day(s.measured_s)}" if now_s - s.measured_s > 86_400.0 else ""
    return "height", f"{fmt.length(s.height_mm)}{day}: {how}", _shown(f"{batch.id}-stretch", s.working, fmt)


def _water(batch: Batch, n: NextWatering | None, now_s: float, fmt: Formatter) -> tuple[str, str, WorkingView | None]:
    if n is None:
        return "next water", "not known: feel the mix, or weigh the tray", None
    amount = f", {fmt.volume(n.ml)} {WATER_WAYS[n.how]}" if n.ml else f", {WATER_WAYS[n.how]}"
    minutes = f", {fmt.number(n.minutes, 0)} minutes" if n.minutes > 5 else ""
    hold = "; its top is wet, let it dry first" if n.hold == "top_wet" else ""
    return "next water", f"{_when(n.when_s.p50, now_s, fmt)}{amount}{minutes}{hold}", _shown(f"{batch.id}-water", n.working, fmt)


def _feed(f: FeedDue, now_s: float, fmt: Formatter) -> str:
    hold = f"; {'; '.join(HOLDS[h] for h in f.hold)}" if f.hold else ""
    return f"{_when(f.due_s, now_s, fmt)}, {fmt.number(f.n_mg_per_l, 0)} mg of nitrogen a litre{hold}"


def _handling(h: Handling, now_s: float, fmt: Formatter) -> str:
    return f"{_when(h.due_s, now_s, fmt)}: {ready_words(h.figures, fmt)}"


def _when(due_s: float, now_s: float, fmt: Formatter) -> str:
    return "now" if due_s <= now_s else fmt.day(due_s)
