"""The next watering of a tray: when, how much, how, for how many minutes, and whether the top must dry first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from fennet.core.conditions import Conditions
from fennet.core.drying import SOAKED_PCT, DryDown, dry_down, refill_ml
from fennet.core.light import DAY_S
from fennet.core.records import Event, Journal, Tray
from fennet.core.working import Input, Interval, Working

#: Minutes by way of watering: stood in water and poured off, longer in dry rooms, a mist, a rose. Source: growers_rule.
MINUTES = {"below": 25.0, "below_2_h": 120.0, "mist": 1.0, "above": 3.0}
#: How long a tray stands in water by practice, min. Source: growers_rule.
SOAK_MIN = {"10min": 10.0, "30min": 25.0, "2h": 120.0, "overnight": 600.0}
#: Watering in the morning or evening is done at about this hour, h. Source: growers_rule.
WATER_AT_H = {"morning": 8, "evening": 18}
#: The top is wet where film, fluff or flies were seen in the last days. Source: growers_rule.
SEEN_D = 5.0
WET_SIGNS = ("green_film", "white_fluff", "tiny_flies")


@dataclass(frozen=True)
class NextWatering:
    """When a tray wants water (seconds UTC, 80 %), millilitres, the way, minutes, and `hold` (top_wet: let it dry first)."""

    when_s: Interval[float]
    ml: float | None
    how: str
    minutes: float
    working: Working
    hold: str = ""
    #: The moisture it is due at, % of capacity.
    aim_pct: float = 0.0


def minutes_of(practice: Mapping[str, str]) -> float:
    """How long a watering takes by practice, min: a tray in water stands as long as the grower soaks it. Source: growers_rule.

    >>> minutes_of({"water_how": "below", "soak": "10min"}), minutes_of({"water_how": "mist", "soak": "overnight"})
    (10.0, 1.0)
    """
    how = practice["water_how"]
    if how not in ("below", "below_2_h"):
        return MINUTES[how]
    return SOAK_MIN[practice["soak"]] if practice["soak"] != "30min" else MINUTES[how]


def at_hour_s(dry_s: float, at_s: float, school: str, zone: ZoneInfo) -> float:
    """When a tray that is dry by a moment is watered by practice: on the last morning or evening before, if that is still to
    come; seconds UTC. Source: growers_rule.

    >>> utc = ZoneInfo("UTC")
    >>> dry = datetime(2026, 3, 5, 3, tzinfo=utc).timestamp()
    >>> datetime.fromtimestamp(at_hour_s(dry, dry - 2 * DAY_S, "evening", utc), utc).isoformat()
    '2026-03-04T18:00:00+00:00'
    """
    if school not in WATER_AT_H:
        return dry_s
    local = datetime.fromtimestamp(dry_s, zone)
    hour = local.replace(hour=WATER_AT_H[school], minute=0, second=0, microsecond=0)
    if hour > local:
        hour = (hour - timedelta(days=1)).replace(hour=WATER_AT_H[school])
    return max(at_s, hour.timestamp()) if hour.timestamp() > at_s else dry_s


def watering_of(
    journal: Journal, tray: Tray, c: Conditions, practice: Mapping[str, str], events: Sequence[Event], at_s: float
) -> NextWatering | None:  # fmt: skip
    """The next watering of a batch's tray from its conditions: to the foot of the moisture band that holds for it, which is the
    trigger of the practice once it is up. None where its moisture is not known. Source: growers_rule."""
    wet = c.channels["moisture"]
    if wet.value is None or wet.band is None:
        return None
    loss = dry_down(journal, tray.id, events, at_s, c.leafy_s)
    found = next_watering(tray, wet.value, wet.band.low, practice["water_how"], loss, events, at_s)
    return replace(found, minutes=minutes_of(practice))


def next_watering(
    tray: Tray, moisture_pct: float, trigger_pct: float, how: str, loss: DryDown, events: Sequence[Event], at_s: float,
    full_pct: float = SOAKED_PCT,
) -> NextWatering:  # fmt: skip
    """The next watering of a tray from its moisture now, % of capacity. `events` are effective events. Source: growers_rule.

    A wet top holds it back: where film, fluff or flies show, a tray waits until it is clearly under its trigger.
    """
    held = top_is_wet(tray.id, events, at_s)
    aim = trigger_pct - 5.0 if held else trigger_pct
    days = loss.days_to(moisture_pct, aim)
    when = Interval(*(at_s + d * DAY_S for d in (days.p10, days.p50, days.p90)))
    # What it will have lost by then is what is poured.
    then = min(moisture_pct, aim)
    ml = refill_ml(tray, then, events, full_pct)
    working = Working(
        "next watering",
        (
            Input("moisture now", round(moisture_pct, 1), "% of capacity"),
            Input(
                "watered at", round(aim, 1), "% of capacity", "5 under it: the top is wet" if held else "the practice’s trigger"
            ),
            Input("loss", round(loss.per_day, 3), "of what it holds a day", f"{loss.cycles} stretches between waterings"),
            Input("filled to", full_pct, "% of capacity", "growers_rule"),
            Input("water", ml, "ml", "half of the mix is water at capacity" if tray.cell_ml else "as last time"),
        ),
        "days = ln(moisture now / where it is watered) / loss; water = what is missing then, of what the mix holds",
        ("growers_rule", "starting_estimate", "arithmetic"),
        "until the next watering, as the tray is covered now",
        round(days.p50, 1),
        "days",
    )
    return NextWatering(when, ml, how, MINUTES[how], working, "top_wet" if held and moisture_pct > aim else "", aim)


def top_is_wet(tray: str, events: Sequence[Event], at_s: float) -> bool:
    """Whether signs of the last days speak of a wet top. Source: growers_rule."""
    return any(
        e.kind == "sign" and e.fields["sign"] in WET_SIGNS and e.fields.get("tray") == tray and at_s - e.at_s < SEEN_D * DAY_S
        for e in events
    )
