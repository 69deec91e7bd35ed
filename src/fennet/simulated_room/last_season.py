"""The demo's season of the year before, finished: sown, counted, lost, planted, picked and tasted, written down by hand.

A thermometer is read twice a day, cells are counted every evening, and two questions were asked beforehand: which leek comes
sooner, and whether pak choi minds being sown deep.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from fennet.simulated_room.plants import Truth
from fennet.simulated_room.season import cells

#: The year before, days.
BACK_D = 365.0
STEPS_A_DAY = 24


@dataclass(frozen=True)
class Past:
    """One batch: days before the same day a year on it was sown, in which tray and cells, at which soil; and what became of it:
    cells lost to what on which day after sowing, when the rest was planted, and what it gave (day, grams or pieces, mark)."""

    id: str
    crop: str
    variety: str
    tray: str
    cells: list[str]
    days_ago: float
    soil_c: float
    source: str
    quicker: float = 1.0
    alive: float | None = None
    depth_mm: float | None = None
    packed_ago: int = 0
    losses: tuple[tuple[int, int, str], ...] = ()
    planted_d: int | None = None
    picked: tuple[tuple[int, float], ...] = ()
    pieces: bool = False
    mark: int | None = None
    notes: tuple[tuple[int, str], ...] = ()


def _past() -> list[Past]:
    swap, saved, post = "Swap table at the lock-keeper's", "Saved at home", "By post from Aunt Wilhelmine"
    left, right = cells(range(1, 5), range(1, 4)), cells(range(1, 5), range(4, 7))
    rows = [cells(range(a, a + 2), range(1, 7)) for a in (1, 3)]
    return [
        Past("leek-y1", "leek", "Grey Sluice", "A", left, 88, 14.0, post, losses=((30, 1, "dried out"),), planted_d=78,
             picked=((190, 1900.0), (215, 1400.0)), mark=4),
        Past("leek-y2", "leek", "Lock Gate", "A", right, 88, 14.0, swap, 0.72, losses=((30, 2, "dried out"),), planted_d=78,
             picked=((190, 1250.0), (215, 1100.0)), mark=3, notes=((60, "Lock Gate stays thin, whatever it gets."),)),
        Past("celeriac-y1", "celeriac", "Lockkeeper", "B", rows[0], 84, 21.0, swap, losses=((40, 1, "cat"),), planted_d=82,
             picked=((205, 4200.0),), mark=5),
        Past("celeriac-y2", "celeriac", "Old Dredger", "B", rows[1], 84, 21.0, saved, 0.8, 0.30, packed_ago=3,
             losses=((45, 1, "fell over at the soil line"),), planted_d=82, picked=((205, 600.0),), mark=3,
             notes=((24, "Hardly any of the saved celeriac came. Test it before sowing it again."),)),
        Past("tomatillo-y1", "tomatillo", "Barge Lantern", "C", cells(range(1, 3), range(1, 5)), 62, 25.5, saved,
             planted_d=58, picked=((128, 800.0), (140, 1500.0), (155, 1200.0)), mark=4),
        Past("pak-choi-y1", "pak_choi", "Towpath", "D", left, 80, 17.5, swap, depth_mm=8, losses=((14, 1, "slugs"),),
             planted_d=36, picked=((66, 1300.0),), mark=4),
        Past("pak-choi-y2", "pak_choi", "Towpath", "D", right, 80, 17.5, swap, 0.87, depth_mm=20, losses=((14, 1, "slugs"),),
             planted_d=36, picked=((68, 1150.0),), mark=4),
        Past("statice-y1", "statice", "Ferry Blue", "F", cells(range(1, 4), range(1, 4)), 70, 18.5, post,
             losses=((21, 3, "fell over at the soil line"), (23, 2, "fell over at the soil line")), planted_d=64,
             picked=((140, 24.0),), pieces=True, notes=((22, "Two wet days under the cover, and half of it fell."),)),
        Past("cosmos-y1", "cosmos", "Lamplighter", "F", cells(range(1, 4), range(4, 6)), 44, 19.5, saved, planted_d=38,
             picked=((92, 30.0),), pieces=True),
        Past("parsley-y1", "parsley", "Flat Bottom", "G", cells(range(1, 4), range(1, 7)), 86, 18.0, post,
             losses=((50, 2, "dried out"),), planted_d=76, picked=((120, 500.0),), mark=4),
        Past("shiso-y1", "shiso", "Wharf Red", "H", cells(range(1, 4), range(1, 6)), 66, 21.5, swap, alive=0.6, planted_d=60,
             picked=((105, 260.0),), mark=5),
        Past("snapdragon-y1", "snapdragon", "Bargee's Coat", "S", cells(range(1, 4), range(1, 7)), 84, 19.0, swap,
             losses=((33, 2, "fell over at the soil line"),), planted_d=80, picked=((150, 40.0),), pieces=True),
    ]  # fmt: skip


#: Asked before anything was sown: what differs, what is measured, and which batches answer.
TRIALS: list[dict[str, Any]] = [
    {"id": "which-leek", "name": "Which leek comes sooner?", "crop": "leek", "differs": "variety", "see": 2.0, "cells": 12,
     "groups": [{"name": "Grey Sluice", "batches": ["leek-y1"]}, {"name": "Lock Gate", "batches": ["leek-y2"]}]},
    {"id": "how-deep", "name": "Does pak choi mind 20 mm?", "crop": "pak_choi", "differs": "depth", "see": 1.0, "cells": 12,
     "groups": [{"name": "8 mm", "batches": ["pak-choi-y1"]}, {"name": "20 mm", "batches": ["pak-choi-y2"]}]},
]  # fmt: skip


def add_last_season(journal: dict[str, Any], end: datetime, zone: ZoneInfo, seed: int, by: str) -> None:
    """Add the season of the year before to a journal of this one, which holds its trays. Deterministic."""
    until = end - timedelta(days=BACK_D)
    for ago, kind, fields in SET:
        at = (until - timedelta(days=ago)).astimezone(zone).replace(hour=10, minute=20, second=0, microsecond=0)
        journal["events"].append({"by": by, "at": at.isoformat(timespec="seconds"), "kind": kind, **fields})
    asked = (until - timedelta(days=90)).astimezone(zone).isoformat(timespec="seconds")
    journal["trials"] = [{**t, "made_at": asked} for t in TRIALS]
    by_tray: dict[str, list[Past]] = {}
    for p in _past():
        by_tray.setdefault(p.tray, []).append(p)
    for i, (tray, sown) in enumerate(by_tray.items()):
        _Tray(journal, tray, until, zone, np.random.default_rng([seed, 1_000 + i]), by, sown).play()


#: Lamps and mats of that season: from how many days before the same day a year on, which, and what was set.
SET: list[tuple[float, str, dict[str, Any]]] = [
    (82, "lamp", {"lamp": "lamp-1", "place": "box-top", "height_mm": 220, "on": "07:00", "off": "21:00"}),
    (80, "lamp", {"lamp": "lamp-2", "place": "box-mid", "height_mm": 240, "on": "07:00", "off": "21:00"}),
    (84, "mat", {"mat": "mat-1", "tray": "B", "on": True, "setpoint_c": 21.5}),
    (66, "mat", {"mat": "mat-1", "tray": "B", "on": False}),
    (62, "mat", {"mat": "mat-2", "tray": "C", "on": True, "setpoint_c": 26.0}),
    (49, "mat", {"mat": "mat-2", "tray": "C", "on": False}),
    (6, "lamp", {"lamp": "lamp-1", "on": False}), (4, "lamp", {"lamp": "lamp-2", "on": False}),
]  # fmt: skip
#: Where the trays stood.
PLACES = {"A": "landing-sill", "B": "box-low", "C": "box-low", "D": "box-top", "F": "box-top", "G": "box-mid", "H": "box-mid",
          "S": "box-mid"}  # fmt: skip


class _Tray:
    """One tray of that season, from its first sowing until the last of it was planted."""

    def __init__(
        self, journal: dict[str, Any], id: str, until: datetime, zone: ZoneInfo, rng: np.random.Generator, by: str,
        sown: list[Past],
    ) -> None:  # fmt: skip
        self.journal, self.id, self.rng, self.by, self.sown = journal, id, rng, by, sown
        first_ago = max(p.days_ago for p in sown)
        self.first = (until - timedelta(days=first_ago)).astimezone(zone).replace(hour=10, minute=0, second=0, microsecond=0)
        self.days = int(first_ago - min(p.days_ago for p in sown)) + 60
        hours = np.arange(self.days * STEPS_A_DAY)
        knots = np.arange(0, hours[-1] + 72, 72)
        weather = np.interp(hours, knots, rng.normal(0, 0.5, len(knots)))
        self.soil_c = sown[0].soil_c + 1.0 * np.cos((hours - 5) / 24 * 2 * np.pi) + weather

    def at(self, day: float, hour: int, minute: int = 0) -> str:
        return (self.first + timedelta(days=day)).replace(hour=hour, minute=minute).isoformat(timespec="seconds")

    def done(self, day: float, hour: int, kind: str, minute: int = 0, **fields: Any) -> None:
        self.journal["events"].append({"by": self.by, "at": self.at(day, hour, minute), "kind": kind, **fields})

    def play(self) -> None:
        first_ago = max(p.days_ago for p in self.sown)
        self.done(-1, 9, "placed", tray=self.id, place=PLACES[self.id])
        last_d = max(self.batch(p, int(first_ago - p.days_ago)) for p in self.sown)
        for day in range(int(last_d) + 1):
            for hour, minute in ((8, 0), (20, 0)):
                h = 24 * day + hour - 10
                if h >= 0:
                    value = round(float(self.soil_c[h]) + float(self.rng.normal(0, 0.25)), 1)
                    self.journal["readings"].append({
                        "at": self.at(day, hour, minute), "place": self.id, "quantity": "soil_temperature", "value": value,
                        "unit": "degC", "source": "by-hand",
                    })  # fmt: skip
        for day in range(3, max(p.planted_d or 0 for p in self.sown), 3):
            ml = int(self.rng.choice([250, 300, 350]))
            self.done(day, 8, "watered", int(self.rng.integers(0, 40)), tray=self.id, how="below", ml=ml)

    def batch(self, p: Past, day_0: int) -> float:
        """Play one batch that is sown so many days after the tray's first; the day its cover is long off."""
        sown = self.first + timedelta(days=day_0)
        lot = f"lot-{p.crop.replace('_', '-')}-{''.join(c for c in p.variety.lower() if c.isalpha())}-y"
        if all(x["id"] != lot for x in self.journal["seed_lots"]):
            self.journal["seed_lots"].append({
                "id": lot, "crop": p.crop, "variety": p.variety, "source": p.source, "packed": sown.year - p.packed_ago,
            })  # fmt: skip
        batch = {
            "id": p.id, "crop": p.crop, "variety": p.variety, "seed_lot": lot, "tray": p.tray, "cell_list": p.cells,
            "cells": len(p.cells), "seeds_per_cell": 2, "sown_at": sown.isoformat(timespec="seconds"), "set_up": "in_mix",
            "covered_with": "mix", "mix": {"kind": "seed_mix", "clean": True, "fed": False},
        }  # fmt: skip
        self.journal["batches"].append(batch | ({"depth_mm": p.depth_mm} if p.depth_mm else {}))
        truth = Truth(p.crop, self.rng, p.alive)
        progress = np.cumsum(truth.rate_per_day(self.soil_c[24 * day_0 :])) / STEPS_A_DAY * p.quicker
        waits = truth.waits(self.rng, 2 * len(p.cells)).reshape(len(p.cells), 2).min(axis=1)
        up_d = np.where(waits < progress[-1], np.searchsorted(progress, waits) / STEPS_A_DAY, np.inf)
        come = np.sort(up_d[np.isfinite(up_d)])
        seen: list[str] = []
        for day in range(int(come[-1]) + 2):
            up = [c for c, d in zip(p.cells, up_d, strict=True) if d <= day + 9.6 / 24]
            if len(up) > len(seen):
                seen = up
                self.done(day_0 + day, 19, "count", 36, batch=p.id, cells_up=len(up), cell_list=up)
        half_d = float(come[len(come) // 2])
        if p is self.sown[0]:
            self.done(day_0, 10, "cover", 10, tray=p.tray, on=True)
            self.done(day_0 + round(half_d) + 1, 19, "cover", 40, tray=p.tray, on=False)
        self.done(day_0 + round(half_d) + 1, 19, "moved_to_light", 41, batch=p.id)
        self.after(p, day_0, len(seen))
        return day_0 + float(come[-1]) + 14.0

    def after(self, p: Past, day_0: int, up: int) -> None:
        """What became of a batch once it was up."""
        lost = 0
        for day, n, why in p.losses:
            gone = min(n, up - lost)
            if gone > 0:
                self.done(day_0 + day, 18, "lost", 5, batch=p.id, cells=gone, why=why)
                lost += gone
                if why.startswith("fell"):
                    self.done(day_0 + day, 18, "sign", batch=p.id, sign="fallen_pinched_base", cells=gone)
        for day, text in p.notes:
            self.done(day_0 + day, 20, "note", batch=p.id, text=text)
        left = up - lost
        if p.planted_d is None or left <= 0:
            return
        self.done(day_0 + p.planted_d, 11, "planted", batch=p.id, count=left)
        share = left / len(p.cells)
        for i, (day, amount) in enumerate(p.picked):
            got = {"pieces": round(amount * share)} if p.pieces else {"grams": round(amount * share)}
            self.done(day_0 + day, 18, "harvest", batch=p.id, first=i == 0, **got)
        if p.mark is not None and p.picked:
            self.done(day_0 + p.picked[0][0], 20, "taste", batch=p.id, mark=p.mark)
        well = "well" if p.mark is None or p.mark > 3 else "middling"
        self.done(day_0 + p.planted_d + 20, 18, "check", batch=p.id, what="health", result=well)
