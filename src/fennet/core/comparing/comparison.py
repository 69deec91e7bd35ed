"""Batches of one kind put side by side by what they had in common: variety, lot, lamp, mat, mix, depth, practice or year."""

from __future__ import annotations

import statistics
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.comparing.emergence import Came, came
from fennet.core.comparing.pairs import Difference, Pace, between_trays, differences, holm, pace
from fennet.core.comparing.shares import Part, ShareDifference, share_differences
from fennet.core.comparing.shares import adjusted as adjusted_shares
from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S
from fennet.core.hardening.after import after_of
from fennet.core.history import counts_of, over_s, tray_stays
from fennet.core.learning.lessons import variety_of
from fennet.core.learning.survival import Outcome, family, outcome
from fennet.core.records import Batch, Event, Journal, SeedLot
from fennet.core.room import room_at
from fennet.core.scoring import settled_s
from fennet.core.stretch import stretch_of, thermal_age

#: Why a batch tells no pace though all that came of it may be counted.
UNREAD = ("gap", "no_readings")
#: What batches can be put side by side by.
BY = ("variety", "lot", "lamp", "mat", "mix", "depth", "practice", "year")


@dataclass(frozen=True)
class Group:
    """Batches of one kind that share something: how many, of how many seeds or cells how many came, their pace, how many were
    planted, what was picked in grams and how it tasted (None where nobody said), and which batches tell no pace, and why.

    `lived` of those up how many lived to be planted, and of how many (None where the record does not account for them);
    `planted_d` the middle of days from sowing to planting; `stretch` the mean of heights against what is expected; `curve` days
    at target warmth and the share up by then."""

    crop: str
    name: str
    batches: int
    sown: int
    up: int
    pace: Pace | None
    planted: int | None
    grams: float | None
    taste: float | None
    untold: Mapping[str, str]
    lived: tuple[int, int] | None
    planted_d: float | None
    stretch: float | None
    curve: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Comparison:
    """Groups by kind and name, and the differences between those of one kind, the plainest first: of pace, and of shares (how
    much came, how much of that lived)."""

    by: str
    groups: Sequence[Group]
    pairs: Sequence[tuple[str, Difference]]
    shares: Sequence[tuple[str, ShareDifference]]


def compare(
    journal: Journal, crops: Mapping[str, Crop], events: Sequence[Event], by: str, at_s: float, only: str | None = None
) -> Comparison:
    """Put the batches that were sown by a moment (seconds UTC) side by side; `only` one kind, by its id. `events` are effective
    events. Raises ValueError for a `by` that is none of BY.

    A worked example stands in tests/core/test_comparing.py.
    """
    if by not in BY:
        raise ValueError(f"{by!r} is no way to compare; accepted: {', '.join(BY)}")
    shares = _shared(journal, events, by)
    by_kind: dict[str, dict[str, list[Batch]]] = {}
    for batch in journal.batches:
        crop = crops.get(batch.crop)
        # What was pricked out or potted of another batch came up there.
        if crop is None or batch.sown_at.timestamp() > at_s or batch.from_batch is not None or only not in (None, crop.id):
            continue
        by_kind.setdefault(crop.id, {}).setdefault(shares(batch), []).append(batch)
    groups: list[Group] = []
    raw: list[tuple[str, Difference]] = []
    of_shares: list[tuple[str, ShareDifference]] = []
    for kind, named in sorted(by_kind.items()):
        told = {name: [came(journal, crops[b.crop], b, events, at_s) for b in batches] for name, batches in sorted(named.items())}
        tray_var, _ = between_trays(told)
        lived = {name: _lived(journal, kind, members, events, at_s) for name, members in told.items()}
        groups += [
            _group(journal, crops, kind, name, members, lived[name], tray_var, events, at_s) for name, members in told.items()
        ]
        came_of = {name: [Part(c.up, c.of) for c in members if _whole(c, events, at_s)] for name, members in told.items()}
        parts = {"came": came_of, "survival": {name: [Part(o.up - o.died, o.up) for o in of] for name, of in lived.items()}}
        of_shares += [(kind, d) for measure, of in parts.items() for d in share_differences(measure, of)]
        raw += [(kind, d) for d in differences(told)]
    order = sorted(range(len(raw)), key=lambda i: raw[i][1].p)
    adjusted = holm([raw[i][1] for i in order])
    # Adjusted over all of one measure, whatever their kind.
    told_shares = []
    for measure in ("came", "survival"):
        mine = sorted((x for x in of_shares if x[1].measure == measure), key=lambda x: x[1].p)
        told_shares += list(zip([kind for kind, _ in mine], adjusted_shares([d for _, d in mine]), strict=True))
    return Comparison(by, groups, [(raw[i][0], d) for i, d in zip(order, adjusted, strict=True)], told_shares)


