"""What one want asks for before the room is looked at: when it may go out, between which days it can be sown, and how much."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from fennet.core.care.handling import STANDS_COMPANY
from fennet.core.crop import LEARNED_HERE, Crop
from fennet.core.kinds import practice_fault
from fennet.core.learning.garden import Learned, survives
from fennet.core.light import day_length_h
from fennet.core.lighting.window import window_light
from fennet.core.planning.climate import Climate, climate_by_latitude, first_day
from fennet.core.planning.frost import HALF_YEAR_D, LATITUDE_SD_D, Frosts, from_latitude, midwinter, season_of
from fennet.core.planning.gate import Gate, cold_bolting_note, cold_weeks_after, day_length_note, planting_gate
from fennet.core.planning.growing import Emerging, Growing, PlannedRoom, emerging, growing
from fennet.core.planning.notes import Note
from fennet.core.records import Garden, Place, SeedLot, Want
from fennet.core.seed import SeedState, seed_state
from fennet.core.seed_advice import gives_up, too_old
from fennet.core.sowing_quantity import CONFIDENCE, HowMuch, how_much
from fennet.core.targets import targets_for

#: A mat is asked for where it is this much warmer than the room, and saves this share of the wait. Source: growers_rule.
WARMER_C, SAVES = 1.5, 0.8
#: Without a mat a sowing is still offered where it waits no longer than so many times as on one. Source: growers_rule.
WAITS_AT_MOST, ARRIVES_AT_LEAST = 2.6, 0.75
#: Days before sowing that a pretreatment begins. Source: grower_practice.
PRETREAT_D = {"soak": 1, "cold_moist": 28, "nick": 0, "hot_water": 0}
#: Ready this long after the wish, bought plants are the better way. Source: growers_rule.
TOO_LATE_D = 45
#: Hours a day that a mat heats, run by day only or with the lamps. Hardy kinds go out so much earlier or later by practice, d.
#: Source: growers_rule.
DAY_ONLY_H, TIMER_H = 16.0, 13.5
HARDY_SHIFT_D = {"fit": 0, "early": -14, "late": 21}
#: Seeds to a cell that is left as a clump. Source: growers_rule.
CLUMP_SEEDS = 5
#: What is sown now stands at its window in so many days, in the middle; the light of one where no latitude is known, mol. Source:
#: starting_estimate.
WINDOW_AHEAD_D, WINDOW_MOL = 45, 4.0
#: A sowing is parted into no more trays than this. Source: growers_rule.
MOST_PARTS = 6
#: Days outdoors that a spring crop without a figure of its own still needs before the autumn's frost. Source: starting_estimate.
SEASON_LEAST_D = 60
#: An autumn crop is young for so many days. Source: starting_estimate.
AUTUMN_STANDS_D = 21
#: Where no autumn frost is known a spring crop's season ends so many days after midsummer. Source: starting_estimate.
AUTUMN_UNKNOWN_D = 80


@dataclass(frozen=True)
class Surroundings:
    """What all wants share: the garden with its practice, frost, climate and room, the size of a tray, and today."""

    garden: Garden
    practice: Mapping[str, str]
    frosts: Frosts
    climate: Climate | None
    room: PlannedRoom
    tray_cells: int
    today: date
    learned: Learned | None = None


@dataclass(frozen=True, kw_only=True)
class Draft:
    """One sowing of one want, not yet given its day. `sow_from`, `sow_aim`, `sow_to` are None where it cannot be grown here;
    `warm` is emergence on a mat, `cool` without one, None where it will not do; `least_c` … days as in Growing."""

    at: int
    number: int
    want: Want
    crop: Crop
    lot: SeedLot | None
    seed: SeedState
    much: HowMuch
    practice: Mapping[str, str]
    out_on: date
    gate: Gate | None
    warm: Emerging | None
    cool: Emerging | None
    growing: Growing | None
    harden_days: int
    notes: tuple[Note, ...]
    sow_from: date | None = None
    sow_aim: date | None = None
    sow_to: date | None = None
    moved: bool = False
    #: A sowing of more trays than there are mat places goes in by parts.
    part: int = 1
    parts: int = 1

    @property
    def key(self) -> str:
        """Which sowing of its want: "1", "2"; "1.2" for the second part of the first."""
        return f"{self.number}.{self.part}" if self.parts > 1 else f"{self.number}"

    @property
    def name(self) -> str:
        return f"{self.at}:{self.key}"

    @property
    def indoors(self) -> bool:
        return self.want.where == "indoors"

    @property
    def best(self) -> Emerging | None:
        return self.warm or self.cool

    def grow_days(self, sown: date, heat: Emerging) -> float:
        """Days of growing on left between half up and hardening off, if sown on a day."""
        return (self.out_on - sown).days - self.harden_days - heat.days.p50


def drafts(
    want: Want, at: int, crop: Crop, lots: Sequence[SeedLot], left: Mapping[str, int], s: Surroundings, begun: date | None = None
) -> Iterator[Draft]:
    """Every sowing of a want, one after the other; succession sowings follow each other by `every_days`.

    `left` are seeds left by lot, looked up anew for each sowing, so that the caller may take off what one takes. `begun`: the day
    the want was first sown for; the later ones keep to the season that began then.
    """
    own = {k: v for k, v in want.practice.items() if practice_fault(k, v) is None}
    practice = {**s.practice, **own}
    out_on = None
    if begun is not None and begun < s.today:
        out_on = _draft(want, at, 1, crop, lots, left, replace(s, today=begun), practice, None).out_on
    first = _draft(want, at, 1, crop, lots, left, s, practice, out_on)
    yield first
    for number in range(2, (want.times or 1) + 1):
        later = (out_on or first.out_on) + timedelta(days=(want.every_days or 14) * (number - 1))
        yield _draft(want, at, number, crop, lots, left, s, practice, later)


def _draft(
    want: Want, at: int, number: int, crop: Crop, lots: Sequence[SeedLot], left: Mapping[str, int], s: Surroundings,
    practice: Mapping[str, str], later: date | None, before: Sequence[Note] = (),
) -> Draft:  # fmt: skip
    band = targets_for(crop, "sown", practice)["soil_temperature"]
    target_c = (band.ideal_low + band.ideal_high) / 2
    if want.seed_lot is None:
        lots = [x for x in lots if not too_old(x.packed, s.today.year, practice)]
    lot = lot_for(want, crop, lots, left)
    if s.learned is not None:
        crop = s.learned.crop_here(crop, want.variety, lot, s.today.year)
    seed = seed_state(crop, lot, s.today)
    warm, cool = _heat(
        emerging(crop, heated_c(target_c, s.room.soil_without_mat_c, practice["heat"]), seed.speed, practice["depth"]),
        emerging(crop, s.room.soil_without_mat_c, seed.speed, practice["depth"]),
        target_c, s.room.soil_without_mat_c, practice["heat"],
    )  # fmt: skip
    best, grows = warm or cool, growing(crop, s.room, practice["sow_tender"], window_mol=_window_mol(s, practice))
    harden = 0 if want.where == "indoors" else round(crop.planting.harden_days)
    wait_d = best.days.p50 if best else 14.0
    lead_d = wait_d + (grows.aim_days if grows else crop.planting.grow_days) + harden
    least_d = wait_d + (grows.least_days if grows else crop.planting.grow_least_days) + harden
    notes: list[Note] = list(before)
    out_on, gate = _out(want, crop, s, practice, lead_d, least_d, notes, later)
    # Seed is worth what it will be on about the day it is sown.
    seed = seed_state(crop, lot, max(s.today, out_on - timedelta(days=round(lead_d))))
    plants = (want.plants or 1) + (want.spares or 0)
    much = how_much(
        plants,
        seed,
        arrives=best.arrives if best else 0.0,
        confidence=want.confidence or CONFIDENCE,
        survival=survives(crop),
        survival_source=LEARNED_HERE if crop.here is not None and crop.here.survival is not None else "starting_estimate",
        school=practice["seeds_per_cell"],
        set_up="crowd" if practice["per_cell"] in ("rows", "broadcast") and crop.growth.pricks_out else practice["set_up"],
        tray_cells=s.tray_cells,
        packet=left.get(lot.id) if lot else None,
    )
    much = by_the_cell(much, crop, practice)
    if (much.limit == "dead" or gives_up(seed)) and lot is not None:
        # Nobody sows by the hundred what does not live: the plan goes on with fresh seed and says so.
        told = [*before, Note("dead_seed", {"alive": seed.mean, "packed": lot.packed})]
        others = [x for x in lots if x.id != lot.id]
        return _draft(replace(want, seed_lot=None), at, number, crop, others, left, s, practice, later, told)
    if much.limit == "packet":
        notes.append(Note("short_of_seed", {"left": left.get(lot.id, 0) if lot else 0, "plants": much.plants, "wanted": plants}))
    if best is None:
        notes.append(Note("never_up", {"soil_c": s.room.soil_without_mat_c}))
    elif grows is None:
        notes.append(Note("too_cold_to_grow", {"air_c": s.room.air_c, "base_c": crop.planting.grow_base_c}))
    draft = Draft(
        at=at, number=number, want=want, crop=crop, lot=lot, seed=seed, much=much, practice=practice, out_on=out_on, gate=gate,
        warm=warm, cool=cool, growing=grows, harden_days=harden, notes=tuple(notes),
    )  # fmt: skip
    # Nothing that frost kills is dated where nobody knows when frost ends: it is asked.
    asks = (
        gate is not None
        and gate.opens is None
        and (want.out_by is None or _is_past(want, s))
        and crop.planting.hardiness != "hardy"
    )
    return draft if best is None or grows is None or asks else _dated(draft, best, grows, s)


def _window_mol(s: Surroundings, practice: Mapping[str, str]) -> float | None:
    """Light of the best window for who grows by windows alone, some weeks on; None for who has lamps."""
    if practice["light_source"] != "window":
        return None
    sunny = Place(id="window", kind="sill", facing_deg=0.0 if s.frosts.southern else 180.0)
    found = window_light(s.garden, sunny, s.today + timedelta(days=WINDOW_AHEAD_D))
    return WINDOW_MOL if found is None else max(found.mol, 0.5)


def by_the_cell(much: HowMuch, crop: Crop, practice: Mapping[str, str]) -> HowMuch:
    """So much seed as the practice puts in a cell: a clump for kinds that stand company, or three that are parted later; as the
    odds have it otherwise. Source: growers_rule."""
    if much.set_up != "in_mix":
        return much
    if practice["per_cell"] == "several" and crop.group in STANDS_COMPANY:
        n = max(much.seeds_per_cell, CLUMP_SEEDS)
        return replace(much, seeds_per_cell=n, seeds=n * much.cells)
    if practice["per_cell"] == "three_then_parted" and crop.growth.pricks_out:
        cells = math.ceil(much.seeds / 3)
        return replace(much, cells=cells, seeds_per_cell=3, seeds=3 * cells)
    return much


def in_parts(draft: Draft, mat_places: float | None, tray_cells: int) -> list[Draft]:
    """A sowing on mats of more trays than there are places, tray by tray, so that they can take turns; any other as it is."""
    trays = math.ceil(draft.much.cells / tray_cells)
    if draft.warm is None or draft.sow_from is None or draft.moved or not mat_places or trays <= mat_places or trays > MOST_PARTS:
        return [draft]
    if draft.much.set_up != "in_mix":
        return [draft]
    out = []
    for i in range(trays):
        cells = draft.much.cells * (i + 1) // trays - draft.much.cells * i // trays
        wanted = draft.much.wanted * (i + 1) // trays - draft.much.wanted * i // trays
        much = replace(draft.much, cells=cells, seeds=cells * draft.much.seeds_per_cell, wanted=wanted)
        part = replace(draft, much=much, part=i + 1, parts=trays)
        moved = draft.want.moved.get(part.key)
        out.append(replace(part, sow_aim=moved, moved=True) if moved else part)
    return out


def heated_c(target_c: float, room_c: float, school: str) -> float:
    """Mean soil on a mat by practice, °C: a mat that runs by day only, or with the lamps, leaves the nights to the room. Source:
    arithmetic, growers_rule.

    >>> heated_c(26.0, 18.0, "optimum"), heated_c(26.0, 18.0, "timer")
    (26.0, 22.5)
    """
    hours = {"day_only": DAY_ONLY_H, "timer": TIMER_H}.get(school, 24.0)
    return (hours * target_c + (24.0 - hours) * min(room_c, target_c)) / 24.0


def _heat(
    warm: Emerging | None, cool: Emerging | None, target_c: float, room_c: float, school: str
) -> tuple[Emerging | None, Emerging | None]:
    """Which of the two ways make sense: on a mat, and without one."""
    if school == "room" or warm is None or target_c < room_c + WARMER_C:
        return (None, cool) if cool else (warm, None)
    if cool is not None and cool.days.p50 * SAVES <= warm.days.p50 and cool.arrives >= ARRIVES_AT_LEAST * warm.arrives:
        return None, cool
    if cool is not None and (cool.days.p50 > WAITS_AT_MOST * warm.days.p50 or cool.arrives < ARRIVES_AT_LEAST * warm.arrives):
        cool = None
    return warm, cool


def lot_for(want: Want, crop: Crop, lots: Sequence[SeedLot], left: Mapping[str, int]) -> SeedLot | None:
    """The packet a want is sown from: the one it names, else of its variety (or of the crop where it names none) the one with
    most seed left, an empty one last."""
    if want.seed_lot:
        return next((x for x in lots if x.id == want.seed_lot), None)
    fits = [
        x for x in lots if x.crop == crop.id and (not want.variety or (x.variety or "").casefold() == want.variety.casefold())
    ]  # fmt: skip
    return max(fits, key=lambda x: (left.get(x.id, 1) > 0, x.packed or 0, left.get(x.id, 10**6)), default=None)


def _out(
    want: Want,
    crop: Crop,
    s: Surroundings,
    practice: Mapping[str, str],
    lead_days: float,
    least_days: float,
    notes: list[Note],
    later: date | None,
) -> tuple[date, Gate | None]:
    """The day it goes out (or is ready indoors), and the gate that let it."""
    wish = later or want.out_by
    if later is None and want.where != "indoors" and _is_past(want, s):
        # A day that is gone can no longer be met: the next season that holds is meant.
        notes.append(Note("wish_past", {"wish": wish}))
        wish = None
    soonest = s.today + timedelta(days=round(least_days))
    if want.where == "indoors":
        return wish or s.today + timedelta(days=round(lead_days)), None
    if want.season == "autumn" and not (wish and later):
        found = _autumn(wish, crop, s, soonest, notes)
        if found is not None:
            # In autumn the days are on the wane: it goes by those that it will mostly stand in.
            _outside(found + timedelta(days=AUTUMN_STANDS_D), crop, s, None, notes)
            return found, None
    season, d = season_of(wish or s.today, s.frosts.southern)
    gate = planting_gate(crop, season + (wish is None and d >= HALF_YEAR_D), s.frosts, s.climate, practice)
    if wish is None:
        # Without a date the first season that can still be made is meant. A gate that opened before the plants can be ready is no
        # deadline: they go out when they are, as long as the season still holds for them.
        if gate.opens is not None and gate.opens < soonest and not _season_over(crop, gate.opens, soonest, s):
            out_on = s.today + timedelta(days=round(least_days))
            notes.append(Note("gate_passed", {"opened": gate.opens, "ready": out_on}))
        else:
            while gate.opens is not None and gate.opens < soonest:
                season += 1
                gate = planting_gate(crop, season + (d >= HALF_YEAR_D), s.frosts, s.climate, practice)
            out_on = gate.opens or s.today + timedelta(days=round(lead_days))
            if crop.planting.hardiness == "hardy" and gate.opens is not None:
                out_on = max(soonest, gate.opens + timedelta(days=HARDY_SHIFT_D[practice["sow_hardy"]]))
                if practice["sow_hardy"] == "early":
                    notes.append(Note("under_fleece", {"until": gate.opens}))
    elif d >= HALF_YEAR_D or gate.opens is None or gate.opens <= wish or gate.never:
        out_on = wish
    else:
        out_on = gate.opens
        notes.append(Note("later_than_wished", {"wish": wish, "risk": gate.risk_on(wish), "by": gate.by, "out_on": out_on}))
    notes.extend(gate.notes)
    if s.frosts.guessed:
        frost = s.frosts.at(0.0)
        notes.append(Note("frost_by_latitude", {"middle": frost.middle(season) if frost else None, "sd_d": LATITUDE_SD_D}))
    _cold_spell(out_on, crop, s, notes)
    _outside(out_on, crop, s, gate, notes)
    _summer(out_on, crop, s, notes)
    return out_on, gate


def _is_past(want: Want, s: Surroundings) -> bool:
    return want.out_by is not None and want.out_by < s.today


def _outside(out_on: date, crop: Crop, s: Surroundings, gate: Gate | None, notes: list[Note]) -> None:
    """What the days and the nights at planting do to a kind, whatever the season."""
    for note in (day_length_note(crop, s.garden, out_on), cold_bolting_note(crop, gate, s.climate, out_on)):
        if note is not None:
            notes.append(note)


def _season_over(crop: Crop, opened: date, ready: date, s: Surroundings) -> bool:
    """Whether plants ready on a day, some time after they might have gone out, would meet a killing frost, or the summer's end,
    before they have cropped."""
    if crop.planting.hardiness != "hardy" and (ready - opened).days > TOO_LATE_D:
        # What frost kills wants the whole summer; what it does not may be sown again and again.
        return True
    meets = _meets_frost(crop, ready, s)
    if meets is not None:
        return meets
    _, d = season_of(ready, s.frosts.southern)
    return d > HALF_YEAR_D + AUTUMN_UNKNOWN_D - round(crop.planting.autumn_days or SEASON_LEAST_D)


def _meets_frost(crop: Crop, ready: date, s: Surroundings) -> bool | None:
    """Whether a plant ready on a day would mostly meet the killing frost of autumn before it has cropped; None where nothing
    tells when that comes."""
    frost = s.frosts.at(crop.planting.kills_at_c)
    cropped = ready + timedelta(days=round(crop.planting.autumn_days or SEASON_LEAST_D))
    chance = frost.chance_before(cropped) if frost is not None else None
    _, d = season_of(ready, s.frosts.southern)
    return None if chance is None else d >= HALF_YEAR_D - 60 and chance > 0.5


def _cold_spell(out_on: date, crop: Crop, s: Surroundings, notes: list[Note]) -> None:
    """Whether a perennial that wants cold weeks as a young plant will have them."""
    need = crop.planting.cold_weeks
    if not need:
        return
    weeks = cold_weeks_after(s.climate, out_on)
    if weeks is None:
        notes.append(Note("cold_spell_unknown", {"weeks": need}))
    elif weeks >= need:
        notes.append(Note("cold_spell", {"weeks": need}))
    else:
        notes.append(Note("no_cold_spell", {"weeks": weeks, "need": need}))


def _summer(out_on: date, crop: Crop, s: Surroundings, notes: list[Note]) -> None:
    limit = crop.planting.summer_to_c
    if limit is not None and s.climate is not None:
        mean = s.climate.mean_c(out_on + timedelta(days=30))
        if mean > limit:
            notes.append(Note("hot_summer", {"mean_c": mean, "limit_c": limit}))


def _autumn(wish: date | None, crop: Crop, s: Surroundings, soonest: date, notes: list[Note]) -> date | None:
    """Planting day for an autumn crop: when the summer has cooled, early enough to finish before a killing frost."""
    frost = s.frosts.at(crop.planting.kills_at_c)
    nights = s.climate
    if nights is None or frost is None or frost.autumn_d is None:
        # Without a record of nights the latitude's ordinary year stands in, and says that it is rough.
        nights, frost = climate_by_latitude(s.garden), from_latitude(s.garden, crop.planting.kills_at_c) or frost
        if nights is not None:
            notes.append(Note("climate_by_latitude"))
    if nights is None or frost is None or frost.autumn_d is None or not crop.planting.autumn_days:
        notes[:] = [n for n in notes if n.kind != "climate_by_latitude"]
        notes.append(Note("autumn_unknown" if crop.planting.autumn_days else "no_autumn_crop"))
        return None
    season, _ = season_of(wish or s.today, s.frosts.southern)
    for year in (season, season + 1):
        start = midwinter(year, s.frosts.southern) + timedelta(days=HALF_YEAR_D)
        end = start + timedelta(days=HALF_YEAR_D - 2)
        cool = max(_cool_from(nights, crop, start, end), _short_from(s.garden, crop, start, end))
        frost_day = frost.autumn_day(0.2, year) or end
        last = frost_day - timedelta(days=round(crop.planting.autumn_days))
        if wish is None and last < soonest:
            continue
        values = {"cool_from": cool, "last": last, "frost_by": frost_day}
        notes.append(Note("autumn" if cool <= last else "autumn_too_late", values))
        if wish is not None and wish > last:
            notes.append(Note("autumn_wish_late", {"wish": wish, **values}))
            return last
        return wish or (min(max(cool, soonest), last) if cool <= last else last)
    return None


def _short_from(garden: Garden, crop: Crop, start: date, end: date) -> date:
    """First day after midsummer from which an autumn crop stands in days too short to make it bolt."""
    limit_h = crop.planting.long_day_h
    if limit_h is None or garden.latitude is None or garden.longitude is None:
        return start
    latitude, longitude, stands = garden.latitude, garden.longitude, timedelta(days=AUTUMN_STANDS_D)

    def short(day: date) -> bool:
        hours = day_length_h(day + stands, latitude, longitude)
        return hours is not None and hours <= limit_h

    return first_day(start, end, short) or start


def _cool_from(climate: Climate, crop: Crop, start: date, end: date) -> date:
    """First day after midsummer that is cool enough for a crop."""
    limit = crop.planting.summer_to_c
    return start if limit is None else first_day(start, end, lambda day: climate.mean_c(day) <= limit) or end


def _dated(draft: Draft, best: Emerging, grows: Growing, s: Surroundings) -> Draft:
    """The days between which it can be sown, with what has gone by left out."""

    def sow_for(grow_days: float) -> date:
        return draft.out_on - timedelta(days=round(draft.harden_days + grow_days + best.days.p50))

    first, aim, last = sow_for(grows.most_days), sow_for(grows.aim_days), sow_for(grows.least_days)
    notes = list(draft.notes)
    pretreat = PRETREAT_D.get(draft.crop.pretreatment, 0)
    earliest = s.today + timedelta(days=pretreat)
    moved = draft.want.moved.get(draft.key)
    if moved is not None:
        if not first <= moved <= last:
            values = {
                "from": first,
                "to": last,
                "too_early": moved < first,
                "days": (first - moved if moved < first else moved - last).days,
            }
            notes.append(Note("moved_outside", values))
        if moved < s.today:
            notes.append(Note("overdue", {"day": moved}))
        return replace(draft, sow_from=first, sow_aim=moved, sow_to=last, moved=True, notes=tuple(notes))
    if last < earliest:
        ready = earliest + timedelta(days=round(best.days.p50 + grows.least_days + draft.harden_days))
        late = (ready - draft.out_on).days
        notes.append(Note("past", {"last": last, "ready": ready, "late_days": late, "wish": draft.out_on}))
        if late > TOO_LATE_D or (not draft.indoors and _meets_frost(draft.crop, ready, s)):
            notes.append(Note("buy_plants", {"ready": ready, "wish": draft.out_on}))
        return replace(draft, out_on=ready, sow_from=earliest, sow_aim=earliest, sow_to=earliest, notes=tuple(notes))
    return replace(
        draft, sow_from=max(first, earliest), sow_aim=max(aim, earliest), sow_to=last, notes=tuple(notes)
    )  # fmt: skip
