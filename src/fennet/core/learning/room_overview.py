"""What was learned of a room, line by line, as it stands now: by what it was in months past and by its own record since."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.crop import LEARNED_HERE
from fennet.core.drying import dry_down
from fennet.core.learning.corrections import OF_ROOM, own_of_room
from fennet.core.learning.room import RoomLearned, ageing
from fennet.core.lighting.curve import lamp_curve
from fennet.core.records import Event, Journal, Lamp
from fennet.core.room import in_trays
from fennet.core.stages import leafy_since
from fennet.core.tuning.mat_fit import MatFit, MatRecord, fit_mat, usual_of
from fennet.core.tuning.mats import MatSetting
from fennet.core.working import Input, Interval, Working

_P90 = 1.2816
#: Stretches between waterings, and hours on a mat, that show anything of late.
LEAST_STRETCHES, LEAST_HOURS = 2, 24


@dataclass(frozen=True)
class RoomLine:
    """One thing learned of the room. `measure` drying: a tray's loss of water, times what is usual for one like it; offset: how
    far its soil stands over its mat's set-point, °C; lift: what the mat lifts it at most, °C; output: what a lamp gives at
    150 mm, µmol m⁻² s⁻¹; ageing: the share that it loses by each thousand hours. `thing` a tray or lamp, `mat` the one below;
    with its 80 % range; by how many months past, and `lately` how many stretches, hours or readings since; whether it is the
    grower's own; and its working."""

    measure: str
    thing: str
    mat: str
    value: Interval[float]
    months: int
    lately: int
    own: bool
    working: Working


class _Told:
    """The lessons that are learned from, by what they are of: how many months each has."""

    def __init__(self, of: RoomLearned) -> None:
        self._months = Counter((m, x.thing, x.tray if m in ("offset", "lift") else "") for m in OF_ROOM for x in of.told(m))

    def months(self, measure: str, thing: str, tray: str) -> int:
        return self._months[(measure, thing, tray)]


def room_lines(
    of: RoomLearned, journal: Journal, events: Sequence[Event], settings: Sequence[MatSetting], at_s: float
) -> list[RoomLine]:
    """Every line of trays, then of lamps, in the order of the set-up: of those that showed anything. `journal` with what is usual
    of its room; `events` are effective events; `settings` of the mats in use. Source: learned_here, empirical_bayes."""
    told, out = _Told(of), []
    now = {(s.mat.id, t.tray): t.fit for s in settings for t in s.trays}
    for tray in (t.id for t in journal.trays if t.until is None or t.until.timestamp() > at_s):
        out += _dries(of, told, journal, tray, events, at_s)
        for mat in journal.mats:
            fit = now.get((mat.id, tray)) or fit_mat(MatRecord.nothing(), False, usual_of(journal, mat.id, tray))
            out += _warms(of, told, mat.id, tray, fit)
    for lamp in (x for x in journal.lamps if x.until is None or x.until.timestamp() > at_s):
        out += _gives(of, told, journal, lamp, events, at_s)
    return out


def _dries(
    of: RoomLearned, told: _Told, journal: Journal, tray: str, events: Sequence[Event], at_s: float
) -> list[RoomLine]:  # fmt: skip
    leafy_s = leafy_since(in_trays(journal.batches, events, at_s).get(tray, []), events, at_s)
    d, months = dry_down(journal, tray, events, at_s, leafy_s), told.months("drying", tray, "")
    own = own_of_room(of.corrections, "drying", tray) is not None
    if not months and d.cycles < LEAST_STRETCHES and not own:
        return []
    return [RoomLine("drying", tray, "", _times(d.times, d.log_sd), months, d.cycles, own, d.working)]


def _warms(of: RoomLearned, told: _Told, mat: str, tray: str, fit: MatFit) -> list[RoomLine]:
    own = own_of_room(of.corrections, "lift", tray) is not None
    lately = fit.hours if fit.hours >= LEAST_HOURS else 0
    sd = np.sqrt(np.diag(fit.covariance))
    out = []
    for measure, i, seen in (("offset", 0, lately > 0), ("lift", 3, lately > 0 and fit.at_limit_share > 0)):
        months, is_own = told.months(measure, mat, tray), own and measure == "lift"
        if months or seen or (is_own and lately):
            middle, off = float(fit.mean[i]), _P90 * float(sd[i])
            name = "soil over the set-point" if measure == "offset" else "lift flat out"
            working = Working(
                name,
                (
                    Input("months of it before", months, "", LEARNED_HERE),
                    Input("settled hours of the last four weeks", fit.hours, "", "readings"),
                    Input("sd", round(float(sd[i]), 2), "°C"),
                ),
                "the months before drawn together over mats and trays, and from there by least squares over the hours since",
                ("empirical_bayes", LEARNED_HERE), "this mat under this tray", round(middle, 1), "°C",
            )  # fmt: skip
            out.append(
                RoomLine(measure, tray, mat, Interval(middle - off, middle, middle + off), months, lately, is_own, working)
            )
    return out


def _gives(
    of: RoomLearned, told: _Told, journal: Journal, lamp: Lamp, events: Sequence[Event], at_s: float
) -> list[RoomLine]:  # fmt: skip
    curve, months = lamp_curve(journal, lamp, events, at_s), told.months("output", lamp.id, "")
    out = []
    if months or curve.points:
        level, sd = float(curve.mean[0]), math.sqrt(max(float(curve.covariance[0, 0]), 0.0))
        value = _times(math.exp(level), sd)
        out.append(RoomLine("output", lamp.id, "", value, months, len(curve.points), False, curve.working()))
    aged = ageing(of, lamp.id, lamp.kind or "")
    if aged is not None:
        f, burned_kh = aged
        lost = Interval(*sorted(1.0 - math.exp(f.off + z * f.sd) for z in (-_P90, 0.0, _P90)))
        working = Working(
            "what a lamp loses as it burns",
            (
                Input("months of readings", f.rests_on, "", LEARNED_HERE),
                Input("burned between the first and the last of them", round(1000 * burned_kh), "h", "its timer"),
            ),
            "what it gave in each month against the hours it had burned, drawn to what such lamps lose by how little that tells",
            ("starting_estimate", "empirical_bayes", LEARNED_HERE), "by its timer since it was first set",
            round(100 * lost.p50, 1), "% by each thousand hours",
        )  # fmt: skip
        out.append(RoomLine("ageing", lamp.id, "", lost, f.rests_on, 0, False, working))
    return out


def _times(middle: float, sd: float) -> Interval[float]:
    return Interval(middle * math.exp(-_P90 * sd), middle, middle * math.exp(_P90 * sd))
