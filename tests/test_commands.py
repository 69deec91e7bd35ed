"""The commands as a person or a script calls them: answers on stdout, one line on stderr, the exit status."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import contextlib
import io
import json
import os
import subprocess
import tempfile
import unittest
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from icalendar import Calendar

from fennet.cli import main
from fennet.launch.state import free_port
from fennet.simulated_room.mats import draw_mat
from fennet.simulated_room.shelves import draw_shelf
from tests.database import cluster
from tests.journal.whole import whole_journal

ROOT = Path(__file__).parents[1]
SOWN = "2026-02-03T08:00:00+00:00"


def call(*arguments: str) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = main(list(arguments))
    return status, out.getvalue(), err.getvalue()


def journal(
    days: int, soil_c: float, ups: Sequence[tuple[int, int]] = (), events: Sequence[dict[str, Any]] = (), crop: str = "onion"
) -> Path:
    """A journal written by hand: one batch, a reading every six hours, some counts."""
    at = [f"2026-02-{3 + h // 24:02}T{h % 24:02}:00:00+00:00" for h in range(8, 8 + days * 24 + 1, 6)]
    data = {
        "format": "fennet-journal", "version": 1, "trays": [{"id": "A", "rows": 3, "columns": 4}],
        "batches": [{"id": "b1", "crop": crop, "tray": "A", "cells": 12, "seeds_per_cell": 2, "sown_at": SOWN}],
        "readings": [{"at": t, "place": "A", "quantity": "soil_temperature", "value": soil_c, "unit": "degC"} for t in at],
        "events": [{"kind": "count", "at": f"2026-02-{3 + d:02}T08:00:00+00:00", "batch": "b1", "cells_up": n} for d, n in ups] + list(events),
    }  # fmt: skip
    path = Path(tempfile.mkdtemp()) / "journal.json"
    path.write_text(json.dumps(data))
    return path


class Learned(unittest.TestCase):
    """`learned` on a journal written by hand."""

    def test_a_slow_variety_is_told_and_a_correction_that_cannot_be_is_noted(self) -> None:
        path = Compare.journal(Compare(), cold=False, slow_d=4)
        code, out, _ = call("learned", str(path), "--at", "2026-03-10T08:00:00Z")
        self.assertEqual(code, 0)
        told = json.loads(out)
        pace = {x["variety"]: x for x in told["figures"] if x["measure"] == "pace"}
        self.assertEqual((told["format"], told["batches"], pace["lock"]["rests_on"]), ("fennet-learned", 8, 4))
        self.assertGreater(pace["lock"]["p50"], 1.2 * pace["quay"]["p50"])
        self.assertEqual(told["room"], [], "nobody felt a tray, read a mat or a lamp")
        data = json.loads(path.read_text())
        data["learned"] = [
            {"forget_before": "2026-03-05T00:00:00Z", "crop": "onion", "variety": "LOCK"},
            {"value": 99, "crop": "onion"},
        ]
        path.write_text(json.dumps(data))
        code, out, err = call("learned", str(path), "--at", "2026-03-10T08:00:00Z")
        left = {x["variety"] for x in json.loads(out)["figures"] if x["measure"] == "pace"}
        self.assertEqual((code, left), (0, {"quay"}))
        self.assertIn("value", err)


class Compare(unittest.TestCase):
    """`compare` on a journal written by hand: two varieties on four trays each, the second ones cold or slow or both."""

    def journal(self, cold: bool, slow_d: int) -> Path:
        data: dict[str, Any] = {
            "format": "fennet-journal",
            "version": 1,
            "trays": [],
            "batches": [],
            "readings": [],
            "events": [],
        }
        for i in range(8):
            other, tray = i % 2, f"T{i}"
            # Five days at 20 °C are eight and a half at 13 by the crop table; these lag behind it alike.
            soil_c, wait_d = (13, 13) if other and cold else (20, 8)
            wait_d += slow_d if other else 0
            data["trays"].append({"id": tray, "rows": 3, "columns": 4})
            data["batches"].append(
                {"id": f"b{i}", "crop": "onion", "variety": ("Quay", "Lock")[other], "tray": tray, "cells": 12, "sown_at": SOWN}
            )
            data["readings"] += [{"at": f"2026-02-{3 + d:02}T{h:02}:00:00+00:00", "place": tray, "quantity": "soil_temperature",
                                  "value": soil_c, "unit": "degC"} for d in range(25) for h in (0, 8, 16)]  # fmt: skip
            for d in range(1, 24):
                up = max(0, min(11, 3 * (d - wait_d) + 5 + i % 3))
                data["events"].append(
                    {"kind": "count", "at": f"2026-02-{3 + d:02}T08:00:00+00:00", "batch": f"b{i}", "cells_up": up}
                )
        path = Path(tempfile.mkdtemp()) / "journal.json"
        path.write_text(json.dumps(data))
        return path

    def compared(self, path: Path, *more: str) -> dict[str, Any]:
        status, out, err = call("compare", str(path), *more)
        self.assertEqual((status, err), (0, ""))
        found: dict[str, Any] = json.loads(out)
        return found

    def test_a_mat_is_not_mistaken_for_a_variety(self) -> None:
        found = self.compared(self.journal(True, 0), "--by", "variety")
        self.assertEqual((found["format"], found["by"]), ("fennet-comparison", "variety"))
        self.assertEqual(
            [(g["name"], g["batches"], g["sown"], g["up"]) for g in found["groups"]], [("Lock", 4, 48, 44), ("Quay", 4, 48, 44)]
        )
        (pair,) = [x for x in found["pairs"] if x["measure"] == "emergence"]
        self.assertGreater(pair["p_adjusted"], 0.05)
        self.assertIn("would have to differ by", pair["says"])
        self.assertLess(pair["range"][0], pair["difference"])

    def test_a_slow_variety_is_told_and_by_how_much(self) -> None:
        found = self.compared(self.journal(False, 4), "--by", "variety", "--crop", "Onion")
        (pair,) = [x for x in found["pairs"] if x["measure"] == "emergence"]
        self.assertLess(pair["p_adjusted"], 0.01)
        self.assertAlmostEqual(abs(pair["difference"]), 4.0, delta=1.0)
        self.assertIn("Lock came", pair["says"])
        self.assertEqual(len(self.compared(self.journal(False, 4), "--by", "year")["groups"]), 1)

    def test_what_cannot_be_is_said_on_one_line(self) -> None:
        path = str(self.journal(False, 0))
        for given, words in (
            (("--by", "moon"), "accepted: variety, lot"),
            (("--by", "lot", "--crop", "moonflower-of-mars"), "--crop"),
        ):
            status, out, err = call("compare", path, *given)
            self.assertEqual((status, out), (2, ""))
            self.assertIn(words, err)


class Diagnose(unittest.TestCase):
    """`diagnose` on journals written by hand."""

    def complaint(self, path: Path, *more: str) -> dict[str, Any]:
        status, out, err = call("diagnose", str(path), *more)
        self.assertEqual((status, err), (0, ""))
        document = json.loads(out)
        self.assertEqual((document["format"], document["version"]), ("fennet-findings", 1))
        found: dict[str, Any] = document["batches"][0]["complaints"][0]
        return found

    def test_the_document_has_the_keys_of_the_contract(self) -> None:
        found = self.complaint(journal(14, 6.0))
        self.assertEqual(found["complaint"], "slow_germination")
        self.assertGreater(found["present"], 0.5)
        self.assertEqual(found["causes"][0]["cause"], "cold_soil")
        shares = [c["share"] for c in found["causes"]]
        self.assertEqual(shares, sorted(shares, reverse=True))
        self.assertAlmostEqual(sum(shares), 1.0, places=9)
        self.assertEqual(
            {c["cause"] for c in found["causes"]},
            {"cold_soil", "hot_soil", "dry_spell", "waterlogged", "weak_seed", "sown_deep", "needs_light", "needs_pretreatment",
             "coarse_or_crusted_mix", "unexplained"},
        )  # fmt: skip
        for cause in found["causes"]:
            self.assertEqual({type(cause[k]) for k in ("for", "against", "missing")}, {list})
        self.assertEqual(set(found["actions"][0]) & {"do", "effect", "by"}, {"do", "effect", "by"})
        self.assertTrue(found["verdict"].endswith("."))

    def test_what_is_later_is_not_seen_and_what_is_not_due_is_left_alone(self) -> None:
        late = journal(14, 6.0, events=[{"kind": "sign", "at": "2026-02-16T08:00:00+00:00", "batch": "b1", "sign": "crust"}])
        early = self.complaint(late, "--at", "2026-02-05T08:00:00Z")
        self.assertEqual(early["state"], "not_due_yet")
        self.assertLess(early["present"], 0.5)
        self.assertNotIn("there is a crust", json.dumps(early["causes"]))
        self.assertLess(self.complaint(journal(8, 21.0, [(4, 3), (5, 8), (7, 11)]))["present"], 0.5)

    def test_one_batch_is_asked_for_and_an_ended_one_has_no_complaint(self) -> None:
        ended = journal(14, 6.0, events=[{"kind": "gave_up", "at": "2026-02-15T08:00:00+00:00", "batch": "b1"}])
        _, out, _ = call("diagnose", str(ended), "--batch", "b1")
        self.assertEqual(json.loads(out)["batches"][0]["complaints"], [])
        status, out, err = call("diagnose", str(ended), "--batch", "b9")
        self.assertEqual((status, out), (2, ""))
        self.assertIn("accepted: b1", err)

    def test_a_check_in_words_re_reasons(self) -> None:
        plain = self.complaint(journal(12, 20.0))
        dry = self.complaint(
            journal(12, 20.0, events=[{"kind": "check", "at": "2026-02-15T07:00:00+00:00", "batch": "b1", "what": "dug two seeds", "result": "dry and shrivelled"}])
        )  # fmt: skip
        share = {
            name: next(c["share"] for c in f["causes"] if c["cause"] == "dry_spell")
            for name, f in (("plain", plain), ("dry", dry))
        }
        self.assertGreater(share["dry"], share["plain"] + 0.3)


class Tune(unittest.TestCase):
    """`tune` on a mat's journal."""

    def told(self, seed: int, **changes: Any) -> tuple[int, dict[str, Any], str]:
        data = draw_mat(seed).journal | changes
        path = Path(tempfile.mkdtemp()) / "mat.json"
        path.write_text(json.dumps(data))
        status, out, err = call("tune", str(path))
        return status, json.loads(out) if out else {}, err

    def test_the_document_has_the_keys_of_the_contract(self) -> None:
        status, document, err = self.told(5)
        self.assertEqual((status, err, document["format"], document["version"]), (0, "", "fennet-settings", 1))
        (mat,) = document["mats"]
        self.assertEqual((mat["mat"], mat["trays"], mat["flat_out"]), ("mat", ["T"], False))
        self.assertTrue(mat["range_c"][0] <= mat["setpoint_c"] <= mat["range_c"][1] <= 38)
        soil = mat["expect_soil_c"]
        self.assertTrue(soil["p10"] <= soil["p50"] <= soil["p90"])
        self.assertIsInstance(mat["instead"], list)
        self.assertGreaterEqual(mat["gain_days"], 0.0)

    def test_a_lamp_that_hangs_nowhere_and_an_unused_mat_are_left_out(self) -> None:
        _, document, _ = self.told(5, lamps=[{"id": "lamp-1"}], mats=[{"id": "mat"}, {"id": "spare"}])
        self.assertEqual([m["mat"] for m in document["mats"]], ["mat"])
        self.assertEqual(document["lamps"], [])

    def test_a_lamp_over_lit_trays_has_the_keys_of_the_contract(self) -> None:
        case = draw_shelf(4, 2)
        path = Path(tempfile.mkdtemp()) / "shelf.json"
        path.write_text(json.dumps(case.journal))
        status, out, err = call("tune", str(path), "--at", case.at.isoformat())
        self.assertEqual((status, err), (0, ""))
        (lamp,) = json.loads(out)["lamps"]
        wanted = {
            "lamp",
            "height_mm",
            "distance_mm",
            "on",
            "off",
            "hours",
            "expect_ppfd",
            "expect_dli",
            "reaches_target",
            "instead",
        }
        self.assertLessEqual(wanted, set(lamp))
        self.assertEqual(set(lamp["expect_dli"]), {"p10", "p50", "p90"})
        self.assertGreaterEqual(lamp["distance_mm"], 50)
        hours = (int(lamp["off"][:2]) - int(lamp["on"][:2])) + (int(lamp["off"][3:]) - int(lamp["on"][3:])) / 60
        self.assertAlmostEqual(hours, lamp["hours"])

    def test_without_a_set_point_it_asks_for_it(self) -> None:
        events = [{k: v for k, v in e.items() if k != "setpoint_c"} for e in draw_mat(5).journal["events"]]
        _, document, _ = self.told(5, events=events)
        self.assertIn("Log what mat is set to.", document["mats"][0]["instead"])


