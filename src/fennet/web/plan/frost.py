"""Handlers of frost: the chance of a later one, by day, and the record of nights behind it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.core.planning.frost import HALF_YEAR_D, midwinter, season_of
from fennet.core.planning.gate import ACCEPTED_RISK, next_opening
from fennet.core.targets import practice_of
from fennet.journal.readings_csv import decode
from fennet.journal.rejected import FormatError
from fennet.operations import nights
from fennet.operations.acting import Refusal
from fennet.presentation.planning import day_words, note_words
from fennet.web import record, request_context
from fennet.web.forms import file_of, submitted
from fennet.web.plan import answers
from fennet.web.plan.forms import MinimaForm
from fennet.web.workings import WorkingView, working_view
from fennet.web.writes import write

#: Frosts that the page draws, °C.
THRESHOLDS = (0.0, -2.0, -4.0)


@dataclass(frozen=True)
class Curve:
    name: str
    points: str
    at_risk: list[tuple[str, str]]
    years: str


@dataclass(frozen=True)
class GateRow:
    crop: str
    opens: str
    by: str
    working: WorkingView
    notes: list[str]


@request_context.in_garden
def frost() -> Any:
    """Curves of the chance of a later frost, when each wanted crop may go out, and the record of minima."""
    form, refusal = MinimaForm(), None
    if submitted():
        try:
            form.take()
            text = decode(file_of(asked="Choose a file of daily minima first.")[1])
            read = write(lambda w: nights.take_minima(w, text, form.unit.data))
            for note in read.notes if read else []:
                flash(note[0].upper() + note[1:] + ".")
            for entry in (read.rejected if read else [])[:10]:
                flash(f"Set aside {entry}.", "error")
            flash("Nights saved.")
            return redirect(url_for("plan.frost", slug=request_context.garden().slug))
        except (Refusal, FormatError) as e:
            refusal = str(e)
    return render_template("plan/frost.html", refusal=refusal, form=form, **_view()), 400 if refusal else 200


def _view() -> dict[str, Any]:
    fmt = request_context.formatter()
    frosts = answers.nights().frosts
    minima = frosts.minima
    season, d = season_of(answers.today(), frosts.southern)
    season += d >= HALF_YEAR_D
    start = midwinter(season, frosts.southern)
    curves = []
    for threshold in THRESHOLDS:
        dates = frosts.at(threshold)
        if dates is None:
            continue
        points = " ".join(
            f"{60 + i * 900 / HALF_YEAR_D:.1f},{210 - 190 * dates.chance_after(start + timedelta(days=i)):.1f}"
            for i in range(HALF_YEAR_D)
        )
        at_risk = []
        for school, risk in ACCEPTED_RISK.items():
            day = dates.day_of_risk(risk, season)
            at_risk.append((f"{school}, {risk:.0%}".replace("%", " %"), day_words(day, fmt) if day else "never so safe"))
        curves.append(Curve(fmt.temperature(threshold, 0), points, at_risk, "; ".join(dates.notes)))
    months, day = [], start.replace(day=1)
    while (day - start).days < HALF_YEAR_D:
        if day >= start:
            months.append((60 + (day - start).days * 900 / HALF_YEAR_D, fmt.month(day)))
        day = (day + timedelta(days=32)).replace(day=1)
    return {
        "curves": curves, "months": months, "gates": _gates(), "minima": minima,
        "first": day_words(minima.first, fmt, None) + f" {minima.first.year}" if minima else "",
        "last": _last(minima) if minima else "", "garden": request_context.garden().garden,
        "risk": practice_of(request_context.garden().garden)["frost_risk"],
    }  # fmt: skip


def _last(minima: Any) -> str:
    last = minima.first + timedelta(days=len(minima.low_c) - 1)
    return f"{day_words(last, request_context.formatter())} {last.year}"


def _gates() -> list[GateRow]:
    """When each wanted crop may go out."""
    fmt, journal = request_context.formatter(), record.journal()
    nights = answers.nights()
    table = record.answers().table
    practice = practice_of(request_context.garden().garden)
    out = []
    for n, name in enumerate(dict.fromkeys(w.crop for w in journal.wants)):
        crop = table.get(name)
        gate = next_opening(crop, answers.today(), nights.frosts, nights.climate, practice)
        by = {"frost": "frost", "nights": "nights", "soil": "soil", "rule": "weeks after the last frost"}.get(
            gate.by, "not known"
        )
        out.append(
            GateRow(
                crop.name, day_words(gate.opens, fmt) if gate.opens else "not known", by,
                working_view(f"w-gate-{n}", gate.working, fmt), [note_words(x, fmt, crop.name) for x in gate.notes],
            )
        )  # fmt: skip
    return out
