"""A page in parts: one that cannot be worked out, or takes too long, is told at its place, and the rest of the page stands.

What was stored must never take a page down, nor what nobody foresaw in the working out of it. A part that fails is logged with
its trace, and its page says so with a way to what it was worked out from.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TypeVar, cast

from flask import current_app, g
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as NoConnectionError
from werkzeug.exceptions import HTTPException

from fennet.operations.acting import Refusal

T = TypeVar("T")
#: A page is answered within so long: a part not begun by then says that it takes too long.
PAGE_BUDGET_S = 2.0


@dataclass(frozen=True)
class PartNote:
    """A part that is missing from a page: its name, why, and the thing whose entries it was worked out from, if it was one."""

    name: str
    slow: bool = False
    thing: str = ""

    @property
    def words(self) -> str:
        return _words(self.name, self.slow) + ("" if self.slow else " The rest of this page is not affected.")


@dataclass(frozen=True)
class Untold:
    """A thing that stands on a page without what could not be worked out of it: its id, its name for people, and whether only
    time was short. It stands where its answer would have stood, so that nothing missing is read as nothing there."""

    thing: str
    name: str
    slow: bool = False

    @property
    def words(self) -> str:
        return _words(self.name, self.slow)


def _words(name: str, slow: bool) -> str:
    what = f"{name[:1].upper()}{name[1:]}"
    return (
        f"{what} takes too long to work out with the rest. Load the page again for it."
        if slow
        else f"{what} could not be worked out."
    )


def begin() -> None:
    """Note when a request began."""
    g.began_s = time.monotonic()


def part(name: str, make: Callable[[], T], otherwise: T, thing: str = "", light: bool = False) -> T:
    """One part of a page, or `otherwise` with a note where it fails or the page's time is spent. A `light` part, the telling of
    what is worked out already, is made whatever the time."""
    if not light and time.monotonic() - g.get("began_s", time.monotonic()) > PAGE_BUDGET_S:
        tell(PartNote(name, True, thing))
        return otherwise
    try:
        return make()
    except (Refusal, HTTPException, OperationalError, NoConnectionError):
        # These have their own answer: a reason, another page, the database away.
        raise
    except Exception:
        current_app.logger.exception("a part of a page: %s", name)
        tell(PartNote(name, False, thing))
        return otherwise


def tell(note: PartNote) -> None:
    """Have the page say that a part is missing; once, however often it was asked for."""
    notes = told()
    if note not in notes:
        notes.append(note)


def told() -> list[PartNote]:
    """What this page misses."""
    if "part_notes" not in g:
        g.part_notes = []
    return cast("list[PartNote]", g.part_notes)


def lacks(name: str) -> bool:
    """Whether this page misses the part of that name: what is not there then says nothing."""
    return any(note.name == name for note in told())


def untold(things: Iterable[tuple[str, str]]) -> list[Untold]:
    """Of things by id and name for people, those of which some part is missing here."""
    slow: dict[str, bool] = {}
    for note in told():
        slow[note.thing] = slow.get(note.thing, True) and note.slow
    return [Untold(thing, name, slow[thing]) for thing, name in things if thing in slow]


@contextmanager
def listening() -> Iterator[list[PartNote]]:
    """The notes made inside, beside those that were there."""
    before, heard = told(), cast("list[PartNote]", [])
    g.part_notes = heard
    try:
        yield heard
    finally:
        g.part_notes = before
        for note in heard:
            tell(note)
