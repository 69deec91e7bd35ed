"""What each trace of a record says of the cause behind a sign: with it the cause gains, with its opposite it loses."""

from __future__ import annotations

import unittest
from dataclasses import dataclass, field, replace
from typing import Any

from fennet.core.diagnosis.finding import Finding
from fennet.core.diagnosis.findings import findings
from fennet.core.records import Event, Garden, Journal, Lamp, Mix, Place, Series, Tray
from fennet.crops import shipped
from fennet.crops.complaints import shipped_complaints
from tests.building import event, on, record, soil

UP, NOW = 8.0, 30.0


@dataclass(frozen=True)
class Trace:
    """Events, series and what else makes a record speak for a cause, and what makes it speak against it."""

    cause: str
    sign: str
    pro: list[Any] = field(default_factory=list)
    con: list[Any] = field(default_factory=list)
    crop: str = "tomato"
    pro_batch: dict[str, Any] = field(default_factory=dict)
    pro_tray: dict[str, Any] = field(default_factory=dict)


def wet(pct: float, days: float = NOW) -> Series:
    """A moisture probe's record that stays where it is."""
    return soil(pct, days, every_h=6.0, quantity="moisture")


def fed(day: float, mg: float) -> Event:
    return event("fed", day, id=f"fed{day}", tray="A", n_mg_per_l=mg)


def lamp(height_mm: float, ppfd: float) -> list[Any]:
    """A lamp over the tray at a height, and what was read at the leaves under it."""
    return [
        event("lamp", UP, id="lamp", lamp="l", height_mm=height_mm, on="06:00", off="20:00"),
        event("height", 20, id="tall", batch="b1", mm=40.0, true_leaves=2),
        soil(ppfd, 20.1, quantity="light", first_day=20.0, every_h=24.0),
    ]


def looked(says: str) -> Event:
    """What a look for flowers and fruit found."""
    return event("check", NOW - 0.05, id="look", batch="b1", what="first_fruit", result=says)


TRACES = (
    Trace("hungry", "yellow_lower", con=[fed(27, 50)]),
    Trace("hungry", "yellow_lower", con=[event("potted_up", 26, batch="b1", tray="A")]),
    Trace("overfed", "brown_edges", pro=[fed(28, 400)], con=[fed(28, 50)]),
    Trace("overfed", "brown_edges", pro=[fed(28, 3000)], con=[fed(28, 100)]),
    Trace("cold_roots", "purple_under", pro=[soil(12.0, NOW)], con=[soil(22.0, NOW)]),
    Trace("chilled", "stalled", pro=[soil(22.0, 28.5), soil(4.0, NOW, first_day=28.6)], con=[soil(22.0, NOW)]),
    Trace("overwatered", "wilt_wet", pro=[wet(96.0)], con=[wet(60.0)]),
    Trace("overwatered", "wilt_wet", pro=[event("watered", 22.5 + d, id=f"w{d}", tray="A", how="below") for d in range(7)]),
    Trace("airless_mix", "yellow_lower", pro=[wet(96.0)], con=[wet(60.0)]),
    Trace("thirsty", "wilt_dry", pro=[wet(22.0)], con=[wet(70.0)]),
    Trace("too_much_light", "cupped", pro=lamp(300.0, 900.0), con=lamp(300.0, 200.0)),
    Trace("lamp_too_near", "bleached", pro=lamp(115.0, 300.0), con=lamp(400.0, 300.0)),
    Trace("root_bound", "roots_circling", pro_tray={"cell_ml": 15.0}, con=[event("potted_up", 27, batch="b1", tray="A")]),
    Trace("sun_scald", "bleached", pro=[event("outing", 29, batch="b1", hours=5.0)], con=[]),
    Trace("wind_burn", "brown_edges", pro=[event("outing", 29, batch="b1", hours=5.0, shade_share=1.0)], con=[]),
    Trace("bolting", "stalled", pro=[soil(17.0, NOW, quantity="photoperiod", every_h=24.0, first_day=22.0)],
          con=[soil(12.0, NOW, quantity="photoperiod", every_h=24.0, first_day=22.0)], crop="pak_choi"),
    Trace("bolting", "early_stalk", crop="cauliflower", pro=[soil(31.0, NOW)]),
    Trace("early_fruit", "stalled", pro=[looked("fruit")], con=[looked("none")]),
    Trace("early_fruit", "stalled", con=[looked("dropped")]),
    Trace("flower_drop", "stalled", pro=[looked("dropped")], con=[looked("none")]),
    Trace("flower_drop", "stalled", pro=[soil(35.0, NOW, quantity="air_temperature")],
          con=[soil(20.0, NOW, quantity="air_temperature")]),
    Trace("by_nature", "purple_under", crop="shiso"),
)  # fmt: skip


