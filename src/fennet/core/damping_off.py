"""The risk of damping off, day by day, with its parts. It ranks risk and does not measure disease.

A product of factors on a small base, brought onto 0–100: how wet the top was, whether the cover stayed on after emergence, still
air, an unclean mix or tray, watering from above, a slow host against a quick pathogen, crowding, an earlier case in the tray or
near it; times how susceptible seedlings still are.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from fennet.core.crop import Crop
from fennet.core.drying import DRAINS_H, moisture_by_deeds
from fennet.core.emerged import half_up_s
from fennet.core.exposure import DAY_S, HOUR_S, STEP_S, SoilRecord, moisture_record, soil_record
from fennet.core.history import counts_of, fresh_mix_s, place_stays
from fennet.core.records import Batch, Event, Fan, FloatArray, Journal
from fennet.core.room import tray_of, trays_at
from fennet.core.seed import sown_seed
from fennet.core.working import Input, Working

#: What each condition multiplies risk by when it holds in full: growers' starting figures (3, 2.5, 2, 3, 1.7, 2, 1.5, 4, 2),
#: fitted on simulated outbreaks. Source: growers_rule, starting_estimate (to be learned from the record).
FACTOR: dict[str, float] = {
    "too_wet": 3.3, "covered_too_long": 2.8, "still_air": 2.1, "unclean_mix": 3.0, "watered_from_above": 2.4,
    "cool_and_slow": 2.2, "crowded": 1.6, "case_here": 4.0, "case_near": 2.0,
}  # fmt: skip
#: The product at which the index stands at a half; its mean over so many days from which one is warned. Source:
#: starting_estimate.
HALF_AT, WARN_FROM, WARN_D = 4.0, 36.0, 2
#: One is warned where what is on record multiplies risk by so much at least: an empty record asks, and does not warn. Source:
#: starting_estimate.
RECORDED_FROM = 1.5
#: Over this the top is wet, % of capacity; so many hours a day are wet in full. Source: growers_rule.
WET_PCT, WET_FULL_H = 90.0, 12.0
#: A finger or a probe is off by so much: near the mark the top is wet by a part, % of capacity. Source: starting_estimate.
WET_SD_PCT = 5.0
#: Susceptibility halves so fast after emergence, d; nothing is told beyond so many. Source: growers_rule.
HALVES_D, UNTIL_D = 7.0, 21.0
#: Pathogens: base, best and ceiling, °C. Source: leach_1947.
PYTHIUM, RHIZOCTONIA = (5.0, 27.0, 37.0), (9.0, 26.0, 36.0)
SLOW_FROM = 0.6
#: Under the first part of the pace it has at its own band a seedling lingers where it can fall, under the second it does in full.
#: Source: growers_rule, starting_estimate.
LINGERS_FROM, LINGERS_FULL = 0.65, 0.3
#: Chances of what nobody recorded: no fan listed, mix and tray of unknown cleanness, ways of watering, wetness. Source:
#: starting_estimate.
UNKNOWN = {"still_air": 0.55, "unclean_mix": 0.12, "watered_from_above": 0.3, "too_wet": 0.3, "covered_too_long": 0.5}
#: Company in a cell from which it is crowded, and fully so. Source: starting_estimate.
CROWDED_FROM, CROWDED_FULL = 2.5, 6.0
#: How wet a top stays under what the seed was covered with. Source: growers_rule, starting_estimate.
DRY_TOP = {"perlite": 0.7}
#: Still air where no fan is on record and the grower says that none is run. Unclean mix where nobody said, with own soil
#: sterilised; and of own soil as it is. Source: starting_estimate.
STILL_BY_PRACTICE = {"none": 0.85}
STERILISED, OWN_SOIL = 0.2, 0.6
#: A fan that runs so many hours a day moves the air in full. Source: starting_estimate.
FAN_FULL_H = 4.0
FALLEN = ("fallen_pinched_base", "patch_down")


@dataclass(frozen=True)
class RiskDays:
    """A batch's risk by day since sowing: `index` 0–100, `parts` cause → how far it holds each day (0–1), `known` cause →
    share of days on which it is recorded and not supposed, `recorded` what the recorded ones multiply risk by. `up_s` when half
    of what came up was up."""

    batch: str
    day_s: FloatArray
    index: FloatArray
    parts: Mapping[str, FloatArray]
    known: Mapping[str, float]
    susceptible: FloatArray
    recorded: FloatArray
    up_s: float | None
    working: Working
    notes: tuple[str, ...] = field(default=())

    @property
    def warned(self) -> NDArray[np.bool_]:
        """Days at whose end one is warned: the index high over that day and the one before, by what is on record and not by
        what is supposed alone."""
        out = np.zeros(len(self.index), dtype=bool)
        if len(out) >= WARN_D:
            high = np.convolve(self.index, np.ones(WARN_D) / WARN_D, "valid") >= WARN_FROM
            out[WARN_D - 1 :] = high & (self.recorded[WARN_D - 1 :] >= RECORDED_FROM)
        return out

    def warns(self, at_s: float) -> bool:
        """Whether one is warned at a moment (seconds UTC), within the weeks in which risk is told."""
        return bool(len(self.index)) and at_s - float(self.day_s[-1]) < 2 * DAY_S and bool(self.warned[-1])

    @property
    def warned_s(self) -> float | None:
        """The end of the first day on which one would have warned."""
        days = np.flatnonzero(self.warned)
        return float(self.day_s[days[0]] + DAY_S) if len(days) else None

    @property
    def now(self) -> float:
        return float(self.index[-1]) if len(self.index) else 0.0

    def leading(self, n: int = 3) -> list[tuple[str, float]]:
        """What raises today's risk most: (cause, times), largest first."""
        found = [(c, FACTOR[c] ** float(v[-1])) for c, v in self.parts.items() if len(v) and v[-1] > 0.05]
        return sorted(found, key=lambda x: -x[1])[:n]