class Plan(unittest.TestCase):
    """`plan` on a journal written by hand."""

    def told(self, wants: list[dict[str, Any]], *more: str, **data: Any) -> tuple[int, str, str]:
        garden = {"timezone": "Europe/Tallinn", "latitude": 58.4, "longitude": 26.7, "last_frost": "05-18", "last_frost_sd_d": 10}
        path = Path(tempfile.mkdtemp()) / "wants.json"
        path.write_text(json.dumps({"format": "fennet-journal", "version": 1, "garden": garden, "wants": wants} | data))
        return call("plan", str(path), *more)

    def test_the_document_has_the_keys_of_the_contract(self) -> None:
        status, out, err = self.told(
            [{"crop": "leek", "plants": 40, "out_by": "2026-05-20", "spares": 4}, {"crop": "nonsense", "plants": 3}]
        )
        document = json.loads(out)
        self.assertEqual((status, document["format"], document["version"]), (0, "fennet-plan", 1))
        self.assertIn("wants[1].crop", err)
        (sowing,) = document["sowings"]
        self.assertLessEqual(sowing["sow_between"][0], sowing["sow_on"])
        self.assertLessEqual(sowing["sow_on"], sowing["sow_between"][1])
        order = [sowing["sow_on"], sowing["half_up"]["p10"], sowing["half_up"]["p50"], sowing["harden_from"], sowing["out_on"]]
        self.assertEqual(order, sorted(order))
        self.assertEqual((sowing["out_on"], sowing["seeds"]), ("2026-05-20", sowing["cells"] * sowing["seeds_per_cell"]))
        self.assertGreaterEqual(sowing["chance_enough"], 0.9)
        weeks = [w["week"] for w in document["load"]]
        self.assertRegex(weeks[0], r"^2026-W\d\d$")
        self.assertEqual(weeks, sorted(weeks))
        self.assertEqual(set(document["load"][0]["mat_places"]), {"needed", "have"})
        self.assertEqual(document["clashes"], [])

    def test_a_room_too_small_is_named_week_by_week_with_the_least_change(self) -> None:
        shelf = {"id": "s", "kind": "shelf", "width_mm": 600, "depth_mm": 300}
        status, out, _ = self.told([{"crop": "tomato", "plants": 60, "out_by": "2026-06-10"}], places=[shelf])
        document = json.loads(out)
        self.assertEqual((status, document["fits"]), (0, False))
        clash = document["clashes"][0]
        self.assertEqual((clash["what"], bool(clash["least_change"])), ("shelf_mm2", True))
        self.assertIn(clash["week"], [w["week"] for w in document["load"]])

    def test_the_calendar_reads_back_as_the_plan(self) -> None:
        wants = [{"crop": "tomato", "plants": 6, "variety": 'Übergröße; "x", y'}, {"crop": "shiso", "plants": 4}]
        document = json.loads(self.told(wants)[1])
        read = Calendar.from_ical(self.told(wants, "--ics")[1])
        events = {(str(e["summary"]).split(" ")[0], str(e["summary"])): e for e in read.walk("VEVENT")}
        for sowing in document["sowings"]:
            name = sowing["crop"] + (f", {sowing['variety']}" if sowing["variety"] else "")
            days = {kind: e.decoded("dtstart").isoformat() for (kind, words), e in events.items() if words.endswith(name)}
            self.assertEqual((days["Sow"], days["Pot"], days["Harden"], days["Plant"], days["Half"]), (
                sowing["sow_on"], sowing["pot_up_on"], sowing["harden_from"], sowing["out_on"], sowing["half_up"]["p10"],
            ))  # fmt: skip
        self.assertEqual(Calendar.from_ical(read.to_ical()).to_ical(), read.to_ical())

    def test_bad_input_is_told_on_one_line(self) -> None:
        for arguments in (["plan"], ["plan", "/nowhere.json"]):
            status, out, err = call(*arguments)
            self.assertEqual((status, out, len(err.strip().splitlines())), (2, "", 1))
        self.assertEqual(self.told([])[0], 2)
        self.assertEqual(self.told([{"crop": "leek", "plants": 3}], "--at", "soon")[0], 2)
        status, out, err = self.told(
            [{"crop": "leek", "plants": 3, "out_by": "2026-05-20"}, {"crop": "leek", "plants": "many"}],
            minima=[{"on": "x", "min_c": 1}],
        )
        self.assertEqual((status, len(json.loads(out)["sowings"])), (0, 1))
        self.assertIn("minima[0]", err)
        self.assertIn("wants[1].plants", err)


