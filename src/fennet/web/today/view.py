"""What Today shows: each room's bench, and the list of what is out of band with the deed that mends it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fennet.core.conditions import Conditions, next_last_frost_s
from fennet.core.due import Due, due_after_emergence
from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.history import counts_of
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.room import RoomState, Trouble, canopy_mm, leaf_distance_mm, room_at, tray_of, troubles
from fennet.core.targets import practice_of
from fennet.telling.speech import Speech
from fennet.web import answers
from fennet.web.bands import STAGE_WORDS, channel_view, conditions_of, figure
from fennet.web.today.bench import bench
from fennet.web.today.drawn import ROOMLESS, Bench, Matter, TrayNow
from fennet.web.trays.view import LOOKS_BACK_S, batch_name, lives


@dataclass(frozen=True)
class Group:
    """What is out of band for one batch."""

    subject: str
    tray: str
    matters: list[Matter]


@dataclass(frozen=True)
class RoomTab:
    id: str
    name: str
    now: bool


@dataclass(frozen=True)
class TodayView:
    rooms: list[RoomTab]
    name: str
    bench: Bench | None
    matters: list[Group]
    elsewhere: int
    troubles: list[Trouble]
    at: str
    then: bool
    week: str


def today_view(journal: Journal, events: list[Event], at_s: float, garden_id: int, say: Speech, room: str = "") -> TodayView:
    """The day in one room; the one with most that lives, if none is asked for."""
    state = room_at(journal, events, at_s)
    table = answers.table_for(journal)
    alive = [b for b in journal.batches if lives(b, events, at_s)]
    in_tray: dict[str, list[Batch]] = {}
    for b in alive:
        stands_in = tray_of(b, events, at_s)
        if stands_in:
            in_tray.setdefault(stands_in, []).append(b)
    names = {r.id: r.name or r.id for r in journal.rooms}
    if any(p.room is None for p in journal.places):
        names[ROOMLESS] = "Without a room"
    room_of = {p.id: p.room or ROOMLESS for p in journal.places}
    where = {t: room_of.get(s.place or "", s.place or "") for t, s in state.trays.items()}
    busy = {r: sum(len(in_tray.get(t, ())) for t, w in where.items() if w == r) for r in names}
    shown = room if room in busy else max(busy, key=lambda r: busy[r], default="")
    now: dict[str, TrayNow] = {}
    matters: list[Matter] = []
    elsewhere = 0
    for tray in journal.trays:
        if tray.until is not None and tray.until.timestamp() < at_s:
            continue
        inside = in_tray.get(tray.id, [])
        told = []
        mine: list[Matter] = []
        for b in inside:
            c = conditions_of(journal, table, b, events, at_s, say, LOOKS_BACK_S)
            f = answers.answer(journal, b, at_s, garden_id) if c.stage in ("towel", "sown", "emerging") else None
            told.append((b, c, f, table.get(b.crop)))
            mine += _matters(journal, state, tray, b, c, f, batch_name(b, table.get(b.crop).name), events, at_s, say)
        now[tray.id] = TrayNow(tray, told, mine)
        if where.get(tray.id) == shown:
            matters += mine
        else:
            elsewhere += len(mine)
    canopies = {t: canopy_mm(batches, events, at_s, journal.series) for t, batches in in_tray.items()}
    wrong = [t for t in troubles(journal, state, canopies) if t.what != "lamp_near"]
    drawn = bench(journal, state, now, canopies, shown, events, at_s, say) if shown else None
    tabs = [RoomTab(r, name, r == shown) for r, name in names.items()]
    return TodayView(
        tabs, names.get(shown, ""), drawn, _grouped(matters), elsewhere, wrong, say.moment(at_s), False, _week(journal, at_s, say)
    )


def _week(journal: Journal, at_s: float, say: Speech) -> str:
    """The week of the season, from its first sowing, and the weeks to the average last frost."""
    first = min((b.sown_at.timestamp() for b in journal.batches if 0 <= at_s - b.sown_at.timestamp() < 300 * DAY_S), default=None)
    parts = [f"week {int((at_s - first) // (7 * DAY_S)) + 1}"] if first is not None else []
    frost_s = next_last_frost_s(journal.garden, at_s, say.zone)
    if frost_s is not None:
        weeks = round((frost_s - at_s) / (7 * DAY_S))
        parts.append(f"{say.small(weeks)} weeks to the average last frost" if weeks != 1 else "a week to the average last frost")
    return ", ".join(parts)


def _grouped(matters: list[Matter]) -> list[Group]:
    """Matters by batch, those with something grave first; one lamp that two trays complain of is said once."""
    out: dict[str, Group] = {}
    said: set[str] = set()
    for m in matters:
        line = "" if m.line in said else m.line
        said.add(m.line)
        out.setdefault(m.subject, Group(m.subject, m.tray, [])).matters.append(replace(m, line=line))
    return sorted(out.values(), key=lambda g: not any(m.grave for m in g.matters))


def _matters(
    journal: Journal, state: RoomState, tray: Tray, b: Batch, c: Conditions, f: Forecast | None, name: str, events: list[Event],
    at_s: float, say: Speech,
) -> list[Matter]:  # fmt: skip
    """What is out of band for one batch, worst first, with a deed where one can be read off the record."""
    out = []
    here = state.trays[tray.id]
    over = state.over(here.place)
    lamp = over[0] if len(over) == 1 else None
    subject = f"{tray.id} {name}"

    def add(what: str, why: str, deed: str = "", line: str = "", grave: bool = False) -> None:
        out.append(Matter(subject, tray.id, what, why, deed, line, grave))

    practice = practice_of(journal.garden, b)
    for due in due_after_emergence(c.stage, here, counts_of(b, events), practice, at_s):
        add(*_due_words(tray.id, due), grave=True)
    wet = c.channels["moisture"]
    if wet.out and wet.value is not None and wet.band is not None:
        side = "dry" if wet.miss < 0 else "wet"
        why = (
            f"{figure('moisture', wet.value, say)}, its band begins at {say.number(wet.band.low, 0)} %"
            if wet.miss < 0
            else (f"{figure('moisture', wet.value, say)}, its band ends at {say.number(wet.band.high, 0)} %")
        )
        water = _usual_ml(events, tray.id)
        line = f"{tray.id} watered {HOW[practice['water_how']]}{f' {water:g}ml' if water else ''}"
        add(
            side,
            why,
            f"Water{f' {say.volume(water)}' if water else ''}" if wet.miss < 0 else "",
            line if wet.miss < 0 else "",
            wet.miss < 0,
        )
    soil = c.channels["soil_temperature"]
    if soil.out and soil.band is not None:
        view = channel_view(soil, b.id, say, working=False)
        add(f"{'air' if c.soil_is_air else 'soil'} {view.mark}", f"{view.value}, wants {view.band}")
    light, hours = c.channels["daily_light"], c.channels["light_hours"]
    if c.stage in ("seedling", "growing_on", "emerging"):
        if not over and (hours.value or 0) < 1:
            add("no light over it", "from the first day up seedlings want 12 hours and more", grave=True)
        elif light.out and light.value is not None and light.band is not None:
            add(
                f"{figure('daily_light', light.value, say)} of light a day",
                f"wants {channel_view(light, b.id, say, working=False).band}; see the lamp’s height",
            )
        if hours.out and over and hours.value is not None and hours.band is not None:
            want = (hours.band.ideal_low + hours.band.ideal_high) / 2
            line = f"{lamp.lamp} {want:g}h" if lamp and lamp.periods else ""
            add(
                f"{figure('light_hours', hours.value, say)} lit a day",
                f"wants {channel_view(hours, b.id, say, working=False).band}",
                f"{lamp.lamp} to {say.number(want)} h" if line and lamp else "",
                line,
            )
    if lamp is not None and lamp.height_mm is not None:
        own = next((x for x in journal.lamps if x.id == lamp.lamp), None)
        gap = leaf_distance_mm(lamp.height_mm, tray, canopy_mm([b], events, at_s, journal.series))
        if own and own.min_distance_mm and gap is not None and gap < own.min_distance_mm:
            raised = lamp.height_mm + own.min_distance_mm - gap
            why = f"{say.length(gap)} from the leaves; its maker allows {say.length(own.min_distance_mm)} and more"
            add(f"{lamp.lamp} hangs too near", why, f"Raise to {say.length(raised)}", f"{lamp.lamp} at {raised:.0f}mm", True)
    if soil.value is None and c.stage in ("sown", "emerging"):
        add("no soil reading", "without one nothing can be said of when it is due")
    return out


#: How the school of watering is said in the log line.
HOW = {"below": "below", "below_2_h": "below", "mist": "mist", "above": "above"}


#: A deed that is due, told: what is so, why it matters, the button, and the line's words.
DUE_WORDS = {
    "cover_off": ("and the cover is on", "a cover kept on stretches stems and keeps them wet", "Cover off", "cover off"),
    "cover_vent": ("and the cover is shut", "a cover kept on stretches stems and keeps them wet", "Vent it", "cover vent"),
    "mat_off": ("and it still lies on the mat", "warmth after emergence stretches stems", "Off the mat", "mat off"),
}


def _due_words(tray: str, due: Due) -> tuple[str, str, str, str]:
    what, why, button, line = DUE_WORDS[due.deed]
    return f"{'half are up' if due.half else 'the first is up'} {what}", why, button, f"{tray} {line}"


def _usual_ml(events: list[Event], tray: str) -> float | None:
    """What this tray was last watered with."""
    return next(
        (e.fields["ml"] for e in reversed(events) if e.kind == "watered" and e.fields["tray"] == tray and e.fields.get("ml")),
        None,
    )


def stage_words(c: Conditions) -> str:
    return STAGE_WORDS[c.stage]
