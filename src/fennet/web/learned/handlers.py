"""Handlers of what was learned."""

from __future__ import annotations

import json
from typing import Any, cast

from flask import Response, flash, redirect, render_template, url_for

from fennet.core.learning.corrections import OWN, Correction
from fennet.operations import learning
from fennet.operations.acting import Refusal
from fennet.presentation.learned import as_json
from fennet.web import record, request_context
from fennet.web.forms import submitted
from fennet.web.learned.forms import MEASURES, AboutForm, OwnForm
from fennet.web.learned.view import OF_TRAY, learned_view
from fennet.web.writes import write


@request_context.in_garden
def learned() -> Any:
    """What was learned here, line by line."""
    fmt = request_context.formatter()
    view = record.remembered(("learned",), lambda: learned_view(record.answers(), fmt))
    form, refusal = OwnForm(), None
    form.kind.choices = list(view.kinds)
    form.figure_of.choices = [(value, words.format(degree=fmt.degree)) for value, words in MEASURES]
    if submitted():
        try:
            if form.own.data:
                _own(form)
            else:
                _about(AboutForm())
            return redirect(url_for("learned.learned", slug=request_context.garden().slug))
        except Refusal as e:
            form.tell(e)
            refusal = e
    return render_template("learned/learned.html", v=view, form=form, refusal=refusal), 400 if refusal else 200


def _about(form: AboutForm) -> None:
    """Forget, leave out, or take back. Raises Refusal."""
    form.take()
    measure = cast(Any, form.measure.data or None)
    of = Correction(
        measure=measure, thing=form.thing.data or None, crop=form.crop.data or None, variety=form.variety.data or None,
        year=form.year.data,
    )  # fmt: skip
    if form.again.data or form.own_gone.data:
        said = (
            {"value": 1.0} if form.own_gone.data else {"leave_out": True} if of.year else {"forget_before": request_context.now()}
        )
        gone = Correction(**{**vars(of), **said})
        write(lambda w: learning.take_back(w, gone))
        flash("Taken back: it is learned from again." if form.again.data else "Your own figure is removed.")
    elif of.year is not None:
        write(lambda w: learning.correct(w, Correction(year=of.year, leave_out=True)))
        flash(f"{of.year} is left out: nothing is learned from what was sown in it.")
    elif form.forget.data:
        forgotten = Correction(thing=of.thing, crop=of.crop, variety=of.variety, forget_before=request_context.now())
        write(lambda w: learning.correct(w, forgotten))
        anew = "What is read of it from now on" if of.thing else "What is sown from now on"
        flash(f"Forgotten. {anew} teaches anew; you can take this back below.")


def _own(form: OwnForm) -> None:
    """Keep a figure of the grower's own. Raises Refusal."""
    form.take()
    of, measure, value = form.kind.data or "", cast(Any, form.figure_of.data), form.value.data
    fmt = request_context.formatter()
    if measure == "lift" and value is not None:
        (low_c, high_c), value = OWN["lift"], value / fmt.shown_span(1.0)
        if not low_c <= value <= high_c:
            # Told in the reader's own degrees.
            accepted = f"{fmt.temperature_span(low_c)} to {fmt.temperature_span(high_c)}"
            raise Refusal(f"Value is out of range; accepted: {accepted}.", "value")
    if of.startswith(OF_TRAY):
        figure = Correction(measure=measure, thing=of.removeprefix(OF_TRAY), value=value)
    else:
        crop, _, variety = of.partition("|")
        figure = Correction(measure=measure, crop=crop, variety=variety or None, value=value)
    write(lambda w: learning.correct(w, figure))
    flash("Your own figure is used from now on, in forecasts and plans, and named as yours.")


@request_context.in_garden
def as_file() -> Any:
    """The same as a document, to keep."""
    a = record.answers()
    told = as_json(a.learned, a.learned_lines(), a.learned_years(), a.habits(), a.room_lines())
    body = json.dumps({"format": "fennet-learned", "version": 1, **told}, ensure_ascii=False, indent=1)
    name = f"{request_context.garden().slug}-learned.json"
    return Response(body, mimetype="application/json", headers={"Content-Disposition": f"attachment; filename={name}"})
