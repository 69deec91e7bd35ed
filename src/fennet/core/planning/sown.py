"""What is left to sow of a want: its batches are held against its sowings, cell by cell."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta

from fennet.core.planning.drafts import Draft
from fennet.core.records import Batch, Journal, Want

#: A sowing is done when no more than this part of its cells is left. Source: growers_rule.
REST_PART = 0.25
#: A batch that names no want stands for one of its kind sown within so many days of its range. Source: growers_rule.
NEAR_D = 10


def batches_of(want: Want, journal: Journal) -> list[Batch]:
    """The batches sown for a want: those that name it and were not moved out of another."""
    return [b for b in journal.batches if want.id and b.want == want.id and b.from_batch is None]


def begun_on(want: Want, journal: Journal) -> date | None:
    """The day a want was first sown for; None while it was not. What follows is dated from there, not from today."""
    return min((journal.garden.day_of(b.sown_at) for b in batches_of(want, journal)), default=None)


def still_to_sow(draft: Draft, parts: Sequence[Draft], journal: Journal) -> list[Draft]:
    """The parts of a sowing that no batch stands for yet, each with the cells that are left of it.

    A batch that says which sowing it was counts for that one by its cells; one that names the want alone, for a whole sowing a
    day; and where nothing names the want, one of its kind sown about then.
    """
    mine = batches_of(draft.want, journal)
    if draft.number <= len({journal.garden.day_of(b.sown_at) for b in mine if not b.sowing}):
        return []
    if not mine:
        return [] if _alike_sown(draft, journal) else list(parts)
    cells: Counter[str] = Counter()
    for b in mine:
        if b.sowing and b.sowing.split(".")[0] == str(draft.number):
            # A towel is laid as a whole: its cells come later.
            cells[b.sowing] += draft.much.cells if b.set_up == "towel" else b.n_cells
    loose = sum(n for key, n in cells.items() if key not in {p.key for p in parts})
    out = []
    for part in parts:
        sown = cells[part.key]
        if not sown:
            sown = min(loose, part.much.cells)
            loose -= sown
        left = part.much.cells - sown
        if left > REST_PART * part.much.cells or not sown:
            out.append(part if not sown else _rest(part, left))
    return out


def _rest(part: Draft, cells: int) -> Draft:
    """The same sowing with only so many cells left."""
    much = part.much
    wanted = max(1, round(much.wanted * cells / much.cells))
    return replace(part, much=replace(much, cells=cells, seeds=cells * much.seeds_per_cell, wanted=wanted))


def _alike_sown(draft: Draft, journal: Journal) -> bool:
    """Whether as many of the kind were sown about then as this sowing's number."""
    if draft.sow_from is None or draft.sow_to is None:
        return False
    first, last = draft.sow_from - timedelta(days=NEAR_D), draft.sow_to + timedelta(days=NEAR_D)
    variety = (draft.want.variety or "").casefold()
    same = [
        b for b in journal.batches
        if b.want is None and b.from_batch is None and b.crop == draft.crop.id
        and first <= journal.garden.day_of(b.sown_at) <= last
        and (not variety or (b.variety or "").casefold() == variety)
    ]  # fmt: skip
    return len(same) >= draft.number
