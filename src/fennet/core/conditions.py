"""How a batch stands in its four quantities: soil temperature, daily light, hours of light, moisture; now and over time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, LONGEST_GRID_S, grid_from, moisture_record, readings_for
from fennet.core.history import counts_of, place_stays
from fennet.core.in_band import TimeInBand, time_in_band
from fennet.core.light import DayOfLight, day_length_h, days_of_light, lamp_at, local_days, mean_ppfd_umol
from fennet.core.records import Batch, Event, FloatArray, Garden, Journal, Series, Target
from fennet.core.room import in_trays, tray_of
from fennet.core.stages import StageSpan, leafy_since, stage_at, stage_spans
from fennet.core.targets import Band, is_dark, practice_of, targets_for
from fennet.core.tray_light import light_at_tray
from fennet.core.working import Input, Working

HOUR_S = 3_600.0
#: A figure older than this no longer says how it is now, by quantity, s. Source: growers_rule.
STALE_S = {"soil_temperature": 12 * HOUR_S, "moisture": 3 * DAY_S}
#: Lit hours of a day that must have a brightness before its daily light is held against a band. Source: growers_rule.
KNOWN_SHARE = 0.8
#: One school lights the first week after emergence longer, d. Source: growers_rule.
FIRST_WEEK_D = 7.0
#: A miss smaller than the figure's own error is none: °C, mol, h, % of capacity. Source: starting_estimate.
TOLERANCE = {"soil_temperature": 0.5, "daily_light": 0.3, "light_hours": 0.25, "moisture": 5.0}
#: Soaked mix that drained is above its band for a while and no worse for it, s. Source: starting_estimate.
SOAK_FORGIVEN_S = DAY_S


@dataclass(frozen=True)
class Channel:
    """One quantity of one batch: the band that holds now, the figure now, how far it is off (0 inside), and time in band.

    `value` None: not known; `at_s` when it was read; `level` whose reading it is; `dark` whether the night's band holds.
    """

    quantity: str
    band: Band | None
    value: float | None
    at_s: float | None
    miss: float
    level: str
    dark: bool = False
    estimated: bool = False
    held: TimeInBand | None = None
    working: Working | None = None

    @property
    def out(self) -> bool:
        """Out of band by more than the figure's own error."""
        return self.band is not None and self.value is not None and abs(self.miss) > TOLERANCE[self.quantity]


@dataclass(frozen=True)
class Conditions:
    """A batch's four channels, its stages, and the series behind them."""

    batch: Batch
    stage: str
    spans: tuple[StageSpan, ...]
    channels: dict[str, Channel]
    soil: list[Series] = field(default_factory=list)
    soil_is_air: bool = False
    days: list[DayOfLight] = field(default_factory=list)
    moisture_s: FloatArray = field(default_factory=lambda: np.zeros(0))
    moisture_pct: FloatArray = field(default_factory=lambda: np.zeros(0))
    bands: list[tuple[StageSpan, dict[str, Band]]] = field(default_factory=list)
    #: Since when leaves drink in its tray, seconds UTC; None while they do not.
    leafy_s: float | None = None


def planting_day_length_h(garden: Garden, year: int) -> float | None:
    """Hours of day outdoors at the average last frost, about when things are planted; None where the garden does not say."""
    if garden.latitude is None or garden.longitude is None or not garden.last_frost:
        return None
    month, _, day = garden.last_frost.partition("-")
    try:
        when = datetime(year, int(month), int(day)).date()
    except ValueError:
        return None
    return day_length_h(when, garden.latitude, garden.longitude)


def next_last_frost_s(garden: Garden, at_s: float, zone: ZoneInfo) -> float | None:
    """The next average last frost after a moment, seconds UTC; None where the garden does not say.

    >>> from datetime import UTC
    >>> at = datetime(2026, 11, 23, tzinfo=UTC).timestamp()
    >>> datetime.fromtimestamp(next_last_frost_s(Garden(last_frost="05-05"), at, ZoneInfo("UTC")), UTC).date().isoformat()
    '2027-05-05'
    """
    if not garden.last_frost:
        return None
    year = datetime.fromtimestamp(at_s, zone).year
    month, _, day = garden.last_frost.partition("-")
    try:
        found = [datetime(y, int(month), int(day), tzinfo=zone).timestamp() for y in (year, year + 1)]
    except ValueError:
        return None
    return next((t for t in found if t >= at_s), None)


