"""Labels by the millimetre: sheets and sticks, with a code that opens the batch wherever it stands."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

import segno
from flask import Response, abort, redirect, render_template, request, url_for

from fennet.core.history import ended_s, tray_stays
from fennet.core.planning.sowing_day import lines_of
from fennet.core.records import Batch, Event
from fennet.core.room import room_at
from fennet.journal.cells import spoken_cells
from fennet.presentation.planning import day_words
from fennet.web import query, record, request_context
from fennet.web.plan import answers


@dataclass(frozen=True)
class Sheet:
    """A sheet of labels (or one stick a page), everything in mm."""

    name: str
    page_w: float
    page_h: float
    columns: int
    rows: int
    w: float
    h: float
    left: float = 0.0
    top: float = 0.0
    gap_x: float = 0.0
    gap_y: float = 0.0

    @property
    def fits(self) -> bool:
        across = self.left + self.columns * self.w + (self.columns - 1) * self.gap_x
        down = self.top + self.rows * self.h + (self.rows - 1) * self.gap_y
        return across <= self.page_w + 0.05 and down <= self.page_h + 0.05


SHEETS = {
    "a4-24": Sheet("A4, 24 of 66 × 34 mm", 210, 297, 3, 8, 66, 34, 5, 12, 1, 0),
    "a4-65": Sheet("A4, 65 of 38 × 21 mm", 210, 297, 5, 13, 38, 21, 5, 11, 2.5, 0),
    "letter-30": Sheet("Letter, 30 of 66 × 25 mm", 215.9, 279.4, 3, 10, 66, 25, 5.9, 14.7, 3, 0),
    "stick-15": Sheet("Stick, 15 × 100 mm", 100, 15, 1, 1, 100, 15),
    "stick-20": Sheet("Stick, 20 × 130 mm", 130, 20, 1, 1, 130, 20),
}
#: A label of one's own: what may be typed, from and to, mm or pieces.
LIMITS = {
    "page_w": (30, 450),
    "page_h": (8, 450),
    "columns": (1, 12),
    "rows": (1, 40),
    "w": (20, 400),
    "h": (8, 400),
    "left": (0, 100),
    "top": (0, 100),
    "gap_x": (0, 50),
    "gap_y": (0, 50),
}


@dataclass(frozen=True)
class Label:
    """What one label says. `second` is the date of potting up, on the label that is written then."""

    crop: str
    variety: str
    sown: str
    where: str
    link: str
    second: str = ""


@dataclass(frozen=True)
class Text:
    x: float
    y: float
    size: float
    words: str
    bold: bool = False


@dataclass(frozen=True)
class Placed:
    """A label on its sheet: its corner, its words in mm and its code as a path."""

    x: float
    y: float
    w: float
    h: float
    texts: list[Text]
    code: str
    code_x: float
    code_y: float
    code_scale: float


@request_context.in_garden
def labels() -> Any:
    """Labels for a day's sowings before the packets are opened, or for batches that are there."""
    sheet, faults = _sheet()
    found = list(_labels())
    skip = query.number("skip", 0, 0, 200)
    pages = _pages(found, sheet, skip) if sheet.fits else []
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
                faults.append(f"{name.replace('_', ' ')}: {text!r} will not do; accepted: {low} to {high}")
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
    return Label(
        crop.name,
        b.variety or "",
        f"sown {day_words(sown, fmt)} {sown.year}",
        where,
        _address("plan.batch", batch_id=b.id),
        second,
    )


def _address(endpoint: str, **values: Any) -> str:
    return request_context.settings().public_url.rstrip("/") + url_for(endpoint, slug=request_context.garden().slug, **values)


def _pages(found: Sequence[Label], sheet: Sheet, skip: int) -> list[list[Placed]]:
    per = sheet.columns * sheet.rows
    pages: list[list[Placed]] = []
    for i, label in enumerate(found, skip % per):
        page, at = divmod(i, per)
        row, column = divmod(at, sheet.columns)
        while len(pages) <= page:
            pages.append([])
        pages[page].append(
            _placed(label, sheet.left + column * (sheet.w + sheet.gap_x), sheet.top + row * (sheet.h + sheet.gap_y), sheet)
        )
    return pages


def _placed(label: Label, x: float, y: float, sheet: Sheet) -> Placed:
    """A label's words and code inside its frame. The code keeps two modules of white round it."""
    pad = min(2.5, sheet.h * 0.08)
    side = min(sheet.h - 2 * pad, sheet.w * 0.34, 26.0)
    qr = segno.make(label.link, error="m", micro=False)
    modules = len(qr.matrix)
    scale = side / (modules + 4)
    room = sheet.w - side - 3 * pad
    lines = [
        (label.crop, 1.0, True),
        (label.variety, 0.8, False),
        (label.sown, 0.72, False),
        (label.second, 0.72, False),
        (label.where, 0.72, False),
    ]
    if sheet.w > 3 * sheet.h:
        # A stick is read along: two lines, as large as it is high.
        name = ", ".join(filter(None, [label.crop, label.variety]))
        lines = [(name, 1.0, True), (" · ".join(filter(None, [label.sown, label.second, label.where])), 0.8, False)]
    lines = [x for x in lines if x[0]]
    size = min(6.0, (sheet.h - 2 * pad) / (sum(part for _, part, _ in lines) * 1.22))
    texts, down = [], pad
    for words, part, bold in lines:
        own = min(size * part, room / max(1.0, 0.52 * len(words)))
        if own < 1.7:
            own, words = 1.7, words[: max(3, int(room / (0.52 * 1.7)) - 1)] + "…"
        down += size * part * 1.0
        texts.append(Text(round(pad, 2), round(down, 2), round(own, 2), words, bold))
        down += size * part * 0.22
    code_x, code_y = sheet.w - pad - side + 2 * scale, (sheet.h - side) / 2 + 2 * scale
    return Placed(
        round(x, 2), round(y, 2), sheet.w, sheet.h, texts, _path(qr), round(code_x, 3), round(code_y, 3), round(scale, 4)
    )


def _path(qr: segno.QRCode) -> str:
    """The dark modules as one path, a unit a module."""
    out = []
    for y, row in enumerate(qr.matrix):
        x = 0
        while x < len(row):
            run = 0
            while x + run < len(row) and row[x + run]:
                run += 1
            if run:
                out.append(f"M{x} {y}h{run}v1h-{run}z")
            x += max(1, run)
    return "".join(out)


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
