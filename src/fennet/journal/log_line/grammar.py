"""From a line to deeds and readings."""

from __future__ import annotations

import difflib
import re
from datetime import datetime

from fennet.core.kinds import SIGNS
from fennet.journal.log_line.clauses import CLAUSES
from fennet.journal.log_line.done import a_sign
from fennet.journal.log_line.measured import bare_figure, named_cells
from fennet.journal.log_line.scene import Scene
from fennet.journal.log_line.settings import of_fan, of_lamp, of_mat
from fennet.journal.log_line.statement import Action, Measured, Misread, Said, Statement, Word, examples
from fennet.journal.log_line.words import CELLS, number_of, when_of


def understand(line: str, scene: Scene) -> Said:
    """What a line says. Raises Misread.

    A line is statements parted by ";", each some names and what is said of all of them, with an optional "@ when" at its end.
    """
    body, at, dated = _split_when(line, scene)
    parts: list[Action | Measured] = []
    offset = 0
    for piece in _pieces(body):
        if piece.strip():
            words = [Word(m.group(), offset + m.start()) for m in re.finditer(r"[^\s,]+(?:,\d+\S*)?", piece)]
            parts += _statement(Statement(line, scene, words))
        offset += len(piece) + 1
    if not parts:
        raise Misread("Nothing is said yet.", 0, "", "a name and what was done, like A 3 up")
    return Said(tuple(parts), at, dated)


def _pieces(body: str) -> list[str]:
    """Statements of a line; a note's words are its own, semicolons and all."""
    out = body.split(";")
    for i, piece in enumerate(out):
        if re.search(r"\S\s+note\s", f"{piece} ", re.IGNORECASE):
            return [*out[:i], ";".join(out[i:])]
    return out


def _split_when(line: str, scene: Scene) -> tuple[str, datetime, bool]:
    body, mark, when = line.partition("@")
    if not mark:
        return line, scene.now, False
    try:
        at = when_of(when, scene.now, scene.zone)
    except (ValueError, OverflowError) as e:
        reason, _, accepted = str(e).partition("; accepted: ")
        start = len(body) + 1 + len(when) - len(when.lstrip())
        accepted = accepted or "8:10, yesterday 19:00, 2h ago or 12 mar 8:10"
        raise Misread(f"{reason[0].upper()}{reason[1:]}.", start, when.strip(), accepted, body.rstrip()) from None
    if at > scene.now:
        start = len(body) + 1 + len(when) - len(when.lstrip())
        raise Misread("That time is in the future.", start, when.strip(), "a time up to now", body.rstrip())
    return body, at, True


def _statement(s: Statement) -> list[Action | Measured]:
    while (word := s.peek()) is not None:
        found = s.scene.find(word.text)
        # Once something is named, a word that is also a deed is the deed.
        if found is None or (s.subjects and word.low in CLAUSES):
            break
        s.subjects.append(found)
        s.i += 1
    first = s.peek()
    if not s.subjects:
        near = difflib.get_close_matches(first.text if first else "", s.scene.kinds, 1, 0.5) if first else []
        words = f"Nothing here is called {first.text!r}." if first else "Nothing is said yet."
        names = [k for k, v in s.scene.kinds.items() if v == "tray"][:8]
        raise s.fault(first, words, f"a name first: {', '.join(names) or 'a tray'}", near[0] if near else None)
    if first is None:
        raise s.fault(None, f"What about {' and '.join(s.subjects)}?", ", ".join(examples(s.kind(s.subjects[0]))))
    while (word := s.peek()) is not None:
        _clause(s, word)
    return s.parts


def _clause(s: Statement, word: Word) -> None:
    kind = s.kind(s.subjects[0])
    special = {"lamp": of_lamp, "mat": of_mat, "fan": of_fan}.get(kind)
    if special is not None and special(s, word):
        return
    if word.low in CLAUSES:
        s.i += 1
        CLAUSES[word.low](s, word)
        return
    if CELLS.fullmatch(word.low):
        named_cells(s)
        return
    figure = number_of(word.text)
    if figure is not None:
        bare_figure(s, word, figure)
        return
    sign = next((x for x in SIGNS if word.low == x or word.low == x.replace("_", "")), None)
    if sign is None and s.peek(1) is not None:
        pair = f"{word.low}_{s.words[s.i + 1].low}"
        if pair in SIGNS:
            sign = pair
            s.i += 1
    if sign is not None:
        s.i += 1
        a_sign(s, word, sign)
        return
    near = difflib.get_close_matches(word.low, [*CLAUSES, *SIGNS], 1, 0.6)
    raise s.fault(
        word, f"{word.text!r} is not something that can be logged here.", ", ".join(examples(kind)), near[0] if near else None
    )
