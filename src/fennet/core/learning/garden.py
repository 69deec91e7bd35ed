"""What a garden has learned of its kinds, varieties and lots from all that was ever sown in it, and each batch's crop as it is
known here."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import sha256
from typing import TypeVar

from fennet.core.crop import LEARNED_HERE, Crop, Here
from fennet.core.growth import Growth
from fennet.core.learning.corrections import Correction, own_figure, pace_off, teaches
from fennet.core.learning.grown import GrownLesson
from fennet.core.learning.lessons import Lesson, Told, variety_key
from fennet.core.learning.pooling import Figure, Found, Pool, Sort, pool
from fennet.core.learning.survival import Outcome
from fennet.core.records import Batch, Journal, SeedLot
from fennet.core.sowing_quantity import SURVIVAL

_T = TypeVar("_T", Lesson, Outcome, GrownLesson)
#: The latest lessons that are drawn together: of older seasons nobody's hands, seed and room are the same any more.
MOST_LESSONS = 400
#: How far apart things usually lie, as log sd of the pace: gardens, kinds in one garden, varieties of a kind, lots of a variety,
#: seasons, kinds within a season, batches. Together they are what one batch of a garden unknown may lie off. Source:
#: starting_estimate.
PACE = (
    Sort("garden", 0.07), Sort("warmth", math.sqrt(0.5)), Sort("crop", 0.12), Sort("variety", 0.14), Sort("lot", 0.05),
    Sort("season", 0.06, odd=True), Sort("crop_season", 0.04),
)  # fmt: skip
PACE_BATCH = Sort("batch", 0.09, odd=True)
#: The same of the spread of waits, as log sd. Source: starting_estimate.
SPREAD = (Sort("garden", 0.08), Sort("crop", 0.15), Sort("variety", 0.14))
SPREAD_BATCH = Sort("batch", 0.11, odd=True)
#: The same of the share alive against label and age, in probits. Source: starting_estimate.
ALIVE = (
    Sort("garden", 0.10), Sort("crop", 0.15), Sort("variety", 0.12), Sort("lot", 0.30), Sort("season", 0.08, odd=True),
)  # fmt: skip
ALIVE_BATCH = Sort("batch", 0.15, odd=True)


#: The same of living to be planted, as the logarithm of the odds against what is usual. Source: starting_estimate.
SURVIVES = (Sort("garden", 0.4), Sort("crop", 0.35), Sort("variety", 0.2), Sort("season", 0.3, odd=True))
SURVIVES_BATCH = Sort("batch", 0.5, odd=True)
#: What usually lives from coming up to growing on, and from there to be planted; together SURVIVAL. Source: starting_estimate.
SEEDLINGS_LIVE, GROWN_ON_LIVE = 0.95, 0.97


#: The same of height, as log sd against the table's: gardens (how much light plants get), kinds, varieties, seasons; and of days
#: from leaf to leaf. Source: starting_estimate (varieties differ by a fifth and more).
HEIGHT = (Sort("garden", 0.25), Sort("crop", 0.15), Sort("variety", 0.15), Sort("season", 0.08, odd=True))
HEIGHT_BATCH = Sort("batch", 0.18, odd=True)
LEAVES = (Sort("garden", 0.12), Sort("crop", 0.15), Sort("variety", 0.08), Sort("season", 0.05, odd=True))
LEAVES_BATCH = Sort("batch", 0.10, odd=True)


#: How far one batch may lie off a grower's own figure of its days, as a log sd. Source: starting_estimate.
OWN_PACE_SD = 0.14


@dataclass(frozen=True)
class Learned:
    """What a garden has learned by a moment: its lessons and outcomes, and what they come to together."""

    lessons: tuple[Lesson, ...]
    outcomes: tuple[Outcome, ...] = ()
    corrections: tuple[Correction, ...] = ()
    grown: tuple[GrownLesson, ...] = ()

    @cached_property
    def known(self) -> Mapping[str, tuple[str, str]]:
        """The crop and variety of every batch that taught anything, by the batch's id."""
        lived, grew = self.outcomes, self.grown
        return (
            {x.batch: (x.crop, x.variety) for x in self.lessons} | {x.batch: (x.crop, x.variety) for x in lived}
            | {x.batch: (x.crop, x.variety) for x in grew}
        )  # fmt: skip

    @cached_property
    def pace(self) -> Pool:
        return pool(PACE, PACE_BATCH, [_found(x, x.pace, PACE) for x in self.told("pace")])

    @cached_property
    def spread(self) -> Pool:
        return pool(SPREAD, SPREAD_BATCH, [_found(x, x.spread, SPREAD) for x in self.told("spread")])

    @cached_property
    def alive(self) -> Pool:
        return pool(ALIVE, ALIVE_BATCH, [_found(x, x.alive, ALIVE) for x in self.told("alive")])

    @cached_property
    def survival(self) -> Pool:
        return pool(SURVIVES, SURVIVES_BATCH, [_survived(x, x.up, x.died, SURVIVAL) for x in self.lived])

    @cached_property
    def seedlings(self) -> Pool:
        """Of what was up, living to grow on."""
        return pool(SURVIVES, SURVIVES_BATCH, [_survived(x, x.up, x.young, SEEDLINGS_LIVE) for x in self.lived])

    @cached_property
    def grown_on(self) -> Pool:
        """Of what grew on, living to be planted."""
        found = [x for x in self.lived if x.up > x.young]
        return pool(SURVIVES, SURVIVES_BATCH, [_survived(x, x.up - x.young, x.died - x.young, GROWN_ON_LIVE) for x in found])

    @cached_property
    def height(self) -> Pool:
        return pool(HEIGHT, HEIGHT_BATCH, [_grew(x, x.height) for x in self.grew("height")])

    @cached_property
    def leaves(self) -> Pool:
        return pool(LEAVES, LEAVES_BATCH, [_grew(x, x.leaves) for x in self.grew("leaves")])

    def grew(self, measure: str) -> list[GrownLesson]:
        """The lessons of growth that say something of one thing, and that nobody told to forget."""
        return [
            x for x in self.grown
            if getattr(x, measure) is not None and teaches(self.corrections, measure, x.crop, x.variety, x.year, x.settled_s)
        ]  # fmt: skip

    def told(self, measure: str) -> list[Lesson]:
        """The lessons that say something of one thing, and that nobody told to forget."""
        return [
            x for x in self.lessons
            if getattr(x, measure) is not None and teaches(self.corrections, measure, x.crop, x.variety, x.year, x.settled_s)
        ]  # fmt: skip

    @cached_property
    def lived(self) -> list[Outcome]:
        """The same of outcomes."""
        return [x for x in self.outcomes if teaches(self.corrections, "survival", x.crop, x.variety, x.year, x.settled_s)]

    def here(self, crop: str, variety: str, lot: str, year: int, but: str | None = None) -> Here | None:
        """What is known here of a sowing of a crop (by its id), a variety and a lot in a year; `but` a batch whose own lesson is
        not to be used. None where nothing was ever learned."""
        names = _names(crop, variety, lot, year)
        lived = self.survival.figure(names) if self.lived else None
        own_share = own_figure(self.corrections, "survival", crop, variety)
        if own_share is not None:
            lived = Figure(log_odds(own_share) - log_odds(SURVIVAL), 0.0, 0, 0, own=True)
        own_days = own_figure(self.corrections, "pace", crop, variety)
        if own_days is None and not any(x.batch != but for measure in ("pace", "spread", "alive") for x in self.told(measure)):
            height, tall, leaves = self._growth(crop, names)
            told_nothing = lived is None and height is None and leaves is None
            return None if told_nothing else Here(survival=lived, height=height, tall=tall, leaves=leaves)
        pace = self._without(self.pace, but, "pace")
        bases = {x.basis for x in self.told("pace")}
        warmth = {basis: pace.figure({"warmth": basis}, of=("warmth",)) for basis in sorted(bases)}
        told, (height, tall, leaves) = pace.figure(names), self._growth(crop, names)
        if own_days is not None:
            told = Figure(pace_off(own_days), OWN_PACE_SD, 0, 0, own=True)
        return Here(
            pace=told,
            spread=self._without(self.spread, but, "spread").figure(names),
            alive=self._without(self.alive, but, "alive").figure(names),
            survival=lived,
            warmth=warmth,
            height=height,
            tall=tall,
            leaves=leaves,
        )

    def _growth(self, crop: str, names: Mapping[str, str]) -> tuple[Figure | None, Figure | None, Figure | None]:
        """How such plants grow here: how tall all in all, what of that is the variety's own nature, and their leaves. A variety's
        nature shows only beside another variety of its kind: else a garden where all is leggy would take it for the nature of
        all."""
        measured = self.grew("height")
        height = self.height.figure(names) if measured else None
        beside = len({x.variety for x in measured if x.crop == crop}) > 1
        tall = self.height.figure(names, of=("variety",)) if beside else None
        return height, tall, self.leaves.figure(names) if self.grew("leaves") else None

    def crop_here(self, crop: Crop, variety: str | None, lot: SeedLot | None, year: int, but: str | None = None) -> Crop:
        """A crop as it is known here of a sowing in a year of a variety and a packet; `but` a batch whose own lesson is left
        out."""
        said = variety_key(variety or (lot.variety if lot is not None else None))
        own = but if but in self._taught else None
        key = (crop.id, said, lot.id if lot is not None else "", year, own)
        if key not in self._known:
            self._known[key] = self.here(*key)
        return as_here(crop, self._known[key])

    @cached_property
    def _taught(self) -> frozenset[str]:
        return frozenset(x.batch for x in self.lessons)

    @cached_property
    def _known(self) -> dict[tuple[str, str, str, int, str | None], Here | None]:
        return {}

    @cached_property
    def fingerprint(self) -> str:
        """What it was learned from, to file under."""
        return sha256(repr((self.lessons, self.outcomes, self.corrections, self.grown)).encode()).hexdigest()

    def _without(self, of: Pool, but: str | None, measure: str) -> Pool:
        told = [x.batch for x in self.told(measure)]
        return of.without(told.index(but)) if but in told else of


