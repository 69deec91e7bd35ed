"""Handlers of the Book."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from flask import Response, abort, flash, redirect, render_template, stream_with_context, url_for
from wtforms import Field

from fennet.core.kinds import EVENT_KINDS, FIELD_TYPES, SIGNS
from fennet.core.records import Event
from fennet.journal.numbers import number, whole
from fennet.journal.times import format_instant, zone_of
from fennet.operations import actions
from fennet.operations.acting import Refusal
from fennet.presentation.csv_cells import plain_cell
from fennet.presentation.entries import entry_words
from fennet.storage import queries
from fennet.web import query, record, request_context
from fennet.web.book.view import KINDS, LOGGERS, MOST, READINGS, Filter, filter_from, lines, reach
from fennet.web.forms import Choice, Form, Moment, Words, made_of, short, submitted
from fennet.web.writes import write

MOST_EXPORTED = 1_000_000


def _wanted() -> Filter:
    today = request_context.formatter().local(request_context.now()).date()
    return filter_from(today)


@request_context.in_garden
def book() -> Any:
    refusal = None
    try:
        wanted = _wanted()
    except Refusal as e:
        refusal, today = e, request_context.formatter().local(request_context.now()).date()
        wanted = Filter(query.text("thing"), query.text("kind"), today - timedelta(days=13), today)
    journal = record.journal()
    found = lines(
        request_context.reading(), journal, record.events(), request_context.garden().id, wanted, request_context.formatter()
    )
    things = {
        "Rooms": [(r.id, r.name or r.id) for r in journal.rooms],
        "Places": [(p.id, p.name or p.id) for p in journal.places],
        "Trays": [(t.id, t.id) for t in journal.trays],
        "Batches": [(b.id, b.id) for b in journal.batches],
        "Lamps and mats": [(i, i) for i in [*(x.id for x in journal.lamps), *(x.id for x in journal.mats)]],
    }
    earlier = replace(
        wanted, last=wanted.first - timedelta(days=1), first=wanted.first - (wanted.last - wanted.first) - timedelta(days=1)
    )
    return render_template(
        "book/book.html",
        lines=found,
        wanted=wanted,
        things=things,
        kinds=[*KINDS, READINGS, LOGGERS],
        refusal=refusal,
        earlier=earlier,
        full=len(found) == MOST,
    ), 400 if refusal else 200


def _as_file(rows: Iterator[list[Any]], name: str) -> Response:
    def text() -> Iterator[str]:
        buffer = io.StringIO()
        writer = csv.writer(buffer)
        for row in rows:
            writer.writerow([plain_cell(cell) for cell in row])
            yield buffer.getvalue()
            buffer.seek(0)
            buffer.truncate()

    response = Response(stream_with_context(text()), mimetype="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@request_context.in_garden
def export() -> Any:
    """The filtered lines as CSV: at, about, kind, what, by."""
    wanted = _wanted()
    zone = zone_of(request_context.garden().garden.timezone)
    found = lines(
        request_context.reading(),
        record.journal(),
        record.events(),
        request_context.garden().id,
        wanted,
        request_context.formatter(),
        MOST_EXPORTED,
    )

    def rows() -> Iterator[list[Any]]:
        yield ["at", "about", "kind", "what", "by"]
        for x in reversed(found):
            yield [format_instant(x.at.timestamp(), zone), x.about, x.kind, x.what, x.by]

    return _as_file(rows(), f"{request_context.garden().slug}-book.csv")


@request_context.in_garden
def export_readings() -> Any:
    """The filtered readings as given, in the CSV that is taken in again."""
    wanted = _wanted()
    zone = zone_of(request_context.garden().garden.timezone)
    first, end = wanted.span(request_context.garden().garden.timezone)
    ids = reach(record.journal(), record.events(), wanted.thing)
    found = queries.readings_given(
        request_context.reading(),
        request_context.garden().id,
        first,
        end,
        sorted(ids) if ids is not None else None,
        None,
        MOST_EXPORTED,
    )

    def rows() -> Iterator[list[Any]]:
        yield ["at", "place", "quantity", "value", "unit", "source", "under", "estimated"]
        for r in found:
            guess = "true" if r.estimated else ""
            at = format_instant(r.at.timestamp(), zone)
            yield [
                at,
                r.place,
                r.quantity,
                f"{r.value:g}" if abs(r.value) < 1e6 else r.value,
                r.unit,
                r.source or "",
                r.under or "",
                guess,
            ]

    return _as_file(rows(), f"{request_context.garden().slug}-readings.csv")


@request_context.in_garden
def entry(event_id: str) -> Any:
    """One entry: what it says, to correct or to take back."""
    found = next((e for e in record.events() if e.id == event_id), None)
    if found is None:
        abort(404)
    form, refusal = _form(found), None
    if submitted():
        try:
            form.take()
            fields, at = _corrected(form, found)
            made = write(lambda w: actions.correct(w, event_id, fields, at))
            flash("Corrected. The first entry stays in the record.", f"undo:{made.id}" if made is not None else "message")
            return redirect(url_for("book.entry", slug=request_context.garden().slug, event_id=event_id))
        except Refusal as e:
            form.tell(e)
            refusal = e
    fmt = request_context.formatter()
    return render_template(
        "book/entry.html",
        e=found,
        words=entry_words(found, fmt),
        when=fmt.moment(found.at),
        rows=_asked(found),
        refusal=refusal,
        form=form,
    ), 400 if refusal else 200


def _asked(e: Event) -> list[str]:
    """The fields of an entry that can be corrected by typing."""
    names = [*EVENT_KINDS[e.kind].required, *EVENT_KINDS[e.kind].optional]
    return [n for n in names if FIELD_TYPES[n] not in ("event", "periods")]


def _form(e: Event) -> Form:
    """A form with what an entry says; lists parted by commas, yes and no in words."""
    fields: dict[str, Field] = {"at": Moment("When")}
    for name in _asked(e):
        label = name.replace("_", " ").capitalize()
        fields[name] = Choice(label, [(s, s) for s in SIGNS]) if FIELD_TYPES[name] == "sign" else Words(label, 20_000)
    shown = {name: _typed(e.fields[name]) for name in _asked(e) if name in e.fields}
    return made_of(fields)(data={"at": e.at, **shown})


def _typed(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ", ".join(map(str, value)) if isinstance(value, list) else f"{value:g}" if isinstance(value, float) else str(value)


def _corrected(form: Form, e: Event) -> tuple[dict[str, Any], datetime]:
    """The fields as typed on an entry's page. Raises Refusal."""
    out: dict[str, Any] = {}
    for name in (*EVENT_KINDS[e.kind].required, *EVENT_KINDS[e.kind].optional):
        if name not in _asked(e) or not form[name].raw_data:
            if name in e.fields:
                out[name] = e.fields[name]
        elif form[name].data is not None:
            out[name] = _value(name, FIELD_TYPES[name], form[name].data, e.fields.get(name))
    return out, form["at"].data or form.pressed


def _value(name: str, kind: str, text: str, before: Any) -> Any:
    if kind in ("bool", "switch", "any") and text.lower() in ("yes", "no", "true", "false"):
        return text.lower() in ("yes", "true")
    if kind == "cells":
        return [cell.strip() for cell in text.split(",") if cell.strip()]
    if kind in ("id", "loose_id", "text", "sign", "clock", "switch", "seen", "moment") or (
        kind == "any" and isinstance(before, str)
    ):
        return text
    try:
        return whole(text) if kind in ("count", "mark") else number(text)
    except ValueError as e:
        raise Refusal(f"{name.replace('_', ' ').capitalize()}: {short(text)!r} {e}.", name, text) from None
