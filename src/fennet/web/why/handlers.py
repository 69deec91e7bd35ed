"""Handlers of Why."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.kinds import SIGNS
from fennet.core.records import Batch, Event
from fennet.crops.complaints import shipped_complaints
from fennet.operations import actions
from fennet.operations.acting import Refusal
from fennet.presentation.diagnosis import OUTCOMES
from fennet.presentation.entries import SIGN_WORDS
from fennet.presentation.evidence import HEARD
from fennet.web import query, record, request_context
from fennet.web.forms import Form, Hidden, Whole, submitted
from fennet.web.why.look import look_view
from fennet.web.why.view import index_view, why_view
from fennet.web.writes import write


class LookForm(Form):
    """A sign that was picked, or what a look showed."""

    sign = Hidden(longest=40)
    what = Hidden(longest=60)
    result = Hidden(longest=60)
    asked = Whole("Questions asked", 0, 99)


@request_context.in_garden
def index() -> Any:
    """Every batch that is waited for: those that are slow first."""
    view = record.remembered(("why",), lambda: index_view(record.answers(), request_context.formatter()))
    return render_template("why/index.html", v=view)


@request_context.in_garden
def batch(batch_id: str) -> Any:
    return _page(batch_id)


def _page(batch_id: str, refusal: Refusal | None = None) -> Any:
    a = record.answers()
    chosen = next((b for b in a.journal.batches if b.id == batch_id and b.sown_at.timestamp() <= a.at_s), None)
    if chosen is None:
        abort(404)
    view = record.remembered(("why", batch_id), lambda: why_view(a, chosen, request_context.formatter()))
    return render_template("why/batch.html", v=view, refusal=refusal), 400 if refusal else 200


@request_context.in_garden
def check(batch_id: str) -> Any:
    """What a look showed is logged, and everything is argued anew."""
    form = LookForm()
    try:
        form.take()
        _log_check(form, batch_id)
    except Refusal as e:
        return _page(batch_id, e)
    return redirect(url_for("why.batch", slug=request_context.garden().slug, batch_id=batch_id))


def _log_check(form: LookForm, batch_id: str) -> None:
    """Log what a look showed. Raises Refusal for an answer that is none."""
    what, result = form.what.data or "", form.result.data or ""
    known: dict[str, list[str]] = {}
    for c in shipped_complaints().values():
        for w in c.witnesses.values():
            known[w.key] = list(dict.fromkeys([*known.get(w.key, []), *w.outcomes]))
    if what not in known or result not in known[what]:
        accepted = ", ".join(known[what]) if what in known else ", ".join(known)
        raise Refusal(f"{result or what or 'nothing'!r} is not an answer; accepted: {accepted}.", "result", result)
    event = _log(form, "check", {"batch": batch_id, "what": what, "result": result})
    if event is not None:
        told = OUTCOMES.get(what, {}).get(result, HEARD.get((what, result), result))
        flash(f"Noted: {told.lower()}. The causes were weighed again.", f"undo:{event.id}")


def _log(form: LookForm, kind: str, fields: dict[str, Any]) -> Event | None:
    return write(lambda w: actions.log_event(w, kind, fields, form.pressed))


@request_context.in_garden
def look(batch_id: str) -> Any:
    """Look at it: a sign is picked and logged, then up to five questions; cannot tell is an answer."""
    batches = {b.id: b for b in record.journal().batches if b.sown_at.timestamp() <= record.at_s()}
    if batch_id not in batches:
        abort(404)
    if submitted():
        form = LookForm()
        try:
            form.take()
            asked = form.asked.data or 0
            sign = form.sign.data
            if sign is not None:
                if sign not in SIGNS:
                    raise Refusal(f"{sign!r} is not a sign; accepted: {', '.join(SIGNS)}.", "sign", sign)
                event = _log(form, "sign", {"batch": batch_id, "sign": sign})
                if event is not None:
                    flash(f"Noted: {SIGN_WORDS[sign]}.", f"undo:{event.id}")
            else:
                _log_check(form, batch_id)
        except Refusal as e:
            return _look_page(batches[batch_id], 0, (), e)
        return redirect(url_for("why.look", slug=request_context.garden().slug, batch_id=batch_id, asked=asked + 1))
    skipped = tuple(x for x in query.text("skipped", longest=400).split(",") if x)
    return _look_page(batches[batch_id], query.number("asked", 0, 0, 99), skipped)


def _look_page(batch: Batch, asked: int, skipped: tuple[str, ...], refusal: Refusal | None = None) -> Any:
    view = look_view(record.answers(), batch, asked, skipped)
    if asked and view.question is None:
        # Nothing more would settle anything: what is known now is the answer.
        return redirect(url_for("why.batch", slug=request_context.garden().slug, batch_id=batch.id))
    return render_template("why/look.html", v=view, refusal=refusal), 400 if refusal else 200
