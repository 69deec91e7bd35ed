"""Every write of a page: in the garden's turn, once for each form, and the promises of the day after it."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import date, datetime
from typing import TypeVar

from flask import current_app

from fennet.answering.answers import Answers
from fennet.core.history import counts_of, over_s
from fennet.core.planning.readiness import planting_s, potting_s
from fennet.core.room import tray_of
from fennet.core.scoring import FIRST_PICK, HALF_UP, OUTING, PLANTING, POTTING, WARNING, WATERING, Promise
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

        daily = [*_daily(a, day), *_once(a)]

        def keep(w: WriteContext) -> None:
            promises.keep(w, new)
            promises.keep_firsts(w, firsts)
            promises.keep_daily(w, daily)

        if new or firsts or daily:
            in_turn(request_context.engine(), actor, now, keep)
            record.read_again()
    except Exception:
        current_app.logger.exception("the day's promises were not kept")


#: A watering that is due within so many hours is no forecast any more.
SOON_S = 6 * 3600.0


def _once(a: Answers) -> list[Promise]:
    """What is promised once of each batch, when half of it is up: when it wants potting up, and its planting day as the plan has
    it."""
    c, ref, now_s = request_context.reading(), request_context.garden(), request_context.now().timestamp()
    told = {kind: queries.promised(c, ref.id, kind) for kind in (POTTING, PLANTING)}
    out: list[Promise] = []
    for b in a.living:
        counts = counts_of(b, a.events)
        half_s = counts.reached(math.ceil(counts.up / 2)) if counts.past_half else None
        if half_s is None or b.crop not in a.crops or not b.from_seed or b.from_batch is not None:
            continue
        crop = a.crops[b.crop]
        when = potting_s(crop, half_s)
        if b.id not in told[POTTING] and when is not None and when.p50 > now_s:
            out.append(promises.new_promise(POTTING, b.id, now_s, when))
        if b.id not in told[PLANTING] and (day := a.dates(b).out_on) is not None:
            noon_s = datetime(day.year, day.month, day.day, 12, tzinfo=a.zone).timestamp()
            if noon_s > now_s:
                out.append(promises.new_promise(PLANTING, b.id, now_s, planting_s(crop, noon_s)))
    return out


def _daily(a: Answers, day: date) -> list[Promise]:
    """What is promised today beside half up: when trays with a moisture record want water, what a warning of damping off warns
    of, and that batches stand the outings advised; what was promised today already left out."""
    c, ref, now_s = request_context.reading(), request_context.garden(), request_context.now().timestamp()
    told = {kind: queries.promised_on(c, ref.id, kind, day) for kind in (WATERING, OUTING)}
    warned = queries.promised(c, ref.id, WARNING)
    measured = {s.place for s in a.journal.series if s.quantity == "moisture" and len(s.at_s)}
    trays = {t.id: t for t in a.journal.trays}
    out: list[Promise] = []
    for b in a.living:
        where = tray_of(b, a.events, a.at_s)
        tray = trays.get(where or "")
        if tray is None or b.crop not in a.crops:
            continue
        if tray.id in measured and tray.id not in told[WATERING]:
            n = a.watering(b, tray)
            if n is not None and n.when_s.p50 - now_s > SOON_S:
                out.append(promises.new_promise(WATERING, tray.id, now_s, n.when_s, level=n.aim_pct))
                told[WATERING].add(tray.id)
        if b.id not in warned and counts_of(b, a.events).up:
            risk = a.care(b, tray, a.conditions(b)).risk
            if risk is not None and len(risk.warned) and bool(risk.warned[-1]):
                out.append(promises.new_promise(WARNING, b.id, now_s))
        if b.id not in told[OUTING] and a.stages[b.id] in ("growing_on", "hardening"):
            h = a.hardening(b)
            if h is not None and h.today is not None and h.today.go:
                zone = zone_of(ref.garden.timezone)
                from_s = datetime(day.year, day.month, day.day, tzinfo=zone).timestamp()
                out.append(
                    promises.new_promise(OUTING, b.id, now_s, due_from_s=from_s, due_s=from_s + 36 * 3600.0, level=h.today.hours)
                )
    return out
