"""Handlers of one tray."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from typing import Any

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.core.records import Event, Journal
from fennet.core.room import room_at
from fennet.journal.aside import FormatError
from fennet.journal.readings_csv import TIME_FORMATS, Mapping, Table, decode, guess_mapping, open_table, read_mapped, read_own
from fennet.journal.times import zone_of
from fennet.operations import deeds, logging, photos, readings, uploads
from fennet.operations.acting import Refusal
from fennet.storage import queries
from fennet.web import answers, asking, record
from fennet.web.bands import conditions_of
from fennet.web.tray.ribbons import zoom_charts
from fennet.web.tray.view import tray_view
from fennet.web.writes import write

#: What the small form under the ribbon takes: word → (quantity, unit or None for the reader's own temperature unit).
HAND_READINGS = {
    "soil": ("soil_temperature", None),
    "air": ("air_temperature", None),
    "moisture": ("moisture", "percent"),
    "feel": ("moisture", "feel"),
    "weight": ("moisture", "g"),
    "light": ("light", "umol/m2/s"),
    "lux": ("light", "lux"),
    "fc": ("light", "fc"),
    "hours": ("photoperiod", "h"),
    "humidity": ("humidity", "percent"),
}
SHOWN_ASIDE = 50


def _record(tray_id: str) -> Journal:
    """The tray's part of the record; 404 for a tray that is not in this garden."""
    journal = record.part_of_tray(record.journal(), record.events(), tray_id, record.at_s())
    if not journal.trays:
        abort(404)
    return journal


def _back(tray_id: str, part: str = "") -> Any:
    return redirect(url_for("tray.show", slug=asking.garden().slug, tray_id=tray_id, _anchor=part or None))


@asking.in_garden
def show(tray_id: str) -> Any:
    return _page(_record(tray_id), tray_id)


def _page(journal: Journal, tray_id: str, refusal: Refusal | None = None) -> Any:
    now = asking.now()
    of, whole = request.args.get("of", ""), request.args.get("days") == "all"
    at_s, events, say = record.at_s(), record.events(), asking.speech()
    view = record.remembered(
        ("tray", tray_id, of, whole),
        lambda: tray_view(record.journal(), journal, events, tray_id, at_s, say, of, whole),
    )
    trays = [t.id for t in record.journal().trays if t.until is None]
    here = trays.index(tray_id) if tray_id in trays else 0
    around = (trays[here - 1], trays[(here + 1) % len(trays)]) if len(trays) > 1 else ("", "")
    things = [tray_id, *(b.id for b in journal.batches)]
    return render_template(
        "tray/show.html", v=view, refusal=refusal, form=request.form, around=around, whole=whole, now_typed=say.typed(now),
        photos=photos.of_things(asking.reading(), asking.garden().id, things),
    ), 400 if refusal else 200  # fmt: skip


def _log(tray_id: str, part: str, deed: Callable[[], Event | None], words: str) -> Any:
    """Write one thing, say what was written with its undo, or show the page with the reason it was refused."""
    journal = _record(tray_id)
    try:
        event = deed()
    except Refusal as e:
        return _page(journal, tray_id, e)
    if event is not None:
        flash(words, f"undo:{event.id}")
    return _back(tray_id, part)


def _batch_of(tray_id: str) -> str:
    """The batch a form speaks of, which must be in this tray."""
    batch_id = request.form.get("batch", "")
    if batch_id not in {b.id for b in _record(tray_id).batches}:
        abort(404)
    return batch_id


@asking.in_garden
def mark(tray_id: str) -> Any:
    """One or more cells came up."""
    batch_id, cells = _batch_of(tray_id), request.form.getlist("cell")
    at = asking.typed_time(request.form.get("at"))
    return _log(
        tray_id,
        "cells",
        lambda: next(iter(write(lambda w: logging.mark_more(w, batch_id, cells, at)) or []), None),
        f"{', '.join(cells)} marked up.",
    )


@asking.in_garden
def unmark(tray_id: str) -> Any:
    batch_id, cell = _batch_of(tray_id), request.form.get("cell", "")
    return _log(
        tray_id,
        "cells",
        lambda: write(lambda w: logging.unmark(w, batch_id, cell)),
        f"{cell} is no longer marked.",
    )


