"""The lines of a sowing day: what goes from which packet into which cells, how deep, under what, and where it stands."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from fennet.core.mixing import cells_l, pots_l
from fennet.core.planning.plan import Plan, Planned
from fennet.core.records import Event, Journal
from fennet.core.room import RoomState, free_cells
from fennet.core.sowing import depth_by_school_mm

#: The covering a practice asks for, as a batch records it.
COVERING_OF = {"sieved_mix": "mix", "vermiculite": "vermiculite", "perlite": "perlite"}

#: Cells this many times the usual are pots: seed is not sown in them. Source: growers_rule.
POTS_FROM = 2.5


@dataclass(frozen=True)
class Line:
    """One variety of a sowing day. `places` are (tray, cells) with room for it now, in order; `short` cells find none.

    `mat` is a free mat for it, None where it needs none or none is free; `depth_mm` 0 is pressed in and left uncovered.
    """

    p: Planned
    places: tuple[tuple[str, tuple[str, ...]], ...]
    short: int
    depth_mm: float
    covered_with: str
    mat: str | None

    @property
    def setpoint_c(self) -> float | None:
        return self.p.heat.soil_c if self.p.on_mat and self.p.heat else None


def lines_of(plan: Plan, day: date, journal: Journal, events: Sequence[Event], state: RoomState, at_s: float) -> list[Line]:
    """What a day's sowing is, one variety after the other, kin apart so that look-alikes are not mixed up.

    Cells are given out tray by tray, empty trays first, so that what wants a mat does not land among what stands without.
    """
    due = [p for p in plan.sowings if p.sow_on == day and p.draft.much.cells > 0]
    by_id = {t.id: t for t in journal.trays}
    free = {
        t: cells for t, cells in free_cells(journal, events, at_s).items() if not _is_pots(by_id[t].cell_ml, plan.tray.fill_ml)
    }
    whole = {t: len(cells) for t, cells in free.items()}
    sizes = {t.id: (t.rows or 0) * (t.columns or 0) for t in journal.trays}
    mats = [m.id for m in journal.mats if not (state.mats[m.id].trays if m.id in state.mats else ())]
    given_mat: dict[str, str] = {}
    home: dict[str, str] = {}
    out = []
    for p in _in_order(due):
        mate = next((home[name] for name in p.shares if name in home), None)
        order = sorted(free, key=lambda t: (t != mate, whole[t] < sizes[t], sizes[t] != plan.tray.cells, -len(free[t]), t))
        # A towel lies in a bag: only what lives is given a cell, days later.
        wanted = 0 if p.draft.much.set_up == "towel" else p.draft.much.cells
        places: list[tuple[str, tuple[str, ...]]] = []
        for tray in order:
            # A tray that others of the day began is for its own company only.
            if not free[tray] or (tray in home.values() and tray != mate and p.name not in home):
                continue
            took = tuple(free[tray][: wanted - sum(len(c) for _, c in places)])
            if took:
                places.append((tray, took))
                free[tray] = free[tray][len(took) :]
            if sum(len(c) for _, c in places) >= wanted:
                break
        if places:
            home[p.name] = places[0][0]
        mat = None
        if p.on_mat and places:
            tray = places[0][0]
            on = state.trays[tray].mat if tray in state.trays else None
            mat = on or given_mat.get(tray) or (mats.pop(0) if mats else None)
            if mat:
                given_mat[tray] = mat
        crop, practice = p.draft.crop, p.draft.practice
        depth = depth_by_school_mm(crop, practice["depth"])
        covering = "none" if depth <= 0 else COVERING_OF[practice["covering"]]
        out.append(Line(p, tuple(places), wanted - sum(len(c) for _, c in places), depth, covering, mat))
    return out


def _is_pots(cell_ml: float | None, usual_ml: float) -> bool:
    """Whether a tray holds pots rather than cells to sow in."""
    return cell_ml is not None and cell_ml > POTS_FROM * usual_ml


@dataclass(frozen=True)
class Filling:
    """Cells and pots that want mix, and the litres they hold."""

    cells: int
    pots: int
    litres: float


def to_fill(plan: Plan, sown_on: date | None = None, sown: bool = True, potted: bool = False) -> Filling:
    """What is to be filled for the sowings of a day (None: of the season), for what is potted up later, or both.

    What is pricked apart goes into cells again, what is potted up into pots of the crop's size.
    """
    listed = [p for p in plan.sowings if p.sow_on and (sown_on is None or p.sow_on == sown_on)]
    cells, pots, litres = sum(p.draft.much.cells for p in listed) if sown else 0, 0, 0.0
    for p in listed if potted else ():
        pot_mm = p.draft.crop.planting.pot_mm
        if not p.pot_up_on:
            continue
        if p.draft.much.set_up == "crowd" or not pot_mm:
            cells += p.draft.much.wanted
        else:
            pots += p.draft.much.wanted
            litres += pots_l(p.draft.much.wanted, pot_mm)
    return Filling(cells, pots, litres + cells_l(cells, plan.tray.fill_ml))


def _in_order(due: Sequence[Planned]) -> list[Planned]:
    """As far as it goes no two kinds of one family after each other: of the families the one with most left comes next."""
    left = sorted(due, key=lambda p: (p.draft.crop.name, p.name))
    out: list[Planned] = []
    while left:
        last = out[-1].draft.crop.family if out else ""
        families = Counter(p.draft.crop.family for p in left)
        p = max(left, key=lambda p: (p.draft.crop.family != last, families[p.draft.crop.family], -left.index(p)))
        left.remove(p)
        out.append(p)
    return out
