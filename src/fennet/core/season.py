"""A season in numbers: what was sown and what became of it, room that gave nothing, what it cost, and what to mend first."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.answer import Forecast
from fennet.core.exposure import DAY_S, HOUR_S
from fennet.core.light import lamp_states, lit_spans
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.story import Story
from fennet.core.working import Input, Interval, Working

#: A thermostat heats its mat for so much of the time, from and to. Source: starting_estimate.
MAT_DUTY = (0.25, 0.8)
#: What a loss or a delay is laid to where nothing else is known.
NEVER_CAME, NOT_SAID = "never_came", "not_said"


@dataclass(frozen=True)
class Cost:
    """What one cause cost: plants, and tray-days of room that gave nothing for it."""

    cause: str
    plants: int
    tray_days: float


@dataclass(frozen=True)
class SeasonNumbers:
    """One year's sowings by a moment. `cells` sown, `up`, `lost` inside by what to, `planted` (None where nobody counted),
    `growing` batches still inside; `tray_days` of room used and `wasted` of it; `kwh` (None where nothing tells) and its `cost`,
    in all and for each plant that was planted or lives inside; the costliest causes first."""

    year: int
    batches: int
    cells: int
    up: int
    lost: Mapping[str, int]
    planted: int | None
    growing: int
    grams: float | None
    pieces: int | None
    tray_days: float
    wasted: float
    kwh: Interval[float] | None
    cost: float | None
    per_plant: float | None
    costs: tuple[Cost, ...]
    workings: Mapping[str, Working]


def season_numbers(
    journal: Journal, events: Sequence[Event], year: int, at_s: float, stories: Mapping[str, Story],
    forecast_of: Callable[[Batch], Forecast | None],
) -> SeasonNumbers:  # fmt: skip
    """The season of a year, by the batches sown in it. `stories` by batch id of all that were inside then, of other seasons too;
    `forecast_of` a batch's forecast as it stood last. `events` are effective events. Source: arithmetic; starting_estimate for
    how long a thermostat heats.

    Room is counted in tray-days: a cell for a day is its part of a tray's. What never came takes room until half of its batch was
    up, or it was given up, once nothing more is waited for; what died, until then; what came late, for the days each cause of the
    delay cost.
    """
    zone = journal.garden.zone
    own = [b for b in journal.batches if b.id in stories and b.from_batch is None and b.sown_at.astimezone(zone).year == year]
    cells_of = {t.id: (t.rows or 1) * (t.columns or 1) for t in journal.trays}
    plants: Counter[str] = Counter()
    room: defaultdict[str, float] = defaultdict(float)
    used = 0.0
    planted, counted, living = 0, False, 0
    for b in own:
        s = stories[b.id]
        part = 1.0 / max(cells_of.get(b.tray or "", b.n_cells), 1)
        days = max(0.0, (s.inside_until_s - b.sown_at.timestamp()) / DAY_S)
        used += b.n_cells * part * days
        if s.after is not None and s.after.planted is not None:
            planted, counted = planted + s.after.planted, True
            living += s.after.planted
        elif not s.over:
            living += max(0, s.up - sum(s.lost.values())) if b.from_seed else b.n_cells
        if not b.from_seed:
            continue
        waited_s = s.half_up_s if s.half_up_s is not None else s.inside_until_s if s.over else None
        never = b.n_cells - s.up if s.unit == "cells" else 0
        if waited_s is not None and s.settled and never > 0:
            plants[NEVER_CAME] += never
            room[NEVER_CAME] += never * part * (waited_s - b.sown_at.timestamp()) / DAY_S
        for e in s.told:
            if e.kind == "lost" and (s.after is None or e.at_s < s.after.planted_s):
                why = str(e.fields.get("why") or NOT_SAID)
                n = int(e.fields.get("cells") or len(e.fields.get("cell_list") or []))
                plants[why] += n
                room[why] += n * part * (e.at_s - b.sown_at.timestamp()) / DAY_S
        # While more is waited for, a delay is a forecast's and not yet one.
        f = forecast_of(b) if s.up and s.settled else None
        for cause, delay_d in (f.delay_days if f is not None else {}).items():
            if delay_d > 0 and cause != "unexplained":
                room[cause] += delay_d * b.n_cells * part
    kwh, working = _energy(journal, events, own, stories, at_s)
    tariff = journal.garden.tariff_per_kwh
    cost = kwh.p50 * tariff if kwh is not None and tariff is not None else None
    lost = {k: n for k, n in plants.items() if k != NEVER_CAME}
    costs = [Cost(k, plants[k], room[k]) for k in {*plants, *room}]
    costs.sort(key=lambda c: (-c.tray_days, -c.plants, c.cause))
    grams = [s.after.grams for b in own if (s := stories[b.id]).after is not None and s.after.grams is not None]
    pieces = [s.after.pieces for b in own if (s := stories[b.id]).after is not None and s.after.pieces is not None]
    wasted = sum(room.values())
    told = Working(
        "room that gave nothing",
        (
            Input("tray-days used", round(used, 1), "d", "log"),
            *(Input(c.cause.replace("_", " "), round(c.tray_days, 1), "tray-days") for c in costs[:6]),
        ),
        "cells that never came until half of theirs were up, cells that died until then, and days of delay, as parts of a tray",
        ("arithmetic",), "what was counted and logged", round(wasted, 1), "tray-days",
    )  # fmt: skip
    return SeasonNumbers(
        year, len(own), sum(b.n_cells for b in own), sum(stories[b.id].up for b in own if b.from_seed), lost,
        planted if counted else None, sum(not stories[b.id].over for b in own), sum(grams) if grams else None,
        sum(pieces) if pieces else None, used, wasted, kwh, cost, cost / living if cost is not None and living else None,
        tuple(costs), {"wasted": told, **({"kwh": working} if working is not None else {})},
    )  # fmt: skip


def _energy(
    journal: Journal, events: Sequence[Event], own: Sequence[Batch], stories: Mapping[str, Story], at_s: float
) -> tuple[Interval[float] | None, Working | None]:
    """Energy of lamps and mats for this season's batches while they were inside, kWh: lamps by their hours, mats by how long
    thermostats usually heat. Where batches of another season were inside with them, each season has its part by cells."""
    if not own:
        return None, None
    from_s = min(b.sown_at.timestamp() for b in own)
    to_s = min(at_s, max(stories[b.id].inside_until_s for b in own))
    part = _part_of_room(own, stories, from_s, to_s)
    lamps_kwh, inputs, untold = 0.0, [], []
    for lamp in journal.lamps:
        if not lamp.watts:
            continue
        switch = next((x for x in journal.series if x.quantity == "lamp_on" and x.place == lamp.id), None)
        states = lamp_states(lamp, events)
        spans = lit_spans(
            states, journal.garden.zone, from_s, to_s, switch.at_s if switch else None, switch.value if switch else None
        )
        lit_h = _hours(spans, part)
        lamps_kwh += lamp.watts * lit_h / 1000.0
        if lit_h:
            inputs.append(Input(f"{lamp.id} lit", round(lit_h), f"h at {lamp.watts:g} W"))
        elif switch is None and any(
            s.place is not None and s.periods is None and s.from_s < to_s and s.to_s > from_s for s in states
        ):
            untold.append(lamp.id)
    mats_kwh: dict[bool, float] = {True: 0.0, False: 0.0}
    for mat in journal.mats:
        hours = _hours(_mat_spans(mat.id, events, from_s, to_s), part)
        if mat.watts and hours:
            # One that is always on heats all those hours; of any other only a part is known.
            mats_kwh[mat.control == "always"] += mat.watts * hours / 1000.0
            inputs.append(Input(f"{mat.id} on", round(hours), f"h at {mat.watts:g} W"))
    if not lamps_kwh and not any(mats_kwh.values()):
        return None, None
    low, high = (lamps_kwh + mats_kwh[True] + mats_kwh[False] * duty for duty in MAT_DUTY)
    middle = (low + high) / 2
    if mats_kwh[False]:
        duty = f"{MAT_DUTY[0]:.0%} to {MAT_DUTY[1]:.0%}"
        inputs.append(Input("a thermostat heats", duty, "of the time", "starting_estimate", True))
    if untold:
        inputs.append(Input("hours nobody logged, not counted", ", ".join(untold)))
    working = Working(
        "energy of the season", tuple(inputs),
        "watts × hours / 1000; of a mat not always on, the part a thermostat heats; while another season’s sowings were inside "
        "too, the part of the cells that were this one’s",
        ("arithmetic", "starting_estimate"), "rated watts, hours as they were set", round(middle, 1), "kWh",
    )  # fmt: skip
    return Interval(low, middle, high), working


def _part_of_room(
    own: Sequence[Batch], stories: Mapping[str, Story], from_s: float, to_s: float
) -> Callable[[FloatArray], FloatArray]:
    """Of the cells inside at each moment (seconds UTC) the part that were this season's; all of it while nothing was inside."""
    edges = sorted({from_s, to_s, *(t for s in stories.values() for t in (s.batch.sown_at.timestamp(), s.inside_until_s)
                                    if from_s < t < to_s)})  # fmt: skip
    mine = {b.id for b in own}
    parts = []
    for t in edges:
        inside = [s for s in stories.values() if s.batch.sown_at.timestamp() <= t < s.inside_until_s]
        cells = sum(s.batch.n_cells for s in inside)
        parts.append(sum(s.batch.n_cells for s in inside if s.batch.id in mine) / cells if cells else 1.0)
    at, part = np.array(edges), np.array(parts)
    return lambda t: np.asarray(part[np.maximum(np.searchsorted(at, t, side="right") - 1, 0)])


def _hours(spans: Iterable[tuple[float, float]], part: Callable[[FloatArray], FloatArray]) -> float:
    """Hours of spans (seconds UTC), each day of them by the part of the room that is counted."""
    total = 0.0
    for a, b in spans:
        cuts = np.append(np.arange(a, b, DAY_S), b)
        total += float((np.diff(cuts) * part((cuts[1:] + cuts[:-1]) / 2)).sum()) / HOUR_S
    return total


def _mat_spans(mat: str, events: Sequence[Event], from_s: float, to_s: float) -> list[tuple[float, float]]:
    """When a mat lay under some tray and was on, seconds UTC."""
    under: set[str] = set()
    since, out = from_s, []
    for e in events:
        if e.kind != "mat" or e.fields["mat"] != mat or e.fields.get("tray") is None or e.at_s > to_s:
            continue
        if under and e.at_s > since:
            out.append((max(since, from_s), e.at_s))
        since = max(e.at_s, from_s)
        if e.fields.get("on") is False:
            under.discard(str(e.fields["tray"]))
        else:
            under.add(str(e.fields["tray"]))
    return [*out, (since, to_s)] if under and to_s > since else out
