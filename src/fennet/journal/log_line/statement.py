"""One statement being read: its words, how far it has come, whom it speaks of; and what a line comes to."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from fennet.journal.log_line.scene import Scene
from fennet.journal.log_line.words import LENGTHS_MM, MASSES_G, VOLUMES_ML, number_of


@dataclass(frozen=True)
class Action:
    """Something done or seen: an event's kind and fields."""

    kind: str
    fields: dict[str, Any]


@dataclass(frozen=True)
class Measured:
    """A reading: of what, where, how much, in which unit, under which lamp or the sky."""

    place: str
    quantity: str
    value: float
    unit: str
    under: str | None = None
    #: Told without a thermometer.
    estimated: bool = False


@dataclass(frozen=True)
class Said:
    """What a line says: deeds and readings in order, all of one moment."""

    parts: tuple[Action | Measured, ...]
    at: datetime
    #: The time was typed and is not simply now.
    dated: bool = False


class Misread(ValueError):
    """A line that was not understood: from which letter, what stood there, what is accepted, and the line mended if it can be."""

    def __init__(self, reason: str, start: int, given: str, accepted: str, mend: str | None = None) -> None:
        self.reason, self.start, self.given, self.accepted, self.mend = reason, start, given, accepted, mend
        super().__init__(f"{reason} Accepted: {accepted}.")


@dataclass
class Word:
    text: str
    start: int

    @property
    def low(self) -> str:
        return self.text.lower()


@dataclass
class Statement:
    """One statement being read: its words, how far it has come, whom it speaks of."""

    line: str
    scene: Scene
    words: list[Word]
    i: int = 0
    subjects: list[str] = field(default_factory=list)
    parts: list[Action | Measured] = field(default_factory=list)

    # -- reading on -------------------------------------------------------------------------------------------------

    def peek(self, ahead: int = 0) -> Word | None:
        return self.words[self.i + ahead] if self.i + ahead < len(self.words) else None

    def take(self) -> Word:
        word = self.words[self.i]
        self.i += 1
        return word

    def next_is(self, *accepted: str) -> bool:
        word = self.peek()
        return word is not None and word.low in accepted

    def skip(self, *accepted: str) -> bool:
        if self.next_is(*accepted):
            self.i += 1
            return True
        return False

    def number(self, what: str, accepted: str) -> tuple[float, str]:
        """The number that must come next, with its unit (glued to it or as the next word)."""
        word = self.peek()
        found = number_of(word.text) if word else None
        if word is None or found is None:
            raise self.fault(word, f"{what.capitalize()} needs a number.", accepted)
        self.i += 1
        return found[0], found[2] or self.unit_word()

    UNIT_WORDS = ("c", "f", "%", "umol", "lux", "klux", "fc", "h", "min", "mg", *VOLUMES_ML, *LENGTHS_MM, *MASSES_G)

    def unit_word(self) -> str:
        word = self.peek()
        if word and word.low in self.UNIT_WORDS:
            self.i += 1
            return word.low
        return ""

    # -- trouble ----------------------------------------------------------------------------------------------------

    def fault(self, word: Word | None, reason: str, accepted: str, instead: str | None = None) -> Misread:
        start = word.start if word else len(self.line)
        given = word.text if word else ""
        mend = None
        if instead is not None:
            end = start + len(given)
            mend = f"{self.line[:start]}{instead}{self.line[end:]}" if word else f"{self.line.rstrip()} {instead}"
        return Misread(reason, start, given, accepted, mend)

    # -- whom it speaks of ------------------------------------------------------------------------------------------

    def kind(self, subject: str) -> str:
        return self.scene.kinds[subject]

    def trays(self, word: Word) -> list[str]:
        """Trays that the subjects name, a batch by the tray it is in."""
        out = []
        for s in self.subjects:
            if self.kind(s) == "tray":
                out.append(s)
            elif self.kind(s) == "batch":
                tray = next((t for t, inside in self.scene.in_tray.items() if s in inside), self.scene.batches[s].tray)
                if tray is None:
                    raise self.fault(word, f"{s} is in no tray.", "a tray's name before it")
                out.append(tray)
            else:
                raise self.fault(word, f"{word.text!r} is not for a {self.kind(s)}.", "a tray, like A, before it")
        return list(dict.fromkeys(out))

    def batches(self, word: Word) -> list[str]:
        """Batches that the subjects name; a tray's only one."""
        out = []
        for s in self.subjects:
            if self.kind(s) == "batch":
                out.append(s)
                continue
            inside = self.scene.in_tray.get(s, ()) if self.kind(s) == "tray" else ()
            if len(inside) != 1:
                first = next((w for w in self.words if self.scene.find(w.text) == s), word)
                if inside:
                    raise self.fault(first, f"{s} holds {' and '.join(inside)}: say which.", ", ".join(inside), inside[0])
                raise self.fault(first, f"Nothing grows in {s} now.", "a batch, or a tray with one in it")
            out.append(inside[0])
        return list(dict.fromkeys(out))

    def places(self, word: Word) -> list[str]:
        return self.subjects

    def action(self, kind: str, **fields: Any) -> None:
        self.parts.append(Action(kind, {k: v for k, v in fields.items() if v is not None}))

    def measured(
        self, place: str, quantity: str, value: float, unit: str, under: str | None = None, estimated: bool = False
    ) -> None:
        self.parts.append(Measured(place, quantity, value, unit, under, estimated))


def examples(kind: str) -> list[str]:
    """What may be said of a thing of some kind."""
    return {
        "tray": ["3 up", "watered 250ml", "feel 3", "soil 21.5", "light 180", "cover off", "note …"],
        "batch": ["3 up", "tall 45mm", "lost 2", "note …"],
        "lamp": ["at 120mm", "14.5h", "6:30-21:00", "off"],
        "mat": ["set 24", "off"],
        "fan": ["12h"],
    }.get(kind, ["air 18", "humid 60", "note …"])
