"""Labels for a day's sowings or for batches that are there, with a code that opens the batch wherever it stands."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import date
from typing import Any

from flask import Response, abort, redirect, render_template, request, url_for

from fennet.core.history import ended_s, tray_stays
from fennet.core.planning.sowing_day import lines_of
from fennet.core.records import Batch, Event
from fennet.core.room import room_at
from fennet.journal.cells import spoken_cells
from fennet.presentation.label_sheets import LIMITS, SHEETS, Label, Sheet, pages_of
from fennet.presentation.planning import day_words
from fennet.presentation.sowing import came_words
from fennet.web import query, record, request_context
from fennet.web.plan import answers


@request_context.in_garden
def labels() -> Any:
    """Labels for a day's sowings before the packets are opened, or for batches that are there."""
    sheet, faults = _sheet()
    found = list(_labels())
    skip = query.number("skip", 0, 0, 200)
    pages = pages_of(found, sheet, skip) if sheet.fits else []
    return render_template(
        "plan/labels.html",
        sheet=sheet,
        pages=pages,
        sheets=SHEETS,
        chosen=query.text("sheet", "a4-24"),
        n=len(found),
        faults=faults,
        skip=skip,
        outline=bool(request.args.get("outline")),
        args=request.args,
        limits=LIMITS,
    )


def _sheet() -> tuple[Sheet, list[str]]:
    """The sheet asked for; figures that will not do are told and left as they were."""
    sheet = SHEETS.get(query.text("sheet"), SHEETS["a4-24"])
    faults = []
    if query.text("sheet") == "own":
        sheet = replace(SHEETS["a4-24"], name="Sheet of my own")
        for name, (low, high) in LIMITS.items():
            text = query.text(name, longest=12).replace(",", ".")
            if not text:
                continue
            try:
                value = float(text)
            except ValueError:
                value = -1.0
            if not low <= value <= high:
                faults.append(f"{name.replace('_', ' ')}: {text!r} is out of range; accepted: {low} to {high}")
                continue
            changed: dict[str, Any] = {name: int(value) if name in ("columns", "rows") else value}
            sheet = replace(sheet, **changed)
    if not sheet.fits:
        faults.append(
            f"{sheet.columns} × {sheet.rows} labels of {sheet.w:g} × {sheet.h:g} mm do not fit on "
            f"{sheet.page_w:g} × {sheet.page_h:g} mm"
        )
    return sheet, faults


def _labels() -> Iterator[Label]:
    day = query.day(query.text("day"))
    if day is not None:
        yield from _planned(day)
        return
    journal, events = record.journal(), record.events()
    wanted = set(request.args.getlist("batch"))
    for b in journal.batches:
        over = ended_s(b, events)
        if b.id in wanted or (not wanted and (over is None or over > request_context.now().timestamp())):
            yield _of_batch(b, events)


def _planned(day: date) -> Iterator[Label]:
    journal, now_s = record.journal(), request_context.now().timestamp()
    fmt = request_context.formatter()
    state = room_at(journal, record.events(), now_s)
    for line in lines_of(answers.plan(), day, journal, record.events(), state, now_s):
        d = line.p.draft
        who = d.want.id or str(answers.positions()[d.at])
        for tray, cells in line.places or (("", ()),):
            where = f"{tray} {spoken_cells(cells)}".strip()
            yield Label(
                d.crop.name,
                d.want.variety or "",
                f"sown {day_words(day, fmt)} {day.year}",
                where,
                _address("plan.planned", want=who, key=d.key),
            )
    for b in journal.batches:
        if fmt.local(b.sown_at).date() == day and b.from_batch is None:
            yield _of_batch(b, record.events())


def _of_batch(b: Batch, events: Sequence[Event]) -> Label:
    fmt = request_context.formatter()
    crop = record.answers().table.get(b.crop)
    sown = fmt.local(b.sown_at).date()
    stays = tray_stays(b, events)
    where = f"{stays[-1].where} {spoken_cells(b.cell_list or [])}".strip() if stays else ""
    potted = [e for e in events if e.kind == "potted_up" and e.fields.get("batch") == b.id]
    second = ""
    if potted:
        when = fmt.local(potted[-1].at).date()
        second, where = f"potted {day_words(when, fmt)} {when.year}", stays[-1].where if stays else ""
    planted = [e for e in events if e.kind == "planted" and e.fields.get("batch") == b.id]
    if planted:
        when = fmt.local(planted[-1].at).date()
        second = f"planted {day_words(when, fmt)} {when.year}"
        where = ", ".join(dict.fromkeys(str(e.fields["place"]) for e in planted if e.fields.get("place"))) or where
    return Label(
        crop.name,
        b.variety or "",
        f"{came_words(b)} {day_words(sown, fmt)} {sown.year}",
        where,
        _address("plan.batch", batch_id=b.id),
        second,
    )


def _address(endpoint: str, **values: Any) -> str:
    return request_context.settings().public_url.rstrip("/") + url_for(endpoint, slug=request_context.garden().slug, **values)


@request_context.in_garden
def page_css(sheet: str) -> Any:
    """The size of a printed page: nothing else may say it where inline styles are forbidden."""
    width, _, height = sheet.partition("x")
    try:
        w, h = float(width), float(height)
    except ValueError:
        abort(404)
    if not (8 <= w <= 450 and 8 <= h <= 450):
        abort(404)
    return Response(f"@page {{ size: {w:g}mm {h:g}mm; margin: 0; }}\n", mimetype="text/css")


@request_context.in_garden
def batch(batch_id: str) -> Any:
    """Where a scanned label leads: the tray in which the batch stands now."""
    journal = record.journal()
    found = next((b for b in journal.batches if b.id == batch_id), None)
    if found is None:
        abort(404)
    stays = tray_stays(found, record.events())
    if not stays:
        return redirect(url_for("book.book", slug=request_context.garden().slug, thing=batch_id))
    return redirect(url_for("tray.show", slug=request_context.garden().slug, tray_id=stays[-1].where, _anchor=batch_id))


@request_context.in_garden
def planned(want: str, key: str) -> Any:
    """Where a label printed before sowing leads: to the batch once it is sown, to its sowing day until then."""
    journal = record.journal()
    ids = {want}
    if want.isdigit() and int(want) in answers.positions():
        ids.add(journal.wants[answers.positions().index(int(want))].id or "")
    sown = [b for b in journal.batches if b.want in ids and b.sowing == key]
    if sown:
        return redirect(url_for("plan.batch", slug=request_context.garden().slug, batch_id=sown[0].id))
    due = next((p for p in answers.plan().sowings if p.draft.key == key and (p.draft.want.id or "") in ids and p.sow_on), None)
    return redirect(
        url_for("plan.day", slug=request_context.garden().slug, day=due.sow_on.isoformat() if due and due.sow_on else "today")
    )
