"""Seed box, wants, sowings, counts and waterings as CSV: each row becomes the journal entry it stands for, so that one reader
judges both."""

from __future__ import annotations

import hashlib
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fennet.crops import CropTable, UnknownCrop
from fennet.journal.readings_csv import open_table
from fennet.journal.rejected import FormatError, Rejection, shown

#: Columns that hold a number, whichever list they stand in.
NUMBERS = frozenset(
    {
        "plants",
        "spares",
        "every_days",
        "times",
        "confidence",
        "packed",
        "rate",
        "seeds",
        "cells",
        "seeds_per_cell",
        "depth_mm",
        "tested",
        "germinated",
        "cells_up",
        "seedlings_up",
        "rooted",
        "ml",
        "minutes",
    }
)
COLUMNS: dict[str, tuple[str, ...]] = {
    "wants": (
        "crop",
        "variety",
        "plants",
        "out_by",
        "spares",
        "id",
        "where",
        "season",
        "every_days",
        "times",
        "confidence",
        "seed_lot",
        "note",
    ),
    "seed_lots": (
        "id",
        "crop",
        "variety",
        "source",
        "mother",
        "packed",
        "storage",
        "rate",
        "seeds",
        "counted_at",
        "treated",
        "tested_on",
        "tested",
        "germinated",
    ),
    "batches": (
        "id",
        "crop",
        "variety",
        "tray",
        "cells",
        "cell_list",
        "seeds",
        "seed_lot",
        "set_up",
        "sown_at",
        "seeds_per_cell",
        "depth_mm",
        "covered_with",
    ),
    "counts": ("batch", "at", "cells_up", "seedlings_up", "rooted"),
    "waterings": ("tray", "at", "how", "ml", "minutes"),
}
LIST_WORDS = {
    "wants": "wants", "seed_lots": "the seed box", "batches": "sowings", "counts": "counts", "waterings": "waterings",
}  # fmt: skip
#: Lists of deeds: each row is an event of this kind.
DEEDS = {"counts": "count", "waterings": "watered"}


@dataclass
class ListRead:
    """Rows as entries of one section of a journal, the line each came from, and what could not be read at all."""

    #: As a journal calls it: deeds are its events.
    section: str
    entries: list[dict[str, Any]]
    lines: list[int]
    rejected: list[Rejection]
    unknown: list[str]

    def where(self, place: str) -> str:
        """A place of the journal ("wants[3]") as a line of the file."""
        found = re.match(r"\w+\[(\d+)\](.*)", place)
        if found and int(found[1]) < len(self.lines):
            return f"line {self.lines[int(found[1])]}{found[2]}"
        return place


def section_of(header: Sequence[str]) -> str | None:
    """Which list a header belongs to; None for none of them.

    >>> [section_of(h) for h in (["crop", "plants"], ["crop", "sown_at", "cells"], ["crop", "packed"], ["x"])]
    ['wants', 'batches', 'seed_lots', None]
    >>> [section_of(h) for h in (["at", "batch", "cells_up"], ["tray", "at", "ml"], ["at", "tray", "value"])]
    ['counts', 'waterings', None]
    """
    names = {h.strip().lower() for h in header}
    if "at" in names and "batch" in names and names & {"cells_up", "seedlings_up", "rooted"}:
        return "counts"
    if "at" in names and "tray" in names and names & {"ml", "how", "minutes"}:
        return "waterings"
    if "crop" not in names:
        return None
    if "sown_at" in names:
        return "batches"
    if "plants" in names:
        return "wants"
    return "seed_lots" if names & set(COLUMNS["seed_lots"]) - {"crop", "variety", "id"} else None


