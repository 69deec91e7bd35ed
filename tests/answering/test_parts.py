"""The part of a record that each question reads says the same as the whole record, to the last figure."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any

from fennet.answering.answers import Answers
from fennet.core.bearing import Part, Record, part_of, record_at
from fennet.core.history import over_s
from fennet.core.records import Journal
from fennet.core.room import tray_of
from fennet.core.stages import ENDED, stage_at, stage_spans
from fennet.journal.reader import open_journal, read_journal
from fennet.simulated_room.demo import demo_journal
from tests.database import NOW
from tests.plain import differing, plain

CASES = Path(__file__).parents[1] / "cases"


class WholeRecord(Record):
    """A record whose every part is the whole of it."""

    def _whole(self, *_: Any) -> Part:
        return part_of(self.journal, self.now_s)

    home = soil = grown = care = argument = heat = garden = _whole  # type: ignore[assignment]


@cache
def demo() -> Journal:
    return read_journal(demo_journal(NOW)).with_series()


def asked(a: Answers) -> dict[str, Any]:
    """Every question put to a garden, with its answer in plain values."""
    out: dict[str, Any] = {}
    for b in a.journal.batches:
        if b.sown_at.timestamp() > a.at_s or b.crop not in a.crops:
            continue
        state = a.conditions(b)
        out[f"conditions {b.id}"] = plain(state)
        out[f"forecast {b.id}"] = plain(a.forecast(b, curves=True))
        if stage_at(stage_spans(b, a.events, a.at_s), a.at_s) not in ENDED or over_s(b, a.events, a.at_s) is None:
            out[f"findings {b.id}"] = plain(a.findings(b))
        tray = next((t for t in a.journal.trays if t.id == tray_of(b, a.events, a.at_s)), None)
        if tray is not None:
            out[f"care {b.id}"] = plain(a.care(b, tray, state))
            out[f"watering {b.id}"] = plain(a.watering(b, tray))
        out[f"leaves {b.id}"] = a.leaves(b)
    out["learned"], out["room"] = plain(a.learned_lines()), plain(a.room_lines())
    out["mats"], out["lamps"] = plain(a.mats()), plain(a.lamps())
    out["plan"] = plain(a.plan(datetime.fromtimestamp(a.at_s, a.zone).date()))
    return out


class Parts(unittest.TestCase):
    def agree(self, journal: Journal, at: datetime) -> None:
        record = record_at(journal, at.timestamp())
        by_parts = asked(Answers(record, record.now_s, exactly=True))
        by_the_whole = asked(Answers(WholeRecord(record.journal, record.now_s), record.now_s, exactly=True))
        self.assertEqual(by_parts.keys(), by_the_whole.keys())
        for name, answer in by_parts.items():
            with self.subTest(name, at=str(at)):
                self.assertEqual(differing(answer, by_the_whole[name]), [])

    def test_the_demo_season_at_several_moments(self) -> None:
        for days in (0, 4, 11, 25):
            self.agree(demo(), NOW - timedelta(days=days))

    def test_every_case(self) -> None:
        for path in sorted(CASES.glob("*.json")):
            read = read_journal(open_journal(path.read_text()))
            journal = read.with_series()
            last_s = max(
                [e.at.timestamp() for e in journal.events]
                + [float(s.at_s[-1]) for s in journal.series]
                + [b.sown_at.timestamp() for b in journal.batches]
            )
            with self.subTest(path.name):
                self.agree(replace(journal), datetime.fromtimestamp(last_s + 3600, NOW.tzinfo))
