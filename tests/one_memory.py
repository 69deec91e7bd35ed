"""What is kept of answers is never other than what would be worked out anew: `python -m tests.one_memory STEPS [SEED]`.

A small garden is written to in any order: lines, counts, corrections, undo and undo of undo, readings that are replaced, files,
calibrations, a lamp's factor, moves, wants, practice, bands, plan moves, hours that pass. After each step every page of the
application that wrote, of another that only looks, and of one that has nothing at hand are the same to the letter.
"""

from __future__ import annotations

import re
import sys
from collections import Counter
from datetime import datetime, timedelta
from difflib import unified_diff
from typing import Any

from flask import Flask
from hypothesis import HealthCheck, Phase, seed, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule, run_state_machine_as_test
from sqlalchemy import Engine, text

from fennet.operations import gardens, readings
from fennet.operations.acting import Actor, in_turn
from fennet.operations.exchange import take_journal
from fennet.storage import people, queries
from fennet.storage.database import connect
from fennet.web import parts
from fennet.web.app import create_app
from fennet.web.limits import limiter
from fennet.web.settings import Settings
from tests.database import NOW, cluster, new_person, template
from tests.web.site import Visitor

NAME, PASSWORD = "Ottilie", "a sentence for tests"
G = "/g/small"
PAGES = (
    "today", "trays", "trays/A", "trays/B", "trays/C", "why", "why/b1", "why/b3", "tune", "tune/lamps", "plan", "feed",
    "harden", "book", "score", "seeds", "away?days=3",
)  # fmt: skip
#: What differs from one rendering to the next and says nothing: a form's key and token.
ONCE = re.compile(r'name="(?:key|csrf_token)" value="[^"]*"|data-whose="[^"]*"')


def _at(days: float, hour: int = 9) -> str:
    return (NOW - timedelta(days=days)).replace(hour=hour, minute=0).isoformat()


def _cells(row: int, n: int) -> list[str]:
    return [f"r{row}c{c}" for c in range(1, n + 1)]


def small_garden() -> dict[str, Any]:
    """Two shelves, three trays, four batches, a mat, two lamps, a fan, a scale, a few readings, a want."""
    actions: list[dict[str, Any]] = [
        {"kind": "placed", "tray": "A", "place": "top"}, {"kind": "placed", "tray": "B", "place": "top"},
        {"kind": "placed", "tray": "C", "place": "low"},
        {"kind": "mat", "tray": "A", "mat": "mat-1", "on": True, "setpoint_c": 23},
        {"kind": "lamp", "lamp": "lamp-1", "place": "top", "height_mm": 300, "on": "07:00", "off": "21:30"},
        {"kind": "lamp", "lamp": "lamp-2", "place": "low", "height_mm": 250, "on": "06:00", "off": "20:00"},
        {"kind": "count", "batch": "b1", "cells_up": 1}, {"kind": "count", "batch": "b3", "cells_up": 5},
        {"kind": "watered", "tray": "A", "how": "below", "ml": 200},
    ]  # fmt: skip
    events = [{"id": f"e{i}", "at": _at(9 - i * 0.8)} | e for i, e in enumerate(actions)]
    soil = [
        {
            "at": _at(d / 2, 8 + d % 9),
            "place": "A",
            "quantity": "soil_temperature",
            "value": 17 + d % 4,
            "unit": "degC",
            "source": "probe",
        }
        for d in range(20, 0, -1)
    ]
    return {
        "format": "fennet-journal", "version": 1,
        "garden": {"name": "Small", "timezone": "Europe/Tallinn", "latitude": 58.4, "longitude": 26.7, "last_frost": "05-18"},
        "seed_lots": [{"id": "s1", "crop": "leek", "packed": 2024, "seeds": 200}], "rooms": [{"id": "box"}],
        "places": [{"id": "top", "room": "box", "kind": "shelf", "width_mm": 1200, "depth_mm": 450, "x_mm": 0, "z_mm": 1500},
                   {"id": "low", "room": "box", "kind": "shelf", "width_mm": 1200, "depth_mm": 450, "x_mm": 0, "z_mm": 700}],
        "lamps": [{"id": "lamp-1", "place": "top", "kind": "white_led", "watts": 36, "length_mm": 900},
                  {"id": "lamp-2", "place": "low", "kind": "red_blue_led", "watts": 30, "length_mm": 900}],
        "mats": [{"id": "mat-1", "watts": 20, "control": "thermostat"}], "fans": [{"id": "fan-1", "place": "top", "watts": 5}],
        "trays": [{"id": t, "kind": "cells", "rows": 2, "columns": 4, "cell_ml": 50, "width_mm": 280, "depth_mm": 200}
                  for t in "ABC"],
        "sources": [{"id": "scale", "kind": "moisture", "sited": "B",
                     "calibration": [{"quantity": "moisture", "dry": 300, "capacity": 900, "unit": "g"}]}],
        "batches": [
            {"id": "b1", "tray": "A", "cell_list": _cells(1, 3), "crop": "leek", "seed_lot": "s1", "sown_at": _at(10)},
            {"id": "b2", "tray": "A", "cell_list": _cells(2, 2), "crop": "tomato", "sown_at": _at(6)},
            {"id": "b3", "tray": "B", "cell_list": [*_cells(1, 4), *_cells(2, 2)], "crop": "lettuce", "sown_at": _at(16)},
            {"id": "b4", "tray": "C", "cell_list": _cells(1, 4), "crop": "leek", "seed_lot": "s1", "sown_at": _at(8)},
        ],
        "readings": [*soil, {"at": _at(3), "place": "C", "quantity": "light", "value": 9, "unit": "klux"},
                     {"at": _at(2), "place": "B", "quantity": "moisture", "value": 640, "unit": "g", "source": "scale"}],
        "events": events, "wants": [{"crop": "leek", "plants": 12, "out_by": "2026-05-20"}],
    }  # fmt: skip


