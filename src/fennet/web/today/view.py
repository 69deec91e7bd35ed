"""What Today shows: each room's bench, and the list of what there is to do."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from fennet.answering.answers import Answers
from fennet.core.conditions import Conditions, next_last_frost_s
from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.records import Batch, Journal
from fennet.core.room import RoomProblem, canopy_mm, in_trays, room_problems
from fennet.core.scoring import ScoredPromise
from fennet.core.targets import practice_of
from fennet.core.work.figures import ComeIn, Damp, HoursOut, LightOut, SoilOut, Water
from fennet.core.work.task import BatchDay, Task
from fennet.core.work.worklist import in_order
from fennet.presentation.formatter import Formatter
from fennet.presentation.work import task_words
from fennet.web import answers
from fennet.web.parts import Untold, lacks, part, untold
from fennet.web.today.bench import bench
from fennet.web.today.drawn import ROOMLESS, Bench, Matter, TrayNow
from fennet.web.today.work import AwayView, WorkView, away_view, work_view
from fennet.web.trays.view import LOOKS_BACK_S, batch_name

#: Parts of the page that much of it hangs on.
LIST, DRAWING = "today’s list of tasks", "the drawing"
#: Stages in which a forecast of emergence still says something of the day: the slow cells of a seedling tray too.
WAITED_FOR = ("towel", "sown", "emerging", "seedling")


@dataclass(frozen=True)
class RoomTab:
    id: str
    name: str
    now: bool


@dataclass(frozen=True)
class TodayView:
    rooms: list[RoomTab]
    name: str
    bench: Bench | None
    work: WorkView
    away: AwayView | None
    room_problems: list[RoomProblem]
    at: str
    week: str
    undrawn: bool
    anything: bool


def today_view(a: Answers, fmt: Formatter, marked: list[ScoredPromise], room: str = "", away_days: int = 0) -> TodayView:
    """The day in one room, the one with most that lives if none is asked for; the worklist is of the whole garden. `marked` the
    promises as marked; `away_days` how long nobody will be there."""
    journal, events, at_s, state, table = a.journal, a.events, a.at_s, a.room, a.table
    alive = a.living
    in_tray = in_trays(alive, events, at_s)
    rooms = {r.id: r.name or r.id for r in journal.rooms}
    if any(p.room is None for p in journal.places):
        rooms[ROOMLESS] = "Without a room"
    room_of = {p.id: p.room or ROOMLESS for p in journal.places}
    where = {t: room_of.get(s.place or "", s.place or "") for t, s in state.trays.items()}
    busy = {r: sum(len(in_tray.get(t, ())) for t, w in where.items() if w == r) for r in rooms}
    shown = room if room in busy else max(busy, key=lambda r: busy[r], default="")
    told: dict[str, list[tuple[Batch, Conditions, Forecast | None, Crop]]] = {}
    outside = [x.batch for x in a.planted()]
    names = {b.id: batch_name(b, table.get(b.crop).name) for b in [*alive, *outside]}
    bare: dict[str, list[str]] = {}
    for tray in journal.trays:
        if tray.until is not None and tray.until.timestamp() < at_s:
            continue
        told[tray.id] = []
        for b in in_tray.get(tray.id, []):
            c = answers.conditions(a, b, LOOKS_BACK_S)
            if c is None:
                bare.setdefault(tray.id, []).append(names[b.id])
                continue
            f = answers.forecast(a, b) if c.stage in WAITED_FOR else None
            told[tray.id].append((b, c, f, table.get(b.crop)))
    by_id = {t.id: t for t in journal.trays}
    days: list[BatchDay] = []
    for t, inside in told.items():
        for b, c, f, _ in inside:
            care = answers.care(a, b, by_id[t], c)
            if care is not None:
                outing = answers.hardening(a, b)
                days.append(BatchDay(b, by_id[t], c, f, practice_of(journal.garden, b), care, outing))
    nothing: list[Task] = []
    tasks = part(LIST, lambda: a.tasks(days, marked), nothing)
    today = fmt.local(at_s).date()
    tasks = in_order([*tasks, *part("the plan’s part of the list", lambda: a.planned_tasks(today), nothing)], at_s)
    callouts = _callouts(tasks, names, at_s, fmt)
    now = {t: TrayNow(by_id[t], inside, callouts.get(t, []), bare.get(t, [])) for t, inside in told.items()}
    canopies = {t: canopy_mm(batches, events, at_s, journal.series) for t, batches in in_tray.items()}
    wrong = [t for t in room_problems(journal, state, canopies) if t.what != "lamp_near"]
    drawn = part(DRAWING, lambda: bench(journal, state, now, canopies, shown, events, at_s, fmt), None) if shown else None
    tabs = [RoomTab(r, name, r == shown) for r, name in rooms.items()]
    local = fmt.local(at_s)
    midnight_s = local.replace(hour=0, minute=0, second=0, microsecond=0).timestamp()
    missing = [*([Untold("", LIST)] if lacks(LIST) else []), *untold(names.items())]
    work = work_view(tasks, names, events, at_s, fmt, midnight_s, missing)
    gone = None
    if away_days:
        absent = partial(away_view, a, days, tasks, names, away_days, fmt, missing)
        gone = part("what an absence means", absent, None)
    return TodayView(
        tabs,
        rooms.get(shown, ""),
        drawn,
        work,
        gone,
        wrong,
        fmt.moment(at_s),
        _week(journal, at_s, fmt),
        lacks(DRAWING),
        bool(alive or outside),
    )


def _week(journal: Journal, at_s: float, fmt: Formatter) -> str:
    """The week of the season, from its first sowing, and the weeks to the average last frost."""
    first = min((b.sown_at.timestamp() for b in journal.batches if 0 <= at_s - b.sown_at.timestamp() < 300 * DAY_S), default=None)
    parts = [f"week {int((at_s - first) // (7 * DAY_S)) + 1}"] if first is not None else []
    frost_s = next_last_frost_s(journal.garden, at_s, fmt.zone)
    if frost_s is not None:
        weeks = round((frost_s - at_s) / (7 * DAY_S))
        parts.append(f"{fmt.small(weeks)} weeks to the average last frost" if weeks != 1 else "a week to the average last frost")
    return ", ".join(parts)


#: What stands at a tray in the drawing, of the tasks that are due now: key of the kind to its mark. Over is told by ▲, under
#: by ▼.
CALLOUTS = {
    "hand_over": "▲",
    "lamp_near": "▲",
    "too_wet": "▲",
    "no_light": "▼",
    "water": "▼",
    "light_out": "",
    "hours_out": "",
    "soil_out": "",
    "fallen": "▲",
    "damp": "▲",
    "late": "▲",
    "pot_up": "▲",
    "probe_silent": "",
    "probe_stuck": "",
    "probe_fallen": "",
    "probe_impossible": "",
    "come_in": "",
}


def _callouts(tasks: list[Task], names: dict[str, str], at_s: float, fmt: Formatter) -> dict[str, list[Matter]]:
    """For each tray what is out of band there, the most pressing first."""
    out: dict[str, list[Matter]] = {}
    for t in tasks:
        # What is outside is told from the moment it went.
        if t.kind in CALLOUTS and (t.due_s <= at_s or isinstance(t.figures, ComeIn)):
            words = task_words(t, names.get(t.batch, t.tray), fmt).what.split(": ", 1)[-1]
            mark = CALLOUTS[t.kind]
            match t.figures:
                case SoilOut(miss_c=miss):
                    mark = "▼" if miss < 0 else "▲"
                case LightOut() as light:
                    mark = "▼" if light.mol_per_day < light.low_mol else "▲"
                case HoursOut() as hours:
                    mark = "▼" if hours.lit_h < hours.low_h else "▲"
            # One row may speak of several trays: each shows its own figures where it stands.
            for x in {x.tray: x for x in t.each}.values():
                own = words
                if isinstance(x.figures, Water):
                    own = f"dry, {fmt.number(x.figures.moisture_pct, 0)} %"
                elif isinstance(x.figures, Damp):
                    own = f"may damp off, risk {fmt.number(x.figures.index, 0)}"
                elif isinstance(x.figures, ComeIn):
                    own = f"outside, {fmt.number(x.figures.hours)} h"
                out.setdefault(x.tray, []).append(Matter(own, mark, t.grave))
    return out
