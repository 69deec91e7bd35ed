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

    A lot without `counted_at` was counted when it came: everything sown from it is taken off. Batches moved from another
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
        tested = sum(t.sown for t in lot.tests if _day(t.on).timestamp() <= at_s and _since(lot, _day(t.on)))
        out[lot.id] = max(0, lot.seeds - used - tested)
    return out


def _since(lot: SeedLot, at: datetime) -> bool:
    return lot.counted_at is None or at > lot.counted_at


def _day(day: date) -> datetime:
    return datetime.combine(day, time(), UTC)
