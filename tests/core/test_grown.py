"""Why seedlings stretch, fall or look odd: cases with a known cause, drawn ones, and what each trace is worth."""

from __future__ import annotations

import copy
import json
import unittest
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.cli.journal_file import moment_of
from fennet.cli.score_grown import score_half, score_warnings
from fennet.core.damping_off import FACTOR, PYTHIUM, index_of, pathogen_ratio, relative_rate, risk_days
from fennet.core.diagnosis.finding import Finding
from fennet.core.diagnosis.findings import findings
from fennet.core.emerged import half_up_s
from fennet.core.exposure import soil_record
from fennet.core.growth import Growth
from fennet.core.history import effective_events
from fennet.core.kinds import SIGNS
from fennet.core.records import Journal, Mix, Place, Tray
from fennet.core.stretch import stretch_of, thermal_age
from fennet.crops import shipped
from fennet.crops.complaints import shipped_complaints
from fennet.journal.reader import read_journal
from tests.building import DAY_S, asked, event, on, record, soil

CASES = Path(__file__).parent.parent / "cases"
Entries = dict[str, Any]


def opened(name: str) -> Entries:
    case: Entries = json.loads((CASES / f"grow_{name}.json").read_text(encoding="utf-8"))
    return case


def told(case: Entries) -> dict[str, Finding]:
    read = read_journal(case)
    journal = read.with_series()
    crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
    batch = next(b for b in journal.batches if b.id == case["truth"]["batch"])
    every = findings(journal, crops, shipped_complaints(), batch, moment_of(read, case["truth"]["at"]))
    return {f.complaint: f for f in every}


def without(case: Entries, **kinds: tuple[str, ...]) -> Entries:
    """A case with some kinds of event or quantities of reading taken out."""
    out = copy.deepcopy(case)
    out["events"] = [e for e in out["events"] if e["kind"] not in kinds.get("events", ())]
    out["readings"] = [r for r in out["readings"] if r["quantity"] not in kinds.get("readings", ())]
    return out


def argued(journal: Journal, day: float) -> list[Finding]:
    batch = journal.batches[0]
    return findings(journal, {batch.crop: shipped().get(batch.crop)}, shipped_complaints(), batch, on(day).timestamp())


def share(f: Finding, cause: str) -> float:
    return next((c.share for c in f.causes if c.cause == cause), 0.0)


class Timer(unittest.TestCase):
    """A lamp that hung over them and did not burn is told from one that is weak."""

    def finding(self, off_days: float) -> Finding:
        case = opened("leggy_perfect_light")
        lamp = next(e for e in case["events"] if e["kind"] == "lamp")
        up = datetime.fromisoformat(next(e["at"] for e in case["events"] if e["kind"] == "count"))
        off = up + timedelta(days=2)
        on_again = {**lamp, "id": "on-again", "at": (off + timedelta(days=off_days)).isoformat()}
        case["events"] += [{"id": "off", "kind": "lamp", "lamp": lamp["lamp"], "periods": [], "at": off.isoformat()}, on_again]
        return told(case)["leggy"]

    def test_days_on_which_it_failed_are_short_hours_and_the_timer_is_looked_at(self) -> None:
        f = self.finding(6.0)
        self.assertEqual(f.causes[0].cause, "short_hours")
        self.assertIn("lamp_did_not_burn", [e.key for e in f.causes[0].speaks_for])
        self.assertEqual(f.remedies[0].action, "see_timer")

    def test_without_such_days_nothing_speaks_of_the_timer(self) -> None:
        f = self.finding(0.0)
        self.assertLess(share(f, "short_hours"), 0.1)
        self.assertNotIn("see_timer", [r.action for r in f.remedies])


