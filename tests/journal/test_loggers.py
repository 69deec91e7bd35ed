"""Loggers' files as they come: each is read right by the guess, or with one correction."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.journal.logger_csv import FORMS, LoggerMapping, Use, guess, letters_of, open_any, open_logger, read_logger
from fennet.journal.readings import Collector, Known, Taken
from fennet.journal.rejected import FormatError

ZONE = ZoneInfo("Europe/Amsterdam")
KNOWN = {"A": "A", "B": "B", "box": "Box-room"}
START = datetime(2026, 2, 3, 21, 0)


def collector() -> Collector:
    return Collector(Known({"A": "tray", "B": "tray", "box": "room"}), ZONE, datetime(2027, 1, 1, tzinfo=UTC).timestamp())


def read(data: str | bytes, place: str = "A", **changes: object) -> tuple[LoggerMapping, Taken, int]:
    """A file by its guess, with changes to it."""
    table = open_logger(letters_of(data if isinstance(data, bytes) else data.encode()))
    mapping = guess(table, place, KNOWN, ZONE)
    assert mapping is not None, table
    mapping = replace(mapping, **changes)  # type: ignore[arg-type]
    taking = collector()
    other = read_logger(table, mapping, taking, ZONE, "logger")
    return mapping, taking.close(), other


def rows(form: str, n: int = 30, value: str = "{:.1f}", join: str = ",", start: datetime = START, step_min: int = 60) -> str:
    return "\n".join(
        f"{(start + timedelta(minutes=step_min * i)).strftime(form)}{join}{value.format(19 + i / 10)}" for i in range(n)
    )


class Files(unittest.TestCase):
    def assert_read(
        self, taken: Taken, n: int = 30, low_c: float = 19.0, first: datetime = datetime(2026, 2, 3, 20, 0, tzinfo=UTC)
    ) -> None:
        self.assertEqual((taken.n, [str(r) for r in taken.rejected[:3]]), (n, []))
        (group,) = taken.groups
        self.assertAlmostEqual(float(group.canonical[0]), low_c, places=1)
        self.assertEqual(datetime.fromtimestamp(float(group.at_s[0]), UTC), first)

    def test_semicolons_and_decimal_commas(self) -> None:
        body = rows("%d.%m.%Y %H:%M", join=";").replace(".", ",", 0)
        lines = [line.split(";") for line in body.splitlines()]
        mapping, taken, _ = read("Zeit;Bodentemp °C\n" + "\n".join(f"{t};{v.replace('.', ',')}" for t, v in lines))
        self.assert_read(taken)
        self.assertEqual((mapping.time_form, mapping.uses[0].unit), ("%d.%m.%Y %H:%M", "degC"))

    def test_american_days_and_fahrenheit(self) -> None:
        text = "Date Time,Temp (°F)\n" + rows("%m/%d/%Y %I:%M:%S %p", value="{:.0f}")
        mapping, taken, _ = read(text.replace(",19\n", ",66.2\n"))
        self.assertEqual((mapping.time_form, mapping.uses[0].unit), ("%m/%d/%Y %I:%M:%S %p", "degF"))
        self.assert_read(taken)

    def test_days_that_may_be_read_either_way_are_read_in_order(self) -> None:
        for form in ("%d/%m/%Y %H:%M", "%m/%d/%Y %H:%M"):
            start = datetime(2026, 3, 4, 0, 0)
            mapping, taken, _ = read("time,soil\n" + rows(form, 96, start=start, step_min=60))
            self.assertEqual(mapping.time_form, form)
            self.assert_read(taken, 96, first=datetime(2026, 3, 3, 23, 0, tzinfo=UTC))

    def test_seconds_and_thousandths_since_1970(self) -> None:
        for per, form in ((1, "unix"), (1000, "unix_ms")):
            first = int(datetime(2026, 2, 3, 20, 0, tzinfo=UTC).timestamp())
            body = "\n".join(f"{(first + 3600 * i) * per},{19 + i / 10:.1f}" for i in range(30))
            mapping, taken, _ = read(f"ts,temp\n{body}")
            self.assertEqual(mapping.time_form, form)
            self.assert_read(taken)

    def test_two_probes_in_one_file_each_at_its_place(self) -> None:
        body = "\n".join(f"{START + timedelta(hours=i)},{i},{19 + i},{55},{15 + i},3.1" for i in range(5))
        mapping, taken, _ = read(f"Timestamp,Record,Probe A °C,Humidity Box-room %RH,B temp °C,Battery V\n{body}")
        self.assertEqual(
            [(u.place, u.quantity) for u in mapping.uses],
            [("A", "soil_temperature"), ("box", "humidity"), ("B", "soil_temperature")],
        )
        self.assertEqual((taken.n, len(taken.groups)), (15, 3))

    def test_the_unit_of_a_column_is_no_tray_that_is_called_so(self) -> None:
        table = open_any("Time,Soil °C,Air (C),Probe F °C\n2026-02-01 10:00,20,18,21\n".encode())
        mapping = guess(table, "A", {"A": "A", "C": "C", "F": "F"}, ZONE)
        assert mapping is not None
        self.assertEqual([u.place for u in mapping.uses], ["A", "A", "F"])

    def test_ten_lines_before_the_header_and_a_footer_of_statistics(self) -> None:
        before = "\n".join(
            ["Logger XY, serial 12", "Firmware;1.2", "", "Location: shelf, left", *[f"note {i}" for i in range(6)]]
        )
        body = "Date,Time,Temperature\n" + "\n".join(
            f"{t.split(' ')[0]},{t.split(' ')[1]}" for t in rows("%Y-%m-%d %H:%M:%S").splitlines()
        )
        mapping, taken, other = read(f"{before}\n{body}\nMin,,19.0\nMax,,21.9\nAverage,,20.4\n")
        self.assertEqual((mapping.time_column, mapping.time_of_day, other), ("Date", "Time", 3))
        self.assert_read(taken)

    def test_a_column_that_nobody_named_is_a_guess_only_where_it_is_all_there_is(self) -> None:
        body = "\n".join(f"{START + timedelta(hours=i)},{19 + i / 10},6.5,1013" for i in range(30))
        mapping, _, _ = read(f"time,soil,acid,pressure hPa\n{body}")
        self.assertEqual([u.column for u in mapping.uses], ["soil"])
        mapping, _, _ = read(f"time,value,acid,pressure hPa\n{body}")
        self.assertEqual([u.column for u in mapping.uses], ["value"])

    def test_letters_of_three_kinds(self) -> None:
        text = "Zeit;Temp °C\n" + rows("%d.%m.%Y %H:%M", join=";")
        for data in (text.encode("utf-8-sig"), text.encode("utf-16"), text.encode("utf-16-le"), text.encode("cp1252")):
            self.assert_read(read(data)[1])
        with self.assertRaisesRegex(FormatError, "binary"):
            letters_of(b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR")

    def test_a_file_across_the_clocks_change_both_ways(self) -> None:
        # In spring the garden's clock has no half past two; in autumn two of them.
        spring = [t for i in range(8) if (t := datetime(2026, 3, 29, 0, 30) + timedelta(hours=i)).hour != 2]
        _, taken, _ = read("time,temp\n" + "\n".join(f"{t},20" for t in spring))
        self.assertEqual((taken.n, taken.rejected), (7, []))
        steps = taken.groups[0].at_s[1:] - taken.groups[0].at_s[:-1]
        self.assertEqual(set(steps), {3600.0})
        walls = ["01:30", "02:30", "02:30", "03:30"]
        _, taken, _ = read("time,temp\n" + "\n".join(f"2026-10-25 {w},20" for w in walls))
        self.assertEqual((taken.n, taken.rejected), (4, []))
        self.assertEqual({float(b - a) for a, b in zip(taken.groups[0].at_s, taken.groups[0].at_s[1:], strict=False)}, {3600.0})

    def test_a_logger_that_keeps_winter_time_all_year_is_known_by_an_hour_that_does_not_exist(self) -> None:
        body = "\n".join(f"{datetime(2026, 3, 29, 0, 30) + timedelta(hours=i)},20" for i in range(8))
        mapping, taken, _ = read(f"time,temp\n{body}")
        self.assertEqual((mapping.clock, taken.n, taken.rejected), ("winter", 8, []))

    def test_words_for_figures_and_a_clock_that_began_anew(self) -> None:
        body = rows("%Y-%m-%d %H:%M:%S").splitlines()
        odd = [
            "2026-02-05 08:00:00,LO",
            "2026-02-05 09:00:00,--",
            "2026-02-05 10:00:00,",
            "2000-01-01 00:00:00,19.0",
            "2000-01-01 01:00:00,19.1",
        ]
        _, taken, _ = read("time,temp\n" + "\n".join(body + odd))
        self.assertEqual(taken.n, 30)
        self.assertEqual([r.value for r in taken.rejected if r.field == "value"], ["'LO'", "'--'"])
        self.assertEqual(sum("began anew" in r.reason for r in taken.rejected), 2)

    def test_a_time_that_cannot_be_is_set_aside_by_its_line_of_the_file(self) -> None:
        body = rows("%d.%m.%Y %H:%M", join=";").splitlines()
        _, taken, other = read("\n".join(["Logger XY", "", "Time;Temp", *body, "29.03.2025 99:99;18", "Mean;20"]))
        self.assertEqual([(r.where, r.field) for r in taken.rejected], [("line 34", "Time")])
        self.assertEqual(other, 1)

    def test_a_file_without_a_header_and_one_without_readings(self) -> None:
        self.assert_read(read(rows("%Y-%m-%d %H:%M:%S"))[1])
        for text in ("", "a,b\n1,2\n", "only words\nand more\n", ";;;\n;;;\n"):
            with self.subTest(text), self.assertRaises(FormatError):
                open_logger(text)

    def test_a_mapping_that_does_not_fit_says_so(self) -> None:
        table = open_logger("time,temp,other\n" + "\n".join(f"{line},1" for line in rows("%Y-%m-%d %H:%M:%S").splitlines()))
        use = Use("temp", "A", "soil_temperature", "degC")
        for mapping, said in (
            (LoggerMapping("clock", "iso", (use,)), "no column 'clock'"),
            (LoggerMapping("time", "iso", (use, replace(use, column="other"))), "two columns"),
            (LoggerMapping("time", "iso", (replace(use, unit="lux"),)), "soil_temperature in lux"),
        ):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex(FormatError, said):
                read_logger(table, mapping, collector(), ZONE)

    def test_a_kept_mapping_comes_back_and_one_of_an_earlier_shape_too(self) -> None:
        mapping, _, _ = read("time,temp\n" + rows("%Y-%m-%d %H:%M:%S"))
        self.assertEqual(LoggerMapping.of(mapping.body(), "A"), mapping)
        old = {"time_column": "t", "time_format": "iso", "value_column": "v", "quantity": "soil_temperature", "unit": "degF"}
        self.assertEqual(LoggerMapping.of(old, "B"), LoggerMapping("t", "iso", (Use("v", "B", "soil_temperature", "degF"),)))
        self.assertIsNone(LoggerMapping.of({"odd": 1}, "A"))

    @given(
        st.sampled_from([f for f in FORMS if not f.startswith("unix")]), st.datetimes(datetime(2020, 1, 1), datetime(2026, 6, 1))
    )
    def test_every_form_is_found_by_itself(self, form: str, start: datetime) -> None:
        start = start.replace(minute=0, second=0, microsecond=0)
        written = "%Y-%m-%d %H:%M" if form == "iso" else form
        mapping, taken, _ = read("time,temp\n" + rows(written, 60, start=start, step_min=613), clock="utc")
        self.assertEqual(taken.n, 60)
        self.assertEqual(datetime.fromtimestamp(float(taken.groups[0].at_s[0]), UTC).replace(tzinfo=None), start, mapping)

    def test_anything_at_all_ends_in_words(self) -> None:
        @given(st.text(max_size=300))
        def one(text: str) -> None:
            try:
                read(text)
            except (FormatError, AssertionError):
                return

        one()