def _fill(engine: Engine) -> None:
    result = take_journal(engine, small_garden(), NOW)
    assert not result.rejected, result.rejected
    with engine.begin() as c:
        person = new_person(c, NAME, PASSWORD)
        gardens.join(c, result.garden, person, "owner")


LINES = st.sampled_from((
    "A watered below 100ml", "B 650g", "A feel 2", "C feel 4", "b3 tall 40mm 1 leaf", "b4 tall 22mm", "A soil 21.5", "A soil 16",
    "box air 18", "C light 180", "C light 9800lux", "B light 12 klux sky", "lamp-1 at 350mm", "lamp-2 12h", "lamp-2 to top",
    "mat-1 set 25", "A mat off", "C mat mat-1", "fan-1 6h", "A cover on", "A cover off", "B to low", "C to top", "B turned",
    "b1 +1 up", "b3 6 up", "b4 2 up", "b2 r2c1 up", "b3 lost 1 damping", "B saw long_thin 2", "b3 saw tiny_flies", "b3 to light",
    "b3 potted to C", "b4 gave up", "B fed 50mg", "b3 pinched", "b3 thinned to 1", "A note nothing much", "top hours 13",
    "b3 out 2h", "b3 out half", "b3 in limp", "A watered @ 2d ago", "b1 2 up @ 1d ago", "A soil 30 @ 3d ago",
))  # fmt: skip


