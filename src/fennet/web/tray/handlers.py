"""Handlers of one tray."""

from __future__ import annotations

import dataclasses
import secrets
from collections.abc import Callable
from typing import Any

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.records import Event, Journal
from fennet.core.room import room_at
from fennet.journal.logger_csv import LoggerMapping, Use, guess, open_any, read_logger
from fennet.journal.numbers import number
from fennet.journal.readings_csv import Table, read_own
from fennet.journal.rejected import FormatError
from fennet.journal.times import zone_of
from fennet.operations import actions, importing, logging, photos, readings, uploads
from fennet.operations.acting import Refusal, WriteContext
from fennet.storage import queries
from fennet.web import query, record, request_context
from fennet.web.forms import Form, Temperature, file_of, submitted
from fennet.web.places import named_places
from fennet.web.tray.forms import (
    HAND_READINGS,
    MEASURES,
    MOST_SHOWN,
    BatchForm,
    CountForm,
    HeightForm,
    MappingForm,
    MarkForm,
    ReadingForm,
    label_temperatures,
    mapping_form,
    reading_form,
)
from fennet.web.tray.ribbons import zoom_charts
from fennet.web.tray.view import tray_view
from fennet.web.writes import write

SHOWN_ASIDE, SHOWN_SPANS = 50, 40


def _record(tray_id: str) -> Journal:
    """The tray's part of the record; 404 for a tray that is not in this garden."""
    journal = record.part_of_tray(record.journal(), record.events(), tray_id, record.at_s())
    if not journal.trays:
        abort(404)
    return journal


def _back(tray_id: str, part: str = "") -> Any:
    return redirect(url_for("tray.show", slug=request_context.garden().slug, tray_id=tray_id, _anchor=part or None))


@request_context.in_garden
def show(tray_id: str) -> Any:
    return _page(_record(tray_id), tray_id)


def _page(journal: Journal, tray_id: str, told: Form | None = None, refusal: Refusal | None = None) -> Any:
    """The tray's page; with a form that was refused, what was typed and why it will not do."""
    now = request_context.now()
    of, whole = query.text("of"), query.text("days") == "all"
    fmt = request_context.formatter()
    view = record.remembered(
        ("tray", tray_id, of, whole),
        lambda: tray_view(record.answers(), journal, tray_id, fmt, of, whole),
    )
    trays = [t.id for t in record.journal().trays if t.until is None]
    here = trays.index(tray_id) if tray_id in trays else 0
    neighbours = (trays[here - 1], trays[(here + 1) % len(trays)]) if len(trays) > 1 else ("", "")
    things = [tray_id, *(b.id for b in journal.batches)]
    reading = told if isinstance(told, ReadingForm) else ReadingForm(formdata=None, at=now)
    if reading is not told:
        label_temperatures(reading)
    return render_template(
        "tray/show.html", v=view, refusal=refusal, neighbours=neighbours, whole=whole, reading=reading,
        told=told, of_batch=told["batch"].data if told is not None and "batch" in told else "",
        blank={"height": HeightForm(formdata=None), "count": CountForm(formdata=None)},
        photos=photos.of_things(request_context.reading(), request_context.garden().id, things),
    ), 400 if refusal else 200  # fmt: skip


def _log(tray_id: str, form: Form, part: str, action: Callable[[WriteContext], Event | None], words: str) -> Any:
    """Write one thing about a batch of the tray, say what was written with its undo, or show the page with what will not do."""
    journal = _record(tray_id)
    if form["batch"].data not in {b.id for b in journal.batches}:
        abort(404)
    try:
        form.take()
        event = write(action)
    except Refusal as e:
        form.tell(e)
        return _page(journal, tray_id, form, e)
    if event is not None:
        flash(words, f"undo:{event.id}")
    return _back(tray_id, part)


@request_context.in_garden
def mark(tray_id: str) -> Any:
    """One or more cells came up."""
    form = MarkForm()
    cells = form.cell.data or []

    def action(w: WriteContext) -> Event | None:
        made = logging.mark_more(w, form.batch.data, cells, form.at.data or form.pressed)
        return made[0] if made else None

    return _log(tray_id, form, "cells", action, f"{', '.join(cells)} marked up.")


@request_context.in_garden
def unmark(tray_id: str) -> Any:
    form = MarkForm()
    cell = (form.cell.data or [""])[0]
    return _log(
        tray_id, form, "cells", lambda w: logging.unmark(w, form.batch.data, cell), f"{cell} is no longer marked."
    )  # fmt: skip


