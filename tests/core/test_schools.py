"""Every choice of practice changes an answer: each value is tried against the usual one, where the page says that it counts."""

from __future__ import annotations

import unittest
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from fennet.core.damping_off import risk_days
from fennet.core.due import due_after_emergence
from fennet.core.history import Counts
from fennet.core.kinds import NEEDS_FIGURE, PRACTICES
from fennet.core.mixing import Recipe, mix_for
from fennet.core.planning.sowing_day import COVERING_OF
from fennet.core.records import Batch, Garden, Journal, Mix
from fennet.core.room import TrayState
from fennet.core.sowing import depth_by_school_mm
from fennet.core.targets import practice_of, targets_for
from fennet.core.work.outdoors import Planted, planted_tasks
from fennet.crops import shipped
from fennet.crops.schools import schools
from fennet.operations.sowing import cover_set
from tests.building import asked, event, on, record, soil
from tests.core.test_care import feed, handled
from tests.core.test_hardening import asked as hardened
from tests.core.test_lighting import hung, read, shelf, tuned
from tests.core.test_plan import garden, planned
from tests.core.test_worklist import listed
from tests.core.test_worklist import room as tray_room

Practice = Mapping[str, str]
#: Figures of one's own where a choice needs one.
OWN = {"gate_night_c": "15", "lamp_fixed_mm": "420", "patience_d": "9"}


def band(quantity: str, stage: str, crop: str = "tomato", since_d: float | None = 2.0) -> Callable[[Practice], Any]:
    return lambda p: targets_for(shipped().get(crop), stage, practice_of(Garden(), None) | dict(p), (), None, 12.0, since_d)[
        quantity
    ]


def season(crop: str, packed: int | None = None) -> Callable[[Practice], Any]:
    """When a want is sown and goes out, on how many cells with how much seed, from a packet of a year where there is one."""

    def answer(p: Practice) -> Any:
        lots = [{"id": "old", "crop": crop, "packed": packed, "seeds": 300}] if packed else []
        journal = garden([{"crop": crop, "plants": 20}], seed_lots=lots)
        plan = planned(replace(journal, garden=replace(journal.garden, practice=dict(p))))
        return [(x.sow_on, x.out_on, x.draft.much, x.draft.lot and x.draft.lot.id) for x in plan.sowings]

    return answer


def tasks(day: float, **more: Any) -> Callable[[Practice], Any]:
    """The list of one tray: each task with its hour and what it rests on."""

    def answer(p: Practice) -> Any:
        journal = tray_room(**{k: (v() if callable(v) else v) for k, v in more.items()})
        told = replace(journal, garden=replace(journal.garden, practice=dict(p)))
        return [(t.key, t.due_s, t.figures) for t in listed(told, day)]

    return answer


def risk(*events: Any, **batch: Any) -> Callable[[Practice], Any]:
    def answer(p: Practice) -> Any:
        made = record([soil(20.0, 20)], [event("count", 6, batch="b1", cells_up=10), *events], **batch)
        told = Journal(garden=Garden(practice=dict(p)), batches=made.batches, series=made.series, events=made.events)
        at_s = on(12).timestamp()
        return round(risk_days(told, shipped().get("onion"), told.batches[0], told.events, at_s).now, 3)

    return answer


def lamp(p: Practice) -> Any:
    s = tuned(shelf([read((15.1, 700.0))], practice=dict(p)), hung(420.0))
    return s.height_mm, s.hours


def unlit_lamp(p: Practice) -> Any:
    journal = shelf([read((1.0, 300.0))], practice=dict(p))
    events = [e for e in hung(300.0) if e.kind in ("lamp", "placed")]
    return tuned(journal, events, day=1.5).case.ahead


def give_up(p: Practice) -> Any:
    made = record([soil(20.0, 3)])
    return asked(Journal(garden=Garden(practice=dict(p)), batches=made.batches, series=made.series), 3.0).call_it_s


def after_emergence(action: str) -> Callable[[Practice], Any]:
    def answer(p: Practice) -> Any:
        full = practice_of(Garden(practice=dict(p)))
        few, half, most = (Counts("cells", 10, (0.0,), (n,)) for n in (1, 5, 9))
        tray = TrayState("A", cover="on", mat="m")
        return [[d.action for d in due_after_emergence("emerging", tray, c, full, 60.0) if d.action.startswith(action)]
                for c in (few, half, most)]  # fmt: skip

    return answer


def handling(day: float, crop: str, **more: Any) -> Callable[[Practice], Any]:
    events = more.pop("events", [])
    return lambda p: handled(day, *events, crop=crop, practice=dict(p), **more)


