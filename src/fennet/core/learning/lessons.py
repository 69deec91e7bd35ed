"""What one batch taught, once nothing more of it was waited for: its pace, its spread of waits and the share of it that lived,
each against what the table, the packet and its own record led one to expect.

Looked at by itself, as if nothing else had ever been grown: what is drawn together from many must not rest on itself.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import betaincinv, ndtri

from fennet.core import emergence as em
from fennet.core.batch_model import BatchModel
from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, moisture_record, soil_record
from fennet.core.history import counts_of, ended_s
from fennet.core.house import house_soil
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.scoring import settled_s
from fennet.core.seed import fresh_seed, sown_seed
from fennet.core.sowing import sowing_effect

#: A finding that leaves more than this part of what was in doubt tells nothing.
TELLS_NOTHING = 0.97
#: Of seed that has had less of its wait than this nobody can say how much of it lives; the rest of the wait leaves so much in
#: doubt, in probits. Source: starting_estimate.
WAITED_LEAST, WAITED_DOUBT = 0.5, 2.0
#: What was read so many days before sowing may still fill a gap after it.
BEFORE_D = 4.0


@dataclass(frozen=True)
class Told:
    """One thing a batch told: off the table by so much, and the variance of that from this batch alone."""

    off: float
    var: float


@dataclass(frozen=True)
class Lesson:
    """What a batch taught by the time it was settled (seconds UTC): `pace` log of its rate, `spread` log of its spread of waits,
    `alive` probit of its share alive; None where it told nothing. `basis` what its warmth is known by, and `warmth_log_sd` what
    that may be off."""

    batch: str
    crop: str
    variety: str
    lot: str
    year: int
    settled_s: float
    basis: str
    warmth_log_sd: float
    pace: Told | None
    spread: Told | None
    alive: Told | None


def lesson_s(batch: Batch, events: Sequence[Event], at_s: float) -> float | None:
    """When a batch has taught what it can, seconds UTC; None while more is waited for, and for one that teaches nothing of seed:
    that was bought, or parted from another, or never counted."""
    if batch.from_batch is not None or not batch.from_seed or batch.set_up == "towel":
        return None
    counts = counts_of(batch, events)
    if not counts.at_s:
        return None
    done_s = settled_s(counts, batch.sown_at.timestamp(), ended_s(batch, events), at_s)
    return None if done_s is None or done_s <= batch.sown_at.timestamp() else done_s


def lesson(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], done_s: float) -> Lesson | None:
    """What a batch taught by `done_s` (seconds UTC), when it was settled; None where its record does not carry it. `crop` as the
    table has it. `events` are effective events. Source: empirical_bayes; the models it rests on name their own.
    """
    known = [e for e in events if e.at_s <= done_s]
    counts = counts_of(batch, known)
    soil = soil_record(journal, batch, known, done_s)
    if soil.gap_reason == "no_readings":
        soil = house_soil(journal, batch, known, done_s)
    elif soil.gap_reason:
        return None
    moisture_pct, _ = moisture_record(journal, batch, known, soil.grid_s, done_s)
    seed, fresh, sowing = sown_seed(journal, crop, batch), fresh_seed(journal, crop, batch), sowing_effect(crop, batch)
    model = BatchModel(batch, crop, soil, moisture_pct, counts, seed, fresh, sowing, done_s)
    doubt_var = model.dry_log_sd**2 + (1.0 - em.WARMTH_STAYS) * model.warmth_log_sd**2
    belief = model.belief
    k, sigma = np.log(belief.k), np.log(belief.sigma / crop.wait_sigma)
    some = counts.up > 0
    lot = next((x for x in journal.seed_lots if x.id == batch.seed_lot), None)
    return Lesson(
        batch.id, crop.id, variety_of(journal, batch), lot.id if lot is not None else "",
        batch.sown_at.astimezone(journal.garden.zone).year, done_s, soil.basis, model.warmth_log_sd,
        _told(belief, k, 0.0, model.k_log_sd**2, doubt_var) if some else None,
        _told(belief, sigma, 0.0, em.SIGMA_LOG_SD**2 * SPREAD_GRID_VAR) if some else None,
        _alive(model),
    )  # fmt: skip


#: Variance of a normal deviate on the five nodes that the spread of waits is drawn on.
_NODES = np.linspace(-2.0, 2.0, em.N_SIGMA)
SPREAD_GRID_VAR = float((np.exp(-0.5 * _NODES**2) * _NODES**2).sum() / np.exp(-0.5 * _NODES**2).sum())


def _told(belief: em.Belief, value: FloatArray, mean: float, var: float, more_var: float = 0.0) -> Told | None:
    """What the counts alone say, from what was believed before (`mean`, `var`) and after them."""
    after = belief.mean(value)
    after_var = max(belief.mean((value - after) ** 2), 1e-6)
    if after_var > TELLS_NOTHING * var:
        return None
    precision = 1.0 / after_var - 1.0 / var
    said = (after / after_var - mean / var) / precision
    return Told(said - mean, 1.0 / precision + more_var)


def _alive(model: BatchModel) -> Told | None:
    """The share of the seed that lives by what came of it, against what label, age, depth and warmth led one to expect; None
    where too little of its wait was over to tell."""
    counts, n = model.counts, model.n_seeds
    waited = model.belief.mean(em.came(model.now, model.belief.k, model.belief.sigma))
    if waited < WAITED_LEAST:
        return None
    cells = (counts.up + 0.5) / (counts.of + 1.0)
    share = 1.0 - (1.0 - cells) ** (1.0 / n)
    share_sd = math.sqrt(cells * (1.0 - cells) / (counts.of + 1.0)) * (1.0 - cells) ** (1.0 / n - 1.0) / n
    # What had not waited long enough may have lived as well.
    alive = min(max(share / waited, 0.003), 0.997)
    probit = float(ndtri(alive))
    density = math.exp(-0.5 * probit**2) / math.sqrt(2.0 * math.pi)
    var = (share_sd / waited / density) ** 2 + (WAITED_DOUBT * (1.0 - waited)) ** 2
    return Told(probit - float(ndtri(betaincinv(model.sound.a, model.sound.b, 0.5))), var)


def variety_of(journal: Journal, batch: Batch) -> str:
    """What a batch's variety is known by: its own word, else its packet's; folded, so that a capital makes no other variety."""
    lot = next((x for x in journal.seed_lots if x.id == batch.seed_lot), None)
    return variety_key(batch.variety or (lot.variety if lot is not None else None))


def variety_key(name: str | None) -> str:
    """A variety's name as it is compared.

    >>> variety_key(" Barge  Lantern "), variety_key(None)
    ('barge lantern', '')
    """
    return " ".join((name or "").split()).casefold()


def read_for(part: Journal, batch: Batch, done_s: float) -> Journal:
    """Of a part of the record all that bears on what a batch taught by `done_s`, and nothing else: so it stands for good."""
    from_s = batch.sown_at.timestamp() - BEFORE_D * DAY_S
    series = []
    for s in part.series:
        first, last = np.searchsorted(s.at_s, [from_s, np.nextafter(done_s, np.inf)])
        if first < last:
            sky = s.daylight[first:last] if s.daylight is not None else None
            series.append(
                replace(
                    s, at_s=s.at_s[first:last], value=s.value[first:last], estimated=s.estimated[first:last], daylight=sky,
                    revision=None,
                )
            )  # fmt: skip
    return Journal(
        garden=part.garden, crops=part.crops, places=part.places, rooms=part.rooms, trays=part.trays, mats=part.mats,
        fans=part.fans, sources=part.sources, seed_lots=[x for x in part.seed_lots if x.id == batch.seed_lot], batches=[batch],
        series=series, events=[e for e in part.events if e.at_s <= done_s],
    )  # fmt: skip