def _names(crop: str, variety: str, lot: str, year: int) -> dict[str, str]:
    """What a sowing shares with others. A lot that nobody names may be another one each year."""
    named = f"{crop}|{variety}"
    return {
        "garden": "", "crop": crop, "variety": named, "lot": f"{named}|{lot or year}", "season": str(year),
        "crop_season": f"{crop}|{year}",
    }  # fmt: skip


def _found(x: Lesson, told: Told | None, sorts: Sequence[Sort]) -> Found:
    assert told is not None
    names = _names(x.crop, x.variety, x.lot, x.year) | {"warmth": x.basis}
    used = {s.name for s in sorts}
    return Found(told.off, told.var, {k: v for k, v in names.items() if k in used}, {"warmth": x.warmth_log_sd})


def _survived(x: Outcome, of: int, died: int, usual: float) -> Found:
    """The log odds of living through a part of its life in one batch, against what is usual."""
    share = (of - died + 0.5) / (of + 1.0)
    names = {"garden": "", "crop": x.crop, "variety": f"{x.crop}|{x.variety}", "season": str(x.year)}
    return Found(log_odds(share) - log_odds(usual), 1.0 / ((of + 1.0) * share * (1.0 - share)), names, {})


def _grew(x: GrownLesson, told: Told | None) -> Found:
    assert told is not None
    names = {"garden": "", "crop": x.crop, "variety": f"{x.crop}|{x.variety}", "season": str(x.year)}
    return Found(told.off, told.var, names, {})


