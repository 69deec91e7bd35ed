"""What a garden's own past says of a variety when it is planned or sown again: how it did, against its own kind, and what failed
last time and why."""

from __future__ import annotations

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fennet.core.history import life_events
from fennet.core.learning.lessons import variety_key, variety_of
from fennet.core.learning.overview import Line
from fennet.core.records import Batch, Event, Journal
from fennet.core.story import Story

#: A batch failed where less than this of it came up, or less than this of what was up lived. Source: growers_rule.
CAME_LEAST, LIVED_LEAST = 0.5, 0.7
#: Notes of the grower's own on a batch that are brought back, the latest, and how long they may be.
MOST_SAID, SAID_LETTERS = 2, 200


@dataclass(frozen=True)
class Did:
    """How a variety did: `grams` a plant that was planted (None where nobody weighed), `taste` of 5, their rank among so many
    varieties of the kind with such figures (1 the best), and in which years."""

    grams: float | None
    grams_rank: int
    grams_of: int
    taste: float | None
    taste_rank: int
    taste_of: int
    years: tuple[int, ...]


@dataclass(frozen=True)
class Failed:
    """A batch that failed: when it was sown, how much came, what was lost to what, whether it was given up, and what the record
    lays it to (`weak_seed`, `cold_soil` …; empty where it says nothing)."""

    batch: str
    year: int
    up: int
    of: int
    lost: Mapping[str, int]
    given_up: bool
    cause: str


@dataclass(frozen=True)
class VarietyNotes:
    """What is known of a variety: lines that clearly differ from the table, how it did, its last failure, and the grower's own
    words on its batches."""

    lines: tuple[Line, ...]
    did: Did | None
    failed: Failed | None
    said: tuple[str, ...]
    #: Of which measures it is clear of every other variety of the kind (pace: quickest, spread: most even, survival: healthiest),
    #: and of how many.
    first: tuple[tuple[str, int], ...] = ()

    @property
    def any(self) -> bool:
        return bool(self.lines or self.did or self.failed or self.said or self.first)


def variety_notes(
    journal: Journal, events: Sequence[Event], crop: str, variety: str | None, lines: Sequence[Line],
    stories: Mapping[str, Story], causes: Mapping[str, str],
) -> VarietyNotes:  # fmt: skip
    """Notes on one variety of a crop (by the id its batches have). `lines` all that was learned here, `stories` by batch id,
    `causes` what the record lays a batch's delay to. `events` are effective events. Source: arithmetic.
    """
    key = variety_key(variety)
    kin = [b for b in journal.batches if b.id in stories and b.crop == crop and b.from_batch is None]
    mine = [b for b in kin if variety_of(journal, b) == key]
    clear = tuple(x for x in lines if (x.crop, x.variety) == (crop, key) and _differs(x))
    notes = [str(e.fields.get("text") or "") for b in mine for e in life_events(b, events, "note")]
    said = [text[:SAID_LETTERS] for text in notes if text]
    failed = _failed(journal, mine, stories, causes)
    return VarietyNotes(
        clear, _did(journal, kin, key, stories), failed, tuple(said[-MOST_SAID:]), _first(crop, key, lines)
    )  # fmt: skip


def _first(crop: str, key: str, lines: Sequence[Line]) -> tuple[tuple[str, int], ...]:
    """The measures in which a variety's range lies clear of all others of its kind, on the good side."""
    out = []
    for measure in ("pace", "spread", "survival"):
        kin = [x for x in lines if (x.crop, x.measure) == (crop, measure) and x.rests_on]
        mine = [x for x in kin if x.variety == key]
        others = [x for x in kin if x.variety != key]
        if not mine or not others:
            continue
        x = mine[0].value
        if all(x.p10 > o.value.p90 if measure == "survival" else x.p90 < o.value.p10 for o in others):
            out.append((measure, len(kin)))
    return tuple(out)


def _differs(x: Line) -> bool:
    """Whether the range of a line lies clear of what the table says."""
    usual = {"pace": 1.0, "alive": 0.85, "survival": 0.92}.get(x.measure)
    if usual is None:
        # How even it comes is told by comparison; how it grows is the room's doing as much as the seed's.
        return False
    return x.own is None and x.rests_on > 0 and not x.value.p10 <= usual <= x.value.p90


def _did(journal: Journal, kin: Sequence[Batch], key: str, stories: Mapping[str, Story]) -> Did | None:
    grams: dict[str, list[float]] = {}
    taste: dict[str, list[float]] = {}
    years: list[int] = []
    for b in kin:
        after, v = stories[b.id].after, variety_of(journal, b)
        if after is None:
            continue
        if after.grams is not None and after.planted:
            grams.setdefault(v, []).append(after.grams / after.planted)
        if after.taste is not None:
            taste.setdefault(v, []).append(after.taste)
        if v == key and (after.grams is not None or after.taste is not None):
            years.append(b.sown_at.astimezone(journal.garden.zone).year)
    if not years:
        return None
    g, t = ({v: statistics.fmean(x) for v, x in of.items()} for of in (grams, taste))
    return Did(g.get(key), *_rank(g, key), t.get(key), *_rank(t, key), tuple(sorted(set(years))))


def _rank(of: Mapping[str, float], key: str) -> tuple[int, int]:
    """A variety's place among all, 1 the best, and of how many; ties share the better place."""
    return (1 + sum(x > of[key] for x in of.values()), len(of)) if key in of else (0, len(of))


def _failed(journal: Journal, mine: Sequence[Batch], stories: Mapping[str, Story], causes: Mapping[str, str]) -> Failed | None:
    """The last batch that failed and is over, or past its half."""
    for b in sorted(mine, key=lambda b: b.sown_at, reverse=True):
        s = stories[b.id]
        if not b.from_seed or not s.over:
            continue
        died = sum(s.lost.values())
        given_up = s.ended == "gave_up"
        if s.up < CAME_LEAST * s.of or died > (1 - LIVED_LEAST) * max(s.up, 1) or given_up:
            year = b.sown_at.astimezone(journal.garden.zone).year
            return Failed(b.id, year, s.up, s.of, s.lost, given_up, causes.get(b.id, ""))
    return None
