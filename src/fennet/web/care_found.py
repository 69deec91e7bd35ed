"""What each batch wants done, for the day's list: worked out once for what bears on it."""

from __future__ import annotations

from fennet.core.care.day import CareDay, care_day
from fennet.core.conditions import Conditions
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.targets import practice_of
from fennet.telling.speech import Speech
from fennet.web import answers
from fennet.web.bands import bearing_on
from fennet.web.keeping import Kept

#: Feeding, age and risk move by the hour and not by the minute.
HOUR_S = 3_600.0
_kept: Kept[CareDay] = Kept(400)


def care_of(
    journal: Journal, batch: Batch, tray: Tray, events: list[Event], at_s: float, conditions: Conditions, say: Speech
) -> CareDay:
    """What one batch wants done now."""
    table = answers.table_for(journal)
    b = bearing_on(journal, table, batch, events, at_s, say, near=True)
    wants = tuple((w.id, w.crop, w.out_by) for w in journal.wants)
    key = (b.mark, b.at_s // HOUR_S, wants, repr(journal.fans))
    crop = table.get(batch.crop)
    practice = practice_of(journal.garden, batch)
    return _kept.get(key, lambda: care_day(b.part, crop, batch, tray, b.events, b.at_s, practice, conditions))


def forget() -> None:
    """Empty the shelf of kept days."""
    _kept.forget()