@asking.in_garden
def count(tray_id: str) -> Any:
    batch_id, typed = _batch_of(tray_id), request.form.get("total", "").strip()

    def deed() -> Event | None:
        if not typed.isdigit():
            raise Refusal(f"{typed!r} is no count; a whole number is needed.", "total", typed)
        at = asking.typed_time(request.form.get("at"))
        unit = request.form.get("unit", "cells")
        if unit not in ("cells", "seedlings", "rooted"):
            raise Refusal("Cells, seedlings or rooted seed are counted.", "unit", unit)
        field = unit if unit == "rooted" else f"{unit}_up"
        return write(lambda w: logging.log_count(w, batch_id, field, int(typed), at))

    return _log(tray_id, "cells", deed, f"{typed} up logged.")


@asking.in_garden
def height(tray_id: str) -> Any:
    """What a ruler and a look at the leaves say of one batch."""
    batch_id = _batch_of(tray_id)

    def deed() -> Event | None:
        typed, leaves = (request.form.get(name, "").strip().replace(",", ".") for name in ("height", "leaves"))
        try:
            fields: dict[str, Any] = {
                "batch": batch_id,
                "mm": round(float(typed) * (25.4 if asking.speech().imperial else 1.0), 1),
            }
        except ValueError:
            raise Refusal(f"{typed or 'nothing'!r} is no height; a number is needed.", "height", typed) from None
        if leaves:
            if not leaves.isdecimal():
                raise Refusal(f"{leaves!r} is no number of leaves; a whole number is needed.", "leaves", leaves)
            fields["true_leaves"] = int(leaves)
        at = asking.typed_time(request.form.get("at"))
        return write(lambda w: deeds.log_event(w, "height", fields, at))

    return _log(tray_id, f"plants-{batch_id}", deed, "Height logged.")


@asking.in_garden
def give_up(tray_id: str) -> Any:
    batch_id = _batch_of(tray_id)
    return _log(
        tray_id,
        "",
        lambda: write(lambda w: deeds.log_event(w, "gave_up", {"batch": batch_id}, asking.pressed_at())),
        f"{batch_id} given up; its cells are free.",
    )


@asking.in_garden
def reading(tray_id: str) -> Any:
    """A reading by hand, or a guess kept as an estimate."""
    journal = _record(tray_id)
    try:
        what = HAND_READINGS.get(request.form.get("what", "soil"))
        if what is None:
            raise Refusal("One of the quantities of the list can be logged here.", "what")
        unit = what[1] or asking.speech().temperature_unit
        typed = request.form.get("value", "").strip().replace(",", ".")
        try:
            value = float(typed)
        except ValueError:
            raise Refusal(f"{typed!r} is no number.", "value", typed) from None
        at = asking.typed_time(request.form.get("at"))
        estimated = bool(request.form.get("estimated"))
        under = None
        if what[0] == "light":
            over = room_at(record.journal(), record.events(), at.timestamp())
            lamps = over.over(over.trays[tray_id].place)
            under = lamps[0].lamp if lamps and not request.form.get("sky") else "daylight"
        given = readings.HandReading(tray_id, what[0], value, unit, at, under=under, estimated=estimated)
        kept = write(lambda w: readings.log_reading(w, given)) or given
    except Refusal as e:
        return _page(journal, tray_id, e)
    flash(
        "Reading kept."
        if not request.form.get("estimated")
        else "Kept as an estimate: it stands for a fortnight, or until you measure.",
        f"undo:r:{kept.token}",
    )
    return _back(tray_id, "soil")


@asking.in_garden
def series(tray_id: str) -> Any:
    """The whole history of one batch in four charts, for the zoom: times in seconds, figures in the reader's units."""
    journal = _record(tray_id)
    batch = next((b for b in record.journal().batches if b.id == request.args.get("of")), None)
    if batch is None or batch.id not in {b.id for b in journal.batches}:
        abort(404)
    events, say, at_s = record.events(), asking.speech(), record.at_s()
    table = answers.table_for(journal)

    def made() -> dict[str, Any]:
        return zoom_charts(conditions_of(record.journal(), table, batch, events, at_s, say), say)

    return record.remembered(("series", batch.id), made), 200, {"Cache-Control": "no-store"}


