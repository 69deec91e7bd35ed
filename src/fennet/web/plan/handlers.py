"""Handlers of the plan itself."""

from __future__ import annotations

import csv
import io
from datetime import date
from typing import Any

from flask import Response, abort, flash, redirect, render_template, url_for

from fennet.core.planning.drafts import Draft
from fennet.core.planning.plan import Assumed
from fennet.operations import plan_versions, wants
from fennet.operations.acting import Refusal
from fennet.presentation.csv_cells import plain_cell
from fennet.presentation.planning import day_words
from fennet.presentation.variety_notes import variety_words
from fennet.web import query, record, request_context
from fennet.web.parts import part
from fennet.web.plan import answers
from fennet.web.plan.forms import AssumeForm, MoveForm
from fennet.web.plan.growing import GrowingRow, growing_rows
from fennet.web.plan.view import plan_view
from fennet.web.writes import write

#: A sowing is tried on a day within so many days of today.
FARTHEST_D = 800
COLUMNS = (
    "crop",
    "variety",
    "number",
    "sow_on",
    "sow_from",
    "sow_to",
    "seeds",
    "cells",
    "seeds_per_cell",
    "on_mat",
    "half_up_p10",
    "half_up_p50",
    "half_up_p90",
    "pot_up_on",
    "harden_from",
    "out_on",
    "chance_enough",
    "frost_risk",
    "seed_lot",
)


def _past(d: Draft) -> list[tuple[str, bool]]:
    """What this garden's past says of what is to be sown."""
    variety = d.want.variety or (d.lot.variety if d.lot is not None else None)
    told = part("its past here", lambda: record.answers().variety_notes(d.crop.id, variety), None)
    return variety_words(told, request_context.formatter()) if told is not None else []


@request_context.in_garden
def plan() -> Any:
    """The season; with `try`, as it would be if one sowing had another day."""
    fmt = request_context.formatter()
    tried = query.text("try", longest=60)
    made = _tried(tried) if tried else answers.plan()
    key = ("plan-view", tried, answers.today())
    view = record.remembered(key, lambda: plan_view(made, answers.positions(), fmt, record.journal(), _past))
    page = "plan/season.html" if tried else "plan/plan.html"
    rows: list[GrowingRow] = []
    if not tried:
        rows = record.remembered(
            ("plan-growing", answers.today()),
            lambda: growing_rows(part("what is growing", answers.growing, answers.NOTHING_GROWS), fmt),
        )
    return render_template(
        page, v=view, tried=tried, form=AssumeForm(formdata=None), growing=rows, frosts=answers.nights().frosts
    )


def _tried(text: str) -> Any:
    position, _, rest = text.partition(":")
    sowing_no, _, day = rest.partition(":")
    found, number = query.day(day), query.position(position)
    if number not in answers.positions() or number is None or found is None or not _near(found):
        abort(404)
    return answers.plan_if(number, sowing_no, found)


def _near(day: date) -> bool:
    """Whether a day is near enough to be planned for."""
    return abs((day - answers.today()).days) <= FARTHEST_D


@request_context.in_garden
def poster() -> Any:
    """The plan on one page, to hang by the shelf."""
    fmt = request_context.formatter()
    key = ("plan-view", "", answers.today())
    view = record.remembered(key, lambda: plan_view(answers.plan(), answers.positions(), fmt, record.journal(), _past))
    return render_template("plan/poster.html", v=view, today=fmt.day(request_context.now()))


@request_context.in_garden
def move() -> Any:
    """Keep a sowing's own day, hand one back, or do the changes that clear a clash."""
    form = MoveForm()
    try:
        form.take()
        flash(_done(form.do.data or []) if form.do.data else _moved(form))
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("plan.plan", slug=request_context.garden().slug))


def _moved(form: MoveForm) -> str:
    position = query.position(form.want.data or "")
    if position is None:
        raise Refusal("That sowing is gone; load the page again.")
    day = None if form.free.data else form.day.data
    write(lambda w: wants.move(w, [(position, form.sowing_no.data or "1", day)]))
    return (
        f"Sown on {day_words(day, request_context.formatter())}; the rest of the plan was fitted around it."
        if day
        else "Handed back to the plan."
    )


def _done(changes: list[str]) -> str:
    """Changes as a clash carries them: move:want:sowing_no:day, fewer:want:plants, drop:want. All of them or none."""
    moves: list[tuple[int, str, date | None]] = []
    fewer: list[tuple[int, int]] = []
    for text in changes:
        kind, *rest = text.split(":")
        position = query.position(rest[0]) if rest else None
        day = query.day(rest[2]) if kind == "move" and len(rest) == 3 else None
        plants = query.position(rest[1]) if kind == "fewer" and len(rest) == 2 else None
        if position is None or (kind == "move" and day is None) or (kind == "fewer" and plants is None):
            raise Refusal("That change is gone; load the page again.")
        if kind == "move":
            moves.append((position, rest[1], day))
        elif plants is not None:
            fewer.append((position, plants))
        elif kind == "drop":
            fewer.append((position, 0))
    write(lambda w: wants.change(w, moves, fewer))
    return "Done; the rest of the plan was fitted around it."


@request_context.in_garden
def assume() -> Any:
    """Tell the plan what the room is like."""
    form = AssumeForm()
    try:
        form.take()
        figures = form.values("soil_without_mat_c", "air_c", "dli_mol")
        write(lambda w: plan_versions.assume(w, Assumed(**figures)))
        told = any(v is not None for v in figures.values())
        flash("The plan uses that now." if told else "The plan goes by the record again.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("plan.plan", slug=request_context.garden().slug))


@request_context.in_garden
def export() -> Any:
    """The plan as CSV, a line for each sowing."""
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow(COLUMNS)
    for p in answers.plan().sowings:
        d, half = p.draft, p.half_up
        days = [d.sow_from, d.sow_to]
        row = [
            d.crop.id,
            d.want.variety or "",
            d.key,
            p.sow_on or "",
            *(x or "" for x in days),
            d.much.seeds,
            d.much.cells,
            d.much.seeds_per_cell,
            "yes" if p.on_mat else "no",
            *((x.date() for x in (half.p10, half.p50, half.p90)) if half else ("",) * 3),
            p.pot_up_on or "",
            p.harden_from or "",
            p.out_on,
            round(d.much.chance_enough, 3),
            "" if p.risk is None else round(p.risk, 3),
            d.lot.id if d.lot else "",
        ]
        writer.writerow([plain_cell(x) for x in row])
    response = Response(buffer.getvalue(), mimetype="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{request_context.garden().slug}-plan.csv"'
    return response
