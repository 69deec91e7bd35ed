"""What Fennet would have promised in the demo's finished season: each evening's answer from the record as it stood that evening.

The demo's house is simulated, and nobody was there to ask. The answers are those of today's models, given nothing later.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from fennet.answering.answers import Answers
from fennet.answering.promising import half_up_promise
from fennet.core.bearing import record_at
from fennet.journal.promises import entry_of
from fennet.journal.reader import read_journal
from fennet.journal.times import zone_of

#: Asked so many days after sowing, while half was not up; of what was sown before so many days ago.
ASKED_D, PAST_D = (2, 5, 9, 14), 200.0


def promises_of_the_past(journal: Mapping[str, Any], end: datetime) -> list[dict[str, Any]]:
    """Promises of when half would be up, as entries of the journal they are worked out from."""
    before = end - timedelta(days=PAST_D)

    def past(entry: Mapping[str, Any], key: str) -> bool:
        return datetime.fromisoformat(str(entry[key])) < before

    kept = {**journal, "readings": [r for r in journal["readings"] if past(r, "at")],
            "events": [e for e in journal["events"] if past(e, "at")],
            "batches": [b for b in journal["batches"] if past(b, "sown_at")]}  # fmt: skip
    j = read_journal(kept).with_series()
    zone, out = zone_of(j.garden.timezone), []
    for b in j.batches:
        for day in ASKED_D:
            at_s = (b.sown_at.astimezone(zone) + timedelta(days=day)).replace(hour=20, minute=0).timestamp()
            a = Answers(record_at(j, at_s), at_s, exactly=True)
            told = half_up_promise(a, b)
            if told is not None:
                out.append(entry_of(replace(told, id=f"past-{b.id}-{day}"), zone))
    return out