@asking.in_garden
def upload(tray_id: str) -> Any:
    """Take a logger's file, keep it aside, and show what it would bring."""
    journal = _record(tray_id)
    given = request.files.get("file")
    try:
        if given is None or not given.filename:
            raise Refusal("Choose a CSV file first.", "file")
        data = given.read()
        try:
            open_table(decode(data))
        except FormatError as e:
            raise Refusal(f"{given.filename}: {e}", "file") from None
        key = secrets.token_urlsafe(16)
        write(lambda w: uploads.put(w, key, str(given.filename), data))
    except Refusal as e:
        return _page(journal, tray_id, e)
    return redirect(url_for("tray.preview", slug=asking.garden().slug, tray_id=tray_id, key=key))


@asking.in_garden
def preview(tray_id: str, key: str) -> Any:
    """What an uploaded file would bring, what would be set aside and why; then save."""
    _record(tray_id)
    kept = uploads.get(asking.engine(), asking.actor(), key)
    if kept is None:
        flash("That upload is no longer here. Choose the file once more.", "error")
        return _back(tray_id, "soil")
    name, data = kept
    table = open_table(decode(data))
    kept_names = {} if table.is_own else queries.logger_mappings(asking.reading(), asking.garden().id)
    remembered, mapping = ("", None) if table.is_own else _mapping(table, tray_id, kept_names)
    collector = readings.collector_for(asking.engine(), asking.actor(), asking.now())
    unknown: list[str] = []
    trouble = ""
    try:
        if table.is_own:
            unknown = read_own(table, collector, default_place=tray_id)
        elif mapping is not None:
            read_mapped(table, mapping, collector, zone_of(asking.garden().garden.timezone))
    except FormatError as e:
        trouble = str(e)
    taken = collector.close()
    replace = bool(request.form.get("replace"))
    if request.method == "POST" and request.form.get("save") and not trouble:
        try:
            outcome = write(lambda w: readings.take(w, taken, replace), key=f"upload-{key}")
        except Refusal as e:
            trouble = e.reason
        else:
            outcome = outcome or readings.Outcome(repeated=taken.n)
            write(lambda w: uploads.drop(w, key), key=f"dropped-{key}")
            if mapping is not None and request.form.get("remember", "").strip():
                write(lambda w: uploads.keep_mapping(w, request.form["remember"].strip(), mapping))
            flash(f"{outcome.accepted} readings kept, {outcome.repeated} were there already, {len(outcome.aside)} set aside.")
            return _back(tray_id, "soil")
    would = readings.rehearse(asking.engine(), asking.actor(), taken, asking.now(), replace)
    return render_template(
        "tray/preview.html",
        tray_id=tray_id,
        key=key,
        name=name,
        table=table,
        mapping=mapping,
        remembered=remembered,
        formats=TIME_FORMATS,
        would=would,
        unknown=unknown,
        trouble=trouble,
        replace=replace,
        aside=would.aside[:SHOWN_ASIDE],
        first=[row for _, row in zip(range(4), (r for _, r in table.rows()), strict=False)],
        spans=[
            (g.key, len(g.at_s), float(g.at_s[0]), float(g.at_s[-1]), float(g.canonical.min()), float(g.canonical.max()))
            for g in taken.groups
        ],
    )


def _mapping(table: Table, tray_id: str, kept: dict[str, dict[str, Any]]) -> tuple[str, Mapping | None]:
    """How a logger's file is read, with the name it is kept by: as chosen on the preview, else as a kept mapping whose columns
    are all there, else a first guess."""
    chosen = request.form
    if chosen.get("value_column"):
        unit, form = chosen.get("unit", "degC"), chosen.get("time_format", "iso")
        return chosen.get("remember", ""), Mapping(
            chosen.get("time_column", ""),
            form if form in TIME_FORMATS else "iso",
            chosen["value_column"],
            tray_id,
            "soil_temperature",
            unit if unit in ("degC", "degF") else "degC",
        )
    for name, body in kept.items():
        if {body["time_column"], body["value_column"]} <= set(table.header):
            return name, Mapping(place=tray_id, **{k: v for k, v in body.items() if k != "place"})
    return "", guess_mapping(table, tray_id)
