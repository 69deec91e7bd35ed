"""What is promised, and when: each kind once or once a day, and nothing that has already happened."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from typing import Any

import numpy as np

from fennet.answering.answers import Answers
from fennet.answering.promising import AlreadyMade, promises_now
from fennet.core.bearing import record_at
from fennet.core.records import Batch, Event, Garden, Journal, Series, Tray
from fennet.core.scoring import HALF_UP, PLANTING, POTTING, WATERING, Promise
from tests.building import event, on, soil

GARDEN = Garden(timezone="UTC", latitude=52.0, longitude=5.0, last_frost="05-05")


def made(day: float, events: Sequence[Event] = (), already: dict[str, set[str]] | None = None, **more: Any) -> list[Promise]:
    batch: dict[str, Any] = {"id": "b", "crop": "tomato", "sown_at": on(0), "tray": "A", "cells": 6} | more.pop("batch", {})
    at_s = on(day).timestamp()
    fields: dict[str, Any] = {"garden": GARDEN, "trays": [Tray(id="A")], "series": [soil(25.0, day)], **more}
    j = Journal(batches=[Batch(**batch)], events=list(events), **fields)
    a = Answers(record_at(j, at_s), at_s, exactly=True)
    return promises_now(a, on(day).date(), AlreadyMade(already or {}))


def kinds(found: Sequence[Promise]) -> set[str]:
    return {p.kind for p in found}


UP = [event("count", 6, batch="b", cells_up=3), event("count", 7, "c2", batch="b", cells_up=5)]


class Promised(unittest.TestCase):
    def test_half_up_of_what_is_waited_for_once_a_day(self) -> None:
        (told,) = made(2)
        self.assertEqual((told.kind, told.subject, told.id), (HALF_UP, "b", ""))
        self.assertLess(told.low, told.middle)
        self.assertEqual(made(2, already={HALF_UP: {"b"}}), [])
        self.assertEqual(made(2, batch={"sown_at": on(3)}), [], "not sown yet")
        self.assertEqual(made(2, batch={"crop": "no such kind"}), [], "nobody knows the kind")

    def test_what_has_happened_is_no_promise_and_begins_the_next(self) -> None:
        found = made(8, UP)
        self.assertEqual(kinds(found), {POTTING, PLANTING})
        self.assertTrue(all(p.middle > on(8).timestamp() for p in found))
        self.assertEqual(made(8, UP, {POTTING: {"b"}, PLANTING: {"b"}}), [])
        self.assertNotIn(POTTING, kinds(made(120, UP)), "its time is over")
        self.assertEqual(made(30, [*UP, event("gave_up", 20, batch="b")]), [])

    def test_a_watering_only_where_moisture_is_read_and_not_when_it_is_at_hand(self) -> None:
        def wet(pct: float) -> Series:
            return Series("A", "moisture", None, np.array([on(7.9).timestamp()]), np.array([pct]), np.zeros(1, bool))

        far, near = (made(8, UP, series=[soil(25.0, 8), wet(pct)]) for pct in (90.0, 51.0))
        self.assertIn(WATERING, kinds(far))
        self.assertNotIn(WATERING, kinds(near))
        self.assertNotIn(WATERING, kinds(made(8, UP)))
