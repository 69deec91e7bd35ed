"""`./fennet score --room N`: what a room's own past is worth in the first days of a third spring, before anything is read in it,
over drawn rooms whose truth is known."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np

from fennet.answering.answers import Answers
from fennet.cli.score_years import kept
from fennet.core.bearing import record_at
from fennet.core.drying import dry_down
from fennet.core.lighting.curve import lamp_curve
from fennet.core.room_here import RoomHere
from fennet.core.tuning.mat_fit import MatRecord, air_over, fit_mat, soil_by, usual_of
from fennet.journal.reader import read_journal
from fennet.simulated_room.room_of_years import SETPOINT_C, room_of_years

_P90 = 1.2816
#: Where a lamp is asked about, mm under its face.
AT_MM = 200.0


@dataclass
class RoomScore:
    """Of figures given before anything was read: whether the range held, how wide it was (as a log, or °C) and how far its middle
    was off."""

    held: list[bool] = field(default_factory=list)
    wide: list[float] = field(default_factory=list)
    off: list[float] = field(default_factory=list)

    def add(self, middle: float, sd: float, true: float) -> None:
        self.held.append(abs(true - middle) <= _P90 * sd)
        self.wide.append(2 * _P90 * sd)
        self.off.append(abs(true - middle))

    def line(self, name: str) -> str:
        return (
            f"  {name}: {len(self.held)} asked, range held {np.mean(self.held):.0%}, {np.mean(self.wide):.2f} wide, "
            f"middle off by {np.mean(self.off):.2f}"
        )


def score_room(seeds: Iterable[int], learns: bool = True) -> dict[str, RoomScore]:
    """The figures of drawn rooms by what they are of, old things and new ones apart; as if nothing were learned where `learns` is
    false."""
    out: dict[str, RoomScore] = {}
    for seed in seeds:
        truth = room_of_years(seed)
        at_s = truth.at.timestamp()
        j = Answers(record_at(kept(read_journal(truth.journal).with_series()), at_s), at_s, exactly=True).journal
        j = j if learns else replace(j, here=RoomHere())

        def score(of: str, *things: str, new: frozenset[str] = truth.new) -> RoomScore:
            return out.setdefault(f"{of}, {'new' if set(things) & new else 'old'}", RoomScore())

        for tray, loses in truth.loses.items():
            d = dry_down(j, tray, j.events, at_s)
            score("loss of water (log)", tray).add(math.log(d.per_day), d.log_sd, math.log(loses))
        for (mat, tray), soil_c in truth.soil_c.items():
            fit = fit_mat(MatRecord.nothing(), False, usual_of(j, mat, tray))
            air = np.nan_to_num(air_over(j, tray, j.events, np.arange(at_s - 23 * 3600.0, at_s + 1.0, 3600.0)), nan=18.0)
            drawn = soil_by(fit.draws(400)[:, None, :], SETPOINT_C, air).mean(axis=1)
            score("soil on a mat (°C)", mat, tray).add(float(drawn.mean()), float(drawn.std()), soil_c)
        for lamp in j.lamps:
            middle, sd = lamp_curve(j, lamp, j.events, at_s).log_at(AT_MM)
            score("light under a lamp (log)", lamp.id).add(middle, sd, math.log(truth.gives_umol[lamp.id]))
    return out


def print_room(n: int) -> int:
    """Print both."""
    for name, learns in (("as learned", True), ("nothing learned", False)):
        print(f"{name}, {n} rooms")
        print("\n".join(s.line(of) for of, s in sorted(score_room(range(1, n + 1), learns).items())))
    return 0