@request_context.in_garden
def count(tray_id: str) -> Any:
    form = CountForm()

    def action(w: WriteContext) -> Event | None:
        unit = form.unit.data or "cells"
        field = unit if unit == "rooted" else f"{unit}_up"
        return logging.log_count(w, form.batch.data, field, form.total.data, form.at.data or form.pressed)

    return _log(tray_id, form, "cells", action, f"{form.total.data} up logged.")


@request_context.in_garden
def height(tray_id: str) -> Any:
    """What a ruler and a look at the leaves say of one batch."""
    form = HeightForm()

    def action(w: WriteContext) -> Event | None:
        fields: dict[str, Any] = {"batch": form.batch.data, "mm": round(form.height.data, 1)}
        if form.leaves.data is not None:
            fields["true_leaves"] = form.leaves.data
        return actions.log_event(w, "height", fields, form.at.data or form.pressed)

    return _log(tray_id, form, f"plants-{form.batch.data}", action, "Height logged.")


@request_context.in_garden
def give_up(tray_id: str) -> Any:
    form = BatchForm()
    batch_id = form.batch.data
    return _log(
        tray_id, form, "", lambda w: actions.log_event(w, "gave_up", {"batch": batch_id}, form.pressed),
        f"{batch_id} given up; its cells are free.",
    )  # fmt: skip


@request_context.in_garden
def reading(tray_id: str) -> Any:
    """A reading by hand, or a guess kept as an estimate."""
    journal = _record(tray_id)
    form = reading_form()

    def work(w: WriteContext) -> readings.HandReading:
        quantity, unit, _ = HAND_READINGS[form.what.data or "soil"]
        at, under = form.at.data or form.pressed, None
        if quantity == "light":
            a = record.answers_in_turn()
            over = room_at(a.journal, a.events, at.timestamp())
            lamps = over.over(over.trays[tray_id].place)
            under = lamps[0].lamp if lamps and not form.sky.data else "daylight"
        value, unit = (form.value.data, unit) if unit else _as_typed(form)
        given = readings.HandReading(tray_id, quantity, value, unit, at, under=under, estimated=form.estimated.data)
        return readings.log_reading(w, given)

    try:
        form.take()
        kept = write(work)
    except Refusal as e:
        form.tell(e)
        return _page(journal, tray_id, form, e)
    if kept is not None:
        words = "Saved as a guess: it counts until you measure, or for two months." if form.estimated.data else "Reading kept."
        flash(words, f"undo:r:{kept.token}")
    return _back(tray_id, "soil")


def _as_typed(form: ReadingForm) -> tuple[float, str]:
    """A temperature as it was typed: the figure in the unit that was meant."""
    assert isinstance(form.value, Temperature)
    return number(form.value.given, form.value.units()), form.value.meant(form.value.given)


@request_context.in_garden
def series(tray_id: str) -> Any:
    """The whole history of one batch in four charts, for the zoom: times in seconds, figures in the reader's units."""
    journal = _record(tray_id)
    batch = next((b for b in record.journal().batches if b.id == query.text("of")), None)
    if batch is None or batch.id not in {b.id for b in journal.batches}:
        abort(404)

    def made() -> dict[str, Any]:
        return zoom_charts(record.answers().conditions(batch), request_context.formatter())

    return record.remembered(("series", batch.id), made), 200, {"Cache-Control": "no-store"}


@request_context.in_garden
def upload(tray_id: str) -> Any:
    """Take a logger's file, keep it aside, and show what it would bring."""
    journal = _record(tray_id)
    try:
        name, data = file_of(asked="Choose a CSV file first.")
        try:
            open_any(data)
        except FormatError as e:
            raise Refusal(f"{name}: {e}", "file") from None
        key = secrets.token_urlsafe(16)
        write(lambda w: uploads.put(w, key, name, data), key=f"upload-put-{key}")
    except Refusal as e:
        return _page(journal, tray_id, refusal=e)
    return redirect(url_for("tray.preview", slug=request_context.garden().slug, tray_id=tray_id, key=key))


