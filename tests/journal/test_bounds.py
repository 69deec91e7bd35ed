"""What every door takes and refuses: figures as typed, values of a journal, what still stands when one of them cannot be."""

from __future__ import annotations

import contextlib
import copy
import json
import math
import unittest
from collections.abc import Iterator
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core.bounds import is_open_entry, is_plain_text
from fennet.core.salvage import salvage
from fennet.journal.numbers import number, whole
from fennet.journal.reader import open_journal, read_journal
from fennet.journal.rejected import FormatError
from fennet.journal.targets import own_targets
from fennet.journal.writer import write_journal
from tests import fuzz
from tests.journal.whole import whole_journal

WHOLE = {**whole_journal(), "format": "fennet-journal", "version": 1}


class Figures(unittest.TestCase):
    @given(
        st.integers(-(10**9) + 1, 10**9 - 1), st.integers(0, 999), st.sampled_from(".,"), st.sampled_from(("", " ", "cm", " mm"))
    )
    def test_a_figure_is_read_as_it_was_typed(self, before: int, thousandths: int, mark: str, unit: str) -> None:
        value = number(f"{before}{mark}{thousandths:03d}{unit}", {"cm": 10.0, "mm": 1.0})
        self.assertAlmostEqual(
            value, math.copysign(abs(before) + thousandths / 1000, -1 if before < 0 else 1) * (10 if unit == "cm" else 1)
        )

    @given(st.one_of(st.text(max_size=30), st.sampled_from(fuzz.ODD), st.floats().map(str)))
    def test_whatever_is_typed_is_a_finite_figure_or_told(self, text: str) -> None:
        for read in (number, whole):
            try:
                value = read(text)
            except ValueError as e:
                self.assertRegex(str(e), "number|digits|accepted")
            else:
                self.assertTrue(math.isfinite(value) and abs(value) < 1e14, text)


class Values(unittest.TestCase):
    @given(
        st.recursive(
            st.one_of(st.none(), st.booleans(), st.floats(), st.integers(), st.text()), lambda x: st.lists(x, max_size=3)
        )
    )
    def test_an_open_entry_that_is_taken_can_be_written_and_read(self, value: Any) -> None:
        entry = {"a": value}
        if is_open_entry(entry):
            self.assertEqual(json.loads(json.dumps(entry, allow_nan=False)), entry)
            json.dumps(entry, ensure_ascii=False).encode("utf-8")

    @given(st.text())
    def test_a_plain_text_can_be_stored(self, text: str) -> None:
        if is_plain_text(text):
            self.assertNotIn("\x00", text)
            text.encode("utf-8")

    @given(st.dictionaries(st.sampled_from("abcdef"), st.integers(-5, 5)), st.sets(st.sampled_from("abc")))
    def test_salvage_leaves_out_what_cannot_be_and_nothing_else(self, values: dict[str, int], needed: set[str]) -> None:
        class WrongError(ValueError):
            def errors(self) -> list[dict[str, Any]]:
                return [{"loc": (name,)} for name in wrong]

        wrong: list[str] = []

        def validate(plain: Any) -> dict[str, int]:
            wrong[:] = [name for name, value in plain.items() if value < 0][:1]
            if wrong:
                raise WrongError
            return dict(plain)

        kept, out = salvage(validate, values, needed)
        bad = {name: value for name, value in values.items() if value < 0}
        if kept is None:
            self.assertTrue(needed & bad.keys())
        else:
            self.assertEqual((kept, out), ({k: v for k, v in values.items() if k not in bad}, bad))


class Journals(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(fuzz.journal_inputs(WHOLE))
    def test_a_journal_with_odd_values_is_read_told_and_comes_back_whole(self, drawn: tuple[str, Any]) -> None:
        try:
            read = read_journal(open_journal(json.dumps(drawn[1])))
        except FormatError:
            return
        for rejected in read.rejected:
            self.assertTrue(rejected.where and rejected.reason, rejected)
        text = "".join(write_journal(read.journal, read.groups))
        self.assertEqual(read_journal(open_journal(text)).rejected, [], "what was taken is taken again")

    def test_an_object_or_a_list_at_any_place_of_a_journal_is_told_and_breaks_nothing(self) -> None:
        def places(value: Any, at: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
            yield at
            for key, inner in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
                yield from places(inner, (*at, key))

        for *path, last in (place for place in places(WHOLE) if place):
            given_ = copy.deepcopy(WHOLE)
            within: Any = given_
            for key in path:
                within = within[key]
            within[last] = {"a": [1]} if isinstance(within[last], str | int | float) else 7
            with self.subTest(where=(*path, last)), contextlib.suppress(FormatError):
                read_journal(given_)

    def test_what_hangs_on_something_set_aside_is_kept_without_it(self) -> None:
        given_ = copy.deepcopy(WHOLE)
        given_["seed_lots"][0]["crop"] = []
        lot = given_["seed_lots"][0]["id"]
        sown = [b["id"] for b in given_["batches"] if b.get("seed_lot") == lot]
        potted = [b["id"] for b in given_["batches"] if b.get("from") in sown]
        self.assertTrue(potted, "the case is in the journal")
        read = read_journal(given_)
        kept = {b.id: b for b in read.journal.batches}
        self.assertFalse(kept.keys() & set(sown))
        for batch_id in potted:
            self.assertIsNone(kept[batch_id].from_batch)
        self.assertIn("from", {a.field for a in read.rejected})

    def test_a_band_that_no_plant_should_be_held_to_is_kept_told_and_not_gone_by(self) -> None:
        given_ = copy.deepcopy(WHOLE)
        given_["targets"] = [{"quantity": "light_hours", "low": 14, "high": 24}, {"quantity": "moisture", "low": "wet"}]
        read = read_journal(given_)
        self.assertEqual(read.journal.targets, given_["targets"])
        self.assertEqual(own_targets(read.journal), [])
        self.assertRegex(" ".join(read.notes), r"targets\[0\]: high is out of range: plants need a night.*targets\[1\]: ")

    def test_an_own_kind_that_cannot_be_is_set_aside(self) -> None:
        for change in ({"id": {"a": [1]}}, {"id": "x" * 65}, {"like": ["basil"]}, {"r_max_per_day": 1e300}, {"name": "a\x00b"}):
            with self.subTest(change):
                given_ = copy.deepcopy(WHOLE)
                given_["crops"][0] |= change
                read = read_journal(given_)
                self.assertEqual(read.journal.crops, [])
                self.assertEqual([a.where for a in read.rejected if a.where.startswith("crops")], ["crops[0]"])