class Crops(unittest.TestCase):
    def test_share_prints_one_number_a_line(self) -> None:
        status, out, _ = call("crops", "--share", "celery root", "5", "20", "45")
        cold, best, hot = (float(line) for line in out.split())
        self.assertEqual((status, hot), (0, 0.0))
        self.assertTrue(0.6 <= cold <= 0.9 <= best <= 1.0)

    def test_response_prints_one_number_a_line(self) -> None:
        status, out, _ = call("crops", "--response", "sweet corn", "5", "20", "45")
        self.assertEqual((status, out.splitlines()[0], out.splitlines()[2], len(out.splitlines())), (0, "never", "never", 3))
        self.assertAlmostEqual(float(out.splitlines()[1]), 7, delta=1.4)

    def test_one_crop_with_units_and_sources(self) -> None:
        _, out, _ = call("crops", "bok choy")
        self.assertIn("estimated", out)
        self.assertRegex(out, r"t_base_c\s+1\.5\s+°C\s+family_shape")

    def test_what_is_not_known_offers_the_nearest_on_one_line(self) -> None:
        for arguments in (("crops", "lekk"), ("crops", "--response", "leek", "warm"), ("crops", "--response", "leek"), ("crops", "--share", "leek", "9", "x"), ("crops", "--share", "leek"), ("frobnicate",), (), ("forecast",),
                          ("forecast", "/nowhere.json"), ("diagnose", "x.json"), ("tune", "x.json"), ("backup", "/nowhere/at/all"), ("restore", "/nowhere"), ("simulate", "--days", "0")):  # fmt: skip
            status, out, err = call(*arguments)
            self.assertEqual((status, out, len(err.strip().splitlines())), (2, "", 1), arguments)
        self.assertIn("leek", call("crops", "lekk")[2])