@request_context.in_garden
def preview(tray_id: str, key: str) -> Any:
    """What an uploaded file would bring, what would be set aside and why; then save."""
    _record(tray_id)
    kept = uploads.get(request_context.engine(), request_context.actor(), key)
    if kept is None:
        flash("That upload is gone. Choose the file again.", "error")
        return _back(tray_id, "soil")
    name, data = kept
    try:
        table = open_any(data)
    except FormatError as e:
        flash(f"{name}: {e}", "error")
        return _back(tray_id, "soil")
    known = named_places(record.journal())
    form = mapping_form(len(table.header), list(known.items()))
    zone = zone_of(request_context.garden().garden.timezone)
    kept_names = {} if table.is_own else queries.logger_mappings(request_context.reading(), request_context.garden().id)
    remembered, mapping = ("", None) if table.is_own else _mapping(form, table, tray_id, kept_names, known)
    collector = readings.collector_for(request_context.engine(), request_context.actor(), request_context.now())
    unknown: list[str] = []
    trouble, others = "", 0
    large = len(data) > importing.LARGE_BYTES
    looked_at = importing.head_of(table) if large else table
    try:
        if table.is_own:
            unknown = read_own(looked_at, collector, default_place=tray_id)
        elif mapping is not None:
            others = read_logger(looked_at, mapping, collector, zone)
    except FormatError as e:
        trouble = str(e)
    taken = collector.close()
    replace = bool(form.replace.data)
    if submitted() and form.save.data and not trouble:
        try:
            if large:
                write(lambda w: _read_later(w, key, name, tray_id, table, mapping, form), key=f"upload-{key}")
                return redirect(url_for("imports.show", slug=request_context.garden().slug, key=key))
            outcome = write(lambda w: readings.take(w, taken, replace), key=f"upload-{key}")
        except Refusal as e:
            trouble = e.reason
        else:
            outcome = outcome or readings.Outcome(repeated=taken.n)
            write(lambda w: uploads.drop(w, key), key=f"dropped-{key}")
            if mapping is not None and (by := form.remember.data):
                write(lambda w: uploads.keep_mapping(w, by, mapping), key=f"mapping-{key}")
            flash(f"{outcome.accepted} readings kept, {outcome.repeated} were there already, {len(outcome.rejected)} set aside.")
            return _back(tray_id, "soil")
    would = readings.rehearse(request_context.engine(), request_context.actor(), taken, request_context.now(), replace)
    return render_template(
        "tray/preview.html",
        tray_id=tray_id,
        key=key,
        name=name,
        table=table,
        mapping=mapping,
        remembered=remembered,
        others=others,
        uses={u.column: u for u in mapping.uses} if mapping is not None else {},
        shown=list(enumerate(table.header))[:MOST_SHOWN],
        hidden=max(0, len(table.header) - MOST_SHOWN),
        would=would,
        unknown=unknown,
        trouble=trouble,
        replace=replace,
        looked_at=importing.LOOKS_AT if large and table.lines > importing.LOOKS_AT else 0,
        rejected=would.rejected[:SHOWN_ASIDE],
        first=_first_rows(table),
        form=form,
        most_spans=SHOWN_SPANS,
        spans=[
            (g.key, len(g.at_s), float(g.at_s[0]), float(g.at_s[-1]), float(g.canonical.min()), float(g.canonical.max()))
            for g in taken.groups[:SHOWN_SPANS]
        ],
    )


def _read_later(
    w: WriteContext, key: str, name: str, tray_id: str, table: Table, mapping: LoggerMapping | None, form: MappingForm
) -> None:
    """A large file is read in the background; how it is read is kept by name as ever."""
    importing.enqueue(w, key, name, tray_id, table, mapping, bool(form.replace.data))
    if mapping is not None and form.remember.data:
        uploads.keep_mapping(w, form.remember.data, mapping)


def _first_rows(table: Table) -> list[list[str]]:
    """The first lines of a file, as far as they can be read."""
    try:
        return [[cell[:200] for cell in row] for _, row in zip(range(4), (r for _, r in table.rows()), strict=False)]
    except FormatError:
        return []


def _mapping(
    form: MappingForm, table: Table, tray_id: str, kept: dict[str, dict[str, Any]], known: dict[str, str]
) -> tuple[str, LoggerMapping | None]:
    """How a logger's file is read, with the name it is kept by: as chosen on the preview, else as a kept mapping whose columns
    are all there, else a first guess."""
    if submitted() and form.time_column.data:
        uses = []
        for n, column in enumerate(table.header[:MOST_SHOWN]):
            chosen = form[f"use-{n}"].data
            if chosen in MEASURES:
                quantity, unit = chosen.split(" ")
                uses.append(Use(column, form[f"place-{n}"].data or tray_id, quantity, unit))
        chosen_now = LoggerMapping(
            form.time_column.data, form.time_form.data or "iso", tuple(uses), form.time_of_day.data or "",
            form.clock.data or "garden", table.separator != ",",
        )  # fmt: skip
        return form.remember.data or "", chosen_now
    for name, body in kept.items():
        remembered = LoggerMapping.of(body, tray_id)
        if remembered is not None and remembered.fits(table):
            return name, remembered.at(tray_id)
    try:
        found = guess(table, tray_id, known, zone_of(request_context.garden().garden.timezone))
    except FormatError:
        return "", None
    # What is not shown cannot be corrected, so it is not kept.
    seen = set(table.header[:MOST_SHOWN])
    return "", found and dataclasses.replace(found, uses=tuple(u for u in found.uses if u.column in seen))