def conditions(
    journal: Journal,
    crop: Crop,
    batch: Batch,
    events: Sequence[Event],
    at_s: float,
    zone: ZoneInfo,
    own: Sequence[Target] = (),
    from_s: float | None = None,
) -> Conditions:
    """How a batch stands at a moment, and stood since `from_s` (its sowing by default), in seconds UTC.

    `events` are effective events; `own` the grower's own targets in order. Daily light and hours are told for the whole of the
    last day as things are set, so that a lamp moved this morning shows. Source: the bands' own keys.
    """
    events = [e for e in events if e.at_s <= at_s]
    if any(len(s.at_s) and s.at_s[-1] > at_s for s in journal.series):
        # Asked about the past: nothing read later is known.
        journal = replace(journal, series=[s.until(at_s) for s in journal.series])
    spans = stage_spans(batch, events, at_s)
    stage = stage_at(spans, at_s)
    # A plant may be old: what is told of it reaches back three years at most.
    start_s = max(batch.sown_at.timestamp(), from_s if from_s is not None else 0.0, at_s - LONGEST_GRID_S)
    practice = practice_of(journal.garden, batch)
    emerged_s = counts_of(batch, events).reached(1)
    length_h = planting_day_length_h(journal.garden, datetime.fromtimestamp(at_s, zone).year)

    def bands_at(name: str, when_s: float) -> dict[str, Band]:
        since_d = (when_s - emerged_s) / DAY_S if emerged_s is not None else None
        return targets_for(crop, name, practice, own, batch.id, length_h, since_d, when_s)

    week_s = emerged_s + FIRST_WEEK_D * DAY_S if emerged_s is not None else float("inf")
    pieces = [p for s in spans for p in _split(s, week_s)]
    bands = [(s, bands_at(s.stage, s.from_s)) for s in pieces if s.to_s > start_s and s.from_s <= at_s]
    now_bands = bands_at(stage, at_s)
    tray_id = tray_of(batch, events, at_s)
    tray = next((t for t in journal.trays if t.id == tray_id), None)
    channels: dict[str, Channel] = {}
    soil, is_air = _soil_series(journal, batch, events, at_s, start_s)
    dark = _dark_now(journal, tray_id, events, at_s, zone)
    channels["soil_temperature"] = _soil_channel(
        soil, is_air, now_bands.get("soil_temperature"), bands, at_s, start_s, dark, zone
    )
    days: list[DayOfLight] = []
    here = in_trays(journal.batches, events, at_s).get(tray.id, []) if tray is not None else [batch]
    if tray is not None:
        end_s = local_days(at_s, at_s, zone)[0][2] - 1.0
        light = light_at_tray(journal, tray, here, events, zone, start_s, end_s)
        days = days_of_light(light, zone, start_s, end_s)
    channels["daily_light"] = _light_channel(days, now_bands.get("daily_light"), bands, at_s)
    channels["light_hours"] = _hours_channel(days, now_bands.get("light_hours"), bands, at_s)
    grid_s = grid_from(start_s, at_s)
    leafy_s = leafy_since(here, events, at_s)
    moisture, level = moisture_record(journal, batch, events, grid_s, at_s, leafy_s)
    soaked_s = max((e.at_s for e in events if e.kind == "watered" and e.fields["tray"] == tray_id), default=0.0)
    forgiven = at_s - soaked_s < SOAK_FORGIVEN_S
    channels["moisture"] = _moisture_channel(grid_s, moisture, level, now_bands.get("moisture"), bands, at_s, forgiven)
    return Conditions(batch, stage, tuple(spans), channels, soil, is_air, days, grid_s, moisture, bands, leafy_s)


def _split(span: StageSpan, at_s: float) -> list[StageSpan]:
    """A stage in two where a moment falls inside it: some bands change with age."""
    if not span.from_s < at_s < span.to_s:
        return [span]
    return [replace(span, to_s=at_s), replace(span, from_s=at_s)]