class Forecast(unittest.TestCase):
    def answer(self, path: Path, *more: str) -> dict[str, Any]:
        status, out, err = call("forecast", str(path), *more)
        self.assertEqual((status, err), (0, ""))
        document = json.loads(out)
        self.assertEqual((document["format"], document["version"]), ("fennet-forecast", 1))
        return dict(document["batches"][0])

    def test_each_verdict_where_it_is_due(self) -> None:
        gave_up = [{"kind": "gave_up", "at": "2026-02-06T08:00:00+00:00", "batch": "b1"}]
        for verdict, path in {
            "not_yet": journal(3, 18), "late": journal(12, 9.5), "on_time": journal(6, 18.5, [(5, 3), (6, 7)]),
            "early": journal(3, 22, [(2, 5), (3, 11)]), "finished": journal(3, 20, events=gave_up),
        }.items():  # fmt: skip
            self.assertEqual(self.answer(path)["verdict"], verdict)
        self.assertEqual(self.answer(journal(2, 18), "--at", "2026-02-09T08:00:00Z")["verdict"], "cannot_tell")

    def test_the_keys_and_their_sums(self) -> None:
        got = self.answer(journal(8, 12, [(8, 2)]))
        for key in (
            "batch",
            "crop",
            "verdict",
            "emerged",
            "of",
            "half_up",
            "first_up",
            "final_count",
            "days_at_target",
            "delay_days",
            "call_it_on",
            "chance_of_more",
            "estimated",
        ):
            self.assertIn(key, got)
        from datetime import datetime

        half_d = (datetime.fromisoformat(got["half_up"]["p50"]) - datetime.fromisoformat(SOWN)).total_seconds() / 86400
        self.assertAlmostEqual(sum(got["delay_days"].values()), half_d - got["days_at_target"], places=2)
        self.assertEqual(got["first_up"]["p10"], got["first_up"]["p90"])

    def test_a_record_cut_at_a_moment(self) -> None:
        path = journal(12, 18, [(5, 1), (9, 12)])
        self.assertEqual(self.answer(path, "--at", "2026-02-09T08:00:00+00:00")["emerged"], 1)
        self.assertEqual(self.answer(path)["verdict"], "finished")

    def test_a_batch_that_is_not_there(self) -> None:
        self.assertEqual(call("forecast", str(journal(3, 18)), "--batch", "b9")[0], 2)

    def test_what_is_set_aside_is_told_and_the_rest_answered(self) -> None:
        path = journal(3, 18)
        data = json.loads(path.read_text())
        data["readings"].append(
            {"at": "2026-02-05T08:00:00Z", "place": "A", "quantity": "soil_temperature", "value": 900, "unit": "degC"}
        )
        path.write_text(json.dumps(data))
        status, out, err = call("forecast", str(path))
        self.assertEqual((status, json.loads(out)["batches"][0]["verdict"]), (0, "not_yet"))
        self.assertIn("readings[13].value: 900 degC", err)


