"""The last date on which sowing again still makes sense."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from fennet.core.conditions import next_last_frost_s
from fennet.core.crop import Crop
from fennet.core.light import DAY_S
from fennet.core.planning.growing import PlannedRoom, emerging, growing
from fennet.core.records import Batch, Journal


def last_resow_s(journal: Journal, crop: Crop, batch: Batch, at_s: float, zone: ZoneInfo) -> float | None:
    """The last moment to sow a batch again so that its plants are ready in time, seconds UTC; None where no date is known.

    By when they are wanted out (the batch's want, else another of its kind, else the average last frost), less hardening, the
    shortest growing and coming up at target. Source: planting_estimate.
    """
    wants = [w for w in journal.wants if w.out_by is not None and (w.id == batch.want if batch.want else w.crop == batch.crop)]
    out_s: float | None = None
    if wants:
        day: date = min(w.out_by for w in wants if w.out_by is not None)
        out_s = datetime(day.year, day.month, day.day, 12, tzinfo=zone).timestamp()
    else:
        out_s = next_last_frost_s(journal.garden, batch.sown_at.timestamp(), zone)
    if out_s is None:
        return None
    grown, come = growing(crop, PlannedRoom()), emerging(crop, crop.target_soil_c)
    if grown is None or come is None:
        return None
    days = crop.planting.harden_days + grown.least_days + come.days.p50
    return out_s - timedelta(days=days).total_seconds() // DAY_S * DAY_S
