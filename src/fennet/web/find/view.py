"""What is found by some words: trays and what grows in them, kinds, packets, entries, pages."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from fennet.answering.answers import Answers
from fennet.core.records import SeedLot
from fennet.core.room import tray_of
from fennet.presentation.entries import entry_words
from fennet.presentation.formatter import Formatter
from fennet.web.trays.view import batch_name

#: Of a sort so many are shown, the newest entries first.
MOST = 20
#: Pages by what they are called and what is looked for there.
PAGES = (
    ("today.today", "Today", "what to do list room drawing bench"),
    ("trays.index", "Trays", "what grows shelves"),
    ("why.index", "Why", "late slow leggy long thin fallen yellow damping off cause"),
    ("tune.mats", "Tune", "mat heat temperature set point"),
    ("tune.lamps", "Tune lamps", "lamp light height hours meter lux"),
    ("sow.sow", "Sow", "sowing seed bought plants cuttings"),
    ("plan.plan", "Plan", "season when to sow dates calendar wants"),
    ("plan.frost", "Frost", "last frost nights minima gate"),
    ("plan.labels", "Labels", "print label"),
    ("plan.mix", "Mix", "potting mix recipe how much"),
    ("harden.harden", "Harden", "outings plant out weather forecast station picked harvest taste"),
    ("book.book", "Book", "entries log diary undo"),
    ("seeds.index", "Seed box", "packets germination test seed"),
    ("towel.towels", "Towels", "damp towel bag"),
    ("care.feed", "Feed", "fertiliser nitrogen label spoon"),
    ("tune.score", "Track record", "promises score forecasts held"),
    ("room.room", "Set up the room", "places lamps mats shelves garden latitude"),
    ("practice.practice", "Practice", "schools choices how"),
    ("crops.index", "Crops", "kinds table figures"),
    ("find.help", "Words and keys", "help glossary shortcuts"),
    ("begin.begin", "Begin", "first questions town frost warmth"),
    ("begin.records", "Import records", "journal file csv"),
)


@dataclass(frozen=True)
class Hit:
    """One thing found: where it is (endpoint and its values), what it is called, and what more is said of it."""

    endpoint: str
    values: dict[str, Any]
    words: str
    more: str = ""


@dataclass(frozen=True)
class Group:
    title: str
    hits: list[Hit]
    left_out: int


def found(a: Answers, asked: str, fmt: Formatter) -> list[Group]:
    """Everything that holds all the words asked for, by sort; nothing for no words."""
    words = asked.casefold().split()
    if not words:
        return []
    groups = (
        ("What grows", _batches(a, words)), ("Trays and places", _things(a, words)), ("Kinds", _crops(a, words)),
        ("Packets", _packets(a, words)), ("Entries", _entries(a, words, fmt)),
        ("Pages", [Hit(e, {}, name) for e, name, more in PAGES if _holds(words, (name, more))]),
    )  # fmt: skip
    return [Group(title, hits[:MOST], max(0, len(hits) - MOST)) for title, hits in groups if hits]


def nearest(a: Answers, asked: str) -> list[str]:
    """Names near what was asked for, where nothing holds it."""
    names = {c.name for c in a.table} | {b.variety for b in a.journal.batches if b.variety} | {t.id for t in a.journal.trays}
    by_low = {n.casefold(): n for n in names}
    return [by_low[n] for n in difflib.get_close_matches(asked.casefold(), by_low, 3, 0.6)]


def _holds(words: Sequence[str], texts: Iterable[str | None]) -> bool:
    whole = " ".join(t for t in texts if t).casefold()
    return all(w in whole for w in words)


def _batches(a: Answers, words: Sequence[str]) -> list[Hit]:
    out = []
    for b in reversed(a.journal.batches):
        crop = a.crops.get(b.crop)
        name = crop.name if crop is not None else b.crop
        synonyms = " ".join(crop.synonyms) if crop is not None else ""
        if not _holds(words, (b.id, name, synonyms, b.variety, b.source)):
            continue
        tray = tray_of(b, a.events, a.at_s)
        where = f"tray {tray}" if tray else ""
        if tray and b in a.living:
            out.append(Hit("tray.show", {"tray_id": tray, "_anchor": b.id}, batch_name(b, name), where))
        else:
            out.append(Hit("book.book", {"thing": b.id}, batch_name(b, name), f"{b.id}, no longer in a tray"))
    return out


def _things(a: Answers, words: Sequence[str]) -> list[Hit]:
    j = a.journal
    trays = [
        Hit("tray.show", {"tray_id": t.id}, t.name or f"Tray {t.id}") for t in j.trays if _holds(words, ("tray", t.id, t.name))
    ]
    sections = (("places", j.places), ("lamps", j.lamps), ("mats", j.mats))
    things = [Hit("room.thing", {"section": s, "thing_id": x.id}, getattr(x, "name", None) or x.id)
              for s, each in sections for x in each if _holds(words, (x.id, getattr(x, "name", None)))]  # fmt: skip
    return trays + things


def _crops(a: Answers, words: Sequence[str]) -> list[Hit]:
    return [
        Hit("crops.show", {"crop_id": c.id}, c.name, ", ".join(c.synonyms))
        for c in a.table
        if _holds(words, (c.name, *c.synonyms))
    ]


def _packets(a: Answers, words: Sequence[str]) -> list[Hit]:
    def name(x: SeedLot) -> str:
        return f"{x.crop.replace('_', ' ')}{f' ‘{x.variety}’' if x.variety else ''}"

    return [Hit("seeds.packet", {"lot_id": x.id}, name(x), x.source or "")
            for x in a.journal.seed_lots if _holds(words, (x.crop.replace("_", " "), x.variety, x.source, x.mother))]  # fmt: skip


def _entries(a: Answers, words: Sequence[str], fmt: Formatter) -> list[Hit]:
    out = []
    for e in reversed(a.events):
        said = entry_words(e, fmt)
        if _holds(words, (said, e.by)):
            out.append(Hit("book.entry", {"event_id": e.id}, said, fmt.moment(e.at)))
            if len(out) > 4 * MOST:
                break
    return out