def pathogen_ratio(crop: Crop, soil_c: FloatArray | float) -> FloatArray:
    """How quick the pathogen is against the host, 0–1: r_p / (r_p + r_h), each against its own best. Source: leach_1947.

    >>> from fennet.core.response import Response
    >>> round(float(relative_rate(np.array([16.0]), PYTHIUM)[0]), 2)
    0.5
    """
    soil = np.asarray(soil_c, dtype=float)
    best = np.maximum(relative_rate(soil, PYTHIUM), relative_rate(soil, RHIZOCTONIA))
    host = crop.response.rate_per_day(soil) / crop.r_max_per_day
    total = best + host
    return np.asarray(np.where(total > 0, best / np.maximum(total, 1e-9), 0.5))


def lingers(crop: Crop, soil_c: FloatArray | float) -> FloatArray:
    """How far a seedling in cool soil lingers in the days in which it can fall, 0–1, by its pace against that at its own band.
    Source: growers_rule, starting_estimate."""
    soil = np.minimum(np.asarray(soil_c, dtype=float), crop.target_soil_c)
    pace = crop.response.rate_per_day(soil) / max(float(crop.response.rate_per_day(crop.soil_ideal_low_c)), 1e-9)
    return np.asarray(np.clip((LINGERS_FROM - pace) / (LINGERS_FROM - LINGERS_FULL), 0.0, 1.0))


def relative_rate(soil_c: FloatArray, kind: tuple[float, float, float]) -> FloatArray:
    """Rate of a pathogen against its own best: a straight line up to it and down to its ceiling. Source: leach_1947."""
    base, best, ceiling = kind
    return np.clip(np.minimum((soil_c - base) / (best - base), (ceiling - soil_c) / (ceiling - best)), 0.0, 1.0)


def index_of(product: FloatArray | float) -> FloatArray:
    """The index 0–100 of a product of factors: half at four. Source: starting_estimate.

    >>> float(index_of(4.0))
    50.0
    """
    x = np.asarray(product, dtype=float)
    return 100.0 * x / (x + HALF_AT)


#: The risk of a seedling's life is told for so many days at most.
LONGEST_D = 400


