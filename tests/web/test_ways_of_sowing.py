"""Sowing as it is done: a box of rows, a pot of three, a clump, a towel, clusters; each sown, counted, forecast, thinned or
pricked out, fed, potted up and labelled, by page and by log line."""

from __future__ import annotations

from typing import Any

from fennet.core.history import counts_of, effective_events
from fennet.storage import queries
from tests.web.site import SiteCase

G = "/g/yard"


class Ways(SiteCase):
    demo = False

    def setUp(self) -> None:
        super().setUp()
        self.me = self.visitor()
        fields = {"name": "Bram", "password": "a long enough sentence", "garden": "Yard", "timezone": "Europe/Amsterdam"}
        fields["csrf_token"] = self.me.token("/welcome")
        self.me.client.post("/welcome", data=fields, follow_redirects=True)
        self.n = 0

    def post(self, address: str, status: int = 200, **fields: str) -> str:
        self.n += 1
        said = self.me.send(f"{G}/{address}", **fields, key=f"k{self.n}")
        self.assertEqual(said.status_code, status, address)
        return said.get_data(as_text=True)

    def see(self, address: str) -> str:
        return self.me.see(f"{G}/{address}")

    def batch(self, id: str) -> Any:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="yard")[0]
            return next(b for b in queries.records(c, ref.id, "batches") if b.id == id)

    def up(self, id: str) -> tuple[str, int, int]:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="yard")[0]
            events = effective_events(queries.events(c, ref.id), float("inf"))
        counts = counts_of(self.batch(id), events)
        return counts.unit, counts.up, counts.of

    def on_from_here(self, id: str, tray: str, counted: str, fed: bool = True) -> None:
        """What every way of sowing comes to: counted by log line and page, forecast, labelled, fed and potted up."""
        self.post("log", line=counted)
        self.assertRegex(self.see(f"trays/{tray}"), rf"{self.up(id)[1]} of {self.up(id)[2]}|up since|half")
        self.assertIn(id.rsplit("-", 1)[0], self.see(f"plan/labels?batch={id}"))
        if fed:
            self.post("log", line=f"{tray} tall 35mm 2 leaves" if id in self.see(f"trays/{tray}") else f"{id} tall 35mm 2 leaves")
            self.post("feed", tray=tray, mg="50")
            self.post("log", line=f"{tray} fed 50mg")
        n = self.up(id)[1]
        self.post("room/places", id=f"sill-{id}", kind="sill", width_mm="3000", depth_mm="900")
        page = self.post(f"pot-up/{id}", n=str(min(n, 4)), pot_mm="70", place=f"sill-{id}", anyway="y")
        self.assertIn("potted up into", page)


class Box(Ways):
    def test_four_rows_in_one_box(self) -> None:
        self.post("trays/new", id="box", kind="open", rows="4", columns="9", then="sow")
        page = self.post(
            "sow?tray=box", tray="box", kinds="2", **{"crop-0": "leek", "cells-0": "r1c1-r2c1", "seeds-0": "60",
            "crop-1": "lettuce", "cells-1": "r3c1", "seeds-1": "40"}, sown_at="2026-02-01T09:00", warm_c="19", cover="cloth",
        )  # fmt: skip
        self.assertIn("120 seeds", page)
        self.assertEqual((self.batch("leek-1").n_cells, self.batch("leek-1").cell_list), (120, ["r1c1", "r2c1"]))
        self.assertRegex(page, "(?i)late|half should be up")
        held = self.post("sow?tray=box", 400, tray="box", kinds="1", **{"crop-0": "dill", "cells-0": "r2c1", "seeds-0": "30"})
        self.assertIn("is held by batch leek-1", held)
        far = self.post("sow?tray=box", 400, tray="box", kinds="1", **{"crop-0": "dill", "cells-0": "r7c1", "seeds-0": "30"})
        self.assertIn("r1c1 to r4c1", far)
        self.post("log", line="leek-1 70 up @ 2026-02-16 09:00")
        self.post("log", line="leek-1 84 up")
        self.assertEqual(self.up("leek-1"), ("cells", 84, 120))
        self.assertIn("84 of 120 seeds", self.see("trays/box"))
        self.post("log", line="leek-1 tall 60mm 1 leaves")
        self.assertIn("prick out", self.see("today"))
        self.post("trays/new", id="B", kind="cells", rows="4", columns="6")
        self.post("pot-up/leek-1", act="prick", n="20", tray="B")
        self.assertEqual(self.batch("leek-2").n_cells, 20)
        self.on_from_here("lettuce-1", "box", "lettuce-1 30 up", fed=False)
        self.post("log", line="box fed 50mg")


