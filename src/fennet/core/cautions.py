"""Which caution stands at an act: what protects people is worked out from what the act is and what stands there, so that every
page, list and helper is told the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fennet.core.care.handling import Thin
from fennet.core.records import Event
from fennet.core.room import RoomState
from fennet.core.work import figures as f
from fennet.core.work.figures import Figures
from fennet.core.work.task import Task

#: Kinds whose support is a pole with a top. Source: growers_rule.
POLES = ("stake", "canes")
#: A tray that soaks for so long or more can run over while nobody looks, min. Source: growers_rule.
OVERFLOWS_MIN = 60.0
PLAIN: dict[str, str] = {
    "prick_out": "mix_dust", "pot_up": "mix_dust", "fallen": "mould", "mat_set": "mat", "lamp_set": "lamp", "lamp_raise": "lamp",
    "lamp_near": "lamp", "feed": "feed", "sow_day": "mix_dust", "exchange": "mat",
}  # fmt: skip


def caution_at(figures: Figures, wired: bool, glass: bool) -> str:
    """The key of the caution for a task, "" for none: `wired` whether mat, lamp or fan is at its tray, `glass` whether its cover
    is glass. Source: growers_rule.

    >>> from fennet.core.work.figures import Look, Water
    >>> caution_at(Water(30.0, 50.0, "below", 200.0, 25.0), True, False), caution_at(Look(1, 4, 1.0, False), True, False)
    ('water_wired', '')
    """
    match figures:
        case f.Water() if figures.minutes >= OVERFLOWS_MIN:
            return "overflow"
        case f.Water() | f.Mist() | f.MistTop():
            return "water_wired" if wired else ""
        case Thin():
            return "scissors" if figures.how == "cut" else ""
        case f.HandOver() if glass and {"cover_off", "cover_vent"} & set(figures.steps):
            return "glass"
        case f.AirCover() if glass:
            return "glass"
        case f.PlantOut():
            return "poles" if figures.set_out.bed.support in POLES else ""
        case f.Prepare():
            return {"hot_water": "hot_water", "nick": "blade", "cold_moist": "food_box"}.get(figures.how, "")
        case _:
            return PLAIN.get(figures.kind, "")


def at_tray(tray: str, state: RoomState, events: Sequence[Event]) -> tuple[bool, bool]:
    """Whether something of the mains is at a tray (a mat below it, a lamp over it), and whether its cover is glass as last put
    on. `events` are effective events."""
    here = state.trays.get(tray)
    if here is None:
        return False, False
    covers = [e for e in events if e.kind == "cover" and e.fields.get("tray") == tray]
    glass = bool(covers) and covers[-1].fields.get("how") == "glass" and here.cover != "off"
    return bool(here.mat) or bool(state.over(here.place)), glass


def with_cautions(tasks: Sequence[Task], state: RoomState, events: Sequence[Event]) -> list[Task]:
    """Tasks with the caution that stands at each; one row of several trays has the gravest need of any of them. `events` are
    effective events."""
    out = []
    for t in tasks:
        found = (caution_at(x.figures, *at_tray(x.tray, state, events)) for x in t.each)
        out.append(replace(t, caution=next((c for c in found if c), "")))
    return out
