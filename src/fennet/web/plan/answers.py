"""A garden's plan, worked out once for the same things, events and day."""

from __future__ import annotations

from collections.abc import Collection, Hashable
from dataclasses import replace
from datetime import date
from functools import partial

from fennet.core.planning.plan import MOST_SOWINGS, MOST_WANTS, Outdoors, Plan, beyond, outdoors
from fennet.core.planning.plan import plan as core_plan
from fennet.core.records import Journal, Want
from fennet.crops import CropTable, UnknownCrop, shipped
from fennet.journal.minima import mark_of, read_minima
from fennet.journal.plans import assumed_of
from fennet.web import asking, record
from fennet.web.keeping import Kept
from fennet.web.parts import PartNote, part, tell

_kept: Kept[Plan] = Kept(24)
_nights: Kept[Outdoors] = Kept(12)


def table_of_crops(journal: Journal) -> CropTable:
    return shipped().with_own(journal.crops)


def today() -> date:
    """The garden's day."""
    return asking.speech().local(asking.now()).date()


def plan_of(journal: Journal) -> Plan:
    """The plan of a record as of today. Wants and batches of a crop that nobody knows any more are passed over."""
    table = table_of_crops(journal)
    crops = {}
    for name in {w.crop for w in journal.wants} | {b.crop for b in journal.batches}:
        try:
            crops[name] = table.get(name)
        except UnknownCrop:
            continue
    known = replace(journal, batches=[b for b in journal.batches if b.crop in crops])

    def planned(leave_out: Collection[int]) -> Plan:
        return core_plan(known, crops, nights(), today(), record.at_s(), assumed_of(journal.plans), leave_out)

    everything = range(len(known.wants))
    left_out = sorted({*beyond(known.wants), *everything[MOST_WANTS:]})
    if left_out:
        tell(PartNote(f"the plan of {len(left_out)} wants beyond the {MOST_SOWINGS} sowings that a plan holds"))
    whole = part("the plan as a whole", lambda: planned(left_out), None)
    if whole is not None:
        return whole
    # One want that cannot be planned must not hide the others: each is tried by itself, and what fails is left out and told.
    failing = list(left_out)
    for at in (x for x in everything if x not in left_out):
        alone = partial(planned, [x for x in everything if x != at])
        if part(f"the sowing of {known.wants[at].crop.replace('_', ' ')}", alone, None) is None:
            failing.append(at)
    return part("the plan of the rest", lambda: planned(failing), None) or planned(everything)


def nights() -> Outdoors:
    """Frost and climate here, from the record of nights: worked out once for the same record."""
    garden, entries = asking.garden().garden, record.journal().minima
    key = (*asking.identity(), repr(garden), mark_of(entries))
    return _nights.get(key, lambda: outdoors(garden, read_minima(entries).minima))


def plan() -> Plan:
    """This garden's plan."""
    journal = record.journal()
    return _remembered(("now", record.shape(), len(record.events())), journal)


def plan_if(position: int, which: str, day: date | None) -> Plan:
    """This garden's plan if a sowing had another day."""
    journal = record.journal()
    wants = list(journal.wants)
    at = positions().index(position)
    moved = {k: v for k, v in wants[at].moved.items() if k != which} | ({which: day} if day else {})
    wants[at] = replace(wants[at], moved=moved)
    return _remembered(("if", record.shape(), len(record.events()), position, which, day), replace(journal, wants=wants))


def plan_with(wants: list[Want], name: Hashable) -> Plan:
    """The plan of other wants in this garden and room."""
    return _remembered(("with", record.shape(), len(record.events()), name), replace(record.journal(), wants=wants))


def _remembered(key: Hashable, journal: Journal) -> Plan:
    whole = (*asking.identity(), repr(asking.garden().garden), today(), key)
    return _kept.get(whole, lambda: plan_of(journal))


def forget() -> None:
    """Empty what is kept, as after a start."""
    _kept.forget()
    _nights.forget()


def positions() -> list[int]:
    """The numbers that address the wants, in the order of the record."""
    return record.want_positions()
