"""`./fennet plan JOURNAL`: no database, no server."""

from __future__ import annotations

import json
import sys
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from fennet.cli.journal_file import answers_of, load, moment_of
from fennet.cli.refused import Refused
from fennet.core.planning.clashes import clashes
from fennet.core.planning.plan import Plan, Planned, notes_of
from fennet.core.working import Interval
from fennet.journal.minima import read_minima
from fennet.journal.reader import Read
from fennet.presentation.calendar import calendar
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import clash_words, least_change_words, note_words, way_words

#: A journal without any dated record is planned as from so long before its earliest wish.
AHEAD_D = 300


def plan(path: str, at: str | None, ics: bool) -> int:
    read = load(path)
    if not read.journal.wants:
        raise Refused(f"{path}: wants: none are given; accepted: wants with a crop and a number of plants")
    a = answers_of(read, _moment(read, at))
    for entry in read_minima(read.journal.minima).rejected:
        print(f"{path}: set aside {entry}", file=sys.stderr)
    made, fmt = a.plan(datetime.fromtimestamp(a.at_s, a.zone).date()), Formatter(a.zone)
    if ics:
        growing = [(d, a.table.get(d.batch.crop)) for d in a.growing_dates()]
        sys.stdout.write(calendar(made, a.journal.garden.name, fmt, growing=growing).decode())
        return 0
    json.dump(as_json(made, fmt), sys.stdout, ensure_ascii=False, indent=1)
    print()
    return 0


def _moment(read: Read, at: str | None) -> float:
    """The moment to plan from: as given (a day means its noon), else the latest of the record; without a record, well before the
    earliest wish."""
    if at is not None and len(at) == 10:
        at += "T12:00"
    try:
        return moment_of(read, at)
    except Refused:
        if at is not None:
            raise
    wishes = [w.out_by for w in read.journal.wants if w.out_by]
    day = min(wishes) - timedelta(days=AHEAD_D) if wishes else date.today()
    return datetime.combine(day, time(12), UTC).timestamp()


def as_json(p: Plan, fmt: Formatter) -> dict[str, Any]:
    """A plan with the keys of docs/formats.md."""
    found = clashes(p)
    load = [
        {
            "week": w.iso,
            "mat_places": {"needed": int(-(-w.needed[0] // 1)), "have": _whole(p.have.mat_places)},
            "shelf_mm2": {"needed": round(w.needed[1]), "have": _whole(p.have.shelf_mm2)},
            "lamp_mm2": {"needed": round(w.needed[2]), "have": _whole(p.have.lamp_mm2)},
            "lamp_timers": {"needed": w.settings, "have": p.have.lamps or None},
        }
        for w in p.load
    ]  # fmt: skip
    return {
        "format": "fennet-plan",
        "version": 1,
        "today": p.today.isoformat(),
        "fits": p.fits and not found,
        "settled": p.settled,
        "room": {
            "soil_without_mat_c": p.surroundings.room.soil_without_mat_c,
            "air_c": p.surroundings.room.air_c,
            "dli_mol": p.surroundings.room.dli_mol,
            "from_record": sorted(p.surroundings.room.from_record),
        },
        "sowings": [_sowing(x, fmt) for x in p.sowings],
        "load": load,
        "clashes": [
            {
                "week": f"{m.isocalendar()[0]}-W{m.isocalendar()[1]:02}", "what": c.resource, "words": clash_words(c, fmt),
                "least_change": least_change_words(c, fmt), "or": [way_words(w, fmt) for w in c.changes[1:]],
            }
            for c in found for m in c.weeks()
        ],
    }  # fmt: skip


def _whole(value: float | None) -> int | None:
    return None if value is None else round(value)


def _sowing(p: Planned, fmt: Formatter) -> dict[str, Any]:
    d = p.draft

    def day(x: date | None) -> str | None:
        return x.isoformat() if x else None

    def days(i: Interval[datetime] | None) -> dict[str, str] | None:
        return None if i is None else {q: getattr(i, q).date().isoformat() for q in ("p10", "p50", "p90")}

    return {
        "crop": d.crop.id,
        "variety": d.want.variety,
        "want": d.want.id,
        "number": d.number,
        "part": [d.part, d.parts],
        "sow_on": day(p.sow_on),
        "sow_between": [day(d.sow_from), day(d.sow_to)] if d.sow_from else None,
        "seed_lot": d.lot.id if d.lot else None,
        "set_up": d.much.set_up,
        "seeds": d.much.seeds,
        "cells": d.much.cells,
        "seeds_per_cell": d.much.seeds_per_cell,
        "trays": p.trays,
        "shares_tray_with": len(p.shares),
        "on_mat": p.on_mat,
        "soil_c": round(p.heat.soil_c, 1) if p.heat else None,
        "half_up": days(p.half_up),
        "pot_up_on": day(p.pot_up_on),
        "harden_from": day(p.harden_from),
        "out_on": day(p.out_on),
        "chance_enough": round(d.much.chance_enough, 4),
        "expect_to_thin": round(d.much.to_thin, 1),
        "frost_risk": None if p.risk is None else round(p.risk, 4),
        "notes": [note_words(n, fmt, d.crop.name) for n in notes_of(p)],
    }
