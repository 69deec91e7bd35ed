"""Handlers of kept plans: by name, side by side, and a new season from an old one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from functools import partial
from typing import Any

from flask import flash, redirect, render_template, url_for
from pydantic import TypeAdapter, ValidationError
from wtforms import Field

from fennet.core.bounds import MOST_PLANTS
from fennet.core.planning.clashes import clashes
from fennet.core.planning.plan import Plan, Planned, want_name
from fennet.core.planning.results import Result, results_of
from fennet.core.records import Want
from fennet.journal.plans import versions_of
from fennet.operations import plan_versions
from fennet.operations.acting import Refusal, WriteContext
from fennet.presentation.next_season import VERDICTS, advice_words
from fennet.presentation.planning import clash_words, day_words, sowing_words
from fennet.web import query, record, request_context
from fennet.web.forms import Day, Form, Tick, Whole, Words, made_of, submitted
from fennet.web.parts import part
from fennet.web.plan import answers
from fennet.web.plan.forms import NEAR, VersionForm
from fennet.web.writes import write

NOW = "the plan as it is"
_want = TypeAdapter(Want)


@dataclass(frozen=True)
class Side:
    """One version in a comparison: its name, sowings by name, and what it lacks."""

    name: str
    sowings: dict[str, dict[str, str]]
    clashes: list[str]
    seeds: int


def outcome(plan: Plan) -> dict[str, Any]:
    """What came of a plan, as kept with its version."""
    rows = [
        {
            "name": sowing_words(p),
            "sow_on": p.sow_on.isoformat() if p.sow_on else "",
            "out_on": p.out_on.isoformat(),
            "seeds": p.draft.much.seeds,
            "cells": p.draft.much.cells,
            "on_mat": p.on_mat,
        }
        for p in plan.sowings
    ]
    return {"sowings": rows, "clashes": [clash_words(c, request_context.formatter()) for c in clashes(plan)]}


@request_context.in_garden
def versions() -> Any:
    """Keep, drop or take up again a version; the list of them."""
    slug = request_context.garden().slug
    form = VersionForm()
    if submitted():
        try:
            form.take()
            name, action = str(form.name.data), form.action.data
            if action == "drop":
                write(lambda w: plan_versions.drop_version(w, name))
                flash(f"Version {name} deleted.")
            elif action == "restore":
                n = write(lambda w: plan_versions.restore_version(w, name))
                flash(f"The {n} crops of {name} are your plan again.")
                return redirect(url_for("plan.plan", slug=slug))
            else:
                write(lambda w: plan_versions.keep_version(w, name, outcome(answers.plan())))
                flash(f"Kept as {name}.")
        except Refusal as e:
            flash(e.reason, "error")
        return redirect(url_for("plan.versions", slug=slug))
    fmt = request_context.formatter()
    kept = [
        (str(e["name"]), fmt.moment(_made(e)) if _made(e) else "", len(e.get("wants", [])))
        for e in versions_of(record.journal().plans)
    ]
    return render_template("plan/versions.html", kept=kept, now=NOW, form=form)


def _made(entry: Any) -> Any:
    from datetime import datetime

    try:
        return datetime.fromisoformat(str(entry.get("made_at")))
    except ValueError:
        return None


@request_context.in_garden
def compare() -> Any:
    """Two versions side by side; what differs is marked."""
    names = [str(e["name"]) for e in versions_of(record.journal().plans)]
    a, b = query.text("a", names[-1] if names else NOW), query.text("b", NOW)
    sides = [_side(a), _side(b)]
    every = sorted(
        {*sides[0].sowings, *sides[1].sowings}, key=lambda n: min(s.sowings[n]["sow_iso"] for s in sides if n in s.sowings)
    )
    return render_template("plan/compare.html", sides=sides, names=[NOW, *names], every=every, a=a, b=b)


def _side(name: str) -> Side:
    """A version worked out anew in today's room and record, so that both sides are judged alike."""
    fmt = request_context.formatter()
    entry = next((e for e in versions_of(record.journal().plans) if e["name"] == name), None)
    if entry is None:
        plan = answers.plan()
    else:
        plan = answers.plan_with(read_wants(entry.get("wants", [])), (name, str(entry.get("made_at"))))
    rows = {}
    for whole, parts in _wholes(plan).items():
        days = sorted({p.sow_on for p in parts if p.sow_on})
        words = [day_words(d, fmt) for d in (days[:1] if days[:1] == days[-1:] else [days[0], days[-1]])] if days else []
        rows[whole] = {
            "sow": " to ".join(words) or "cannot be grown",
            "sow_iso": days[0].isoformat() if days else "9",
            "out": day_words(parts[0].out_on, fmt),
            "seeds": f"{sum(p.draft.much.seeds for p in parts)} in {sum(p.draft.much.cells for p in parts)}",
            "heat": "mat" if all(p.on_mat for p in parts) else "room" if not any(p.on_mat for p in parts) else "mat and room",
        }
    return Side(name, rows, [clash_words(c, fmt) for c in clashes(plan)], sum(p.draft.much.seeds for p in plan.sowings))