def _lived(journal: Journal, kind: str, members: Sequence[Came], events: Sequence[Event], at_s: float) -> list[Outcome]:
    """What became of those up, of each batch whose record says so."""
    found = []
    for c in members:
        kin = family(journal, c.batch)
        found.append(outcome(journal, kind, c.batch, [e for e in events if e.fields.get("batch") in kin], at_s))
    return [o for o in found if o is not None]


def _whole(c: Came, events: Sequence[Event], at_s: float) -> bool:
    """Whether all that comes of a batch is counted: what may still come has not failed to."""
    if c.told not in UNREAD:
        return not c.told
    sown_s, over = c.batch.sown_at.timestamp(), over_s(c.batch, events, at_s)
    return settled_s(counts_of(c.batch, events), sown_s, over, at_s) is not None


def _curve(members: Sequence[Came]) -> tuple[tuple[float, float], ...]:
    """Days at target warmth, and the share of all up by then, of the batches whose pace can be told."""
    known = [c for c in members if not c.told and c.of]
    total = sum(c.of for c in known)
    days = np.sort(np.concatenate([c.days for c in known] or [np.zeros(0)]))
    return tuple((round(float(d), 3), (i + 1) / total) for i, d in enumerate(days))


def _group(
    journal: Journal, crops: Mapping[str, Crop], kind: str, name: str, members: Sequence[Came], lived: Sequence[Outcome],
    tray_var: float, events: Sequence[Event], at_s: float,
) -> Group:  # fmt: skip
    after = [a for c in members if (a := after_of(c.batch, events, at_s)) is not None]
    planted = [a.planted for a in after if a.planted is not None]
    grams = [a.grams for a in after if a.grams is not None]
    heights = (c.batch for c in members if any(e.kind == "height" and e.fields.get("batch") == c.batch.id for e in events))
    found = (stretch_of(crops[b.crop], thermal_age(journal, crops[b.crop], b, events, at_s)) for b in heights)
    ratios = [s.ratio for s in found if s is not None]
    marks = [a.taste for a in after if a.taste is not None]
    return Group(
        kind, name, len(members), sum(c.of for c in members), sum(c.up for c in members), pace(members, tray_var),
        sum(planted) if planted else None, sum(grams) if grams else None, sum(marks) / len(marks) if marks else None,
        {c.batch.id: c.told for c in members if c.told},
        (sum(o.up - o.died for o in lived), sum(o.up for o in lived)) if lived else None,
        statistics.median([(a.planted_s - a.batch.sown_at.timestamp()) / DAY_S for a in after]) if after else None,
        statistics.fmean(ratios) if ratios else None, _curve(members),
    )  # fmt: skip


def _spelled(b: Batch, lots: Mapping[str, SeedLot]) -> str:
    lot = lots.get(b.seed_lot or "")
    return " ".join((b.variety or (lot.variety if lot is not None else None) or "").split())


def _shared(journal: Journal, events: Sequence[Event], by: str) -> Callable[[Batch], str]:
    """What a batch is known by, as a name; what nobody said is a group of its own."""
    lots = {lot.id: lot for lot in journal.seed_lots}

    # One variety is one, however it is spelled; it is called as it was spelled last.
    spelled = {variety_of(journal, b): _spelled(b, lots) for b in sorted(journal.batches, key=lambda b: b.sown_at)}

    def variety(b: Batch) -> str:
        return spelled[variety_of(journal, b)] or "variety not said"

    def stood(b: Batch) -> str:
        stays = tray_stays(b, events)
        if not stays:
            return f"no {by}"
        # Where it stood after its first day: a tray is sown at the bench and then put in its place.
        room = room_at(journal, events, b.sown_at.timestamp() + 86_400.0)
        tray = room.trays.get(stays[0].where)
        if tray is None:
            return f"no {by}"
        if by == "mat":
            return tray.mat or "no mat"
        return ", ".join(sorted(lamp.lamp for lamp in room.over(tray.place))) or "no lamp"

    known: dict[str, Callable[[Batch], str]] = {
        "variety": variety,
        "lot": lambda b: b.seed_lot or "lot not said",
        "lamp": stood,
        "mat": stood,
        "mix": lambda b: b.mix.kind if b.mix is not None and b.mix.kind else "mix not said",
        "depth": lambda b: "depth not said" if b.depth_mm is None else f"{b.depth_mm:g} mm",
        "practice": lambda b: ", ".join(f"{k} {v}" for k, v in sorted(b.practice.items())) or "as the garden",
        "year": lambda b: str(b.sown_at.astimezone(journal.garden.zone).year),
    }
    return known[by]