class InAndOut(unittest.TestCase):
    """Import and export against a database given by its address."""

    def setUp(self) -> None:
        _, url = cluster().scratch_database()
        self.addCleanup(os.environ.pop, "FENNET_DATABASE_URL", None)
        os.environ["FENNET_DATABASE_URL"] = url
        self.folder = Path(tempfile.mkdtemp())

    def write(self, name: str, data: object) -> str:
        path = self.folder / name
        path.write_text(data if isinstance(data, str) else json.dumps(data))
        return str(path)

    def test_out_in_elsewhere_and_out_again(self) -> None:
        self.assertEqual(call("import", self.write("a.json", whole_journal()))[0], 0)
        first = self.folder / "out.json"
        self.assertEqual(call("export", str(first))[0], 0)
        _, os.environ["FENNET_DATABASE_URL"] = cluster().scratch_database()
        self.assertEqual(call("import", str(first))[0], 0)
        self.assertEqual(call("export")[1], first.read_text())

    def test_broken_rows_are_listed_and_the_good_ones_taken(self) -> None:
        data = whole_journal()
        data["readings"].append(
            {"at": "2026-02-04T10:00:00+02:00", "place": "attic", "quantity": "soil_temperature", "value": 18, "unit": "degC"}
        )
        status, out, _ = call("import", self.write("a.json", data))
        self.assertEqual(status, 0)
        self.assertIn("set aside readings[12].place: 'attic' is not in this garden", out)
        self.assertIn("12 readings", out)

    def test_nothing_accepted_is_status_2(self) -> None:
        for name, data in {
            "empty.json": "",
            "newer.json": {"format": "fennet-journal", "version": 9},
            "bad.json": {"format": "fennet-journal", "version": 1, "batches": [{"id": "x"}]},
        }.items():
            status, _, err = call("import", self.write(name, data))
            self.assertEqual((status, name in err), (2, True), err)
        self.assertEqual(call("export")[0], 2)

    def test_a_database_that_is_not_there_is_told_in_one_line(self) -> None:
        for url in ("postgresql://nobody@127.0.0.1:1/none", "mysql://x", "rubbish"):
            os.environ["FENNET_DATABASE_URL"] = url
            status, out, err = call("export")
            self.assertEqual((status, out, len(err.strip().splitlines())), (2, "", 1), url)
            self.assertIn("FENNET_DATABASE_URL", err)


