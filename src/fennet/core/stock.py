"""Seed in the box: what is left of each lot after what was sown from it."""

from __future__ import annotations

from datetime import UTC, date, datetime, time

from fennet.core.records import Batch, Journal, SeedLot


def seeds_of(batch: Batch) -> int:
    """Seeds that went into a sowing.

    >>> seeds_of(Batch(id="b", crop="leek", sown_at=datetime(2026, 2, 3, tzinfo=UTC), cells=12, seeds_per_cell=2))
    24
    """
    return batch.seeds or batch.n_cells * batch.n_seeds_per_cell


def seeds_left(journal: Journal, at_s: float) -> dict[str, int]:
    """Seeds left by lot at a moment, for lots that were counted: the count less what was sown and tested since.

    A lot without `counted_on` was counted when it came: everything sown from it is taken off. Batches moved from another
    take no seed. Never under nought.
    """
    out = {}
    for lot in journal.seed_lots:
        if lot.seeds is None:
            continue
        used = sum(
            seeds_of(b) for b in journal.batches
            if b.seed_lot == lot.id and b.from_batch is None and b.sown_at.timestamp() <= at_s and _since(lot, b.sown_at)
        )  # fmt: skip
        tested = sum(t.sown for t in lot.tests if _day_s(t.on) <= at_s and (lot.counted_on is None or t.on > lot.counted_on))
        out[lot.id] = max(0, lot.seeds - used - tested)
    return out


def _since(lot: SeedLot, sown_at: datetime) -> bool:
    return lot.counted_on is None or sown_at.date() > lot.counted_on


def _day_s(day: date) -> float:
    return datetime.combine(day, time(), UTC).timestamp()