class Uncounted(unittest.TestCase):
    """Plants that were measured or seen to ail have come up, whether somebody counted them or not."""

    def seen(self, **sign: Any) -> Journal:
        return record([soil(22.0, 26)], [event("sign", 24, **sign)], crop="tomato", cells=24)

    def test_what_is_seen_on_plants_is_never_told_as_nothing_up(self) -> None:
        journal = self.seen(batch="b1", sign="long_thin")
        every = {f.complaint: f for f in argued(journal, 26)}
        self.assertEqual(every["slow_germination"].state, "cannot_tell")
        self.assertLess(every["slow_germination"].present, 0.5)
        self.assertGreater(every["leggy"].present, 0.5)
        self.assertEqual((asked(journal, 26).verdict, asked(journal, 26).reason), ("cannot_tell", "not_counted"))

    def test_what_needs_no_plant_and_what_was_counted_leave_it_slow(self) -> None:
        film = self.seen(batch="b1", sign="green_film")
        none_up = replace(film, events=[event("count", 23, batch="b1", cells_up=0), event("sign", 24, tray="A", sign="leaning")])
        for journal in (film, none_up):
            self.assertEqual(argued(journal, 26)[0].state, "slow")

    @given(st.floats(16.0, 28.0), st.integers(9, 40))
    @settings(max_examples=20, deadline=None)
    def test_they_came_up_by_their_soil_and_before_they_were_seen(self, soil_c: float, day: int) -> None:
        journal = record([soil(soil_c, day)], [event("height", day, batch="b1", mm=30)], crop="tomato")
        batch, crop = journal.batches[0], shipped().get("tomato")
        up_s = half_up_s(crop, batch, journal.events, soil_record(journal, batch, journal.events, on(day).timestamp()))
        assert up_s is not None
        wait_d = crop.response.days_to_half(soil_c)
        self.assertLessEqual(up_s, on(day - 1).timestamp())
        self.assertAlmostEqual((up_s - on(0).timestamp()) / DAY_S, min(wait_d or 99.0, day - 1.0), delta=0.1)


class WarnedEarly(unittest.TestCase):
    def test_before_they_are_up_the_cover_stays_and_seed_is_not_dried(self) -> None:
        wet = [soil(96.0, 4, quantity="moisture", every_h=12), soil(22.0, 4)]
        covered = [event("cover", 0.1, tray="A", on=True), event("placed", 0.0, tray="A", place="p")]
        journal = record(wet, sorted(covered, key=lambda e: e.at), crop="tomato")
        journal = replace(journal, trays=[Tray(id="A")], places=[Place(id="p")])
        f = next(f for f in argued(journal, 4) if f.complaint == "damping_off")
        self.assertEqual(f.state, "warned")
        actions = [r.action for r in f.remedies]
        self.assertEqual(actions[:2], ["seed_not_wet", "cover_when_up"])
        self.assertFalse({"cover_off", "let_top_dry", "thin_out"} & set(actions))
        up = replace(journal, events=[*journal.events, event("count", 3.5, batch="b1", cells_up=8)])
        after = [r.action for f in argued(up, 4) if f.complaint == "damping_off" for r in f.remedies]
        self.assertIn("let_top_dry", after)
        self.assertNotIn("seed_not_wet", after)


class Cases(unittest.TestCase):
    def test_every_case_names_its_cause(self) -> None:
        files = sorted(CASES.glob("grow_*.json"))
        self.assertGreaterEqual(len(files), 45)
        for file in files:
            case = json.loads(file.read_text(encoding="utf-8"))
            with self.subTest(file.stem):
                self.assertLess(file.stat().st_size, 50_000)
                found, truth = told(case), case["truth"]
                for f in found.values():
                    self.assertAlmostEqual(sum(c.share for c in f.causes), 1.0)
                if truth["complaint"] is None:
                    self.assertEqual([c for c, f in found.items() if f.present >= 0.5], [])
                    continue
                f = found[truth["complaint"]]
                self.assertGreaterEqual(f.present, 0.5)
                self.assertEqual(f.causes[0].cause, truth["cause"])
                self.assertTrue(f.remedies, "a fault without anything to do about it")

    def test_drawn_trays_of_the_half_held_back(self) -> None:
        # A small draw: the whole score stands in docs/models.md. A third of the aim's distance is left to luck.
        s = score_half(40, held=True)
        self.assertGreaterEqual(s.share(s.first), 0.76)
        self.assertGreaterEqual(s.share(s.second), 0.88)
        self.assertGreaterEqual(s.alone, 0.85 * s.well)
        self.assertGreater(s.share(s.first), s.share(s.always) + 0.4)

    def test_warnings_come_before_the_fall_and_seldom_without_one(self) -> None:
        w = score_warnings(16, held=True)
        self.assertGreaterEqual(w.early / w.outbreaks, 0.6)
        self.assertLessEqual(w.warned / w.weeks, 0.2)


