"""What stands behind a leaf that does not look right: the record's feed, light, warmth, water, pot and outings weighed against
the signs that were seen.

Each cause is one supposition. What the record holds multiplies its prior: hunger in fed mix is hardly believed, cold roots in
soil under the band are. These multipliers are weights and say so; the signs enter through their witnesses.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from fennet.core.care.feeding import BURNS_MG
from fennet.core.containers import holds_d
from fennet.core.crop import Crop
from fennet.core.diagnosis.engine import NOTHING, Complaint, Suppositions
from fennet.core.diagnosis.finding import Evidence
from fennet.core.emerged import half_up_s
from fennet.core.exposure import DAY_S, STEP_S, moisture_record, readings_for, soil_record
from fennet.core.history import counts_of, fresh_mix_s
from fennet.core.light import days_of_light, lamp_at, least_mm
from fennet.core.planning.gate import BOLTS_UNDER_C
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import canopy_mm, in_trays, leaf_distance_mm, tray_of
from fennet.core.stages import leafy_since
from fennet.core.targets import practice_of, targets_for
from fennet.core.tray_light import light_at_tray
from fennet.core.tuning.under_lamp import SEED_LEAF_UMOL, SEEDLING_UMOL

#: Signs that this complaint is about; a look within so many days speaks of now.
SIGNS = (
    "yellow_lower", "purple_under", "pale_all", "brown_edges", "cupped", "bleached", "wilt_wet", "wilt_dry", "roots_circling",
    "stalled", "chewed", "sticky_insects", "early_stalk", "tiny_flies", "green_film", "white_fluff", "leaning", "coat_stuck",
    "seed_on_top",
)  # fmt: skip
RECENT_D = 21.0
#: A logged sign means something is wrong so often: people do not note what is right. Source: starting_estimate.
PRESENT_WITH_SIGN, PRESENT_WITHOUT = 0.88, 0.03
#: Film and fluff are harmless in themselves: only what they stand for matters. Source: starting_estimate.
SURFACE, PRESENT_WITH_FILM = ("green_film", "white_fluff"), 0.1
#: Causes under which nothing is wrong, however it looks.
HARMLESS = frozenset(("by_nature", "midday_wilt"))
#: Leaves hang in the heat of the day over moist mix and stand by dusk: between which hours of the garden's clock. Source:
#: growers_rule.
MIDDAY_H = (11, 18)
#: Unfed for so long mix without feed is spent, d. Source: growers_rule.
SPENT_D = 18.0
#: Kinds whose first fruit holds a small plant back, and whose flowers drop in heat: from days so warm, °C. Source: growers_rule.
FRUITING = frozenset((
    "tomato", "pepper", "aubergine", "tomatillo", "ground_cherry", "okra", "cucumber", "melon", "watermelon", "courgette",
    "squash",
))  # fmt: skip
DROPS_FROM_C = 32.0
#: Kinds that make a head no larger than a button where they are checked while young. Source: growers_rule.
HEADING = frozenset(("cauliflower", "broccoli"))
#: Weeks of heat or of cool nights that make a plant run to flower, d. Source: growers_rule.
BOLTS_OVER_D = 28.0
#: Wet over this for days keeps air out, % of capacity. Source: growers_rule.
AIRLESS_PCT = 85.0


@dataclass(frozen=True)
class Weighed:
    """The record's word on each cause: what it multiplies the prior by, and what speaks; `lacks` what is not recorded."""

    odds: dict[str, float] = field(default_factory=dict)
    yes: dict[str, list[Evidence]] = field(default_factory=dict)
    no: dict[str, list[Evidence]] = field(default_factory=dict)
    lacks: dict[str, list[str]] = field(default_factory=dict)

    def times(self, cause: str, factor: float, key: str = "", **figures: float | str | None) -> None:
        """Multiply a cause's odds, and keep what speaks where it speaks aloud."""
        self.odds[cause] = self.odds.get(cause, 1.0) * factor
        if key and (factor >= 1.5 or factor <= 0.67):
            (self.yes if factor > 1 else self.no).setdefault(cause, []).append(Evidence(key, figures))

    def lack(self, what: str, *causes: str) -> None:
        for c in causes:
            self.lacks.setdefault(c, []).append(what)