def log_odds(share: float) -> float:
    """The logarithm of the odds of a share.

    >>> log_odds(0.5)
    0.0
    """
    return math.log(share / (1.0 - share))


def survives(crop: Crop) -> float:
    """The share of what is up that lives to be planted: as this garden has learned it, or as is usual."""
    lived = crop.here.survival if crop.here is not None else None
    return SURVIVAL if lived is None else 1.0 / (1.0 + math.exp(-(log_odds(SURVIVAL) + lived.off)))


def learned(
    lessons: Sequence[Lesson], outcomes: Sequence[Outcome] = (), corrections: Sequence[Correction] = (),
    grown: Sequence[GrownLesson] = (),
) -> Learned:  # fmt: skip
    """What lessons and outcomes come to, the latest of them, but for what a grower told to forget. Deterministic, whatever order
    lessons come in."""
    return Learned(_latest(lessons), _latest(outcomes), tuple(corrections), _latest(grown))


def _latest(told: Sequence[_T]) -> tuple[_T, ...]:
    latest = sorted(told, key=lambda x: (-x.settled_s, x.batch))[:MOST_LESSONS]
    return tuple(sorted(latest, key=lambda x: x.batch))


def as_here(crop: Crop, here: Here | None) -> Crop:
    """A crop as one garden knows it: its rate, its spread of waits and its growth are that garden's own. Source: learned_here."""
    if here is None:
        return crop
    crop = replace(crop, growth=_growth_here(crop.growth, here), here=here)
    if here.pace is None or here.spread is None:
        return crop
    sources = {**crop.sources, "r_max_per_day": LEARNED_HERE, "wait_sigma": LEARNED_HERE}
    return replace(
        crop, r_max_per_day=crop.r_max_per_day * math.exp(here.pace.off), wait_sigma=crop.wait_sigma * math.exp(here.spread.off),
        sources=sources,
    )  # fmt: skip