class Start(unittest.TestCase):
    """The start script itself, in a copy of this checkout (what is committed and what is not yet)."""

    def test_a_copy_serves_the_demo_and_stops_all_it_started(self) -> None:
        import shutil
        import signal
        import time
        import urllib.request

        home = Path(tempfile.mkdtemp(prefix="fennet copy "))  # a path with a space
        home.chmod(0o755)
        self.addCleanup(shutil.rmtree, home, True)
        copy = home / "fennet"
        listed = subprocess.run(
            ["git", "ls-files", "-co", "--exclude-standard"], cwd=ROOT, capture_output=True, text=True, check=True
        ).stdout.split("\n")
        for name in filter(None, listed):
            if (ROOT / name).is_file():
                (copy / name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(ROOT / name, copy / name)
        # The environment is this one's: what is tried here is the start, not the package index.
        (copy / ".venv").symlink_to(ROOT / ".venv")
        port = str(free_port())
        process = subprocess.Popen(
            ["./fennet", "demo", "--port", port], cwd=copy, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        try:
            said = ""
            deadline = time.time() + 90
            while "Ctrl-C stops it" not in said and time.time() < deadline:
                line = process.stdout.readline()  # type: ignore[union-attr]
                said += line
                if not line and process.poll() is not None:
                    break
            self.assertIn(f"ready at http://127.0.0.1:{port}", said)
            self.assertIn("sign in as demo with the password canal-house", said)
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/sign-in", timeout=10) as page:
                self.assertIn(b"Sign in", page.read())
            taken = subprocess.run(["./fennet", "demo", "--port", port], cwd=copy, capture_output=True, text=True, timeout=60)
            self.assertEqual(taken.returncode, 2)
            self.assertIn(f"--port {port} is taken", taken.stderr)
        finally:
            process.send_signal(signal.SIGINT)
            rest, _ = process.communicate(timeout=40)
        self.assertEqual(process.returncode, 0, rest)
        left = subprocess.run(["pgrep", "-f", str(home)], capture_output=True, text=True).stdout
        self.assertEqual(left, "", "something it started is still running")