def _wholes(plan: Plan) -> dict[str, list[Planned]]:
    """Sowings by name, the parts of one together."""
    out: dict[str, list[Planned]] = {}
    for p in plan.sowings:
        name = want_name(p.draft.want, p.draft.crop)
        out.setdefault(f"{name} ({p.draft.number})" if (p.draft.want.times or 1) > 1 else name, []).append(p)
    return out


def read_wants(entries: list[Any]) -> list[Want]:
    """Wants of a kept version that can still be read."""
    out = []
    for entry in entries:
        try:
            out.append(_want.validate_python(entry))
        except ValidationError:
            continue
    return out


@dataclass(frozen=True)
class Again:
    """A want of last season with what came of it, and what is proposed for the next."""

    want: Want
    result: Result
    name: str
    out_by: date | None
    plants: int
    verdict: str
    advice: str
    words: tuple[str, ...]


@request_context.in_garden
def season() -> Any:
    """A new season from the last: each want with its results, a year on, to keep or to leave."""
    journal = record.journal()
    table, fmt = record.answers().table, request_context.formatter()
    rows = []
    for want in journal.wants:
        crop = table.get(want.crop)
        result = results_of(want, journal, record.events(), request_context.now().timestamp())
        told = part(f"advice on {crop.name}", partial(record.answers().season_advice, want), None)
        out_by = _next(told.out_by if told is not None else want.out_by)
        words = advice_words(told, fmt) if told is not None else []
        name = f"{crop.name}, {want.variety}" if want.variety else crop.name
        verdict = told.verdict if told is not None else "repeat"
        rows.append(Again(want, result, name, out_by, want.plants or 1, verdict, VERDICTS[verdict], tuple(words)))
    form = _season_form(rows)
    if submitted():
        try:
            form.take()
            given = []
            for i, row in enumerate(rows):
                if form[f"keep-{i}"].data:
                    plain = _want.dump_python(row.want, exclude_none=True)
                    plants, out_by = form[f"plants-{i}"].data, form[f"out_by-{i}"].data
                    given.append({**plain, "moved": {}, "plants": plants or row.plants, "out_by": out_by})
            name, came = form["name"].data or "last season", outcome(answers.plan())

            def begin(w: WriteContext) -> int:
                plan_versions.keep_version(w, name, came)
                return plan_versions.begin_season(w, given)

            n = write(begin)
            flash(f"A new season of {n} crops. The last one is among the versions.")
            return redirect(url_for("plan.plan", slug=request_context.garden().slug))
        except Refusal as e:
            flash(e.reason, "error")
    return render_template("plan/season_new.html", rows=rows, form=form)


def _season_form(rows: list[Again]) -> Form:
    """The form of a new season: for each want whether it is kept, how many plants, by when."""
    fields: dict[str, Field] = {"name": Words("Keep the old plan as", 80, default=f"Season to {answers.today().year}")}
    for i, row in enumerate(rows):
        said = {"aria-label": f"Plants of {row.name}", "class": "short"}
        fields[f"keep-{i}"] = Tick(default=row.verdict != "drop")
        fields[f"plants-{i}"] = Whole(f"Plants of {row.name}", 1, MOST_PLANTS, default=row.plants, render_kw=said)
        by = {"aria-label": f"{row.name} out by"}
        fields[f"out_by-{i}"] = Day(f"{row.name} out by", near=NEAR, default=row.out_by, render_kw=by)
    return made_of(fields)()


def _next(day: date | None) -> date | None:
    """The same day in the first year in which it is still to come."""
    if day is None:
        return None
    today = answers.today()
    while day <= today:
        day = date(day.year + 1, day.month, 28 if (day.month, day.day) == (2, 29) else day.day)
    return day
