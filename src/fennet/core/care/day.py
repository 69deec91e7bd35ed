"""What one batch wants done, worked out once: its age, risk, stretch, feed and handling."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from fennet.core.care.feeding import FeedDue, feed_due
from fennet.core.care.handling import Handling, handling_due
from fennet.core.conditions import Conditions
from fennet.core.crop import Crop
from fennet.core.damping_off import FALLEN, RiskDays, risk_days
from fennet.core.diagnosis.signs import SIGNS
from fennet.core.light import DAY_S
from fennet.core.planning.growing import PlannedRoom, growing
from fennet.core.planning.resow import opens_s
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.seed import sown_seed
from fennet.core.stretch import Stretch, ThermalAge, stretch_of, thermal_age

#: A height or a sign of the last days speaks of now; a sign that was looked into since is known. Source: growers_rule.
FRESH_D = 7.0


@dataclass(frozen=True)
class CareDay:
    """One batch as the day's list needs it. `signs` logged lately and not looked into since; `fallen` whether any fell lately."""

    age: ThermalAge
    risk: RiskDays | None
    stretch: Stretch | None
    feed: FeedDue | None
    handling: tuple[Handling, ...]
    signs: tuple[str, ...]
    fallen: bool
    wanted_in_d: float | None
    ready_in_d: float | None


def care_day(
    journal: Journal, crop: Crop, batch: Batch, tray: Tray, events: Sequence[Event], at_s: float, practice: Mapping[str, str],
    conditions: Conditions,
) -> CareDay:  # fmt: skip
    """What one batch wants at a moment (seconds UTC). `events` are effective events. Source: those of each part."""
    age = thermal_age(journal, crop, batch, events, at_s)
    young = age.up_s is None or at_s - age.up_s < 22 * DAY_S
    risk = risk_days(journal, crop, batch, events, at_s) if young and conditions.stage not in ("towel", "out") else None
    stretch = stretch_of(crop, age)
    if stretch is not None and at_s - stretch.measured_s > FRESH_D * DAY_S:
        stretch = None
    wanted, ready = timing(journal, crop, batch, age, at_s)
    moisture, hours = conditions.channels["moisture"].value, conditions.channels["light_hours"].value
    feed = feed_due(crop, batch, events, at_s, practice, age, moisture, hours, ready, wanted)
    handling = handling_due(
        crop, batch, tray, events, at_s, practice, age, sown_seed(journal, crop, batch), ready
    )  # fmt: skip
    mine = [
        e
        for e in events
        if at_s - e.at_s < FRESH_D * DAY_S
        and (e.fields.get("batch") == batch.id or (not e.fields.get("batch") and e.fields.get("tray") == tray.id))
    ]
    looked = max((e.at_s for e in mine if e.kind == "check"), default=0.0)
    odd = [e for e in mine if e.kind == "sign"]
    fallen = any(e.fields["sign"] in FALLEN for e in odd)
    open_signs = [e.fields["sign"] for e in odd if e.at_s > looked and e.fields["sign"] in SIGNS]
    return CareDay(age, risk, stretch, feed, tuple(handling), tuple(dict.fromkeys(open_signs)), fallen, wanted, ready)


def timing(journal: Journal, crop: Crop, batch: Batch, age: ThermalAge, at_s: float) -> tuple[float | None, float | None]:
    """Days until hardening is wanted to begin, and until the plants are ready for it; None where not known. Source:
    planting_estimate."""
    zone = journal.garden.zone
    out_s = None
    wants = [w for w in journal.wants if w.out_by is not None and (w.id == batch.want if batch.want else w.crop == batch.crop)]
    if wants:
        day = min(w.out_by for w in wants if w.out_by is not None)
        out_s = datetime(day.year, day.month, day.day, 12, tzinfo=zone).timestamp()
    else:
        out_s = opens_s(journal.garden, crop, batch.sown_at.timestamp(), zone)
    wanted = None if out_s is None else (out_s - at_s) / DAY_S - crop.planting.harden_days
    grown = growing(crop, PlannedRoom())
    ready = None if grown is None else (crop.planting.grow_days - age.now_d) / max(age.pace, 0.1)
    return wanted, ready