def _soil_series(
    journal: Journal, batch: Batch, events: Sequence[Event], at_s: float, from_s: float
) -> tuple[list[Series], bool]:
    for quantity in ("soil_temperature", "air_temperature"):
        _, found = readings_for(journal, batch, events, quantity, at_s)
        found = [s for s in (s.only(s.at_s >= from_s - HOUR_S) for s in found) if len(s.at_s)]
        if all(at_s - float(s.at_s[-1]) > STALE_S["soil_temperature"] for s in found):
            # Its own thermometer fell silent or stayed behind: what stands nearest now speaks.
            found += _nearest_now(journal, batch, events, quantity, at_s)
        if found:
            return found, quantity == "air_temperature"
    return [], False


def _nearest_now(journal: Journal, batch: Batch, events: Sequence[Event], quantity: str, at_s: float) -> list[Series]:
    """The freshest series of a quantity at the tray, place or room where a batch is now, since it came there."""
    tray = tray_of(batch, events, at_s)
    stays = [s for s in place_stays(tray, events) if s.from_s <= at_s] if tray else []
    if not tray or not stays:
        return []
    place = stays[-1].where
    room = next((p.room for p in journal.places if p.id == place), None)
    for where in (tray, place, room):
        for series in journal.series:
            if series.quantity == quantity and series.place == where:
                known = series.only((series.at_s >= stays[-1].from_s) & (series.at_s <= at_s))
                if len(known.at_s) and at_s - float(known.at_s[-1]) <= STALE_S["soil_temperature"]:
                    return [known]
    return []


def _dark_now(journal: Journal, tray: str | None, events: Sequence[Event], at_s: float, zone: ZoneInfo) -> bool:
    local = datetime.fromtimestamp(at_s, zone)
    stays = [s for s in place_stays(tray, events) if s.from_s <= at_s] if tray else []
    periods = None
    if stays:
        for lamp in journal.lamps:
            state = lamp_at(lamp, events, at_s)
            if state.place == stays[-1].where and state.periods:
                periods = state.periods
    return is_dark(local.hour * 60 + local.minute, periods)


def _edges(
    at_s: FloatArray, bands: Sequence[tuple[StageSpan, Mapping[str, Band]]], quantity: str, night: np.ndarray | None = None
) -> tuple[FloatArray, FloatArray]:
    """The band's low and high at each moment, NaN where no band holds."""
    low, high = np.full(len(at_s), np.nan), np.full(len(at_s), np.nan)
    for span, by_quantity in bands:
        band = by_quantity.get(quantity)
        here = (at_s >= span.from_s) & (at_s < span.to_s)
        if band is None:
            continue
        low[here], high[here] = band.low, band.high
        if band.night and night is not None:
            low[here & night], high[here & night] = band.night
    return low, high


def _held(
    at_s: FloatArray,
    value: FloatArray,
    bands: Sequence[tuple[StageSpan, Mapping[str, Band]]],
    quantity: str,
    night: np.ndarray | None = None,
    join_s: float = 12 * HOUR_S,
) -> TimeInBand | None:
    """Time in band where a band holds; elsewhere nothing is claimed."""
    if len(at_s) < 2:
        return None
    low, high = _edges(at_s, bands, quantity, night)
    claimed = ~np.isnan(low)
    if not claimed.any():
        return None
    return time_in_band(at_s, np.where(claimed, value, np.nan), np.nan_to_num(low), np.nan_to_num(high, nan=1e9), join_s)


def _night_mask(at_s: FloatArray, zone: ZoneInfo) -> np.ndarray:
    """Seven in the evening to seven in the morning, local, at each moment."""
    if not len(at_s):
        return np.zeros(0, dtype=bool)
    starts = np.array([a for _, a, _ in local_days(float(at_s[0]), float(at_s[-1]), zone)])
    hours = (at_s - starts[np.searchsorted(starts, at_s, side="right") - 1]) / HOUR_S
    return np.asarray((hours < 7) | (hours >= 19))


def _soil_channel(
    series: Sequence[Series],
    is_air: bool,
    band: Band | None,
    bands: Sequence[tuple[StageSpan, Mapping[str, Band]]],
    at_s: float,
    from_s: float,
    dark: bool,
    zone: ZoneInfo,
) -> Channel:
    quantity = "soil_temperature"
    if not series:
        return Channel(quantity, band, None, None, 0.0, "none", dark)
    main = max(series, key=lambda s: float(s.at_s[-1]) + len(s.at_s))
    last_s, value = float(main.at_s[-1]), float(main.value[-1])
    fresh = at_s - last_s <= STALE_S[quantity] or bool(main.estimated[-1])
    held = _held(main.at_s, main.value, bands, quantity, _night_mask(main.at_s, zone))
    miss = band.misses(value, dark) if band and fresh else 0.0
    level = "air" if is_air else "soil"
    return Channel(quantity, band, value if fresh else None, last_s, miss, level, dark, bool(main.estimated[-1]), held)


