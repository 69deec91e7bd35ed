"""Orders that do not contradict: over all complaints of a batch, and within one."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.diagnosis.finding import ArguedCause, Finding, Remedy, SignsFigures
from fennet.core.diagnosis.findings import findings
from fennet.core.diagnosis.together import CONTRARY, chosen_together
from fennet.core.records import Batch, SeedLot
from fennet.crops import shipped
from fennet.crops.complaints import shipped_complaints
from tests.building import counts, on, record, soil

BATCH = Batch(id="b", crop="leek", cells=4, sown_at=datetime(2026, 2, 3, tzinfo=UTC))
DEEDS = sorted({deed for pair in CONTRARY for side in pair for deed in side})


def finding(present: float, *deeds: tuple[str, float], state: str = "told") -> Finding:
    causes = tuple(ArguedCause(f"cause of {deed}", share, 0.0) for deed, share in deeds)
    remedies = tuple(Remedy(deed, f"cause of {deed}") for deed, _ in deeds)
    return Finding(BATCH, "other", state, present, causes, None, remedies, 0.0, SignsFigures(()))


class Together(unittest.TestCase):
    @given(
        st.lists(
            st.tuples(st.floats(0.5, 1), st.lists(st.tuples(st.sampled_from(DEEDS), st.floats(0.1, 1)), max_size=4)), max_size=4
        )
    )
    def test_no_order_stands_beside_its_contrary_and_the_weightiest_stands(self, drawn) -> None:  # type: ignore[no-untyped-def]
        found = [finding(present, *deeds) for present, deeds in drawn]
        told = [r.action for f in chosen_together(found) for r in f.remedies]
        for one, other in CONTRARY:
            self.assertFalse(one & set(told) and other & set(told), told)
        self.assertEqual(len(told), len(set(told)), "nothing is said twice")
        self.assertEqual(bool(told), any(f.remedies for f in found), "something always stands")

    def test_the_surer_complaint_has_the_word(self) -> None:
        dry, wet = finding(0.9, ("water_now", 0.8)), finding(0.6, ("let_dry_out", 0.5), ("lighter_mix", 0.5))
        told = [[r.action for r in f.remedies] for f in chosen_together([dry, wet])]
        self.assertEqual(told, [["water_now"], ["lighter_mix"]])

    def test_an_outbreak_goes_before_all(self) -> None:
        told = chosen_together([finding(0.99, ("water_now", 1.0)), finding(0.6, ("let_top_dry", 0.1), state="fallen")])
        self.assertEqual([r.action for f in told for r in f.remedies], ["let_top_dry"])


class Within(unittest.TestCase):
    def deeds(self, soil_c: float, packed: int | None = None) -> set[str]:
        lot = SeedLot(id="s", crop="leek", packed=packed) if packed else None
        j = record([soil(soil_c, 30)], counts((29, 0)), lot, crop="leek", seed_lot="s")
        found = findings(j, {"leek": shipped().get("leek")}, shipped_complaints(), j.batches[0], on(30).timestamp())
        return {r.action for f in found for r in f.remedies}

    def test_soil_that_is_as_it_should_be_is_neither_warmed_nor_cooled(self) -> None:
        self.assertFalse({"warm_soil", "cool_soil"} & self.deeds(18.5))
        self.assertIn("warm_soil", self.deeds(8.0))

    def test_nobody_sows_more_of_what_the_seed_box_gives_up(self) -> None:
        dead = self.deeds(18.5, packed=2010)
        self.assertIn("sow_other_seed", dead)
        self.assertFalse({"sow_more", "test_packet"} & dead)
        self.assertNotIn("sow_other_seed", self.deeds(18.5, packed=2025))
