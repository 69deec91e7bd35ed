"""Wants, seed box and sowings as CSV: one reader judges a list and a journal alike."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.crops import shipped
from fennet.journal.lists_csv import read_list
from fennet.journal.minima import is_minima_csv
from fennet.journal.reader import read_journal
from fennet.journal.rejected import FormatError


class Lists(unittest.TestCase):
    def test_separators_marks_and_commas(self) -> None:
        for text in (
            "crop,plants,confidence\nleek,40,0.95\n", "\ufeffcrop;plants;confidence\r\nleek;40;0,95\r\n", "Crop\tPlants\tConfidence\nLeek\t40\t95\n",
        ):  # fmt: skip
            read = read_list(text, shipped())
            self.assertEqual((read.section, read.entries), ("wants", [{"crop": "leek", "plants": 40, "confidence": 0.95}]))

    def test_a_packet_with_its_test_and_a_sowing_with_its_cells(self) -> None:
        text = "crop,variety,packed,rate,treated,tested_on,tested,germinated,colour\nBok choy,Towpath,2025,85%,yes,2026-01-04,20,17,green\n"
        packet = read_list(text, shipped())
        self.assertEqual(packet.unknown, ["colour"])
        (entry,) = packet.entries
        self.assertEqual((entry["id"], entry["rate"], entry["treated"]), ("pak-choi-towpath-2025", 0.85, True))
        self.assertEqual(entry["tests"], [{"on": "2026-01-04", "sown": 20, "germinated": 17}])
        sowing = read_list("crop,sown_at,cell_list\nleek,2026-02-03T10:00,r1c1 r1c2\n", shipped())
        self.assertEqual(sowing.entries[0]["cell_list"], ["r1c1", "r1c2"])
        self.assertEqual(read_journal({"batches": sowing.entries}).journal.batches[0].n_cells, 2)

    def test_two_alike_are_told_apart_and_a_bad_row_by_its_line(self) -> None:
        read = read_list("crop,packed\nleek,2025\nleek,2025\n\nnonsense,2025\nleek,old\n", shipped())
        self.assertEqual([e["id"] for e in read.entries], ["leek-2025", "leek-2025-2"])
        self.assertEqual([str(a).split(":")[0] for a in read.rejected], ["line 5.crop", "line 6.packed"])
        self.assertEqual(read.where("seed_lots[1]"), "line 3")
        self.assertEqual(read.where("elsewhere"), "elsewhere")

    def test_counts_and_waterings_of_years_become_events_each_called_by_what_it_says(self) -> None:
        counts = read_list(
            "batch;at;cells_up\nleek-1;2026-02-10;3\nleek-1;2026-02-11T08:30;7\nleek-1;2026-02-12;many\n", shipped()
        )
        self.assertEqual((counts.section, [(e["kind"], e["at"], e["cells_up"]) for e in counts.entries]),
                         ("events", [("count", "2026-02-10T12:00", 3), ("count", "2026-02-11T08:30", 7)]))  # fmt: skip
        self.assertEqual([(r.where, r.field) for r in counts.rejected], [("line 4", "cells_up")])
        water = read_list("at,tray,ml,how,mood\n2026-02-10,A,250,below,fine\n2026-02-11,A,100,,\n", shipped())
        self.assertEqual(
            [(e["kind"], e["how"], e["ml"]) for e in water.entries], [("watered", "below", 250), ("watered", "above", 100)]
        )
        self.assertEqual(water.unknown, ["mood"])
        again = read_list("how,ml,tray,at\nbelow,250,A,2026-02-10\n", shipped())
        self.assertEqual(again.entries[0]["id"], water.entries[0]["id"], "the same deed, however its columns stand")

    def test_what_is_no_list_is_refused(self) -> None:
        for text in ("", "crop\nleek\n", "a,b\n1,2\n", "at,place,quantity,value,unit\n"):
            with self.assertRaises(FormatError):
                read_list(text, shipped())
        self.assertTrue(is_minima_csv(["Date", "Min_C"]))
        self.assertFalse(is_minima_csv(["at", "quantity", "value"]), "those are readings")

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.tuples(st.text(max_size=12), st.text(max_size=8), st.text(max_size=12)), max_size=6))
    def test_rubbish_is_set_aside_and_never_breaks(self, rows: list[tuple[str, str, str]]) -> None:
        def cell(text: str) -> str:
            return '"' + text.replace('"', '""').replace("\x00", "") + '"'

        text = "crop,plants,out_by\n" + "\n".join(",".join(cell(c) for c in row) for row in [*rows, ("leek", "4", "2026-05-05")])
        try:
            read = read_list(text, shipped())
        except FormatError:
            return
        taken = read_journal({"wants": read.entries})
        self.assertIn("leek", [w.crop for w in taken.journal.wants])