def journal_of(sign: str, parts: list[Any], crop: str, tray: dict[str, Any] | None = None, **batch: Any) -> Journal:
    """A batch counted up at day 8 that shows a sign at day 30, with some events and series beside."""
    events = [e for e in parts if isinstance(e, Event)]
    base = [
        event("placed", 0, id="placed", tray="A", place="p"), event("count", UP, batch="b1", cells_up=12),
        event("sign", NOW - 0.1, batch="b1", sign=sign),
    ]  # fmt: skip
    made = record([s for s in parts if isinstance(s, Series)], sorted([*base, *events], key=lambda e: e.at), crop=crop, **batch)
    return Journal(
        garden=Garden(timezone="UTC"), batches=made.batches, series=made.series, events=made.events,
        places=[Place(id="p", kind="shelf", width_mm=1000.0, depth_mm=400.0)],
        lamps=[Lamp(id="l", place="p", kind="white_led", min_distance_mm=60.0)],
        trays=[Tray(id="A", kind="cells", rows=3, columns=4, height_mm=60.0, **(tray or {}))],
    )  # fmt: skip


def told(journal: Journal) -> Finding:
    batch = journal.batches[0]
    every = findings(journal, {batch.crop: shipped().get(batch.crop)}, shipped_complaints(), batch, on(NOW).timestamp())
    return next(f for f in every if f.complaint == "other")


def share(f: Finding, cause: str) -> float:
    return next((c.share for c in f.causes if c.cause == cause), 0.0)


class EachTrace(unittest.TestCase):
    def test_speaks_for_its_cause_and_its_opposite_against_it(self) -> None:
        for t in TRACES:
            with self.subTest(t.cause, sign=t.sign):
                base = told(journal_of(t.sign, [], t.crop))
                pro = told(journal_of(t.sign, t.pro, t.crop, t.pro_tray, **t.pro_batch))
                con = told(journal_of(t.sign, t.con, t.crop))
                if t.pro or t.pro_tray or t.pro_batch:
                    self.assertGreater(share(pro, t.cause), share(base, t.cause))
                if t.con:
                    self.assertLess(share(con, t.cause), share(pro, t.cause))
                # Fed at all, even mildly, it may sooner be overfed than never fed.
                if t.con and t.cause != "overfed":
                    self.assertLessEqual(share(con, t.cause), share(base, t.cause))

    def test_what_speaks_is_told_beside_the_cause(self) -> None:
        burnt = told(journal_of("brown_edges", [fed(28, 400)], "tomato"))
        cause = next(c for c in burnt.causes if c.cause == "overfed")
        self.assertIn("fed_strong", [e.key for e in cause.speaks_for])
        mild = told(journal_of("brown_edges", [fed(28, 50)], "tomato"))
        self.assertIn("fed_mild", [e.key for e in next(c for c in mild.causes if c.cause == "overfed").speaks_against])

    def test_rich_mix_feeds_longer(self) -> None:
        poor, rich = (told(journal_of("yellow_lower", [], "tomato", mix=Mix(fed=f))) for f in (False, True))
        self.assertGreater(share(poor, "hungry"), share(rich, "hungry"))

    def test_shares_are_a_probability_and_nothing_is_certain(self) -> None:
        for t in TRACES:
            f = told(journal_of(t.sign, t.pro, t.crop, t.pro_tray, **t.pro_batch))
            self.assertAlmostEqual(sum(c.share for c in f.causes), 1.0, places=6)
            self.assertTrue(all(0.0 <= c.share < 1.0 for c in f.causes), t.cause)
            self.assertTrue(0.0 < f.present < 1.0)

    def test_film_alone_is_no_illness_and_wet_mix_beside_it_is_worth_a_word(self) -> None:
        film = told(journal_of("green_film", [], "tomato"))
        self.assertLess(film.present, 0.5)
        self.assertGreater(told(journal_of("green_film", [wet(97.0)], "tomato")).present, film.present)

    def test_what_the_record_lacks_is_asked_and_not_held_against(self) -> None:
        f = told(journal_of("wilt_dry", [], "tomato"))
        self.assertIn("moisture", next(c for c in f.causes if c.cause == "thirsty").missing)
        self.assertIsNotNone(f.next_check)
        known = told(journal_of("wilt_dry", [wet(70.0)], "tomato"))
        self.assertNotIn("moisture", next(c for c in known.causes if c.cause == "thirsty").missing)


class HeatOfTheDay(unittest.TestCase):
    """Leaves that hang over moist mix at noon on a sill are left alone; in the morning, or over wet mix, they are not."""

    def seen(self, zone: str, moisture_pct: float = 65.0, place: str = "sill") -> Finding:
        made = journal_of("wilt_wet", [wet(moisture_pct)], "cucumber")
        there = [Place(id="p", kind=place, width_mm=1000.0, depth_mm=400.0)]
        return told(replace(made, garden=Garden(timezone=zone), places=there, lamps=[]))

    def test_at_noon_on_a_sill_it_is_nothing_and_is_looked_at_again_at_dusk(self) -> None:
        noon = self.seen("Asia/Tokyo")
        self.assertEqual(noon.state, "midday_wilt")
        self.assertLess(noon.present, 0.5)
        self.assertEqual([r.action for r in noon.remedies], ["look_at_dusk"])

    def test_in_the_morning_or_over_wet_mix_it_is_the_roots(self) -> None:
        for zone, moisture_pct in (("UTC", 65.0), ("Asia/Tokyo", 98.0)):
            with self.subTest(zone=zone, moisture_pct=moisture_pct):
                f = self.seen(zone, moisture_pct)
                self.assertGreaterEqual(f.present, 0.5)
                self.assertNotIn("look_at_dusk", [r.action for r in f.remedies])