class Traces(unittest.TestCase):
    """Taking any one trace out of a record can change the answer."""

    def test_a_lamps_height_tells_too_far_from_too_weak(self) -> None:
        case = opened("leggy_lamp_high")
        self.assertGreater(share(told(case)["leggy"], "lamp_too_far"), 0.7)
        blind = copy.deepcopy(case)
        for e in blind["events"]:
            e.pop("height_mm", None)
        f = told(blind)["leggy"]
        self.assertLess(share(f, "lamp_too_far"), 0.7)
        assert f.next_check is not None
        self.assertEqual(f.next_check.witness, "lamp_gap")

    def test_a_ruler_settles_whether_it_is_there(self) -> None:
        case = opened("leggy_weak_lamp")
        self.assertGreater(told(case)["leggy"].present, 0.95)
        unseen = without(case, events=("height", "sign"))
        self.assertLessEqual(told(unseen)["leggy"].present, 0.6)
        assert told(unseen)["leggy"].next_check is not None

    def test_heights_that_shrink_are_told(self) -> None:
        case = opened("leggy_weak_lamp")
        case["events"].append({"at": case["truth"]["at"], "kind": "height", "batch": "b1", "mm": 60})
        f = told(case)["leggy"]
        self.assertEqual(getattr(f.figures, "shrunk_mm", None), (125.0, 60.0))

    def test_a_sound_base_is_no_disease(self) -> None:
        found = told(opened("damp_well_sound_base"))
        self.assertNotEqual(found.get("damping_off") and found["damping_off"].state, "fallen")

    def test_the_pinched_base_alone_makes_the_case(self) -> None:
        case = opened("damp_no_air")
        self.assertEqual(told(case)["damping_off"].state, "fallen")
        calm = told(without(case, events=("sign", "check"))).get("damping_off")
        self.assertTrue(calm is None or calm.present < 0.5)

    def test_feed_in_the_record_changes_yellow_leaves(self) -> None:
        case = opened("sign_hungry")
        self.assertGreater(share(told(case)["other"], "hungry"), 0.6)
        case["events"].append({"at": case["truth"]["at"][:8] + "25T08:00:00+01:00", "kind": "fed", "tray": "T", "n_mg_per_l": 60})
        fed = share(told(case)["other"], "hungry")
        self.assertLess(fed, 0.6)

    def test_purple_by_nature_asks_the_packet_where_it_may_be(self) -> None:
        case = opened("sign_purple_shiso")
        case["events"] = [e for e in case["events"] if e["kind"] != "check"]
        f = told(case)["other"]
        self.assertIn("packet_says", [c.witness for c in f.checks])

    def test_nothing_seen_is_nothing_said(self) -> None:
        quiet = told(without(opened("sign_cold_feet"), events=("sign",)))
        self.assertNotIn("other", quiet)

    def test_the_first_hour_comes_first(self) -> None:
        f = told(opened("damp_wet_top"))["damping_off"]
        self.assertEqual([r.action for r in f.remedies[:2]], ["remove_fallen", "keep_apart"])
        asked = moment_of(read_journal(opened("damp_wet_top")), opened("damp_wet_top")["truth"]["at"])
        self.assertLess((f.remedies[0].by_s or 0) - asked, 2 * 3600)

    def test_stem_rooting_kinds_are_buried_and_others_sown_again_while_there_is_time(self) -> None:
        actions = [r.action for r in told(opened("leggy_weak_lamp"))["leggy"].remedies]
        self.assertIn("bury_stem", actions)
        other = {r.action: r for r in told(opened("leggy_short_days"))["leggy"].remedies}
        self.assertIn("resow", other)
        late = opened("leggy_short_days")
        late["wants"] = [{"crop": "pak_choi", "plants": 8, "out_by": "2026-03-10"}]
        self.assertIn("resow_too_late", [r.action for r in told(late)["leggy"].remedies])

    def test_every_sign_leads_to_a_cause_or_a_question(self) -> None:
        heard = {s for c in shipped_complaints().values() for w in c.witnesses.values() for s in w.signs}
        # What is not up is counted, and the count is the slow complaint's own evidence.
        self.assertEqual(set(SIGNS) - heard, {"nothing_up", "patchy"})
        some = {f.complaint: f for f in argued(record([], [event("sign", 12, batch="b1", sign="patchy")], crop="tomato"), 13)}
        self.assertEqual(
            (some["slow_germination"].state, getattr(some["slow_germination"].figures, "uncounted", None)), ("cannot_tell", True)
        )


