"""Every write of a page: in the garden's turn, once for each form, and the promises of the day after it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from flask import current_app

from fennet.core.history import counts_of, over_s
from fennet.core.scoring import FIRST_PICK, HALF_UP
from fennet.journal.times import zone_of
from fennet.operations import promises
from fennet.operations.acting import WriteContext, in_turn
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.forms import key_sent

T = TypeVar("T")


def write(work: Callable[[WriteContext], T], key: str | None = None) -> T | None:
    """Do one write of this request in its garden; what it returned, or what is known of it where the same form came before.

    `key` is the form's own unless another is given. Raises Refusal.
    """

    def turn(w: WriteContext) -> T:
        with request_context.reading_through(w.c):
            return work(w)

    done = in_turn(request_context.engine(), request_context.actor(), request_context.now(), turn, key or key_sent())
    record.read_again()
    keep_promises()
    return done


def keep_promises() -> None:
    """Keep today's half-up forecasts of every batch that is waited for and has none yet, and when the first of what was planted
    is expected. What was written stands whatever comes of this: a failure is logged and nobody is kept waiting for it."""
    try:
        actor, now = request_context.actor(), request_context.now()
        day = now.astimezone(zone_of(actor.ref.garden.timezone)).date()
        made = queries.promised_on(request_context.reading(), actor.ref.id, HALF_UP, day)
        a = record.answers()
        waiting = [b for b in a.journal.batches if b.id not in made and b.sown_at.timestamp() <= a.at_s]
        open_ones = [b for b in waiting if not counts_of(b, a.events).past_half and over_s(b, a.events, a.at_s) is None]
        found = [a.forecast(b) for b in open_ones]
        new = [f for f in found if f is not None and f.half_up is not None and not f.half_up.settled and f.verdict != "finished"]
        told = queries.promised(request_context.reading(), actor.ref.id, FIRST_PICK) if a.planted() else set()
        firsts = [(x.batch, x.crop, first) for x in a.planted() if x.batch.id not in told
                  if (first := a.first_expected(x.batch)) is not None]  # fmt: skip

        def keep(w: WriteContext) -> None:
            promises.keep(w, new)
            promises.keep_firsts(w, firsts)

        if new or firsts:
            in_turn(request_context.engine(), actor, now, keep)
            record.read_again()
    except Exception:
        current_app.logger.exception("the day's promises were not kept")
