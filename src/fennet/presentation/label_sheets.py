"""Labels by the millimetre: sheets and sticks, the words that fit on each, and the code as a path."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import segno


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


def pages_of(found: Sequence[Label], sheet: Sheet, skip: int) -> list[list[Placed]]:
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
