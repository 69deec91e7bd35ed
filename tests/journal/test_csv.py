"""Readings as CSV: separators, decimal commas, and what is wrong with the rest."""

from __future__ import annotations

import unittest
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.journal.readings import Collector, Known, Taken
from fennet.journal.readings_csv import decode, open_table, read_own
from fennet.journal.rejected import FormatError

ZONE = ZoneInfo("Europe/Tallinn")


def own(text: str, place: str | None = None, latest_s: float | None = None) -> Taken:
    collector = Collector(Known({"A": "tray", "lamp-1": "lamp"}), ZONE, latest_s)
    read_own(open_table(text), collector, place)
    return collector.close()


class OwnColumns(unittest.TestCase):
    def test_separators_and_decimal_commas(self) -> None:
        for text in (
            "at,place,quantity,value,unit,source\n2026-02-03T21:00:00+02:00,A,soil_temperature,21.4,degC,p\n",
            "\ufeffat;place;quantity;value;unit;source\n2026-02-03T21:00:00+02:00;A;soil_temperature;21,4;degC;p\n",
            "At\tPlace\tQuantity\tValue\tUnit\tSource\r\n2026-02-03 21:00:00\tA\tsoil_temperature\t21,4\tdegC\tp\r\n",
        ):
            taken = own(text)
            self.assertEqual([str(a) for a in taken.rejected], [])
            self.assertEqual((taken.groups[0].value.tolist(), taken.groups[0].key.source), ([21.4], "p"))

    def test_spots_and_a_place_left_out(self) -> None:
        taken = own("at,quantity,value,unit,x_mm,under\n2026-02-03T21:00:00Z,light,5400,lux,120,daylight\n", place="A")
        key = taken.groups[0].key
        self.assertEqual((key.place, key.x_mm, key.under, taken.groups[0].canonical.tolist()), ("A", 120.0, "daylight", [100.0]))

    def test_bad_rows_are_told_by_line_and_the_good_ones_kept(self) -> None:
        taken = own(
            "at,place,quantity,value,unit,source\n"
            "2026-02-03T21:00:00Z,A,soil_temperature,64.4,degF,\n"
            "2026-03-29T03:30:00,A,soil_temperature,18,degC,\n"
            "2026-02-03T21:00:00Z,A,soil_temperature,70,degF,\n"
            "2026-02-03T21:05:00Z,B,soil_temperature,18,degC,\n"
            "2026-02-03T21:10:00Z,A,soil_temperature,900,degC,\n"
            "2026-02-03T21:15:00Z,A,soil_temperature\n"
        )
        self.assertEqual(taken.n, 1)
        self.assertAlmostEqual(float(taken.groups[0].canonical[0]), 18.0)
        self.assertEqual(sorted(a.where for a in taken.rejected), [f"line {n}" for n in (3, 4, 5, 6, 7)])

    def test_the_future_is_set_aside(self) -> None:
        taken = own("at,place,quantity,value,unit\n2026-02-03T21:00:00Z,A,soil_temperature,18,degC\n", latest_s=0.0)
        self.assertIn("future", taken.rejected[0].reason)

    def test_files_that_are_none(self) -> None:
        for data, said in (
            (b"", "empty"),
            (b"\n\n", "empty"),
            (b"\x89PNG\r\n\x1a\n\x00\x00", "binary"),
            (b"at;value\n\xe4", "UTF-8"),
            (b"hello\nworld", "one column"),
        ):
            with self.assertRaises(FormatError) as caught:
                open_table(decode(data))
            self.assertIn(said, str(caught.exception))

    @given(st.text(max_size=200))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        try:
            taken = own("at,place,quantity,value,unit,source\n" + text)
        except FormatError:
            return
        self.assertEqual(taken.n, 0)
