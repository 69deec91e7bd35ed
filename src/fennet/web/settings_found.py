"""Settings proposed for a garden's mats and lamps: worked out once for the same record."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from fennet.core.exposure import STEP_S
from fennet.core.records import Event, Journal
from fennet.core.tuning.lamps import LampSetting, tune_lamps
from fennet.core.tuning.mats import MatSetting, tune_mats
from fennet.core.tuning.places import Exchange, exchanges
from fennet.journal.targets import own_targets
from fennet.web import answers, asking, record
from fennet.web.keeping import Kept

#: Events that can change what a mat should be set to.
BEARING = frozenset(
    ("mat", "placed", "cover", "count", "gave_up", "potted_up", "planted", "moved", "moved_to_light", "lost", "harvest", "outing")
)
_kept: Kept[tuple[list[MatSetting], list[Exchange]]] = Kept(60)
_lamps: Kept[list[LampSetting]] = Kept(60)


def proposed(journal: Journal, events: list[Event], at_s: float) -> tuple[list[MatSetting], list[Exchange]]:
    """A setting for every mat in use, and what exchanges of places would gain."""

    # A note, a watering or a look bears on no mat: what was worked out stays. "Now" moves in steps, but never before what bears.
    moved = [e for e in events if e.kind in BEARING]
    read = [s for s in journal.series if s.quantity in ("soil_temperature", "air_temperature") and len(s.at_s)]
    lasts = [e.at.timestamp() for e in moved] + [float(s.at_s[-1]) for s in read]
    own_s = max(at_s // STEP_S * STEP_S, max((t for t in lasts if t <= at_s), default=0.0))

    def made() -> tuple[list[MatSetting], list[Exchange]]:
        table = answers.table_for(journal)
        crops = {b.crop: table.get(b.crop) for b in journal.batches}
        settings = tune_mats(journal, crops, own_s)
        return settings, exchanges(journal, crops, settings, events, own_s)

    bearing = tuple((e.id, e.at, repr(e.fields)) for e in moved)
    warmth = tuple((s.place, s.quantity, s.source, len(s.at_s), float(s.at_s[-1]), float(s.value.sum())) for s in read)
    return _kept.get((*asking.identity(), record.shape(), own_s, bearing, warmth), made)


def proposed_lamps(journal: Journal, events: list[Event], at_s: float, zone: ZoneInfo) -> list[LampSetting]:
    """A setting for every lamp that hangs over trays."""

    key = (*asking.identity(), record.revision(), at_s, zone.key)
    return _lamps.get(key, lambda: _tuned(journal, events, at_s, zone))


def _tuned(journal: Journal, events: list[Event], at_s: float, zone: ZoneInfo) -> list[LampSetting]:
    table = answers.table_for(journal)
    crops = {b.crop: table.get(b.crop) for b in journal.batches}
    return tune_lamps(journal, crops, at_s, zone, own_targets(journal), events)


#: Events that can change what a lamp should be set to.
LIT_BEARING = frozenset(
    ("lamp", "placed", "count", "height", "gave_up", "potted_up", "planted", "moved", "lost", "harvest", "outing")
)


def lamps_for_today(journal: Journal, events: list[Event], at_s: float, zone: ZoneInfo) -> list[LampSetting]:
    """The lamps for the day's list: worked out anew by the hour, and when light, lamps or plants changed."""
    bearing = tuple(e.id for e in events if e.kind in LIT_BEARING)
    read = tuple(
        (s.place, s.source, len(s.at_s), float(s.value.sum())) for s in journal.series if s.quantity in ("light", "height")
    )
    key = ("today", *asking.identity(), record.shape(), at_s // 3600.0, bearing, read, zone.key)
    return _lamps.get(key, lambda: _tuned(journal, events, at_s, zone))


def forget() -> None:
    """Empty the shelves of kept settings."""
    _kept.forget()
    _lamps.forget()
