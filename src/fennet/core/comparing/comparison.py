"""Batches of one kind put side by side by what they had in common: variety, lot, lamp, mat, mix, depth, practice or year."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from fennet.core.comparing.emergence import Came, came
from fennet.core.comparing.pairs import Difference, Pace, between_trays, differences, holm, pace
from fennet.core.crop import Crop
from fennet.core.hardening.after import after_of
from fennet.core.history import tray_stays
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import room_at

#: What batches can be put side by side by.
BY = ("variety", "lot", "lamp", "mat", "mix", "depth", "practice", "year")


@dataclass(frozen=True)
class Group:
    """Batches of one kind that share something: how many, of how many seeds or cells how many came, their pace, how many were
    planted, what was picked in grams and how it tasted (None where nobody said), and which batches tell no pace, and why."""

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


@dataclass(frozen=True)
class Comparison:
    """Groups by kind and name, and the differences between those of one kind, the plainest first."""

    by: str
    groups: Sequence[Group]
    pairs: Sequence[tuple[str, Difference]]


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
    for kind, named in sorted(by_kind.items()):
        told = {name: [came(journal, crops[b.crop], b, events, at_s) for b in batches] for name, batches in sorted(named.items())}
        tray_var, _ = between_trays(told)
        groups += [_group(kind, name, members, tray_var, events, at_s) for name, members in told.items()]
        raw += [(kind, d) for d in differences(told)]
    order = sorted(range(len(raw)), key=lambda i: raw[i][1].p)
    adjusted = holm([raw[i][1] for i in order])
    return Comparison(by, groups, [(raw[i][0], d) for i, d in zip(order, adjusted, strict=True)])


def _group(kind: str, name: str, members: Sequence[Came], tray_var: float, events: Sequence[Event], at_s: float) -> Group:
    after = [a for c in members if (a := after_of(c.batch, events, at_s)) is not None]
    planted = [a.planted for a in after if a.planted is not None]
    grams = [a.grams for a in after if a.grams is not None]
    marks = [a.taste for a in after if a.taste is not None]
    return Group(
        kind, name, len(members), sum(c.of for c in members), sum(c.up for c in members), pace(members, tray_var),
        sum(planted) if planted else None, sum(grams) if grams else None, sum(marks) / len(marks) if marks else None,
        {c.batch.id: c.told for c in members if c.told},
    )  # fmt: skip


def _shared(journal: Journal, events: Sequence[Event], by: str) -> Callable[[Batch], str]:
    """What a batch is known by, as a name; what nobody said is a group of its own."""
    lots = {lot.id: lot for lot in journal.seed_lots}

    def variety(b: Batch) -> str:
        lot = lots.get(b.seed_lot or "")
        return b.variety or (lot.variety if lot is not None else None) or "variety not said"

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
