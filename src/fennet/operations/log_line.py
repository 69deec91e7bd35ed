"""What a log line says, written down: deeds and readings of one line in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from fennet.core.records import Event
from fennet.core.room import RoomProblem
from fennet.journal.log_line import Action, Measured, Said
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import check_action
from fennet.operations.hardening import bring_in, put_out
from fennet.operations.logging import checked_time, count_more, log_count, mark_more, withdraw, write_events
from fennet.operations.readings import HandReading, on_its_scale, withdraw_reading, write_by_hand
from fennet.operations.room import checked
from fennet.storage import queries


@dataclass
class Written:
    """What a line came to: tokens that undo it, and what is wrong in the room after it."""

    tokens: list[str] = field(default_factory=list)
    room_problems: list[RoomProblem] = field(default_factory=list)

    @property
    def undo(self) -> str:
        return ",".join(self.tokens)


def write(w: WriteContext, said: Said) -> Written:
    """Write all that a line says, or nothing. Raises Refusal."""
    checked_time(said.at, w.now)
    out = Written()
    made: list[Event] = []
    known = queries.things(w.c, w.garden_id)
    for part in said.parts:
        if isinstance(part, Action):
            made += _deed(w, part, said.at, known)
    readings = [on_its_scale(w, _reading(p, said.at)) for p in said.parts if isinstance(p, Measured)]
    write_by_hand(w, readings)
    out.tokens = [e.id for e in made] + [f"r:{r.token}" for r in readings]
    out.room_problems = checked(w, made, said.at)
    return out


def _reading(p: Measured, at: datetime) -> HandReading:
    return HandReading(p.place, p.quantity, p.value, p.unit, at, under=p.under, estimated=p.estimated)


def _deed(w: WriteContext, action: Action, at: datetime, known: dict[str, str]) -> list[Event]:
    if action.kind == "mark":
        return mark_more(w, action.fields["batch"], action.fields["cell_list"], at)
    if action.kind == "count_more":
        return count_more(w, action.fields["batch"], action.fields.get("field"), action.fields["more"], at)
    if action.kind == "count":
        name = next(k for k in action.fields if k != "batch")
        return [log_count(w, action.fields["batch"], name, action.fields[name], at)]
    if action.kind == "put_out":
        rest = {k: v for k, v in action.fields.items() if k != "batch"}
        return put_out(w, [action.fields["batch"]], at, **rest)
    if action.kind == "bring_in":
        return bring_in(w, [action.fields["batch"]], at, action.fields.get("seen"))
    check_action(w, action.kind, action.fields, at, known)
    return write_events(w, [(action.kind, action.fields, at)])


def undo(w: WriteContext, tokens: Sequence[str]) -> list[str]:
    """Take back what some tokens stand for, all or nothing; the tokens that bring the events among them back. Raises Refusal."""
    if not tokens:
        raise Refusal("There is nothing to undo.")
    back: list[str] = []
    for token in tokens:
        if token.startswith("r:"):
            withdraw_reading(w, token[2:])
        else:
            back.append(withdraw(w, token).id)
    return back