def _light_channel(
    days: Sequence[DayOfLight], band: Band | None, bands: Sequence[tuple[StageSpan, Mapping[str, Band]]], at_s: float
) -> Channel:
    if not days:
        return Channel("daily_light", band, None, None, 0.0, "none")
    sure = [d for d in days if d.mol is not None and (d.lit_h == 0 or d.known_h >= KNOWN_SHARE * d.lit_h or d.basis == "logged")]
    today = days[-1] if days[-1] in sure else None
    at = np.array([t for d in sure for t in (max(d.from_s, days[0].from_s), d.to_s - 1.0)])
    mol = np.array([float(d.mol or 0.0) for d in sure for _ in range(2)])
    # One missing day is a gap of a day and more.
    held = _held(at, mol, bands, "daily_light", join_s=1.5 * DAY_S) if len(at) else None
    value = today.mol if today else None
    miss = band.misses(value) if band and value is not None else 0.0
    basis = today.basis if today else "none"
    return Channel(
        "daily_light",
        band,
        value,
        at_s if today else None,
        miss,
        basis,
        False,
        basis in ("moved", "lumens"),
        held,
        _light_working(today) if today else None,
    )


def _light_working(day: DayOfLight) -> Working:
    lit = day.lit_h
    mean = mean_ppfd_umol(day.mol or 0.0, lit) or 0.0
    basis = {
        "logged": "a light logger",
        "measured": "the last reading by hand, standing while the lamp is lit",
        "moved": "the last reading, carried to the leaves as the lamp hangs now by its own curve",
        "lumens": "the lamp’s lumens over the shelf’s area, ± 40 %",
        "none": "nothing",
    }[day.basis]
    source = {"moved": "starting_estimate", "lumens": "starting_estimate"}.get(day.basis, "growers_rule")
    return Working(
        "daily light",
        (
            Input("mean brightness while lit", round(mean, 1), "µmol m⁻² s⁻¹", basis, day.basis in ("moved", "lumens")),
            Input("lit", round(lit, 2), "h", f"by {day.hours_from}"),
        ),
        "brightness × seconds lit, added up over the day, in millionths",
        ("arithmetic", source),
        "light at the leaves of this tray as it is set today",
        round(day.mol or 0.0, 2),
        "mol m⁻² d⁻¹",
    )


def _hours_channel(
    days: Sequence[DayOfLight], band: Band | None, bands: Sequence[tuple[StageSpan, Mapping[str, Band]]], at_s: float
) -> Channel:
    if not days or (days[-1].lit_h == 0 and days[-1].hours_from == "day length"):
        return Channel("light_hours", band, None, None, 0.0, "none")
    at = np.array([t for d in days for t in (d.from_s, d.to_s - 1.0)])
    hours = np.array([d.lit_h for d in days for _ in range(2)])
    held = _held(at, hours, bands, "light_hours", join_s=1.5 * DAY_S)
    value = days[-1].lit_h
    miss = round(band.misses(value), 6) if band else 0.0
    return Channel(
        "light_hours",
        band,
        value,
        at_s,
        0.0 if abs(miss) < 0.02 else miss,
        days[-1].hours_from,
        False,
        days[-1].hours_from == "day length",
        held,
    )


def _moisture_channel(
    grid_s: FloatArray,
    moisture: FloatArray,
    level: str,
    band: Band | None,
    bands: Sequence[tuple[StageSpan, Mapping[str, Band]]],
    at_s: float,
    soaked: bool,
) -> Channel:
    known = np.flatnonzero(~np.isnan(moisture))
    held = _held(grid_s, moisture, bands, "moisture")
    last_s = float(grid_s[known[-1]]) if len(known) else None
    if last_s is None or at_s - last_s > HOUR_S:
        return Channel("moisture", band, None, last_s, 0.0, level, held=held)
    value = float(moisture[known[-1]])
    miss = band.misses(value) if band else 0.0
    return Channel("moisture", band, value, last_s, 0.0 if soaked and miss > 0 else miss, level, held=held)