class LongRow(Ways):
    def test_a_row_longer_than_its_box(self) -> None:
        self.post("room/trays", id="box", kind="open", rows="4", columns="1", width_mm="200")
        said = self.post("sow?tray=box", 400, tray="box", kinds="1", **{"crop-0": "dill", "cells-0": "r1c1", "seeds-0": "400"})
        self.assertIn("5 to 100 seeds go into a row: the box is 200 mm long", said)


class Cells(Ways):
    """Twelve cells of one kind."""

    def sown(self, crop: str, seeds: str, **more: str) -> str:
        self.post("trays/new", id="A", kind="cells", rows="3", columns="4")
        return self.post(
            "sow?tray=A", tray="A", kinds="1", **{"crop-0": crop, "cells-0": "all", "seeds-0": seeds}, **more,
            sown_at="2026-01-25T09:00", warm_c="22", cover="lid",
        )  # fmt: skip


class Clumps(Cells):
    def test_a_clump_of_five_is_never_thinned(self) -> None:
        self.sown("basil", "5", **{"per-cell-0": "several"})
        self.post("log", line="A 12 up @ 2026-02-04 09:00")
        self.assertEqual(self.batch("basil-1").practice, {"per_cell": "several"})
        self.assertNotIn("thin to one", self.see("today"))
        self.on_from_here("basil-1", "A", "A 12 up")


class Parted(Cells):
    def test_three_then_parted(self) -> None:
        self.sown("pepper", "3", **{"per-cell-0": "three_then_parted"})
        self.post("log", line="A 12 up @ 2026-02-06 09:00")
        self.post("log", line="A tall 30mm 1 leaves")
        self.assertIn("part them and pot both", self.see("today"))
        self.on_from_here("pepper-1", "A", "A 12 up")


class Clusters(Cells):
    def test_clusters_may_show_more_than_were_sown_and_peas_may_not(self) -> None:
        self.sown("beet", "1")
        self.post("log", line="beet-1 20 seedlings")
        self.assertEqual(self.up("beet-1"), ("seedlings", 20, 20))
        self.post("log", line="beet-1 thinned to 12")
        self.on_from_here("beet-1", "A", "beet-1 20 seedlings")
        self.post("trays/new", id="B", kind="cells", rows="3", columns="4")
        self.post("sow?tray=B", tray="B", kinds="1", **{"crop-0": "pea", "cells-0": "all", "seeds-0": "1"})
        self.assertIn("cannot be up", self.post("log", 400, line="pea-1 20 up"))


class Alike(Cells):
    def test_one_kind_in_several_trays_and_the_same_again(self) -> None:
        self.post("trays/new", id="B", kind="cells", rows="3", columns="4")
        page = self.sown("parsley", "2", also="B", mix="other", fed="yes", clean="no", own="own", wetted="before")
        self.assertIn("parsley", page)
        twin = self.batch("parsley-2")
        self.assertEqual(
            (twin.tray, twin.n_cells, twin.mix.fed, twin.mix.clean, twin.mix.own, twin.mix.wetted),
            ("B", 12, True, False, True, "before"),
        )
        again = self.see("sow?tray=B&like=parsley-1")
        self.assertIn('value="parsley"', again)
        self.assertIn('<option value="yes" selected>yes, from the start', again)
        self.assertIn(
            "There is no tray Z",
            self.post("sow?tray=A", 400, tray="A", kinds="1", also="Z", **{"crop-0": "leek", "cells-0": "all"}),
        )


class Towel(Ways):
    def test_laid_counted_and_given_cells(self) -> None:
        page = self.post("towels", crop="tomatillo", seeds="20")
        self.assertIn("20 seeds lie in the towel", page)
        self.post("log", line="tomatillo-1 14 rooted")
        self.assertEqual(self.up("tomatillo-1"), ("rooted", 14, 20))
        self.post("trays/new", id="A", kind="cells", rows="3", columns="6")
        self.post("towels/tomatillo-1/move", n="14", tray="A")
        self.assertEqual(self.batch("tomatillo-2").n_cells, 14)
        self.on_from_here("tomatillo-2", "A", "tomatillo-2 14 up")
        for fields, said in (
            ({"crop": "", "seeds": "5"}, "A crop is missing"),
            ({"crop": "moonflower", "seeds": "5"}, "No crop is called"),
            ({"crop": "leek", "seeds": "0"}, "out of range"),
        ):
            self.assertIn(said, self.post("towels", 400, **fields))