def outdoors(crop: str, flower: bool = False) -> Callable[[Practice], Any]:
    def answer(p: Practice) -> Any:
        planted = Planted(
            Batch(id="b", crop=crop, sown_at=on(0)), shipped().get(crop), on(60).timestamp(),
            practice_of(Garden(practice=dict(p))), on(65).timestamp() if flower else None,
        )  # fmt: skip
        return [t.kind for t in planted_tasks([planted], [], on(70).timestamp())]

    return answer


def outings(p: Practice) -> Any:
    """Today's outing, some into the season, and whether it is asked for before its time."""
    found = [hardened(11, 20, "leek", n, practice=dict(p)) for n in (2, 5)]
    return [(h.state, h.meant and (h.meant.hours, h.meant.sun)) for h in found]


def dry(day: float) -> Callable[[Practice], Any]:
    """A tray that was felt pale and dries, and one that is dry."""
    return tasks(day, events=lambda: [event("count", 5.0, "up", batch="b", cells_up=6)],
                 series=lambda: [soil(lambda d: 95.0 - 7.5 * d, day - 0.1, "A", 2.0, "moisture")])  # fmt: skip


#: For each choice an answer in which it counts, as the page of practice says of it.
ANSWERS: dict[str, Callable[[Practice], Any]] = {
    "sow_tender": season("tomato"), "sow_hardy": season("cabbage"), "frost_risk": season("tomato"),
    "heat": lambda p: (band("soil_temperature", "sown")(p), season("tomato")(p)),
    "set_up": season("tomato"), "per_cell": season("parsley"), "seeds_per_cell": season("onion", 2023),
    "seed_age": season("onion", 2023),
    "depth": lambda p: [depth_by_school_mm(c, practice_of(Garden(practice=dict(p)))["depth"]) for c in shipped()],
    "firming": lambda p: mix_for(Recipe("m", {"leaf mould": 1.0}), 10.0, p.get("firming", "lightly")).litres,
    "mix_feed": lambda p: feed(8.0, practice={"first_feed": "never_in_fed_mix", **p}),
    "own_soil": risk(event("potted_up", 8, batch="b1")),
    "covering": lambda p: COVERING_OF[practice_of(Garden(practice=dict(p)))["covering"]],
    "cover": lambda p: (
        cover_set("A", practice_of(Garden(practice=dict(p)))), tasks(1.5)(p),
        tasks(1.5, events=lambda: [event("cover", 0.1, "off", tray="A", on=False)])(p),
    ),
    "cover_off": after_emergence("cover"), "mat_off": after_emergence("mat"), "patience": give_up,
    "before_emergence": lambda p: (tasks(1.5)(p), unlit_lamp(p)), "light_source": season("tomato"),
    "light_hours": lambda p: [band("light_hours", "seedling", since_d=d)(p) for d in (2.0, 20.0)], "lamp": lamp,
    "water_when": band("moisture", "growing_on"), "water_how": dry(8.0), "soak": dry(8.0), "water_at": dry(5.3),
    "first_feed": lambda p: [feed(d, practice=dict(p), mix=m) for d in (7.0, 9.0, 30.0)
                             for m in (None, Mix(kind=None, fed=True))],
    "feed_strength": lambda p: [feed(40.0, event("fed", 30.0, tray="A"), practice=dict(p), ready_in_d=r, wanted_in_d=10.0)
                                for r in (5.0, 30.0)],
    "thin": handling(9.0, "tomato"), "pot_up": handling(9.0, "tomato"),
    "pots": lambda p: (handling(9.0, "tomato")(p), handling(20.0, "tomato", events=[event("potted_up", 10, batch="b1")])(p)),
    "stem": handling(9.0, "pepper"), "topping": lambda p: (outdoors("basil")(p), outdoors("pepper")(p)),
    "flowers": outdoors("tomato", flower=True), "gate": season("tomato"), "harden": outings, "air": risk(),
}  # fmt: skip


class Schools(unittest.TestCase):
    def test_the_page_offers_what_the_record_accepts_and_every_one_has_an_effect_listed(self) -> None:
        offered = {s.key: tuple(s.values) for s in schools()}
        self.assertEqual(offered, {k: v for k, v in PRACTICES.items() if len(v) > 1})
        self.assertEqual(set(ANSWERS), set(offered))
        for s in schools():
            self.assertTrue(s.asks and s.why.endswith(".") and s.changes, s.key)

    def test_every_value_changes_an_answer(self) -> None:
        for key, answer in ANSWERS.items():
            usual, *others = PRACTICES[key]
            before = answer({})
            self.assertEqual(answer({key: usual}), before, f"{key}: the usual one, said or not")
            for value in others:
                figure = NEEDS_FIGURE.get((key, value))
                chosen = {key: value, **({figure: OWN[figure]} if figure else {})}
                with self.subTest(key, value=value):
                    self.assertNotEqual(answer(chosen), before)
