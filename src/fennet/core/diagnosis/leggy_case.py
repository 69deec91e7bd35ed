"""The case for long thin seedlings: day by day since they came up, what light, warmth, cover and company they had."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from fennet.core.conditions import planting_day_length_h
from fennet.core.crop import Crop
from fennet.core.history import counts_of, life_stays, place_stays
from fennet.core.light import DAY_S, lamp_at, lamp_states, least_mm, spans_of_light
from fennet.core.lighting.curve import LampCurve, lamp_curve
from fennet.core.lighting.window import WindowLight, window_light
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.room import USUAL_TRAY_HEIGHT_MM, canopy_mm, tray_of
from fennet.core.seed import sown_seed
from fennet.core.stretch import Stretch, ThermalAge, stretch_of, thermal_age
from fennet.core.targets import Band, practice_of, targets_for
from fennet.core.tray_light import light_at_tray

#: How rough a day's light is by what it rests on, log sd. Source: starting_estimate.
LIGHT_SD = {"logged": 0.08, "measured": 0.12, "moved": 0.2, "lumens": 0.4}
#: Light of a sill where nothing was read: log-normal, mol on a day of so many hours; it rises with the square of the day's
#: length, as the sun stands higher. Source: starting_estimate.
SILL_MOL, SILL_SD, SILL_DAY_H = 4.0, 0.7, 10.0
#: Lit for less than this, a day was dark, h.
UNLIT_H = 0.2
#: Days are counted from coming up, not by the calendar.
_ANY = date(2000, 1, 1)


@dataclass(frozen=True)
class LeggyCase:
    """One batch's growing days as recorded. Arrays are by local day since it came up; NaN where not known.

    `mol` daily light (`supposed` where nobody read it and a sill's is taken), `lit_h` hours lit, `unlit` whether a lamp hung over
    it and did not burn, `temp_c` mean warmth, `covered` 0–1; `grown` what each day should add to the height (mm, at good light).
    `reach` how many times brighter the lamp would be at its safe distance.
    """

    batch: Batch
    crop: Crop
    at_s: float
    age: ThermalAge
    stretch: Stretch | None
    light: Band
    hours: Band
    high_c: float
    day_s: FloatArray
    mol: FloatArray
    lit_h: FloatArray
    unlit: NDArray[np.bool_]
    light_sd: FloatArray
    temp_c: FloatArray
    covered: FloatArray
    grown: FloatArray
    age_d: FloatArray
    reach: float | None
    reach_sd: float
    distance_mm: float | None
    near_mm: float | None
    lamp: str | None
    plants_a_cell: float
    cover_known: bool
    looked: bool
    supposed: NDArray[np.bool_]

    @property
    def known_share(self) -> float:
        """Share of the days whose light somebody read, or the lamp's own figures tell."""
        return float((~np.isnan(self.mol) & ~self.supposed).mean()) if len(self.mol) else 0.0


def leggy_case(
    journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float, zone: ZoneInfo
) -> LeggyCase | None:
    """What the record holds of a batch's growing days; None before anything is up or where its kind has no band of light."""
    age = thermal_age(journal, crop, batch, events, at_s)
    if age.up_s is None or not len(age.at_s):
        return None
    tray_id = tray_of(batch, events, at_s)
    tray = next((t for t in journal.trays if t.id == tray_id), None)
    year = int(np.datetime64(int(age.up_s), "s").astype("datetime64[Y]").astype(int)) + 1970
    bands = targets_for(
        crop, "growing_on", practice_of(journal.garden, batch), (), batch.id, planting_day_length_h(journal.garden, year)
    )
    if "daily_light" not in bands or "light_hours" not in bands:
        return None
    # What a height shows was done before it was measured.
    end_s = age.measured_s[-1] if age.measured_s and age.heights[-1][0] >= 3.0 else at_s
    edges = np.arange(age.up_s, end_s, DAY_S)
    n = len(edges)
    middle = edges + DAY_S / 2
    mol, lit, sd, unlit = np.full(n, np.nan), np.full(n, np.nan), np.full(n, 0.5), np.zeros(n, dtype=bool)
    supposed = np.zeros(n, dtype=bool)
    if tray is not None:
        _light(journal, batch, events, edges, end_s, zone, mol, lit, sd, unlit, supposed)
    temp = np.full(n, np.nan)
    known = ~np.isnan(age.temperature_c)
    if known.any():
        temp = np.array([_mean(age.temperature_c[(age.at_s >= a) & (age.at_s < a + DAY_S)]) for a in edges.tolist()])
    age_d = np.interp(edges, age.at_s, age.age_d)
    ends_d = np.interp(np.minimum(edges + DAY_S, end_s), age.at_s, age.age_d)
    grown = np.asarray(crop.growth.height_mm(ends_d) - crop.growth.height_mm(age_d))
    soil_band = bands.get("soil_temperature")
    reach, reach_sd, distance, near, lamp = _reach(journal, crop, batch, tray_id, events, end_s)
    lived = {s.where for s in life_stays(journal, batch, events)}
    covers = [e for e in events if e.kind == "cover" and e.fields["tray"] in lived]
    mine = [e for e in events if e.fields.get("batch") == batch.id or e.fields.get("tray") == tray_id]
    return LeggyCase(
        batch, crop, at_s, age, stretch_of(crop, age), bands["daily_light"], bands["light_hours"],
        soil_band.high if soil_band else 24.0, edges, mol, lit, unlit, sd, temp, _covered(covers, middle), grown, age_d, reach,
        reach_sd, distance, near, lamp, _plants(journal, crop, batch, events, end_s), _cover_told(covers, age.up_s),
        any(e.kind in ("sign", "check", "height") for e in mine), supposed,
    )  # fmt: skip


def _light(
    journal: Journal, batch: Batch, events: Sequence[Event], edges: FloatArray, end_s: float, zone: ZoneInfo, mol: FloatArray,
    lit: FloatArray, sd: FloatArray, unlit: NDArray[np.bool_], supposed: NDArray[np.bool_],
) -> None:  # fmt: skip
    """Fill daily light, hours, and whether a lamp hung there unlit: each day since coming up is a day of its own, from the hour
    it came up."""
    for stay in life_stays(journal, batch, events):
        tray = next((t for t in journal.trays if t.id == stay.where), None)
        if tray is None:
            continue
        light = light_at_tray(journal, tray, [batch], events, zone, float(edges[0]), end_s)
        # Known to hang in the dark: no lamp, no window, nothing read.
        stood = [s for s in place_stays(tray.id, events) if s.from_s <= end_s]
        kinds = {p.id: p.kind for p in journal.places}
        lamps_known = any(s.place in {x.where for x in stood} for x in journal.lamps for s in lamp_states(x, events))
        ends = np.minimum(edges + DAY_S, end_s)
        whole = spans_of_light(
            light, [(_ANY, float(a), float(b)) for a, b in zip(edges, ends, strict=True)], float(edges[0]), end_s
        )
        for i, a in enumerate(edges):
            if not stay.from_s <= a + DAY_S / 2 < stay.to_s or i >= len(whole):
                continue
            day = whole[i]
            part = min(DAY_S, end_s - float(a)) / DAY_S
            if part < 0.3:
                continue
            if day.unlogged:
                continue
            hours = day.lit_h
            # Without a lamp, a window reading or a meter on record nothing is known: that is no night.
            if light.lit or light.brightness or len(light.logged_s) or len(light.window_s) or lamps_known:
                lit[i] = hours / part
                if day.mol is not None and (hours < UNLIT_H or day.known_h > 0.5 * hours or day.basis == "logged"):
                    mol[i], sd[i] = day.mol / part, LIGHT_SD.get(day.basis, 0.2)
            place = next((s.where for s in reversed(stood) if s.from_s <= a + DAY_S / 2), None)
            unlit[i] = hours < UNLIT_H and _lamps_over(journal, events, place, a, lit=False)
            window = _window(journal, place, float(a), zone) if kinds.get(place or "") == "sill" else None
            if np.isnan(mol[i]) and window is not None and not _lamps_over(journal, events, place, a):
                mol[i], sd[i], supposed[i] = window.mol, window.log_sd, True
            elif np.isnan(mol[i]) and kinds.get(place or "") in ("sill", "porch") and not _lamps_over(journal, events, place, a):
                day_h = hours / part if light.hours_from == "day length" and hours > UNLIT_H else SILL_DAY_H
                mol[i], sd[i], supposed[i] = SILL_MOL * (day_h / SILL_DAY_H) ** 2, SILL_SD, True
            elif (
                np.isnan(mol[i])
                and journal.lamps
                and place is not None
                and kinds.get(place)
                and not _lamps_over(journal, events, place, a, lit=False)
            ):
                mol[i], sd[i], lit[i] = 0.3, 0.6, 0.0


def _window(journal: Journal, place_id: str | None, at_s: float, zone: ZoneInfo) -> WindowLight | None:
    """The light of a sill's window on the day of a moment, by latitude, season and the way it faces."""
    place = next((p for p in journal.places if p.id == place_id), None)
    return None if place is None else window_light(journal.garden, place, datetime.fromtimestamp(at_s, zone).date())


def _mean(values: FloatArray) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if len(known) else float("nan")


def _lamps_over(journal: Journal, events: Sequence[Event], place: str | None, at_s: float, lit: bool = True) -> bool:
    """Whether a lamp hung over a place in the middle of the day that begins at a moment; with `lit` one that was not off."""
    return any(
        s.place == place and s.from_s <= at_s + DAY_S / 2 < s.to_s and (not lit or s.periods != ())
        for x in journal.lamps
        for s in lamp_states(x, events)
    )


def _reach(
    journal: Journal, crop: Crop, batch: Batch, tray_id: str | None, events: Sequence[Event], at_s: float
) -> tuple[float | None, float, float | None, float | None, str | None]:
    """How many times brighter the lamp would be at its safe distance than where it hung (mean over the days), and how sure."""
    tray = next((t for t in journal.trays if t.id == tray_id), None)
    stays = [s for s in place_stays(tray_id, events) if s.from_s <= at_s] if tray_id else []
    if tray is None or not stays:
        return None, 0.3, None, None, None
    for lamp in journal.lamps:
        state = lamp_at(lamp, events, at_s)
        if state.place != stays[-1].where or state.periods == ():
            continue
        curve: LampCurve = lamp_curve(journal, lamp, events, at_s, [tray.id])
        near = least_mm(lamp)
        if state.height_mm is None:
            return None, 0.4, None, near, lamp.id
        canopy = canopy_mm([batch], events, at_s, journal.series) or float(crop.growth.likely_mm(6.0))
        distance = max(near, state.height_mm - (tray.height_mm or USUAL_TRAY_HEIGHT_MM) - 0.6 * canopy)
        row = curve.row(near, tray.id) - curve.row(distance, tray.id)
        sd = math.sqrt(max(0.0, float(row @ curve.covariance @ row)))
        return math.exp(float(row @ curve.mean)), sd, distance, near, lamp.id
    return None, 0.3, None, None, None


def _covered(covers: Sequence[Event], middle_s: FloatArray) -> FloatArray:
    out = np.zeros(len(middle_s))
    for e in covers:
        out[middle_s >= e.at_s] = {True: 1.0, False: 0.0}.get(e.fields["on"], 0.4)
    return out


def _cover_told(covers: Sequence[Event], up_s: float) -> bool:
    """Whether the record says what became of the cover: put on at sowing and never spoken of again says nothing."""
    return any(e.fields["on"] is not True or e.at_s > up_s for e in covers)


def _plants(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> float:
    """Seedlings that share a cell: as counted and thinned, else as sown and usually alive."""
    counts = counts_of(batch, events)
    thinned = [e for e in events if e.kind == "thinned" and e.fields["batch"] == batch.id and e.fields.get("left") is not None]
    if thinned:
        return float(thinned[-1].fields["left"]) / max(1, counts.up if counts.unit == "cells" else batch.n_cells)
    if counts.unit == "seedlings" and counts.up:
        return counts.up / batch.n_cells
    return max(1.0, batch.n_seeds_per_cell * min(0.9, sown_seed(journal, crop, batch).mean))
