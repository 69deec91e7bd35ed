"""What the plan asks for today: seed made ready, a day's sowing."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from fennet.core.planning.plan import Plan, Planned, if_sown
from fennet.core.work.figures import Prepare, SowDay
from fennet.core.work.task import Task

#: A sowing is told so many days ahead, in the morning. Source: growers_rule.
AHEAD_D, MORNING = 1, time(8)
#: What a week's wait does to growing, under this part of it, is worth telling. Source: starting_estimate.
WAIT_D, SHORT = 7, 0.9


def planned_tasks(plan: Plan, zone: ZoneInfo) -> list[Task]:
    """The plan's deeds of today and tomorrow: one row for seed that is soaked or chilled first, one for each day's sowing, with
    what a week's wait would cost. A sowing whose day is past has a new one in the plan. Source: growers_rule.
    """
    out = []
    last = plan.today + timedelta(days=AHEAD_D)
    for p in plan.sowings:
        if p.sow_on is None or p.pretreat_from is None or p.sow_on <= plan.today or p.pretreat_from > last:
            continue
        figures = Prepare(p.draft.crop.name, p.draft.crop.pretreatment, p.sow_on, p.draft.much.seeds)
        out.append(Task(f"prepare:{p.name}:{p.sow_on}", _at(max(p.pretreat_from, plan.today), zone), "", "", figures))
    days = sorted({p.sow_on for p in plan.sowings if p.sow_on is not None and p.sow_on <= last})
    for day in days:
        due = [p for p in plan.sowings if p.sow_on == day and p.draft.much.cells > 0]
        if due:
            figures_of = SowDay(day, _names(due), sum(p.draft.much.cells for p in due), _waiting(due, day))
            out.append(Task(f"sow_day:{day.isoformat()}", _at(day, zone), "", "", figures_of))
    return out


def _names(due: Sequence[Planned]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(p.draft.crop.name for p in due))


def _waiting(due: Sequence[Planned], day: date) -> tuple[str, float] | None:
    """The kind that a week's wait would cost most, and the part of its growing it would then have by its planting day; None where
    none would fall short."""
    later = [(x, p) for p in due if (x := if_sown(p, day + timedelta(days=WAIT_D))) is not None]
    short = [(x.size, p.draft.crop.name) for x, p in later if x.small or x.size < SHORT]
    if not short:
        return None
    size, name = min(short)
    return name, size


def _at(day: date, zone: ZoneInfo) -> float:
    return datetime.combine(day, MORNING, zone).timestamp()