def read_list(text: str, crops: CropTable) -> ListRead:
    """A CSV of wants, of the seed box, of sowings, counts or waterings. Raises FormatError for a file that is none of them."""
    table = open_table(text)
    names = [h.strip().lower() for h in table.header]
    section = section_of(names)
    if section is None:
        ways = "; ".join(f"{LIST_WORDS[s]}: {', '.join(c[:6])}, …" for s, c in COLUMNS.items())
        raise FormatError(f"line 1: columns {', '.join(table.header)}; accepted: {ways}")
    read = ListRead("events" if section in DEEDS else section, [], [], [], [n for n in names if n and n not in COLUMNS[section]])
    taken: set[str] = set()
    for line, row in table.rows():
        cells = {n: v.strip() for n, v in zip(names, row, strict=False) if n in COLUMNS[section] and v.strip()}
        try:
            if section in DEEDS:
                entry = _deed(section, cells, table.separator)
            else:
                entry = _entry(section, cells, crops, table.separator)
        except ValueError as e:
            name, _, rest = str(e).partition(": ")
            read.rejected.append(Rejection(f"line {line}", name, "", rest))
            continue
        if section != "wants" and "id" not in entry:
            entry["id"] = _id(section, entry, taken)
        taken.add(str(entry.get("id")))
        read.entries.append(entry)
        read.lines.append(line)
    return read


def _deed(section: str, cells: dict[str, str], separator: str) -> dict[str, Any]:
    """A row as an event, called by what it says, so that the same file taken twice is the same events. A day without a time is
    its noon."""
    entry: dict[str, Any] = {"kind": DEEDS[section]}
    for name, text in cells.items():
        entry[name] = _number(name, text, separator) if name in NUMBERS else text
    if re.fullmatch(r"\d{4}-\d{2}-\d{2}", str(entry.get("at", ""))):
        entry["at"] += "T12:00"
    if section == "waterings":
        entry.setdefault("how", "above")
    said = "|".join(f"{k}={entry[k]}" for k in sorted(entry))
    return entry | {"id": f"csv-{hashlib.sha256(said.encode()).hexdigest()[:20]}"}


def _entry(section: str, cells: dict[str, str], crops: CropTable, separator: str) -> dict[str, Any]:
    entry: dict[str, Any] = {}
    for name, text in cells.items():
        if name in NUMBERS:
            entry[name] = _number(name, text, separator)
        elif name == "treated":
            entry[name] = text.lower() in ("yes", "true", "1", "y")
        elif name == "cell_list":
            entry[name] = text.split()
        else:
            entry[name] = text
    try:
        entry["crop"] = crops.get(cells.get("crop", "")).id
    except UnknownCrop as e:
        near = f"nearest: {', '.join(e.nearest)}" if e.nearest else "see the crop table"
        raise ValueError(f"crop: {shown(cells.get('crop', ''))} is not known; accepted: a crop of the table ({near})") from None
    for share in ("rate", "confidence"):
        if isinstance(entry.get(share), int | float) and entry[share] > 1:
            entry[share] = entry[share] / 100
    if section == "seed_lots":
        test = {
            k: entry.pop(old)
            for k, old in (("on", "tested_on"), ("sown", "tested"), ("germinated", "germinated"))
            if old in entry
        }
        if test:
            entry["tests"] = [test]
    return entry


def _number(name: str, text: str, separator: str) -> float | int:
    plain = text.rstrip("%").strip()
    if separator != ",":
        plain = plain.replace(",", ".")
    try:
        value = float(plain)
        if not math.isfinite(value):
            raise ValueError
    except ValueError:
        raise ValueError(f"{name}: {shown(text)} is not a number; accepted: a number") from None
    return int(value) if value == int(value) else value


def _id(section: str, entry: dict[str, Any], taken: set[str]) -> str:
    """A name made of what the row says, so that the same file taken twice is the same entries."""
    parts = (
        [entry["crop"], entry.get("variety"), entry.get("packed"), entry.get("source")]
        if section == "seed_lots"
        else [entry["crop"], entry.get("variety"), str(entry.get("sown_at", ""))[:10]]
    )
    stem = re.sub(r"[^a-z0-9]+", "-", "-".join(str(p) for p in parts if p).lower()).strip("-")[:56] or section
    return next(s for s in (stem, *(f"{stem}-{n}" for n in range(2, 10_000))) if s not in taken)