class OneMemory(RuleBasedStateMachine):
    #: How often each step was taken and, of each, how often it was refused, over all runs.
    taken: Counter[str] = Counter()

    @initialize()
    def set_up(self) -> None:
        _, url = cluster().scratch_database(template("small", _fill))
        self.now, self.engine = NOW, connect(url)
        with self.engine.connect() as c:
            self.ref = next(g for g in queries.gardens(c) if g.slug == "small")
        self.apps = [self._app(url) for _ in range(3)]
        self.writes, self.looks, self.anew = (Visitor(app.test_client()) for app in self.apps)
        for visitor in (self.writes, self.looks, self.anew):
            visitor.send("/sign-in", name=NAME, password=PASSWORD)
        self.keys = iter(range(10_000))

    def _app(self, url: str) -> Flask:
        app = create_app(Settings(url, "a secret for tests", "http://127.0.0.1", "test", clock=lambda: self.now))
        limiter.enabled = False
        parts.PAGE_BUDGET_S = 600.0
        return app

    def teardown(self) -> None:
        if hasattr(self, "engine"):
            for app in self.apps:
                app.extensions["fennet_engine"].dispose()
            self.engine.dispose()
            with connect(cluster().url("postgres")).execution_options(isolation_level="AUTOCOMMIT").connect() as c:
                c.execute(text(f'drop database "{self.engine.url.database}" with (force)'))

    def send(self, step: str, address: str, **fields: Any) -> None:
        page = self.writes.send(f"{G}/{address}", "/me", key=f"k{next(self.keys)}", **fields)
        assert page.status_code < 500, (address, fields, page.status_code)
        self.taken[step] += 1
        self.taken[f"{step}, refused"] += page.status_code == 400 or "is-error" in page.get_data(as_text=True)

    # -- steps ------------------------------------------------------------------------------------------------------------

    @rule(line=LINES)
    def a_line(self, line: str) -> None:
        self.send("a line", "log", line=line)

    @rule(back=st.integers(0, 6))
    def undo(self, back: int) -> None:
        """Of the newest entries one is undone: a deed, a correction, or an undo."""
        found = self.events()
        if found:
            self.send("undo", "log/undo", event=found[-1 - back % len(found)])

    @rule(back=st.integers(0, 6), n=st.integers(0, 6))
    def correct(self, back: int, n: int) -> None:
        with self.engine.connect() as c:
            rows = c.execute(
                text("select id, kind, body from event where kind in ('count', 'watered', 'height') order by position")
            ).all()
        if rows:
            id, kind, body = rows[-1 - back % len(rows)]
            fields = {k: str(v) for k, v in body.items() if not isinstance(v, list)}
            fields |= {"count": {"cells_up": str(n)}, "watered": {"ml": str(100 + n)}, "height": {"mm": str(20 + n)}}[kind]
            self.send("a correction", f"book/{id}", **fields)

    @rule(what=st.sampled_from(("soil", "air", "feel", "light")), value=st.sampled_from(("3", "17", "23.5")), guess=st.booleans())
    def a_reading(self, what: str, value: str, guess: bool) -> None:
        self.send("a reading", "trays/A/reading", what=what, value=value, **({"estimated": "y"} if guess else {}))

    @rule(hours=st.integers(1, 60), value=st.sampled_from((14.0, 19.0, 27.0)), replace=st.booleans())
    def a_file(self, hours: int, value: float, replace: bool) -> None:
        """Readings of a thermometer as its file brings them; some say something else than what is kept."""
        actor, n = Actor(NAME, self.ref), max(3, hours // 4)
        with self.engine.connect() as c:
            person = people.person(c, name=NAME)
        assert person is not None
        collector = readings.collector_for(self.engine, Actor(NAME, self.ref, person.id), self.now)
        for i in range(n):
            at = (NOW - timedelta(hours=hours + i)).replace(minute=0).isoformat()
            collector.add(i, at, value + i % 3, "A", "soil_temperature", "degC", "p", None, None, None, None, None)
        taken = collector.close()
        in_turn(self.engine, actor, self.now, lambda w: readings.take(w, taken, replace))
        self.taken["a file"] += 1

    @rule(dry=st.sampled_from(("280", "310")), full=st.sampled_from(("880", "910")))
    def calibrate(self, dry: str, full: str) -> None:
        self.send("a calibration", "room/calibrate", source="scale", dry=dry, capacity=full, unit="g")

    @rule(lamp=st.sampled_from(("lamp-1", "lamp-2")), factor=st.sampled_from(("54", "66.5", "40")))
    def a_lamps_factor(self, lamp: str, factor: str) -> None:
        self.send("a lamp's factor", f"room/lamps/{lamp}", id=lamp, lux_per_ppfd=factor)

    @rule(
        crop=st.sampled_from(("leek", "tomato", "cosmos")),
        plants=st.integers(1, 30),
        out=st.sampled_from(("2026-05-20", "2026-06-01")),
    )
    def a_want(self, crop: str, plants: int, out: str) -> None:
        self.send("a want", "plan/wants", crop=crop, plants=str(plants), out_by=out)

    @rule(day=st.integers(1, 40))
    def a_plan_move(self, day: int) -> None:
        with self.engine.connect() as c:
            position = c.execute(text("select min(position) from want")).scalar_one()
        self.send(
            "a plan move", "plan/move", want=str(position), sowing_no="1", day=(NOW + timedelta(days=day)).date().isoformat()
        )

    @rule(
        choice=st.sampled_from(
            (("water_when", "evenly_moist"), ("water_when", "pale_top"), ("light_hours", "14-16"), ("mat_off", "half"))
        ),
        of=st.sampled_from(("", "b1")),
    )
    def practice(self, choice: tuple[str, str], of: str) -> None:
        self.send("practice", "practice" + (f"?batch={of}" if of else ""), **{choice[0]: choice[1]})

    @rule(low=st.integers(10, 18), of=st.sampled_from(("crop=leek", "batch=b1")))
    def a_band(self, low: int, of: str) -> None:
        self.send("a band", f"practice/targets?{of}", quantity="soil_temperature", low=str(low), high="24")

    @rule(frost=st.sampled_from(("05-18", "05-01", "")))
    def the_garden(self, frost: str) -> None:
        self.send("the garden", "room/garden", latitude="58.4", longitude="26.7", last_frost=frost)

    @rule(crop=st.sampled_from(("leek", "lettuce")))
    def sow(self, crop: str) -> None:
        self.send(
            "a sowing",
            "sow",
            tray="C",
            kinds="1",
            mix="seed_mix",
            covered_with="mix",
            **{"crop-0": crop, "cells-0": "r2c1-r2c4", "seeds-0": "2"},
        )

    @rule(minutes=st.sampled_from((1, 17, 45, 600)))
    def time_passes(self, minutes: int) -> None:
        self.now += timedelta(minutes=minutes)
        self.taken["time passes"] += 1

    # -- what must hold ---------------------------------------------------------------------------------------------------

    def events(self) -> list[str]:
        with self.engine.connect() as c:
            return [r[0] for r in c.execute(text("select id from event order by position"))]

    @invariant()
    def every_page_is_as_it_would_be_anew(self) -> None:
        if not hasattr(self, "apps"):
            return
        self.apps[2].extensions["fennet_snapshots"].forget()
        for page in PAGES:
            anew = self.shown(self.anew, page)
            for who, visitor in (("the application that wrote", self.writes), ("one that looks", self.looks)):
                kept = self.shown(visitor, page)
                if kept != anew:
                    diff = "\n".join(unified_diff(kept.splitlines(), anew.splitlines(), "kept", "anew", n=0, lineterm=""))
                    raise AssertionError(f"{page} of {who} at {self.now} is not as anew:\n{diff[:3000]}")

    @staticmethod
    def shown(visitor: Visitor, page: str) -> str:
        """A page without what is said once of a deed that was just done."""
        html = ONCE.sub("", visitor.see(f"{G}/{page}"))
        return re.sub(r'(?s)<div class="said" role="status">.*?</div>\s*(?=<|$)', "", html)


def run(steps: int, of: int, first: int = 0) -> None:
    """So many steps in all, in gardens of `of` steps each."""
    fixed = settings(
        max_examples=max(2, steps // of), stateful_step_count=of, deadline=None, suppress_health_check=list(HealthCheck),
        phases=(Phase.generate,), database=None, derandomize=False,
    )  # fmt: skip
    seeded = seed(first)(OneMemory)
    run_state_machine_as_test(seeded, settings=fixed)  # type: ignore[no-untyped-call]


def main() -> int:
    run(int(sys.argv[1]) if len(sys.argv) > 1 else 100, 20, int(sys.argv[2]) if len(sys.argv) > 2 else 0)
    print(dict(sorted(OneMemory.taken.items())), datetime.now().isoformat(" ", "seconds"))
    return 0


if __name__ == "__main__":
    sys.exit(main())
