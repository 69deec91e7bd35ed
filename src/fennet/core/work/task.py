"""A task of the day's list, what bears on it, and what was left until later."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from fennet.core.care.day import CareDay
from fennet.core.conditions import Conditions
from fennet.core.forecast import Forecast
from fennet.core.hardening.hardening import Hardening
from fennet.core.records import Batch, Event, Tray
from fennet.core.work.figures import Figures

#: What a day of waiting costs, in days of growth or the like: it orders the list. Source: starting_estimate.
LOSS = {
    "fallen": 4.0, "cold_night": 3.8, "come_in": 3.5, "hand_over": 3.0, "lamp_near": 2.5, "no_light": 2.5, "hot_day": 2.2,
    "water": 2.0, "damp": 1.6, "probe_silent": 1.2, "probe_stuck": 1.2,
    "probe_fallen": 2.0, "probe_impossible": 1.4, "probe_drifting": 0.6,
    "mat_check": 1.2, "sign": 1.1, "mist": 1.0, "too_wet": 0.9, "pot_up": 0.9,
    "go_out": 0.9, "feel": 0.9, "look": 0.8, "leggy": 0.8, "prick_out": 0.8, "late": 0.7, "thin": 0.7,
    "mat_set": 0.6, "mat_limit": 0.6, "lamp_set": 0.6, "plant_out": 0.6, "lamp_raise": 0.6, "soil_out": 0.6, "exchange": 0.5,
    "light_out": 0.5, "feed": 0.5, "promise": 0.4, "hours_out": 0.4, "call_it": 0.3, "flowers_off": 0.3, "no_soil": 0.3,
    "pinch": 0.2,
    "pinch_out": 0.2, "air_cover": 0.6, "mist_top": 1.0, "lit_from_sowing": 0.6, "sow_day": 0.9, "prepare": 0.8,
}  # fmt: skip
#: Worth knowing, with nothing to press: told apart from what is to be done.
NOTES = ("late", "soil_out", "light_out", "too_wet", "mat_limit")
#: Minutes each takes, where it is not one. Source: starting_estimate.
MINUTES = {
    "pot_up": 20.0, "prick_out": 20.0, "fallen": 10.0, "thin": 4.0, "feed": 4.0, "hand_over": 4.0, "exchange": 4.0,
    "lamp_set": 3.0, "water": 3.0, "go_out": 5.0, "come_in": 5.0, "cold_night": 10.0, "hot_day": 10.0, "plant_out": 30.0,
    "sow_day": 25.0,
}  # fmt: skip
#: Feeding, thinning, potting up and raising a lamp are told so far ahead, h. Source: growers_rule.
CARE_AHEAD_H = 40.0
LEAVE = "leave"


@dataclass(frozen=True)
class BatchDay:
    """One living batch as it is now."""

    batch: Batch
    tray: Tray
    conditions: Conditions
    forecast: Forecast | None
    practice: Mapping[str, str]
    care: CareDay | None = None
    outing: Hardening | None = None


@dataclass(frozen=True)
class Task:
    """One thing to do. `key` names it from day to day; `due_s` when (seconds UTC; in the past: now); `loss` what a day costs.

    `together`: those it was made one of, where one row speaks of several trays or batches.
    """

    key: str
    due_s: float
    tray: str
    batch: str
    figures: Figures
    grave: bool = False
    together: tuple[Task, ...] = ()
    #: The key of the caution that stands at the act, "" for none.
    caution: str = ""

    @property
    def kind(self) -> str:
        return self.figures.kind

    @property
    def each(self) -> tuple[Task, ...]:
        """The tasks it speaks of: itself, or those it was made one of."""
        return self.together or (self,)

    @property
    def loss(self) -> float:
        return LOSS[self.kind]

    @property
    def note(self) -> bool:
        """Worth knowing, but there is nothing to do in a minute."""
        return self.kind in NOTES

    @property
    def minutes(self) -> float:
        return MINUTES.get(self.kind, 1.0)


@dataclass(frozen=True)
class Left:
    """A task left until a moment, why, and the event that says so."""

    until_s: float
    why: str
    event: str


def left(events: Sequence[Event], at_s: float) -> dict[str, Left]:
    """Tasks that were left until later and still are, by key; of several the last one holds. `events` are effective events."""
    out: dict[str, Left] = {}
    for e in events:
        value = e.fields.get("value")
        if e.kind != "set" or e.fields.get("what") != LEAVE or not isinstance(value, Mapping):
            continue
        try:
            until_s = datetime.fromisoformat(str(value["until"])).timestamp()
            out[str(value["task"])] = Left(until_s, str(value.get("why") or ""), e.id)
        except (KeyError, ValueError):
            continue
    return {k: v for k, v in out.items() if v.until_s > at_s}
