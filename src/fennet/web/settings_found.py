"""Settings proposed for a garden's mats: worked out once for the same record."""

from __future__ import annotations

from fennet.core.records import Event, Journal
from fennet.core.tuning.mats import MatSetting, tune_mats
from fennet.core.tuning.places import Exchange, exchanges
from fennet.web import answers, record


def proposed(journal: Journal, events: list[Event], at_s: float) -> tuple[list[MatSetting], list[Exchange]]:
    """A setting for every mat in use, and what exchanges of places would gain."""

    def made() -> tuple[list[MatSetting], list[Exchange]]:
        table = answers.table_for(journal)
        crops = {b.crop: table.get(b.crop) for b in journal.batches}
        settings = tune_mats(journal, crops, at_s)
        return settings, exchanges(journal, crops, settings, events, at_s)

    return record.remembered(("settings", at_s), made)
