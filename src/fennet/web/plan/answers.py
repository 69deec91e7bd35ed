"""A garden's plan for pages: what of it cannot be planned is told, and the rest of it planned."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import replace
from datetime import date
from functools import partial

from fennet.core.crop import Crop
from fennet.core.hardening.dates import BatchDates
from fennet.core.planning.plan import MOST_SOWINGS, MOST_WANTS, Outdoors, Plan, beyond
from fennet.core.records import Want
from fennet.web import record, request_context
from fennet.web.parts import PartNote, part, tell


def today() -> date:
    """The garden's day."""
    return request_context.formatter().local(request_context.now()).date()


def nights() -> Outdoors:
    """Frost and climate here."""
    return record.answers().nights()


def plan() -> Plan:
    """This garden's plan as of today."""
    return plan_with(None, None)


def plan_if(position: int, sowing_no: str, day: date | None) -> Plan:
    """This garden's plan if a sowing had another day."""
    wants = list(record.journal().wants)
    at = positions().index(position)
    moved = {k: v for k, v in wants[at].moved.items() if k != sowing_no} | ({sowing_no: day} if day else {})
    wants[at] = replace(wants[at], moved=moved)
    return plan_with(wants, ("if", position, sowing_no, day))


def plan_with(wants: Sequence[Want] | None, name: Hashable) -> Plan:
    """The plan of other wants in this garden and room, told from its own by `name`."""
    a, day = record.answers(), today()
    known = a.journal.wants if wants is None else wants
    left_out = sorted({*beyond(known), *range(MOST_WANTS, len(known))})
    if left_out:
        tell(PartNote(f"the plan of {len(left_out)} crops beyond the {MOST_SOWINGS} sowings that a plan holds"))
    whole = part("the plan as a whole", lambda: a.plan(day, wants, name, left_out), None)
    if whole is not None:
        return whole
    # One want that cannot be planned must not hide the others: each is tried by itself, and what fails is left out and told.
    failing = list(left_out)
    for at in (x for x in range(len(known)) if x not in left_out):
        others = [x for x in range(len(known)) if x != at]
        if part(f"the sowing of {known[at].crop.replace('_', ' ')}", partial(a.plan, day, wants, name, others), None) is None:
            failing.append(at)
    rest = part("the plan of the rest", lambda: a.plan(day, wants, name, failing), None)
    return rest or a.plan(day, wants, name, range(len(known)))


NOTHING_GROWS: list[tuple[BatchDates, Crop]] = []


def growing() -> list[tuple[BatchDates, Crop]]:
    """What grows, and what is out, with its dates as they stand."""
    a = record.answers()
    return [(d, a.table.get(d.batch.crop)) for d in a.growing_dates()]


def positions() -> list[int]:
    """The numbers that address the wants, in the order of the record."""
    return record.want_positions()
