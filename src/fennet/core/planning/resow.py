"""The last date on which sowing again still makes sense."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from fennet.core.crop import Crop
from fennet.core.light import DAY_S
from fennet.core.planning.frost import Frosts
from fennet.core.planning.gate import next_opening
from fennet.core.planning.growing import PlannedRoom, emerging, growing
from fennet.core.records import Batch, Garden, Journal

#: Plants ready so long after their gate opened still make their season, d. Source: starting_estimate.
STILL_WORTH_D = 28


def opens_s(garden: Garden, crop: Crop, after_s: float, zone: ZoneInfo) -> float | None:
    """The next day on which a kind may go out by the garden's own average last frost, seconds UTC; None where it names none.

    Each kind has a gate of its own: the last frost is none of a hardy one's. Source: planting_estimate.
    """
    if not garden.last_frost:
        return None
    after = datetime.fromtimestamp(after_s, zone).date()
    opens = next_opening(crop, after, Frosts(garden, None), None).opens
    return None if opens is None else datetime(opens.year, opens.month, opens.day, 12, tzinfo=zone).timestamp()


def last_resow_s(journal: Journal, crop: Crop, batch: Batch, at_s: float, zone: ZoneInfo) -> float | None:
    """The last moment to sow a batch again so that its plants are ready in time, seconds UTC; None where no date is known.

    By when they are wanted out (the batch's want, else another of its kind, else some weeks after its own gate opens), less
    hardening, the shortest growing and coming up at target. Source: planting_estimate.
    """
    wants = [w for w in journal.wants if w.out_by is not None and (w.id == batch.want if batch.want else w.crop == batch.crop)]
    out_s: float | None = None
    if wants:
        day: date = min(w.out_by for w in wants if w.out_by is not None)
        out_s = datetime(day.year, day.month, day.day, 12, tzinfo=zone).timestamp()
    else:
        opens = opens_s(journal.garden, crop, batch.sown_at.timestamp(), zone)
        # The day its gate opens is no deadline: plants ready some weeks later still make their season.
        out_s = None if opens is None else opens + STILL_WORTH_D * DAY_S
    if out_s is None:
        return None
    grown, come = growing(crop, PlannedRoom()), emerging(crop, crop.target_soil_c)
    if grown is None or come is None:
        return None
    days = crop.planting.harden_days + grown.least_days + come.days.p50
    return out_s - timedelta(days=days).total_seconds() // DAY_S * DAY_S
