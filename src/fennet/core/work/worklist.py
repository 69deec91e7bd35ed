"""What there is to do, for the whole room: each deed with its reason, by when, and what is lost by waiting.

Nothing here is written down as a task: the list is worked out from the record each time, so what is done or no longer true
leaves it by itself. A person may leave a task until later; that is a `set` event and can be undone.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import replace

from fennet.core.hardening.weather import DayOutdoors
from fennet.core.learning.habits import Habit, usual_of
from fennet.core.records import Event, Journal
from fennet.core.room import RoomState
from fennet.core.scoring import ScoredPromise
from fennet.core.tuning.lamps import LampSetting
from fennet.core.tuning.mats import MatSetting
from fennet.core.tuning.places import Exchange
from fennet.core.work.coming_up import covering_tasks, hand_over_tasks, probe_tasks, waiting_tasks
from fennet.core.work.figures import HandOver, HoursOut, LampNear, LampSet, MatCheck, walk_of
from fennet.core.work.growing import caring_tasks, growing_tasks, water_tasks
from fennet.core.work.outdoors import Planted, outing_tasks, planted_tasks
from fennet.core.work.settings import lamps_tasks, mats_tasks
from fennet.core.work.task import BatchDay, Task

DAYLIT = ("sill", "porch", "outdoors")
#: So many things are shown first; the rest stands folded below them. Source: growers_rule.
FIRST = 7


def worklist(
    journal: Journal, state: RoomState, events: Sequence[Event], days: Sequence[BatchDay], settings: Sequence[MatSetting],
    swaps: Sequence[Exchange], marked: Sequence[ScoredPromise], at_s: float, lamps: Sequence[LampSetting] = (),
    planted: Sequence[Planted] = (), ahead: Sequence[DayOutdoors] = (), habits: Sequence[Habit] = (),
) -> list[Task]:  # fmt: skip
    """Everything there is to do at a moment (seconds UTC), the most pressing first. `events` are effective events; `planted` what
    stands outdoors for good, `ahead` the weather it is in for, from today on; `habits` how people here go about it.

    Due now before due later, and within that what costs most to leave. Source: growers_rule for the deeds, starting_estimate for
    their order.
    """
    places = {p.id: p for p in journal.places}
    out: list[Task] = []
    by_tray: dict[str, list[BatchDay]] = {}
    for d in days:
        by_tray.setdefault(d.tray.id, []).append(d)
    lamps_said: set[str] = set()
    for tray, inside in by_tray.items():
        here = state.trays[tray]
        place = places.get(here.place or "")
        lit = bool(state.over(here.place)) or (place is not None and place.kind in DAYLIT)
        out += hand_over_tasks(tray, inside, state, events, lit, at_s)
        out += covering_tasks(tray, inside, state, events, lit, at_s)
        out += water_tasks(journal, tray, inside, events, at_s, usual_of(habits, "watered"))
        out += probe_tasks(journal, tray, inside, at_s)
        for d in inside:
            out += waiting_tasks(d, events, here.cover, at_s, usual_of(habits, "counted"))
            out += growing_tasks(journal, d, state, events, lamps_said, at_s)
            out += caring_tasks(d, here.cover, at_s)
            out += outing_tasks(d, at_s)
    out += mats_tasks(settings, swaps, marked, at_s)
    out += lamps_tasks(lamps, at_s)
    out += planted_tasks(planted, ahead, at_s)
    return in_order(grouped(_said_once(out), at_s), at_s)


def _said_once(tasks: Sequence[Task]) -> list[Task]:
    """One matter, one task: the light of a hand-over is not asked for again, nor is cold soil where its lateness or its mat is
    told."""
    steps = {t.tray: t.figures.steps for t in tasks if isinstance(t.figures, HandOver)}
    late = {t.batch for t in tasks if t.kind == "late"}
    heated = {t.tray for t in tasks if t.kind in ("mat_set", "mat_limit", "mat_check")}
    fallen = {t.tray for t in tasks if t.kind == "fallen"}
    # Soil out of its band by a probe that lies in the open is no cold soil.
    astray = {t.tray for t in tasks if t.kind in ("probe_fallen", "probe_impossible")}
    lamps = [t.figures for t in tasks if isinstance(t.figures, LampSet)]
    set_lamps, lit_trays = {x.lamp for x in lamps}, {tray for x in lamps for tray in x.trays}
    checked = {(t.tray, t.figures.reason) for t in tasks if isinstance(t.figures, MatCheck)}
    return [
        t
        for t in tasks
        if not (t.kind == "probe_silent" and (t.tray, "silent") in checked)
        and not (t.kind == "probe_stuck" and (t.tray, "stuck") in checked)
        and not (t.kind == "probe_impossible" and (t.tray, "no_soil") in checked)
        and not (t.kind == "probe_fallen" and (t.tray, "reads_air") in checked)
        and not (t.kind == "soil_out" and t.tray in astray)
        and not (t.kind == "no_light" and "light_on" in steps.get(t.tray, ()))
        and not (t.kind == "soil_out" and (t.batch in late or t.tray in heated))
        and not (t.kind in ("damp", "sign", "feed") and t.tray in fallen)
        and not (t.kind == "damp" and "cover_off" in steps.get(t.tray, ()))
        and not (t.kind in ("light_out", "leggy") and t.tray in lit_trays)
        and not (isinstance(t.figures, HoursOut | LampNear) and t.figures.lamp in set_lamps)
    ]


#: Deeds that one walk does for several trays, from so many trays on told in one row.
TOGETHER = {
    "feed": 2,
    "thin": 2,
    "leggy": 2,
    "sign": 2,
    "damp": 2,
    "pot_up": 2,
    "water": 3,
    "feel": 2,
    "no_soil": 2,
    "go_out": 2,
    "come_in": 2,
}


def grouped(tasks: Sequence[Task], at_s: float) -> list[Task]:
    """The same deed of one tray said once, and small deeds of several trays in one row: a day's list stays short. Source:
    growers_rule."""
    groups: dict[Hashable, list[Task]] = {}
    for n, t in enumerate(tasks):
        if t.kind not in TOGETHER:
            groups[n] = [t]
            continue
        # What is due now is one walk; what comes later has its hour.
        later = t.due_s if t.kind == "water" and t.due_s > at_s else t.due_s > at_s
        group = groups.setdefault((t.kind, later, walk_of(t.figures)), [])
        # What is poured or aired is the whole tray.
        if t.kind not in ("feed", "damp") or all(x.tray != t.tray for x in group):
            group.append(t)
    out = []
    for group in groups.values():
        out += [_together(group)] if len(group) >= TOGETHER.get(group[0].kind, len(group) + 1) else group
    return out


def _together(group: Sequence[Task]) -> Task:
    """Several tasks of one kind as one, with the tray and the figures of the first."""
    key = f"{group[0].kind}:{'+'.join(sorted({f'{t.tray}.{t.batch}' for t in group}))}"
    due_s, grave = min(t.due_s for t in group), any(t.grave for t in group)
    return replace(group[0], key=key, due_s=due_s, grave=grave, together=tuple(group))


def in_order(tasks: Sequence[Task], at_s: float) -> list[Task]:
    """What is due now first, by what a day costs; then what comes later, by when."""
    return sorted(tasks, key=lambda t: (t.due_s > at_s, t.due_s if t.due_s > at_s else 0.0, -t.loss, t.key))


def first_and_rest(due: Sequence[Task]) -> tuple[list[Task], list[Task]]:
    """Of tasks in order those that come first, every grave one among them, and those for when there is time.

    >>> from fennet.core.work.figures import NoLight
    >>> first, rest = first_and_rest([Task(f"look:{n}", 0.0, "A", "b", NoLight(), n == 9) for n in range(12)])
    >>> len(first), first[-1].key, len(rest)
    (7, 'look:9', 5)
    """
    others = iter(range(FIRST - sum(t.grave for t in due)))
    first = [t for t in due if t.grave or next(others, None) is not None]
    return first, [t for t in due if t not in first]
