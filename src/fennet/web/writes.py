"""Every write of a page: in the garden's turn, once for each form, and the promises of the day after it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from flask import current_app

from fennet.answering.promising import promises_now
from fennet.journal.times import zone_of
from fennet.operations import promises
from fennet.operations.acting import WriteContext, in_turn
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
    """Keep what is promised now and was not yet. What was written stands whatever comes of this: a failure is logged and nobody
    is kept waiting for it."""
    try:
        actor, now = request_context.actor(), request_context.now()
        day = now.astimezone(zone_of(actor.ref.garden.timezone)).date()
        new = promises_now(record.answers(), day, promises.already_made(request_context.reading(), actor.ref.id, day))
        if new:
            in_turn(request_context.engine(), actor, now, lambda w: promises.keep(w, new))
            record.read_again()
    except Exception:
        current_app.logger.exception("the day's promises were not kept")