def weigh_record(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> Weighed:
    """What the record says of each cause behind other signs. `events` are effective events. Source: growers_rule,
    starting_estimate."""
    w = Weighed()
    tray_id = tray_of(batch, events, at_s)
    mine = [e for e in events if tray_id is not None and e.fields.get("tray") == tray_id]
    own = [e for e in events if e.fields.get("batch") == batch.id]
    up_s = counts_of(batch, events).reached(1) or half_up_s(crop, batch, events, soil_record(journal, batch, events, at_s))
    age_d = (at_s - up_s) / DAY_S if up_s is not None else None
    _feed(w, batch, mine, events, age_d, at_s)
    _light(w, journal, crop, batch, tray_id, events, age_d, at_s)
    _warmth(w, journal, crop, batch, events, at_s)
    _water(w, journal, batch, events, mine, at_s)
    _pot(w, journal, batch, events, tray_id, age_d, at_s)
    _out(w, crop, own, at_s)
    _days(w, journal, crop, batch, tray_id, events, at_s)
    _midday(w, journal, [*mine, *own])
    _fruit(w, journal, crop, batch, events, at_s)
    w.times(
        "by_nature", 4.0 if crop.growth.purple else 0.25, "purple_kind" if crop.growth.purple else "", words=crop.growth.purple
    )
    if age_d is not None and age_d > 14:
        w.times("thin_cover", 0.15)
    return w


def _feed(
    w: Weighed, batch: Batch, mine: Sequence[Event], events: Sequence[Event], age_d: float | None, at_s: float
) -> None:  # fmt: skip
    fed = [e for e in mine if e.kind == "fed"]
    strongest = max((float(e.fields["n_mg_per_l"]) for e in fed if e.fields.get("n_mg_per_l") is not None
                     and e.at_s > at_s - 14 * DAY_S), default=None)  # fmt: skip
    if strongest is not None and strongest > BURNS_MG:
        w.times("overfed", 9.0 if strongest < 3 * BURNS_MG else 30.0, "fed_strong", mg=strongest, burns=BURNS_MG)
    elif strongest is not None:
        w.times("overfed", 0.6, "fed_mild", mg=strongest, burns=BURNS_MG)
    else:
        w.times("overfed", 0.35 if fed else 0.15)
    early = [e for e in fed if age_d is not None and at_s - e.at_s > (age_d - 3) * DAY_S and age_d < 10]
    if early:
        w.times("overfed", 2.0, "fed_early")
    repotted = fresh_mix_s(batch, events)
    since_d = age_d if age_d is not None else 0.0
    last = max([*(e.at_s for e in fed), *repotted], default=None)
    if last is not None:
        since_d = min(since_d, (at_s - last) / DAY_S)
    rich = batch.mix.fed if batch.mix is not None else None
    spent = SPENT_D * (2.2 if rich else 1.0)
    if since_d >= spent + 10:
        w.times("hungry", 5.0, "unfed_days", days=since_d, fed=1.0 if rich else 0.0)
    elif since_d >= spent:
        w.times("hungry", 2.5, "unfed_days", days=since_d, fed=1.0 if rich else 0.0)
    elif last is not None and since_d < 12:
        w.times("hungry", 0.12, "fed_lately", days=since_d)
    else:
        w.times("hungry", 0.3, "young_or_fed_mix", days=since_d)
    if rich is None:
        w.lack("mix", "hungry")


def _light(
    w: Weighed, journal: Journal, crop: Crop, batch: Batch, tray_id: str | None, events: Sequence[Event], age_d: float | None,
    at_s: float,
) -> None:  # fmt: skip
    tray = next((t for t in journal.trays if t.id == tray_id), None)
    lamps, place = [], None
    if tray is not None:
        place = next((e.fields["place"] for e in reversed(events) if e.kind == "placed" and e.fields["tray"] == tray_id), None)
        for lamp in journal.lamps:
            state = lamp_at(lamp, events, at_s)
            if place is not None and state.place == place and state.periods != ():
                lamps.append((lamp, state))
    near = None
    for lamp, state in lamps:
        gap = leaf_distance_mm(state.height_mm, tray, canopy_mm([batch], events, at_s, journal.series)) if tray else None
        if gap is None:
            continue
        near = gap / least_mm(lamp)
        if near < 1.0:
            w.times("lamp_too_near", 9.0, "lamp_under_least", gap_mm=gap, least_mm=least_mm(lamp))
        elif near < 1.5:
            w.times("lamp_too_near", 0.5, "lamp_close", gap_mm=gap, least_mm=least_mm(lamp))
        else:
            w.times("lamp_too_near", 0.1, "lamp_not_close", gap_mm=gap, least_mm=least_mm(lamp))
    if near is None:
        w.times("lamp_too_near", 0.4 if lamps or not journal.lamps else 0.2)
        w.lack("lamp_height", "lamp_too_near")
    if not lamps:
        # Under no lamp no lamp bleaches: what does is the sun, or cold.
        w.times("too_much_light", 0.1, "no_lamp_over")
        w.times("lamp_too_near", 0.05, "no_lamp_over")
        where = next((p for p in journal.places if tray is not None and p.id == place), None)
        if where is not None and where.kind in ("sill", "porch", "outdoors"):
            w.times("sun_scald", 6.0, "stands_in_sun", place=where.id)
        else:
            w.times("sun_scald", 2.0)
    if not lamps and journal.lamps:
        w.times("one_sided_light", 3.0, "no_lamp_over")
    elif lamps:
        w.times("one_sided_light", 0.4)
    if tray is None:
        w.lack("light", "too_much_light")
        return
    light = light_at_tray(journal, tray, [batch], events, journal.garden.zone, at_s - 6 * DAY_S, at_s)
    days = [
        d for d in days_of_light(light, journal.garden.zone, at_s - 5 * DAY_S, at_s) if d.mol is not None and d.to_s <= at_s + 1
    ]
    bright = [b.ppfd_umol for b in light.brightness if b.from_s <= at_s]
    ceiling = SEED_LEAF_UMOL if age_d is not None and age_d < 10 else SEEDLING_UMOL
    band = targets_for(crop, "growing_on", practice_of(journal.garden, batch), ()).get("daily_light")
    if not days or band is None or not bright:
        w.lack("light", "too_much_light")
        return
    mol = float(np.mean([d.mol for d in days]))
    over_band, over_ceiling = mol / band.high, bright[-1] / ceiling
    figures = {"mol": mol, "high": band.high, "umol": bright[-1], "ceiling": ceiling}
    if over_ceiling >= 1.0 or over_band >= 1.25:
        w.times("too_much_light", 8.0, "light_over", **figures)
    elif over_band >= 1.0 or over_ceiling >= 0.85:
        w.times("too_much_light", 2.5, "light_over", **figures)
    else:
        w.times("too_much_light", 0.07, "light_not_over", **figures)
        w.times("lamp_too_near", 0.6)


def _warmth(w: Weighed, journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> None:
    band = targets_for(crop, "growing_on", practice_of(journal.garden, batch), ()).get("soil_temperature")
    level, found = readings_for(journal, batch, events, "soil_temperature", at_s)
    if not found:
        level, found = readings_for(journal, batch, events, "air_temperature", at_s)
    values = np.concatenate([s.value[s.at_s > at_s - 7 * DAY_S] for s in found]) if found else np.zeros(0)
    if not len(values) or band is None:
        w.lack("growing_temperature", "cold_roots", "chilled")
        return
    low = min(band.low, sum(band.night) / 2) if band.night else band.low
    mean, least = float(values.mean()), float(np.concatenate([s.value[s.at_s > at_s - 4 * DAY_S] for s in found] or [values]).min(
        initial=99.0))  # fmt: skip
    if mean < low - 0.5:
        w.times("cold_roots", 7.0 if mean < low - 2.5 else 3.5, "soil_under_band", mean_c=mean, low_c=low, level=level)
    else:
        w.times("cold_roots", 0.1 if mean > low + 1.0 else 0.5, "soil_not_under_band", mean_c=mean, low_c=low)
    harm = crop.planting.least_night_c
    if least < harm:
        w.times("chilled", 12.0, "cold_night", least_c=least, stands_c=harm)
    elif least < harm + 2.0:
        w.times("chilled", 1.5, "cold_night", least_c=least, stands_c=harm)
    else:
        w.times("chilled", 0.15, "no_cold_night", least_c=least, stands_c=harm)


def _water(
    w: Weighed, journal: Journal, batch: Batch, events: Sequence[Event], mine: Sequence[Event], at_s: float
) -> None:  # fmt: skip
    grid = np.arange(at_s - 8 * DAY_S, at_s + 1.0, STEP_S)
    leafy_s = leafy_since(in_trays(journal.batches, events, at_s).get(tray_of(batch, events, at_s) or "", []), events, at_s)
    moisture, _ = moisture_record(journal, batch, events, grid, at_s, leafy_s)
    known = ~np.isnan(moisture)
    if known.mean() < 0.25:
        w.lack("moisture", "thirsty", "overwatered", "airless_mix", "gnats")
        often = [e for e in mine if e.kind == "watered" and e.at_s > at_s - 8 * DAY_S and e.fields.get("how") != "mist"]
        if len(often) >= 6:
            for c in ("overwatered", "airless_mix", "gnats"):
                w.times(c, 2.0, "watered_often", n=float(len(often)))
            w.times("thirsty", 0.4)
        return
    m = moisture[known]
    wet_d = float((m > AIRLESS_PCT).mean()) * 8.0
    least, mean = float(m[-int(3 * DAY_S / STEP_S) :].min()), float(m.mean())
    if wet_d >= 5.5:
        for c, f in (("overwatered", 6.0), ("airless_mix", 6.0), ("gnats", 2.5)):
            w.times(c, f, "wet_days", days=wet_d, pct=AIRLESS_PCT)
    elif wet_d >= 3.0:
        for c, f in (("overwatered", 2.2), ("airless_mix", 2.2), ("gnats", 1.6)):
            w.times(c, f, "wet_days", days=wet_d, pct=AIRLESS_PCT)
    else:
        for c in ("overwatered", "airless_mix"):
            w.times(c, 0.12, "not_wet", days=wet_d, pct=AIRLESS_PCT)
        w.times("gnats", 0.7)
    if least < 30.0:
        w.times("thirsty", 6.0, "dried_out", least_pct=least)
    elif least < 42.0:
        w.times("thirsty", 1.6, "dried_out", least_pct=least)
    else:
        w.times("thirsty", 0.12, "never_dry", least_pct=least)
    if mean > 70:
        w.times("root_bound", 0.8)


def _pot(
    w: Weighed, journal: Journal, batch: Batch, events: Sequence[Event], tray_id: str | None, age_d: float | None, at_s: float
) -> None:  # fmt: skip
    tray = next((t for t in journal.trays if t.id == tray_id), None)
    potted = max(fresh_mix_s(batch, events), default=None)
    up = age_d if potted is None or age_d is None else min(age_d, (at_s - potted) / DAY_S)
    if tray is None or tray.cell_ml is None:
        w.lack("cell_volume", "root_bound")
        w.times("root_bound", 0.8 if up is None or up > 20 else 0.2)
        return
    if up is None:
        return
    holds = holds_d(tray)
    figures = {"days": up, "holds": holds, "ml": tray.cell_ml}
    if up > holds + 6:
        w.times("root_bound", 6.0, "long_in_cell", **figures)
    elif up > holds - 5:
        w.times("root_bound", 2.0, "long_in_cell", **figures)
    else:
        w.times("root_bound", 0.1, "not_long_in_cell", **figures)


def _out(w: Weighed, crop: Crop, own: Sequence[Event], at_s: float) -> None:
    outings = [e for e in own if e.kind == "outing" and e.at_s > at_s - 6 * DAY_S]
    if not outings:
        w.times("sun_scald", 0.25, "never_out")
        w.times("wind_burn", 0.25, "never_out")
        return
    sun = max(float(e.fields.get("hours") or 1.0) * (1.0 - float(e.fields.get("shade_share") or 0.0)) for e in outings)
    before = sum(e.kind == "outing" and e.at_s <= at_s - 6 * DAY_S for e in own)
    w.times("sun_scald", 7.0 if sun >= 2 and before < 6 else 2.0 if sun >= 1 else 0.6, "sun_hours", hours=sun)
    w.times("wind_burn", 8.0, "was_out", days=float(len(outings)))
    w.times("chilled", 1.4)


def _days(
    w: Weighed, journal: Journal, crop: Crop, batch: Batch, tray_id: str | None, events: Sequence[Event], at_s: float
) -> None:  # fmt: skip
    p = crop.planting
    _bolts_by_warmth(w, journal, crop, batch, events, at_s)
    if p.long_day_h is None and p.short_day_h is None and not p.cold_weeks:
        w.times("bolting", 0.5)
        return
    tray = next((t for t in journal.trays if t.id == tray_id), None)
    hours = None
    if tray is not None:
        light = light_at_tray(journal, tray, [batch], events, journal.garden.zone, at_s - 8 * DAY_S, at_s)
        days = [d.lit_h for d in days_of_light(light, journal.garden.zone, at_s - 7 * DAY_S, at_s) if d.to_s <= at_s + 1]
        hours = float(np.mean(days)) if days else None
    if hours is None:
        w.lack("hours", "bolting")
        return
    wrong = (p.long_day_h is not None and hours > p.long_day_h) or (p.short_day_h is not None and 2 < hours < p.short_day_h)
    w.times("bolting", 5.0 if wrong else 0.6, "days_bring_flower" if wrong else "", hours=hours)


def _bolts_by_warmth(w: Weighed, journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> None:
    """Heat makes cool kinds run to flower, and cool nights as young plants those that take them for a winter."""
    p = crop.planting
    _, found = readings_for(journal, batch, events, "air_temperature", at_s)
    if not found:
        _, found = readings_for(journal, batch, events, "soil_temperature", at_s)
    values = np.concatenate([s.value[s.at_s > at_s - BOLTS_OVER_D * DAY_S] for s in found]) if found else np.zeros(0)
    if not len(values):
        w.lack("growing_temperature", "bolting")
        return
    warm_c, cool_c = float(np.percentile(values, 75)), float(np.percentile(values, 25))
    if p.summer_to_c is not None and warm_c > p.summer_to_c + 2.0:
        w.times("bolting", 3.0, "hot_days_bolt", warm_c=warm_c, limit_c=p.summer_to_c)
    if p.hardiness != "tender" and p.least_night_c >= BOLTS_UNDER_C and cool_c < p.least_night_c:
        w.times("bolting", 3.0, "cold_nights_bolt", cool_c=cool_c, wants_c=p.least_night_c)


def _fruit(w: Weighed, journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> None:
    """Only a kind that bears fruit is held back by it, or drops its flowers; and only a kind that heads makes a button."""
    if crop.id in HEADING:
        w.times("bolting", 1.5, "heads_button")
    if crop.id not in FRUITING:
        for cause in ("early_fruit", "flower_drop"):
            w.times(cause, 0.01)
        return
    _, found = readings_for(journal, batch, events, "air_temperature", at_s)
    values = np.concatenate([s.value[s.at_s > at_s - 7 * DAY_S] for s in found]) if found else np.zeros(0)
    if not len(values):
        w.lack("growing_temperature", "flower_drop")
    elif float(values.max()) >= DROPS_FROM_C:
        w.times("flower_drop", 4.0, "hot_for_flowers", most_c=float(values.max()), limit_c=DROPS_FROM_C)
    else:
        w.times("flower_drop", 0.2, "not_hot_for_flowers", most_c=float(values.max()), limit_c=DROPS_FROM_C)


def _midday(w: Weighed, journal: Journal, mine: Sequence[Event]) -> None:
    """Wilting that was seen in the heat of the day alone may be nothing; seen in the morning or late it is the roots."""
    hours = [e.at.astimezone(journal.garden.zone).hour for e in mine if e.kind == "sign" and e.fields["sign"] == "wilt_wet"]
    if hours and all(MIDDAY_H[0] <= h < MIDDAY_H[1] for h in hours):
        in_sun = any(e.key in ("stands_in_sun", "sun_hours") for e in w.yes.get("sun_scald", []))
        w.times("midday_wilt", 10.0 if in_sun else 2.0, "wilted_at_midday")
    else:
        w.times("midday_wilt", 0.1)


def suppositions(complaint: Complaint, w: Weighed, seen: Sequence[str]) -> Suppositions:
    """One supposition for each cause, and one under which nothing is wrong. `seen` the signs that were logged."""
    names = list(complaint.causes)
    wrong = [c for c in names if c not in HARMLESS]
    weight = np.array([complaint.causes[c].prior * w.odds.get(c, 1.0) for c in names])
    share = PRESENT_WITH_SIGN if set(seen) - set(SURFACE) else PRESENT_WITH_FILM if seen else PRESENT_WITHOUT
    total = float(sum(weight[names.index(c)] for c in wrong))
    mass = np.zeros((len(names) + 1, len(wrong) + 1))
    for i, c in enumerate(names):
        column = len(wrong) if c in HARMLESS else wrong.index(c)
        mass[i, column] = weight[i] / max(total, 1e-12) * share
    mass[-1, -1] = 1.0 - share
    acting = (*(frozenset({c}) for c in names), frozenset[str]())
    return Suppositions(acting, (*wrong, NOTHING), mass / mass.sum())
