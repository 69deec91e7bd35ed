"""Setting up the room, moving things in it, and the log line written down."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import io
from datetime import UTC, datetime, timedelta
from typing import Any

from PIL import Image
from sqlalchemy import text

from fennet.core.history import effective_events
from fennet.core.records import Calibration, Target
from fennet.core.room import room_at
from fennet.journal.log_line import scene_of, understand
from fennet.journal.times import zone_of
from fennet.operations import actions, log_line, photos, readings, room, starter
from fennet.operations.acting import Actor, Refusal
from fennet.operations.log_line import Written
from fennet.storage import queries
from tests.database import NOW, DatabaseCase

ZONE = zone_of("Europe/Tallinn")


class RoomCase(DatabaseCase):
    def begun(self, name: str) -> Actor:
        """A garden with the starter arrangement and onions in A."""
        actor = self.garden(name)
        self.write(actor, starter.start, now=NOW - timedelta(days=12))
        self.sow(actor)
        return actor

    def record(self, actor: Actor) -> Any:
        with self.engine.connect() as c:
            return queries.whole_record(c, actor.ref)

    def fmt(self, actor: Actor, line: str, key: str | None = None, now: datetime = NOW) -> Written | None:
        journal = self.record(actor)
        scene = scene_of(journal, effective_events(journal.events, now.timestamp()), now, ZONE, "degC")
        return self.write(actor, log_line.write, understand(line, scene), key=key, now=now)

    def kept(self, actor: Actor, quantity: str) -> list[tuple[float, float | None]]:
        statement = "select r.value, r.canonical from reading r join series s on s.id = r.series_id where s.garden_id = :g and s.quantity = :q order by r.at"
        with self.engine.connect() as c:
            return [tuple(row) for row in c.execute(text(statement), {"g": actor.ref.id, "q": quantity})]  # type: ignore[misc]


class Things(RoomCase):
    def test_the_starter_is_a_room_to_adjust_and_comes_once(self) -> None:
        actor = self.begun("starter")
        journal = self.record(actor)
        state = room_at(journal, effective_events(journal.events, NOW.timestamp()), NOW.timestamp())
        self.assertEqual(
            (state.trays["A"].place, state.trays["B"].mat, state.lamps["lamp-1"].height_mm), ("shelf-1", "mat-1", 200.0)
        )
        with self.assertRaisesRegex(Refusal, "a room already"):
            self.write(actor, starter.start)
        self.write(actor, room.put, "places", {"id": "shelf-1", "width_mm": "900,5"})
        changed = next(p for p in self.record(actor).places if p.id == "shelf-1")
        self.assertEqual(
            (changed.width_mm, changed.depth_mm, changed.name), (900.5, 450.0, "Upper shelf"), "the rest stays as it was"
        )

    def test_what_cannot_be_is_refused_and_nothing_is_half_kept(self) -> None:
        actor = self.begun("impossible")
        for section, given, moves, said in (
            ("lamps", {"id": "lamp 3"}, [], "cannot be a name"),
            ("lamps", {"id": "A"}, [], "name of a tray already"),
            ("lamps", {"id": "l9", "watts": "lots"}, [], "not a number"),
            ("lamps", {"id": "l9", "watts": "-5"}, [], "Watts: -5"),
            ("lamps", {"id": "l9", "place": "attic"}, [], "no place attic"),
            ("lamps", {"id": "l9", "outlet": "wall-9"}, [], "no outlet wall-9"),
            ("lamps", {"id": "l9"}, [("lamp", {"lamp": "l9", "on": "06:00", "off": "06:00"})], "Plants need a night"),
            ("lamps", {"id": "l9"}, [("lamp", {"lamp": "l9", "on": "25:00", "off": "06:00"})], "on:"),
            ("trays", {"id": "C", "width_mm": 300, "depth_mm": 200}, [("placed", {"tray": "C", "place": "shelf-1", "x_mm": 100.0})], "one spot"),
            ("mats", {"id": "mat-1"}, [("mat", {"mat": "mat-1", "tray": "A", "on": True})], "cannot lie under"),
        ):  # fmt: skip
            with self.subTest(given), self.assertRaisesRegex(Refusal, said):
                self.write(actor, room.put, section, given, actions=moves)  # type: ignore[arg-type]
        journal = self.record(actor)
        self.assertNotIn("l9", {x.id for x in journal.lamps})
        self.assertNotIn("C", {x.id for x in journal.trays})

    def test_what_should_not_be_is_kept_and_told(self) -> None:
        actor = self.begun("warned")
        _, wrong = self.write(
            actor,
            room.put,
            "trays",
            {"id": "C", "width_mm": 1400, "depth_mm": 200},
            actions=[("placed", {"tray": "C", "place": "shelf-2"})],
        )
        self.assertEqual([t.what for t in wrong], ["tray_too_big"])
        written = self.fmt(actor, "lamp-1 at 70mm")
        assert written is not None
        self.assertIn("its maker allows 50 mm", written.room_problems[0].words)
        self.assertEqual(written.room_problems[0].mend, "Raise it: lamp-1 at 110mm.")

    def test_a_thing_that_was_not_there_yet(self) -> None:
        actor = self.begun("lives")
        self.write(actor, room.put, "places", {"id": "porch", "kind": "porch", "since": datetime(2026, 2, 15, tzinfo=UTC)})
        before = NOW - timedelta(days=9)
        with self.assertRaisesRegex(Refusal, "was not there"):
            self.write(actor, actions.log_event, "placed", {"tray": "A", "place": "porch"}, before)
        with self.assertRaisesRegex(Refusal, "did not exist then"):
            self.write(actor, readings.log_reading, readings.HandReading("porch", "air_temperature", 3.0, "degC", before))
        batch = self.record(actor).batches[0].id
        with self.assertRaisesRegex(Refusal, "did not exist then"):
            self.write(actor, readings.log_reading, readings.HandReading(batch, "height", 3.0, "mm", NOW - timedelta(days=30)))


class Factors(RoomCase):
    def test_a_lamps_own_factor_corrects_the_past(self) -> None:
        actor = self.begun("factor")
        self.fmt(actor, "A light 6700lux under lamp-1")
        self.assertEqual(self.kept(actor, "light"), [(6700.0, 100.0)])
        self.write(actor, room.put, "lamps", {"id": "lamp-1", "lux_per_ppfd": 50})
        self.assertEqual(self.kept(actor, "light"), [(6700.0, 134.0)])

    def test_red_and_blue_lamps_are_not_measured_in_lux(self) -> None:
        actor = self.begun("red and blue")
        self.write(actor, room.put, "lamps", {"id": "lamp-1", "kind": "red_blue_led"})
        with self.assertRaisesRegex(Refusal, "red-and-blue lamp; accepted: umol/m2/s from a quantum sensor"):
            self.fmt(actor, "A light 6700lux under lamp-1")
        self.fmt(actor, "A light 120 under lamp-1")

    def test_a_calibration_gives_weights_their_meaning_and_a_better_one_corrects_them(self) -> None:
        actor = self.begun("scale")
        self.fmt(actor, "A 850g")
        self.assertEqual(self.kept(actor, "moisture"), [(850.0, None)])
        points = Calibration(quantity="moisture", dry=600, capacity=1100, unit="g")
        self.write(actor, room.calibrate, "by-hand", points)
        self.assertEqual(self.kept(actor, "moisture"), [(850.0, 50.0)])
        self.write(actor, room.calibrate, "by-hand", Calibration(quantity="moisture", dry=600, capacity=1600, unit="g"))
        self.assertEqual(self.kept(actor, "moisture"), [(850.0, 25.0)])
        self.write(actor, room.calibrate, "by-hand", Calibration(quantity="moisture", dry=700, capacity=1000, unit="g"))
        self.assertEqual(self.kept(actor, "moisture"), [(850.0, 50.0)])
        with self.assertRaisesRegex(Refusal, "less than the dry tray, 700 g"):
            self.fmt(actor, "A 650g", now=NOW - timedelta(hours=1))
        for dry, full in ((5, 5), (900, 800)):
            with self.assertRaises(Refusal):
                self.write(actor, room.calibrate, "by-hand", Calibration(quantity="moisture", dry=dry, capacity=full, unit="g"))


class Lines(RoomCase):
    def test_a_line_is_one_transaction_and_one_entry(self) -> None:
        actor = self.begun("lines")
        before = len(self.record(actor).events)
        written = self.fmt(actor, "A 1 up; A B watered below 250ml; A soil 17.5; lamp-1 at 150mm", key="press")
        assert written is not None
        self.assertEqual(len(written.tokens), 5)
        self.assertIsNone(self.fmt(actor, "A 1 up; A B watered below 250ml; A soil 17.5; lamp-1 at 150mm", key="press"))
        self.assertEqual(len(self.record(actor).events), before + 4)
        with self.assertRaisesRegex(Refusal, "for that minute"):
            self.fmt(actor, "A 2 up; A soil 19")
        self.assertEqual(len(self.record(actor).events), before + 4, "the count went back with the reading")

    def test_undo_takes_the_whole_line_back_and_the_line_can_come_again(self) -> None:
        actor = self.begun("undone")
        written = self.fmt(actor, "A 1 up; A soil 17.5; lamp-1 at 150mm")
        assert written is not None
        back = self.write(actor, log_line.undo, written.tokens)
        journal = self.record(actor)
        self.assertEqual(
            room_at(journal, effective_events(journal.events, NOW.timestamp() + 1), NOW.timestamp() + 1)
            .lamps["lamp-1"]
            .height_mm,
            200.0,
        )
        self.assertEqual(self.kept(actor, "soil_temperature"), [])
        self.write(actor, log_line.undo, back)
        journal = self.record(actor)
        self.assertEqual(
            room_at(journal, effective_events(journal.events, NOW.timestamp() + 1), NOW.timestamp() + 1)
            .lamps["lamp-1"]
            .height_mm,
            150.0,
        )
        for tokens in ([], ["nothing"], ["r:A|light|by-hand|2026-01-01T00:00:00+00:00"], ["r:rubbish"]):
            with self.assertRaises(Refusal):
                self.write(actor, log_line.undo, tokens)

    def test_a_corrected_count_may_not_fall_or_pass_what_was_sown(self) -> None:
        actor = self.begun("corrected")
        first = self.fmt(actor, "A 1 up", now=NOW - timedelta(days=2))
        self.fmt(actor, "A 2 up")
        assert first is not None
        batch = self.record(actor).batches[0].id
        with self.assertRaisesRegex(Refusal, "more than were sown"):
            self.write(actor, actions.correct, first.tokens[0], {"batch": batch, "cells_up": 3}, NOW - timedelta(days=2))
        later = self.fmt(actor, "A 2 up", now=NOW - timedelta(hours=3))
        assert later is not None
        with self.assertRaisesRegex(Refusal, "1 were up before"):
            self.write(actor, actions.correct, later.tokens[0], {"batch": batch, "cells_up": 0}, NOW - timedelta(hours=3))
        with self.assertRaisesRegex(Refusal, "sown later"):
            self.write(actor, actions.correct, first.tokens[0], {"batch": batch, "cells_up": 1}, NOW - timedelta(days=40))

    def test_viewers_and_strangers_write_nothing(self) -> None:
        actor = self.begun("mine alone")
        looker = Actor("looker", queries.GardenRef(actor.ref.id, actor.ref.slug, actor.ref.garden, "viewer", False))
        with self.assertRaisesRegex(Refusal, "may look"):
            self.fmt(looker, "A 1 up")


class Choices(RoomCase):
    def test_practice_for_the_garden_and_one_batch(self) -> None:
        actor = self.begun("practice")
        self.write(actor, room.set_practice, {"water_when": "evenly_moist"})
        batch = self.record(actor).batches[0].id
        self.write(actor, room.set_practice, {"heat": "room", "water_when": ""}, batch)
        with self.engine.connect() as c:
            ref = queries.gardens(c, actor.person_id)[0]
        self.assertEqual(ref.garden.practice, {"water_when": "evenly_moist"})
        self.assertEqual(self.record(actor).batches[0].practice, {"heat": "room"})
        for choice in ({"water_when": "often"}, {"moon": "full"}):
            with self.assertRaisesRegex(Refusal, "accepted"):
                self.write(actor, room.set_practice, choice)

    def test_a_band_of_ones_own_replaces_the_one_before(self) -> None:
        actor = self.begun("targets")
        for low in (40, 45):
            self.write(actor, room.set_target, Target(quantity="moisture", low=low, high=70, crop="onion"))
        self.assertEqual([t["low"] for t in self.record(actor).targets], [45])
        self.write(actor, room.drop_target, Target(quantity="moisture", low=0, high=1, crop="onion"))
        self.assertEqual(self.record(actor).targets, [])
        for quantity, low, high, said in (
            ("light_hours", 20, 24, "need a night"),
            ("moisture", 60, 40, "no less than 40"),
            ("humidity", 1, 2, "humidity has no band"),
            ("soil_temperature", 20, 50, "50 is out of range; accepted: 0 to 35 °C"),
        ):
            with self.assertRaisesRegex(Refusal, said):
                self.write(actor, room.set_target, Target(quantity=quantity, low=low, high=high))


class Photos(RoomCase):
    def jpeg(self, size: tuple[int, int] = (2000, 1000), turned: bool = True) -> bytes:
        image = Image.new("RGB", size, (90, 120, 60))
        exif = Image.Exif()
        if turned:
            exif[0x0112] = 6
        exif[0x0132] = "2026:02:18 08:15:00"
        exif[0x010F] = "a camera with a serial number"
        exif.get_ifd(0x8825)[1] = "N"
        out = io.BytesIO()
        image.save(out, "JPEG", exif=exif)
        return out.getvalue()

    def test_a_photo_is_made_anew_upright_small_and_without_a_word_about_anyone(self) -> None:
        actor = self.begun("photos")
        number = self.write(actor, photos.add, "A", photos.remake(self.jpeg()), None)
        assert number is not None
        with self.engine.connect() as c:
            kept = photos.of_things(c, actor.ref.id, ["A"])[0]
            data, thumb = photos.content(c, actor.ref.id, number, False), photos.content(c, actor.ref.id, number, True)
        assert data and thumb
        self.assertEqual((kept.width_px, kept.height_px), (800, 1600))
        self.assertEqual(kept.taken_at.astimezone(ZONE).strftime("%m-%d %H:%M"), "02-18 08:15")
        self.assertNotIn(b"camera", data)
        self.assertFalse(Image.open(io.BytesIO(data)).getexif())
        self.assertLessEqual(max(Image.open(io.BytesIO(thumb)).size), 240)

    def test_in_order_of_time_and_gone_when_taken_back(self) -> None:
        actor = self.begun("in order")
        late = self.write(actor, photos.add, "A", photos.remake(self.jpeg()), NOW)
        early = self.write(actor, photos.add, "A", photos.remake(self.jpeg()), NOW - timedelta(days=3), key="press")
        self.assertEqual(self.write(actor, photos.add, "A", photos.remake(self.jpeg()), NOW, key="press"), early)
        with self.engine.connect() as c:
            self.assertEqual([p.id for p in photos.of_things(c, actor.ref.id, ["A"])], [early, late])
        assert late is not None
        self.write(actor, photos.withdraw, late)
        with self.engine.connect() as c:
            self.assertEqual([p.id for p in photos.of_things(c, actor.ref.id, ["A"])], [early])

    def test_what_is_no_picture(self) -> None:
        actor = self.begun("scripts")
        script = b"<script>alert(1)</script>"
        svg = b'<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'
        for data in (script, svg, b"GIF89a" + script, b"", self.jpeg()[:300]):
            with self.assertRaisesRegex(Refusal, "not a picture"):
                photos.remake(data)
        with self.assertRaisesRegex(Refusal, "no cellar"):
            self.write(actor, photos.add, "cellar", photos.remake(self.jpeg()), None)
