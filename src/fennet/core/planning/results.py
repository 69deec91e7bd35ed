"""What came of a want: sown, up, lost, planted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.history import counts_of
from fennet.core.records import Batch, Event, Journal, Want
from fennet.core.stock import seeds_of


@dataclass(frozen=True)
class Result:
    """Of the batches sown for a want: how many, cells or seeds up of those sown, plants set out."""

    batches: tuple[str, ...] = ()
    up: int = 0
    of: int = 0
    planted: int = 0
    seeds: int = 0


def results_of(want: Want, journal: Journal, events: Sequence[Event], at_s: float) -> Result:
    """What came of a want by a moment: of the batches that name it, else of those of its crop and variety in the last year."""
    year_s = 366 * 86_400.0
    mine = [b for b in journal.batches if want.id and b.want == want.id]
    if not mine:
        mine = [
            b for b in journal.batches
            if b.crop == want.crop and (not want.variety or (b.variety or "").casefold() == want.variety.casefold())
            and at_s - year_s <= b.sown_at.timestamp() <= at_s
        ]  # fmt: skip
    sown = [b for b in mine if b.from_batch is None]
    if not sown:
        return Result()
    family = _family({b.id for b in mine}, journal.batches)
    planted = sum(int(e.fields.get("count") or 0) for e in events if e.kind == "planted" and e.fields.get("batch") in family)
    raised = [b for b in sown if b.from_seed]
    counts = [counts_of(b, events) for b in raised]
    return Result(
        tuple(b.id for b in sown), sum(c.up for c in counts), sum(c.of for c in counts),
        planted, sum(seeds_of(b) for b in raised),
    )  # fmt: skip


def _family(ids: set[str], batches: Sequence[Batch]) -> set[str]:
    """Batches and whatever was moved out of them."""
    out, grew = set(ids), True
    while grew:
        more = {b.id for b in batches if b.from_batch in out} - out
        out, grew = out | more, bool(more)
    return out
