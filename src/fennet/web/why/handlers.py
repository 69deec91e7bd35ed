"""Handlers of Why."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.crops.complaints import shipped_complaints
from fennet.operations import deeds
from fennet.operations.acting import Refusal
from fennet.telling.diagnosis import OUTCOMES
from fennet.web import asking, record
from fennet.web.why.view import index_view, why_view


@asking.in_garden
def index() -> Any:
    """Every batch that is waited for: those that are slow first."""
    journal, events, at_s, say = record.journal(), record.events(), record.at_s(), asking.speech()
    view = record.remembered(("why",), lambda: index_view(journal, events, at_s, asking.garden().id, say))
    return render_template("why/index.html", v=view)


@asking.in_garden
def batch(batch_id: str) -> Any:
    return _page(batch_id)


def _page(batch_id: str, refusal: Refusal | None = None) -> Any:
    journal, events, at_s, say = record.journal(), record.events(), record.at_s(), asking.speech()
    chosen = next((b for b in journal.batches if b.id == batch_id and b.sown_at.timestamp() <= at_s), None)
    if chosen is None:
        abort(404)
    view = record.remembered(("why", batch_id), lambda: why_view(journal, chosen, events, at_s, asking.garden().id, say))
    return render_template("why/batch.html", v=view, refusal=refusal), 400 if refusal else 200


@asking.in_garden
def check(batch_id: str) -> Any:
    """What a look showed is logged, and everything is argued anew."""
    what, result = request.form.get("what", ""), request.form.get("result", "")
    known = {w.key: w for c in shipped_complaints().values() for w in c.witnesses.values()}
    if what not in known or result not in known[what].outcomes:
        accepted = ", ".join(known[what].outcomes) if what in known else ", ".join(known)
        return _page(batch_id, Refusal(f"{result or what or 'nothing'!r} is no answer; accepted: {accepted}.", "result", result))
    fields = {"batch": batch_id, "what": what, "result": result}
    try:
        event = deeds.log_event(
            asking.engine(), asking.actor(), "check", fields, asking.pressed_at(), asking.now(), request.form.get("key")
        )
    except Refusal as e:
        return _page(batch_id, e)
    if event is not None:
        flash(f"Noted: {OUTCOMES[what][result].lower()}. Argued anew.", f"undo:{event.id}")
    return redirect(url_for("why.batch", slug=asking.garden().slug, batch_id=batch_id))