def risk_days(
    journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float, soil: SoilRecord | None = None
) -> RiskDays:
    """Risk of damping off for a batch, each day from sowing to a moment or three weeks after emergence (seconds UTC).

    `events` are effective events. What is not recorded is supposed, and `known` says so. Source: growers_rule for the factors,
    leach_1947 for host against pathogen; the index ranks and does not measure. Days before emergence count in full: what lives in
    a wet top grows by then, and waits for the seedlings.
    """
    sown_s = batch.sown_at.timestamp()
    soil = soil_record(journal, batch, events, at_s) if soil is None else soil
    up_s = half_up_s(crop, batch, events, soil)
    end_s = at_s if up_s is None else min(at_s, up_s + UNTIL_D * DAY_S)
    first_s = sown_s + max(0.0, (end_s - sown_s) // DAY_S - LONGEST_D) * DAY_S
    edges = np.arange(first_s, max(end_s, first_s + 1.0), DAY_S)
    tray = tray_of(batch, events, at_s)
    mine = [e for e in events if e.fields.get("tray") == tray and tray is not None]
    parts: dict[str, FloatArray] = {}
    known: dict[str, float] = {}
    parts["too_wet"], known["too_wet"] = _wet(journal, batch, events, mine, tray, edges, at_s)
    parts["too_wet"] = parts["too_wet"] * DRY_TOP.get(batch.covered_with or "", 1.0)
    after = np.zeros(len(edges)) if up_s is None else (edges + DAY_S > up_s + 0.5 * DAY_S).astype(float)
    covers = [e for e in mine if e.kind == "cover"]
    parts["covered_too_long"] = after * _held(covers, edges + DAY_S / 2, {True: 1.0, False: 0.0}, 0.35)
    known["covered_too_long"] = 1.0
    if up_s is not None and covers and all(e.fields["on"] is True and e.at_s <= up_s for e in covers):
        # Put on at sowing and never spoken of again: it may long be off.
        parts["covered_too_long"] *= UNKNOWN["covered_too_long"]
        known["covered_too_long"] = 0.4
    chosen = {**journal.garden.practice, **batch.practice}
    parts["still_air"], known["still_air"] = _still(journal, tray, events, edges, chosen.get("air"))
    parts["unclean_mix"], known["unclean_mix"] = _unclean(batch, mine, edges, events, chosen.get("own_soil"))
    parts["watered_from_above"], known["watered_from_above"] = _above(mine, edges, sown_s)
    warm = np.array([_mean_over(soil, a) for a in edges.tolist()])
    soil_c = np.where(np.isnan(warm), crop.target_soil_c, warm)
    quick = np.clip((pathogen_ratio(crop, soil_c) - SLOW_FROM + 0.05) / 0.10, 0.0, 1.0)
    parts["cool_and_slow"] = np.maximum(quick, lingers(crop, soil_c))
    known["cool_and_slow"] = float((~np.isnan(warm)).mean())
    parts["crowded"], known["crowded"] = _crowded(journal, crop, batch, events, len(edges))
    here, near = _cases(journal, batch, events, tray, edges)
    susceptible = np.ones(len(edges)) if up_s is None else np.where(
        edges + DAY_S / 2 > up_s, 0.5 ** ((edges + DAY_S / 2 - up_s) / (HALVES_D * DAY_S)), 1.0
    )  # fmt: skip
    cases = FACTOR["case_here"] ** here * FACTOR["case_near"] ** near
    product = np.prod([FACTOR[c] ** v for c, v in parts.items()], axis=0) * cases
    recorded = np.prod([FACTOR[c] ** v for c, v in parts.items() if known[c] >= 0.5] or [np.ones(len(edges))], axis=0) * cases
    index = index_of(product * susceptible)
    return RiskDays(
        batch.id, edges, index, parts, known, susceptible, recorded, up_s,
        _working(parts, known, here, near, susceptible, index), (),
    )  # fmt: skip


def _mean_over(soil: SoilRecord, from_s: float) -> float:
    inside = (soil.grid_s >= from_s) & (soil.grid_s < from_s + DAY_S)
    return float(soil.soil_c[inside].mean()) if soil.n_readings and inside.any() else float("nan")


def _wet(
    journal: Journal, batch: Batch, events: Sequence[Event], mine: Sequence[Event], tray: str | None, edges: FloatArray,
    at_s: float,
) -> tuple[FloatArray, float]:  # fmt: skip
    """How wet the top was each day, 0–1: hours over 90 %, each watering forgiven for six; signs of a wet top count in full."""
    grid = np.arange(edges[0], min(at_s, edges[-1] + DAY_S) + 1.0, STEP_S)
    moisture, _ = moisture_record(journal, batch, events, grid, at_s)
    waters = [e for e in mine if e.kind == "watered"]
    had = ~np.isnan(moisture)
    known = float(had.mean()) if len(had) else 0.0
    if known < 0.9 and waters and tray:
        by_s, by = moisture_by_deeds(float(edges[0]), at_s, events, tray)
        moisture = np.where(had, moisture, np.interp(grid, by_s, by))
    over = np.clip(0.5 + (np.nan_to_num(moisture, nan=0.0) - WET_PCT) / (2 * WET_SD_PCT), 0.0, 1.0)
    for e in waters:
        # From above it wets the surface too: that is told under its own name, not twice.
        t = e.at_s
        over[(grid >= t) & (grid < t + DRAINS_H * HOUR_S)] = 0.0
    hours = np.array([over[(grid >= a) & (grid < a + DAY_S)].sum() * STEP_S / HOUR_S for a in edges.tolist()])
    out = np.clip(hours / WET_FULL_H, 0.0, 1.0)
    if known < 0.2 and not waters:
        out = np.full(len(edges), UNKNOWN["too_wet"])
    for e in mine:
        if e.kind == "sign" and e.fields["sign"] in ("green_film", "white_fluff", "tiny_flies"):
            seen = e.at_s
            out = np.where((edges + DAY_S > seen - 2 * DAY_S) & (edges < seen + 5 * DAY_S), np.maximum(out, 0.8), out)
    return out, max(known, 0.5 if waters else 0.0)


def _held(marks: Sequence[Event], at_s: FloatArray, worth: Mapping[object, float], otherwise: float) -> FloatArray:
    out = np.zeros(len(at_s))
    for e in marks:
        out[at_s >= e.at_s] = worth.get(e.fields["on"], otherwise)
    return out


def _still(
    journal: Journal, tray: str | None, events: Sequence[Event], edges: FloatArray, practice: str | None = None
) -> tuple[FloatArray, float]:
    """Whether no air moved, 0–1, and whether that is known: a fan at its place, and how long it runs; where none is on record
    the grower's own word that none is run makes it likelier."""
    stays = place_stays(tray, events) if tray is not None else []
    room_of = {p.id: p.room for p in journal.places}
    # A fan that was only ever spoken of by its place or room moves the air there too.
    near = {x for s in stays for x in (s.where, room_of.get(s.where))} - {f.place for f in journal.fans}
    unlisted = [e for e in events if e.kind == "fan" and not e.fields.get("fan") and e.fields.get("place") in near - {None}]
    if not stays or not (journal.fans or unlisted):
        return np.full(len(edges), STILL_BY_PRACTICE.get(practice or "", UNKNOWN["still_air"])), 0.0
    out = np.ones(len(edges))
    for i, a in enumerate(edges.tolist()):
        where = next((s.where for s in reversed(stays) if s.from_s <= a + DAY_S / 2), None)
        for f in journal.fans:
            runs = [e for e in events if e.kind == "fan" and e.at_s <= a + DAY_S and _speaks_of(e, f)]
            there = runs[-1].fields.get("place") or f.place if runs else f.place
            if there != where or (f.since is not None and f.since.timestamp() > a + DAY_S):
                continue
            hours = next(
                (e.fields["hours_per_day"] for e in reversed(runs) if e.fields.get("hours_per_day") is not None), FAN_FULL_H
            )
            out[i] = min(out[i], 1.0 - min(1.0, float(hours) / FAN_FULL_H))
        here = [
            e for e in unlisted if e.at_s <= a + DAY_S and where is not None and e.fields["place"] in (where, room_of.get(where))
        ]
        if here:
            hours = here[-1].fields.get("hours_per_day")
            out[i] = min(out[i], 1.0 - min(1.0, float(FAN_FULL_H if hours is None else hours) / FAN_FULL_H))
    return out, 1.0


def _speaks_of(e: Event, fan: Fan) -> bool:
    return e.fields.get("fan") == fan.id or (not e.fields.get("fan") and e.fields.get("place") == fan.place)


def _unclean(
    batch: Batch, mine: Sequence[Event], edges: FloatArray, events: Sequence[Event], practice: str | None = None
) -> tuple[FloatArray, float]:
    """Whether the mix or the tray was unclean, 0–1; who mixes in own soil at pricking out brings it in on that day."""
    n, mix = len(edges), batch.mix
    if practice == "at_pricking_out":
        pricked = fresh_mix_s(batch, events)
        if pricked:
            before, known = _unclean(batch, mine, edges, events)
            return np.where(edges + DAY_S > pricked[0], np.maximum(before, OWN_SOIL), before), max(known, 0.5)
    if mix is not None and (mix.kind == "garden_soil" or mix.clean is False):
        return np.ones(n), 1.0
    washed = any(e.kind == "washed" and e.at_s <= batch.sown_at.timestamp() + DAY_S for e in mine)
    if mix is not None and mix.clean:
        return np.full(n, 0.0 if washed else 0.08), 1.0
    unsure = STERILISED if practice == "sterilised" else UNKNOWN["unclean_mix"]
    return np.full(n, unsure * (0.5 if washed else 1.0)), 0.0


def _above(mine: Sequence[Event], edges: FloatArray, sown_s: float) -> tuple[FloatArray, float]:
    """Whether the last days' water came from above, 0–1; a mist counts a third."""
    waters = [(e.at_s, {"above": 1.0, "mist": 0.3}.get(str(e.fields.get("how")), 0.0)) for e in mine if e.kind == "watered"]
    waters = [(t, w) for t, w in waters if t >= sown_s]
    if not waters:
        return np.full(len(edges), UNKNOWN["watered_from_above"]), 0.0
    out = np.zeros(len(edges))
    for i, a in enumerate(edges.tolist()):
        # The surface stays inoculated for days; before the first watering what follows is taken for a habit.
        recent = [w for t, w in waters if a - 5 * DAY_S < t <= a + DAY_S] or [waters[0][1]]
        out[i] = max(recent)
    return out, 1.0


def _crowded(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], n: int) -> tuple[FloatArray, float]:
    counts = counts_of(batch, events)
    thinned = any(e.kind == "thinned" and e.fields["batch"] == batch.id for e in events)
    alive = sown_seed(journal, crop, batch).mean
    a_cell = batch.n_seeds_per_cell * alive
    if counts.unit == "seedlings" and counts.up:
        a_cell = counts.up / batch.n_cells
    if batch.set_up == "crowd":
        a_cell = max(a_cell, CROWDED_FULL)
    share = 0.0 if thinned else (a_cell - CROWDED_FROM + 1.0) / (CROWDED_FULL - CROWDED_FROM)
    return np.full(n, min(1.0, max(0.0, share))), 1.0 if batch.seeds_per_cell or batch.set_up == "crowd" else 0.4