class Stretch(unittest.TestCase):
    def test_a_worked_example(self) -> None:
        # Cabbage 45 mm twelve days after coming up at its growing band: one and a half times the 30 expected.
        crop = shipped().get("cabbage")
        journal = record([soil(crop.planting.grow_base_c + 9.5, 30)], crop="cabbage")
        events = [event("count", 6, batch="b1", cells_up=12), event("height", 18, batch="b1", mm=45.0)]
        age = thermal_age(journal, crop, journal.batches[0], events, on(18.2).timestamp())
        found = stretch_of(crop, age)
        assert found is not None
        self.assertAlmostEqual(found.ratio, 45 / float(crop.growth.height_mm(found.age_d)))
        self.assertEqual(found.words, "leggy" if found.ratio >= 1.5 else "watch")

    @given(st.floats(0, 60), st.floats(0, 60))
    def test_seedlings_never_shrink_by_the_curve(self, a: float, b: float) -> None:
        g = Growth(30.0)
        low, high = sorted((a, b))
        self.assertLessEqual(float(g.height_mm(low)), float(g.height_mm(high)) + 1e-9)

    @given(st.floats(1, 200))
    def test_the_age_for_a_height_is_the_curves_way_back(self, mm: float) -> None:
        g = Growth(30.0)
        self.assertAlmostEqual(float(g.height_mm(g.age_for(mm))), min(mm, float(g.height_mm(60.0))), delta=0.5)


class Risk(unittest.TestCase):
    def journal(self, **batch: Any) -> Journal:
        return record([soil(20.0, 20)], crop="snapdragon", **batch)

    def index(self, *events: Any, day: float = 14.0, **batch: Any) -> float:
        journal = self.journal(**batch)
        every = [event("count", 8, batch="b1", cells_up=12), *events]
        at_s = on(day).timestamp()
        return risk_days(journal, shipped().get("snapdragon"), journal.batches[0], effective_events(every, at_s), at_s).now

    @given(st.floats(0.01, 5000), st.floats(1.0, 9.0))
    def test_the_index_rises_with_every_factor_and_stays_in_its_hundred(self, product: float, factor: float) -> None:
        self.assertLessEqual(float(index_of(product)), float(index_of(product * factor)) + 1e-9)
        self.assertTrue(0 <= float(index_of(product)) < 100)

    @given(st.floats(5, 36))
    @settings(max_examples=30)
    def test_host_and_pathogen_share_out_between_nought_and_one(self, warm: float) -> None:
        p = float(pathogen_ratio(shipped().get("tomato"), warm))
        self.assertTrue(0 <= p <= 1)
        self.assertTrue(0 <= float(relative_rate(np.array([warm]), PYTHIUM)[0]) <= 1)

    def test_an_empty_record_is_not_warned_of_for_what_is_only_supposed(self) -> None:
        def warned(*events: Any) -> bool:
            journal, at_s = self.journal(), on(6).timestamp()
            risk = risk_days(journal, shipped().get("snapdragon"), journal.batches[0], effective_events(events, at_s), at_s)
            self.assertGreater(risk.now, 30.0, "the index itself is told with what is supposed")
            return risk.warns(at_s)

        self.assertFalse(warned())
        self.assertTrue(warned(*(event("watered", d, id=f"w{d}", tray="A", how="above") for d in range(1, 6))))

    def test_each_condition_raises_it_and_time_lowers_it(self) -> None:
        off = event("cover", 9, tray="A", on=False)
        well = self.index(event("cover", 0, tray="A", on=True), off, mix=Mix(clean=True))
        covered = self.index(event("cover", 0, tray="A", on=True), event("cover", 13.9, tray="A", on=True), mix=Mix(clean=True))
        soiled = self.index(event("cover", 9, tray="A", on=False), mix=Mix(kind="garden_soil"))
        above = self.index(
            event("cover", 9, tray="A", on=False), event("watered", 13, tray="A", how="above"), mix=Mix(clean=True)
        )
        self.assertLess(well, min(covered, soiled, above))
        self.assertGreater(soiled, self.index(event("cover", 9, tray="A", on=False), day=25.0, mix=Mix(kind="garden_soil")))
        self.assertEqual(
            set(FACTOR) - {"case_here", "case_near"}, set(shipped_complaints()["damping_off"].causes) - {"unexplained"}
        )
