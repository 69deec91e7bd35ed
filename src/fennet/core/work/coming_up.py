"""What there is to do for what is still coming up, and when it is up: hand-overs, looks, mists, calls, silent loggers."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from fennet.core.due import due_after_emergence
from fennet.core.history import Counts, counts_of
from fennet.core.learning.habits import Habit
from fennet.core.light import DAY_S, HOUR_S
from fennet.core.probes import drifting, fallen_out, impossible, stuck
from fennet.core.records import Batch, Event, Journal, Series, is_logger
from fennet.core.room import RoomState
from fennet.core.work.figures import (
    AirCover,
    CallIt,
    HandOver,
    Late,
    LitFromSowing,
    Look,
    Mist,
    MistTop,
    NoSoil,
    ProbeDrifting,
    ProbeFallen,
    ProbeImpossible,
    ProbeSilent,
    ProbeStuck,
)
from fennet.core.work.task import BatchDay, Task

#: A look is asked for daily while seed may show; misting is not asked for twice within so long, h. Source: growers_rule.
LOOK_EVERY_H, MIST_EVERY_H = 20.0, 20.0
#: What nobody has looked at for so long may have come unseen, d. Source: growers_rule.
UNSEEN_D = 3.0
#: Seed that has no cover is misted twice a day, h. Source: growers_rule.
UNCOVERED_MIST_H = 10.0
#: A logger that wrote at least every three hours is silent after six of its steps, and three hours at least. Source:
#: starting_estimate.
LOGGER_STEP_H, SILENT_STEPS = 3.0, 6.0
Fault = ProbeStuck | ProbeImpossible | ProbeFallen | ProbeDrifting
#: What changes hour by hour while its probe is sound.
STANDS_STILL = ("soil_temperature", "air_temperature", "moisture")


def hand_over_tasks(
    tray: str, inside: Sequence[BatchDay], state: RoomState, events: Sequence[Event], lit: bool, at_s: float
) -> list[Task]:
    """Cover off, off the mat, under the light: one task for a tray, in that order."""
    here = state.trays[tray]
    steps: list[str] = []
    due_of: list[BatchDay] = []
    waits = [d for d in inside if d.conditions.stage in ("sown", "towel", "emerging")]
    for d in inside:
        counts = counts_of(d.batch, events)
        dues = [x.action for x in due_after_emergence(d.conditions.stage, here, counts, d.practice, at_s)]
        if "mat_off" in dues and any(w is not d and w.conditions.stage in ("sown", "towel") for w in waits):
            # Other seed in the tray still wants its warmth: the tray as a whole stays.
            dues.remove("mat_off")
        said_so = any(e.kind == "moved_to_light" and e.fields["batch"] == d.batch.id for e in events)
        needs_light = not lit and not said_so and d.conditions.stage in ("emerging", "seedling") and counts.up * 2 >= counts.of
        if needs_light:
            dues.append("light_on")
        if dues:
            due_of.append(d)
            steps += [x for x in dues if x not in steps]
    if not steps:
        return []
    order = ("cover_vent", "cover_off", "mat_off", "light_on")
    lead = due_of[0]
    counts = counts_of(lead.batch, events)
    since = counts.reached(math.ceil(counts.of / 2)) or counts.reached(1) or at_s
    first = counts.reached(1) or since
    cells = tuple(c for d in due_of for c in (d.batch.cell_list or [])) if len(inside) > len(due_of) else ()
    figures = HandOver(
        tuple(sorted(steps, key=order.index)), tuple(d.batch.id for d in due_of), counts.up, counts.of, since,
        0.0 if lit else (at_s - first) / HOUR_S, cells,
    )  # fmt: skip
    return [Task(f"hand_over:{tray}", min(since, at_s), tray, lead.batch.id, figures, True)]


def waiting_tasks(
    d: BatchDay, events: Sequence[Event], cover: str, at_s: float, usual: Habit | None = None
) -> list[Task]:  # fmt: skip
    """Looks, mists and calls for a batch that is still coming. `usual` days between counts here: what nobody has looked at for
    longer is not called late, it is looked at."""
    out: list[Task] = []
    f, b, tray = d.forecast, d.batch, d.tray.id
    counts = counts_of(b, events)
    if d.conditions.stage not in ("sown", "towel", "emerging", "seedling") or counts.up >= counts.of or f is None:
        return out
    looked = _last_look(b, counts, events)
    more = f.chance_of_more if f.chance_of_more is not None else 0.0
    dated = f.verdict not in ("finished", "cannot_tell") or (f.supposed and f.verdict != "finished")
    # Behind what any house would show, though nobody read how warm it is, is late too.
    late = f.verdict == "late" or (f.supposed and dated and f.as_recorded == "behind")
    longest_d = max(UNSEEN_D, usual.days.p90 if usual is not None else 0.0)
    # What nobody looked at is not late: it is unknown, and a look is asked for.
    unseen = d.conditions.stage != "seedling" and dated and at_s - looked > longest_d * DAY_S
    if d.conditions.stage != "seedling" and dated:
        soon = f.first_up is not None and f.first_up.p10 <= at_s + 12 * HOUR_S
        if (soon or counts.up or b.by_seed or (unseen and late)) and at_s - looked > LOOK_EVERY_H * HOUR_S:
            usual_d = usual.days.p50 if unseen and usual is not None else None
            look = Look(counts.up, counts.of, (at_s - looked) / DAY_S, b.by_seed, usual_d)
            out.append(Task(f"look:{b.id}", at_s, tray, b.id, look))
    if (
        counts.up
        and counts.up * 2 >= counts.of
        and cover != "on"
        and more >= 0.1
        and d.conditions.stage in ("emerging", "seedling")
    ):
        wet = max((e.at_s for e in events if e.kind == "watered" and e.fields["tray"] == tray), default=0.0)
        if at_s - wet > MIST_EVERY_H * HOUR_S:
            up = _cells_up(b, events)
            waiting = tuple(c for c in (b.cell_list or []) if c not in up)
            out.append(Task(f"mist:{b.id}", at_s, tray, b.id, Mist(counts.of - counts.up, waiting, more)))
    if (
        not counts.up
        and f.call_it_s is not None
        and f.call_it_s <= at_s + 12 * HOUR_S
        and (f.supposed or f.verdict != "cannot_tell")
    ):
        called = CallIt(more, f.days_at_target, counts.of, b.by_seed)
        out.append(Task(f"call_it:{b.id}", f.call_it_s, tray, b.id, called))
    elif late and not unseen:
        told = f.verdict == "late"
        cause = max(f.delay_days, key=lambda c: f.delay_days[c], default="") if told else ""
        out.append(Task(f"late:{b.id}", at_s, tray, b.id, Late(f.delay_total_days if told else None, cause)))
    return out


def covering_tasks(
    tray: str, inside: Sequence[BatchDay], state: RoomState, events: Sequence[Event], lit: bool, at_s: float
) -> list[Task]:
    """What the practice of the first days asks of a tray in which nothing is up yet: its cover lifted daily, its top misted
    where it has none, a lamp from the day of sowing."""
    waits = [d for d in inside if d.conditions.stage == "sown" and d.batch.from_seed and d.batch.set_up != "towel"]
    if not waits:
        return []
    d, here, out = waits[0], state.trays[tray], []
    touched = [e for e in events if e.fields.get("tray") == tray and e.at_s <= at_s]
    sown_s = d.batch.sown_at.timestamp()
    if d.practice["cover"] == "aired_daily" and here.cover == "on":
        aired_s = max([sown_s, *(e.at_s for e in touched if e.kind == "cover")])
        if at_s - aired_s > LOOK_EVERY_H * HOUR_S:
            out.append(Task(f"air_cover:{tray}", at_s, tray, d.batch.id, AirCover()))
    if d.practice["cover"] == "none" and here.cover == "off":
        wet = [e.at_s for e in touched if e.kind == "watered"]
        if at_s - max([sown_s, *wet]) > UNCOVERED_MIST_H * HOUR_S:
            since_h = (at_s - wet[-1]) / HOUR_S if wet else None
            out.append(Task(f"mist_top:{tray}", at_s, tray, d.batch.id, MistTop(since_h)))
    if d.practice["before_emergence"] == "lit" and not lit:
        out.append(Task(f"lit_from_sowing:{tray}", at_s, tray, d.batch.id, LitFromSowing()))
    return out


def _last_look(b: Batch, counts: Counts, events: Sequence[Event]) -> float:
    looks = [e.at_s for e in events if e.kind in ("count", "sign", "check") and e.fields.get("batch") == b.id]
    return max([b.sown_at.timestamp(), *looks])


def _cells_up(b: Batch, events: Sequence[Event]) -> set[str]:
    found = [
        e.fields["cell_list"] for e in events if e.kind == "count" and e.fields["batch"] == b.id and e.fields.get("cell_list")
    ]
    return {c for cells in found for c in cells}


def probe_tasks(journal: Journal, tray: str, inside: Sequence[BatchDay], at_s: float) -> list[Task]:
    """A logger that cannot be gone by; where seed waits also one that fell silent, or nothing that measures its soil."""
    mine = [s.until(at_s) for s in journal.series if s.place == tray]
    kinds = {x.id: x.kind for x in journal.sources}
    faults = [(s, f) for s in mine if is_logger(s, kinds) and (f := _fault(s, at_s)) is not None]
    sound = [s for s in mine if all(s is not bad for bad, _ in faults)]
    faults += _drifts(sound, [s for s in sound if is_logger(s, kinds)], at_s)
    batch = inside[0].batch.id
    out = [Task(f"{f.kind}:{tray}:{s.source}:{s.quantity}", f.since_s, tray, batch, f) for s, f in faults]
    return out + _unread_tasks(journal, tray, inside, at_s, {s.source or "" for s, _ in faults})


def _drifts(sound: Sequence[Series], loggers: Sequence[Series], at_s: float) -> list[tuple[Series, Fault]]:
    """Of the loggers of one quantity the one that comes apart from most that is read beside it."""
    out: list[tuple[Series, Fault]] = []
    for quantity in dict.fromkeys(s.quantity for s in loggers):
        beside = [s for s in sound if s.quantity == quantity]
        apart = {
            i: [d for o in beside if o is not s and (d := drifting(s, [o], at_s)) is not None]
            for i, s in enumerate(loggers) if s.quantity == quantity
        }  # fmt: skip
        if not any(apart.values()):
            continue
        worst = max(apart, key=lambda i: len(apart[i]))
        d = max(apart[worst], key=lambda d: (d.by_hand, abs(d.apart)))
        name = loggers[worst].source or ""
        out.append((loggers[worst], ProbeDrifting(name, d.other, quantity, d.apart, d.since_s, d.by_hand)))
    return out


def _fault(known: Series, at_s: float) -> Fault | None:
    """What is wrong with a logger by itself, the plainest first."""
    name = known.source or ""
    if (odd := impossible(known, at_s)) is not None:
        return ProbeImpossible(name, known.quantity, odd.value, odd.since_s)
    if known.quantity in STANDS_STILL and (still := stuck(known, at_s)) is not None:
        return ProbeStuck(name, known.quantity, still.value, still.since_s)
    if known.quantity == "soil_temperature" and (out := fallen_out(known, at_s)) is not None:
        return ProbeFallen(name, out.was_c, out.now_c, out.since_s)
    return None


def _unread_tasks(journal: Journal, tray: str, inside: Sequence[BatchDay], at_s: float, still: set[str]) -> list[Task]:
    """A logger that fell silent, or seed that waits with nothing measuring its soil; one that stands still is told as such."""
    waits = [d for d in inside if d.conditions.stage in ("sown", "emerging")]
    if not waits:
        return []
    loggers = []
    for s in journal.series:
        known = s.until(at_s)
        if s.quantity == "soil_temperature" and s.place == tray and len(known.at_s) >= 6:
            step_s = float(np.median(np.diff(known.at_s[-50:])))
            if step_s <= LOGGER_STEP_H * HOUR_S:
                loggers.append((float(known.at_s[-1]), step_s, s.source or ""))
    if loggers:
        last_s, step_s, source = max(loggers)
        if source not in still and at_s - last_s > max(3 * HOUR_S, SILENT_STEPS * step_s):
            silent = ProbeSilent(source, (at_s - last_s) / HOUR_S)
            return [Task(f"probe:{tray}", last_s, tray, waits[0].batch.id, silent)]
        return []
    soil = waits[0].conditions.channels["soil_temperature"]
    return [Task(f"soil:{tray}", at_s, tray, waits[0].batch.id, NoSoil())] if soil.value is None else []