def _cases(
    journal: Journal, batch: Batch, events: Sequence[Event], tray: str | None, edges: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """An earlier case in the tray, and one on the same place, 0 or 1 by day."""
    here, near = np.zeros(len(edges)), np.zeros(len(edges))
    stays = place_stays(tray, events) if tray else []
    where = stays[-1].where if stays else None
    others = trays_at(journal.batches, events, float(edges[-1]) + DAY_S)
    places: dict[str, str | None] = {}
    for e in events:
        if e.kind != "sign" or e.fields["sign"] not in FALLEN:
            continue
        t = e.fields.get("tray") or others.get(str(e.fields.get("batch")))
        later = (edges >= e.at_s) & (edges < e.at_s + 14 * DAY_S)
        if t == tray:
            here[later] = 1.0
        elif t is not None and where is not None:
            if t not in places:
                there = place_stays(t, events)
                places[t] = there[-1].where if there else None
            if places[t] == where:
                near[later] = 1.0
    return here, near


def _working(
    parts: Mapping[str, FloatArray], known: Mapping[str, float], here: FloatArray, near: FloatArray, susceptible: FloatArray,
    index: FloatArray,
) -> Working:  # fmt: skip
    told = [
        Input(
            f"{c.replace('_', ' ')}, times", round(FACTOR[c] ** float(v[-1]), 2), "",
            "recorded" if known[c] >= 0.5 else "supposed", known[c] < 0.5,
        )
        for c, v in parts.items()
    ]  # fmt: skip
    told += [
        Input("a case in the tray, times", round(FACTOR["case_here"] ** float(here[-1]), 2), "", "signs"),
        Input("a case near it, times", round(FACTOR["case_near"] ** float(near[-1]), 2), "", "signs"),
        Input("susceptible still", round(100 * float(susceptible[-1])), "%", "growers_rule", True),
    ]
    return Working(
        "risk of damping off",
        tuple(told),
        "the factors multiplied, times how susceptible seedlings still are; x / (x + 4) of a hundred",
        ("growers_rule", "leach_1947", "starting_estimate"),
        "from sowing to three weeks after emergence; it ranks risk and does not measure disease",
        round(float(index[-1])),
        "of 100",
    )
