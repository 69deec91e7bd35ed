"""What a log line says, written down: deeds and readings of one line in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Engine

from fennet.core.records import Event
from fennet.core.room import Trouble
from fennet.journal.log_line import Deed, Measured, Said
from fennet.operations.acting import Actor, Refusal, writing, writing_once
from fennet.operations.deeds import check_deed
from fennet.operations.logging import checked_time, count_within, mark_within, withdraw_within, write_events
from fennet.operations.readings import HandReading, on_its_scale, take_back_within, write_by_hand
from fennet.operations.room import checked
from fennet.storage import queries


@dataclass
class Written:
    """What a line came to: tokens that undo it, and what is wrong in the room after it."""

    tokens: list[str] = field(default_factory=list)
    troubles: list[Trouble] = field(default_factory=list)

    @property
    def undo(self) -> str:
        return ",".join(self.tokens)


def write(engine: Engine, actor: Actor, said: Said, now: datetime, key: str | None = None) -> Written | None:
    """Write all that a line says, or nothing. None when the same line was sent before. Raises Refusal."""
    checked_time(said.at, now)
    with writing_once(engine, actor, key, now) as c:
        if c is None:
            return None
        out = Written()
        made: list[Event] = []
        known = queries.things(c, actor.ref.id)
        for part in said.parts:
            if isinstance(part, Deed):
                made += _deed(c, actor, part, said.at, now, known)
        readings = [on_its_scale(c, actor, _reading(p, said.at)) for p in said.parts if isinstance(p, Measured)]
        write_by_hand(c, actor, readings, now)
        out.tokens = [e.id for e in made] + [f"r:{r.token}" for r in readings]
        out.troubles = checked(c, actor, made, said.at)
        return out


def _reading(p: Measured, at: datetime) -> HandReading:
    return HandReading(p.place, p.quantity, p.value, p.unit, at, under=p.under)


def _deed(c: Connection, actor: Actor, deed: Deed, at: datetime, now: datetime, known: dict[str, str]) -> list[Event]:
    if deed.kind == "mark":
        return mark_within(c, actor, deed.fields["batch"], deed.fields["cell_list"], at, now)
    if deed.kind == "count":
        name = next(k for k in deed.fields if k != "batch")
        return [count_within(c, actor, deed.fields["batch"], name.removesuffix("_up"), deed.fields[name], at, now)]
    check_deed(c, actor, deed.kind, deed.fields, at, known)
    return write_events(c, actor, [(deed.kind, deed.fields, at)], now)


def undo(engine: Engine, actor: Actor, tokens: Sequence[str], now: datetime) -> list[str]:
    """Take back what some tokens stand for, all or nothing; the tokens that bring the events among them back. Raises Refusal."""
    if not tokens:
        raise Refusal("There is nothing to undo.")
    back: list[str] = []
    with writing(engine, actor) as c:
        for token in tokens:
            if token.startswith("r:"):
                take_back_within(c, actor, token[2:])
            else:
                back.append(withdraw_within(c, actor, token, now).id)
    return back


def fields_of(part: Deed | Measured) -> dict[str, Any]:
    """What a part says as plain fields, for pages."""
    return part.fields if isinstance(part, Deed) else vars(part)