def _growth_here(growth: Growth, here: Here) -> Growth:
    """Leaves follow as they do here; what height is expected is the kind's, but for a variety's own nature; what it likely comes
    to is this garden's."""
    if here.height is None and here.leaves is None:
        return growth
    tall = here.tall.off if here.tall is not None else 0.0
    likely = here.height.off - tall if here.height is not None else 0.0
    leaf_days = growth.leaf_days * math.exp(here.leaves.off if here.leaves is not None else 0.0)
    return replace(
        growth, height_12d_mm=growth.height_12d_mm * math.exp(tall), leaf_days=leaf_days, likely_times=math.exp(likely),
        source=LEARNED_HERE,
    )  # fmt: skip


class CropsHere(Mapping[str, Crop]):
    """The kinds of a garden by the names its batches spell; `of` a batch, as this garden has learned it."""

    def __init__(self, crops: Mapping[str, Crop], journal: Journal, learned: Learned) -> None:
        self._crops, self._learned = crops, learned
        self._lots = {x.id: x for x in journal.seed_lots}
        self._zone = journal.garden.zone

    def __getitem__(self, name: str) -> Crop:
        return self._crops[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._crops)

    def __len__(self) -> int:
        return len(self._crops)

    def of(self, batch: Batch) -> Crop:
        """A batch's crop; what the batch itself taught is left out."""
        year = batch.sown_at.astimezone(self._zone).year
        lot = self._lots.get(batch.seed_lot or "")
        return self._learned.crop_here(self._crops[batch.crop], batch.variety, lot, year, batch.id)


def crop_of(crops: Mapping[str, Crop], batch: Batch) -> Crop:
    """A batch's crop as the garden knows it, where `crops` says so; else the table's. Raises KeyError."""
    return crops.of(batch) if isinstance(crops, CropsHere) else crops[batch.crop]
