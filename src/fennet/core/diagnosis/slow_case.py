"""The case for slow germination: what the record holds for one batch, and what must be supposed where it is silent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from fennet.core.crop import Crop
from fennet.core.diagnosis.slow_germination import SlowCase, spell_days
from fennet.core.drying import moisture_by_deeds
from fennet.core.emerged import seen_uncounted_s
from fennet.core.exposure import DAY_S, moisture_record, soil_record
from fennet.core.history import counts_of
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import tray_of
from fennet.core.seed import fresh_seed, lot_of, rooted, sown_seed
from fennet.core.sowing import DARK_UNDER_SHARE, rooted_sowing, sowing_effect

#: Chances that a cause acts unseen, where the record gives a reason to suppose it. Source: starting_estimate.
SUPPOSED = {
    "garden_soil": 0.30, "potting_mix": 0.05, "untreated": 0.5, "covered_light": 0.15, "unknown_light": 0.08,
    "deep_fine": 0.08, "watered_daily": 0.2, "unknown_lot": 0.07, "tested_lot": 0.02, "poor_test": 0.35,
    "strict_light": 0.25, "known_lot": 0.04, "dry_by_deeds": 0.45, "depth_known": 0.015, "spell_measured": 0.4,
    "moisture_known": 0.015,
}  # fmt: skip
#: What is sown under loose stuff crusts so much more seldom. Source: growers_rule, starting_estimate.
LOOSE_COVERS, LOOSE_CRUSTS = ("vermiculite", "perlite"), 0.3
#: Under this the mix of a tray, going by deeds alone, is called dry; so much faster and slower a tray may dry. Source:
#: starting_estimate.
DRY_BY_DEEDS_PCT, DRYING_FACTORS = 30.0, (0.6, 1.0, 1.7)
FINE_SEED_MM = 5.0
#: A test in which less than this came says that a lot is poor. Source: starting_estimate.
POOR_TEST = 0.4


def slow_case(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> SlowCase:
    """What the record holds for one batch, and what must be supposed where it is silent."""
    counts = counts_of(batch, events)
    soil = soil_record(journal, batch, events, at_s)
    moisture_pct, _ = moisture_record(journal, batch, events, soil.grid_s, at_s)
    sowing = sowing_effect(crop, batch)
    if batch.pretreatment is None:
        # Nobody wrote whether it was soaked: supposed below, not taken as left out.
        sowing = replace(sowing, pretreatment_share=1.0)
    looked = bool(counts.at_s) or any(
        e.kind in ("sign", "check") and (e.fields.get("batch") == batch.id or e.fields.get("tray") == batch.tray) for e in events
    )
    if crop.here is not None:
        # What came of the same seed elsewhere is a witness here: it is not heard twice.
        crop = replace(crop, here=replace(crop.here, alive=None))
    seed, fresh = sown_seed(journal, crop, batch), fresh_seed(journal, crop, batch)
    mother = next((b for b in journal.batches if b.id == batch.from_batch), None)
    if mother is not None and mother.set_up == "towel":
        seed, fresh, sowing = rooted(seed), rooted(fresh), rooted_sowing(sowing)
    return SlowCase(
        batch,
        crop,
        counts,
        soil,
        moisture_pct,
        seed,
        fresh,
        sowing,
        at_s,
        _supposed(journal, crop, batch, events, moisture_pct, at_s),
        unseen=not looked and not soil.n_readings,
        uncounted=seen_uncounted_s(batch, events) is not None,
    )


def _supposed(
    journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], moisture_pct: np.ndarray, at_s: float
) -> dict[str, float]:
    """Chances of causes that nothing measured speaks of, where the record gives a reason to think them likelier or less."""
    out: dict[str, float] = {}
    # Temperature is either measured or one of the supposed courses; it is never supposed twice.
    out["cold_soil"] = out["hot_soil"] = 0.0
    towel = batch.set_up == "towel"
    known = float((~np.isnan(moisture_pct)).mean())
    tray = tray_of(batch, events, at_s)
    waters = [e for e in events if e.kind == "watered"]
    here = [e for e in waters if e.fields["tray"] == tray and e.at_s >= batch.sown_at.timestamp()]
    dry = 0.08
    if waters and tray:
        under = []
        for factor in DRYING_FACTORS:
            _, m = moisture_by_deeds(batch.sown_at.timestamp(), at_s, events, tray, factor)
            under.append(float((m < DRY_BY_DEEDS_PCT).sum() >= 2))
        dry = 0.02 + SUPPOSED["dry_by_deeds"] * float(np.mean(under))
    days = max(1.0, (at_s - batch.sown_at.timestamp()) / DAY_S)
    wet = SUPPOSED["watered_daily"] if len([e for e in here if e.fields.get("how") != "mist"]) / days >= 0.8 else 0.05
    dry_d, wet_d = spell_days(moisture_pct)
    for cause, spell_d, p in (("dry_spell", dry_d, dry), ("waterlogged", wet_d, wet)):
        # How much a spell kills is the least known of all: a measured one may have done more than the model says.
        out[cause] = (
            SUPPOSED["spell_measured"] if spell_d > 1.0 else SUPPOSED["moisture_known"] if known > 0.7 else p * (1 - known)
        )
    lot = lot_of(journal, batch)
    if lot is None:
        out["weak_seed"] = SUPPOSED["unknown_lot"]
    elif lot.tests or lot.packed:
        out["weak_seed"] = SUPPOSED["tested_lot" if lot.tests else "known_lot"]
        if lot.tests and sum(t.germinated for t in lot.tests) < POOR_TEST * sum(t.sown for t in lot.tests):
            # What a test showed to be poor may well be poorer than the label still makes it.
            out["weak_seed"] = SUPPOSED["poor_test"]
    if towel:
        out["sown_deep"] = out["coarse_or_crusted_mix"] = 0.0
        return out
    if batch.depth_mm is not None:
        out["sown_deep"] = SUPPOSED["depth_known"]
    elif crop.depth_mm <= FINE_SEED_MM:
        out["sown_deep"] = SUPPOSED["deep_fine"]
    if crop.seed_light == "light" and batch.depth_mm is None and batch.covered_with != "none":
        out["needs_light"] = SUPPOSED["covered_light" if batch.covered_with else "unknown_light"]
    elif sowing_effect(crop, batch).light_share < DARK_UNDER_SHARE:
        # Old-fashioned kinds are stricter about light than the table: nobody wrote which this is.
        out["needs_light"] = SUPPOSED["strict_light"]
    if crop.pretreatment not in ("", "none") and batch.pretreatment is None:
        # The less a kind minds going without, the less that explains.
        out["needs_pretreatment"] = SUPPOSED["untreated"] * min(1.0, (1.0 - crop.untreated_share) / 0.6)
    kind = batch.mix.kind if batch.mix else None
    if kind in SUPPOSED:
        out["coarse_or_crusted_mix"] = SUPPOSED[kind]
    if batch.covered_with in LOOSE_COVERS:
        # Nothing bakes into a crust over vermiculite or perlite.
        out["coarse_or_crusted_mix"] = LOOSE_CRUSTS * out.get("coarse_or_crusted_mix", SUPPOSED["potting_mix"])
    return out


def not_to_ask(case: SlowCase) -> frozenset[str]:
    """Witnesses that nobody need be asked: what is on record, or cannot be for this batch."""
    out = set()
    batch, crop = case.batch, case.crop
    if case.soil.n_readings and case.soil.basis != "air" and case.soil.gap_reason != "gap":
        out.add("soil_now")
    if crop.seed_light != "light" or batch.set_up == "towel" or batch.depth_mm is not None or batch.covered_with == "none":
        out.add("cover_of_seed")
    if crop.pretreatment in ("", "none") or batch.pretreatment is not None:
        out.add("seed_was_treated")
    if batch.set_up == "towel":
        out |= {"seed_depth", "mix_top", "mix_feel", "wet_top"}
    if not np.isnan(case.moisture_pct[-1]):
        out.add("mix_feel")
    if any("packed" in i.name or i.name == "age" for i in case.seed.working.inputs) and not case.seed.working.notes:
        out.add("seed_year")
    return frozenset(out)
