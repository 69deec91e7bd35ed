"""Readings as CSV with Fennet's own columns (docs/formats.md); loggers' own files are in logger_csv."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice

import numpy as np

from fennet.journal.readings import BULK, Collector
from fennet.journal.rejected import FormatError, shown

REQUIRED = ("at", "quantity", "value", "unit")
OWN_COLUMNS = ("at", "place", "quantity", "value", "unit", "source", "x_mm", "y_mm", "z_mm", "under", "estimated")
SEPARATORS = (",", ";", "\t")
#: Fewer rows at a time than the collector of garbage waits for: more, and it goes through them in vain.
CHUNK = 300
#: What one file may hold.
MOST_LINES, MOST_COLUMNS = 2_500_000, 400


@dataclass(frozen=True)
class Table:
    """A CSV opened: its header and rows with their line numbers, before anything is made of them."""

    header: tuple[str, ...]
    separator: str
    text: str

    @property
    def is_own(self) -> bool:
        return set(REQUIRED) <= set(self.header)

    def rows(self) -> Iterator[tuple[int, list[str]]]:
        """Rows with the line each ends on; blank lines left out."""
        for lines, rows in self.chunks(0):
            yield from zip(lines, rows, strict=True)

    def chunks(self, width: int) -> Iterator[tuple[Sequence[int], list[list[str]]]]:
        """Rows some hundred at a time, brought to a width (0: as they are), with the line each ends on. Raises FormatError."""
        reader = csv.reader(io.StringIO(self.text), delimiter=self.separator)
        try:
            next(reader, None)
            while True:
                if reader.line_num > MOST_LINES:
                    raise FormatError(f"line {reader.line_num}: accepted: up to {MOST_LINES:,} lines in one file")
                before = reader.line_num
                rows = list(islice(reader, CHUNK))
                if not rows:
                    return
                lines: Sequence[int] = range(before + 1, reader.line_num + 1)
                if len(lines) != len(rows):
                    # A cell with a line break in it: count each row's own.
                    lines = (before + np.cumsum([1 + sum(cell.count("\n") for cell in row) for row in rows])).tolist()
                if not all(map(any, rows)):
                    lines = [n for n, row in zip(lines, rows, strict=True) if any(row)]
                    rows = [row for row in rows if any(row)]
                if width and set(map(len, rows)) - {width}:
                    rows = [(row + [""] * (width - len(row)))[:width] for row in rows]
                if rows:
                    yield lines, rows
        except csv.Error as e:
            raise FormatError(f"line {reader.line_num}: {e}; accepted: plain CSV") from None

    @property
    def lines(self) -> int:
        """How many lines there are below the header."""
        return self.text.count("\n")

    def parts(self, most_lines: int) -> Iterator[tuple[int, Table]]:
        """The same in parts of some lines below the one header, each with how many lines stand before it. No cell is cut."""
        head, *below = self.text.split("\n")
        first = 0
        while first < len(below):
            last = min(first + most_lines, len(below))
            marks = sum(line.count('"') for line in below[first:last])
            while marks % 2 and last < len(below):
                # A cell that holds a line break ends in a later line.
                marks += below[last].count('"')
                last += 1
            yield first, Table(self.header, self.separator, "\n".join([head, *below[first:last]]))
            first = last


def decode(data: bytes) -> str:
    """The text of an uploaded file. Raises FormatError for what is no text."""
    if b"\x00" in data[:4096] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise FormatError("line 1: this is not text but a binary file; accepted: CSV in UTF-8")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as e:
        line = data[: e.start].count(b"\n") + 1
        raise FormatError(f"line {line}: byte {e.start} is not UTF-8; accepted: CSV saved as UTF-8") from None


def open_table(text: str) -> Table:
    """Find separator and header. Raises FormatError for an empty file or one without columns."""
    text = text.removeprefix("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    first = next((line.rstrip("\n") for line in io.StringIO(text) if line.strip()), "")
    if not first:
        raise FormatError(
            "line 1: the file is empty; accepted: a header line at,place,quantity,value,unit,source and rows below it"
        )
    separator = max(SEPARATORS, key=first.count)
    try:
        header = tuple(h.strip().strip('"') for h in next(csv.reader([first], delimiter=separator)))
    except csv.Error as e:
        raise FormatError(f"line 1: {e}; accepted: plain CSV") from None
    if len(header) > MOST_COLUMNS:
        raise FormatError(f"line 1: {len(header)} columns; accepted: up to {MOST_COLUMNS}")
    lowered = tuple(h.lower() for h in header)
    start = text.index(first)
    if set(REQUIRED) <= set(lowered):
        header = lowered
    if len(header) < 2:
        raise FormatError(f"line 1: one column, {shown(first)}; accepted: columns parted by comma, semicolon or tab")
    return Table(header, separator, text[start:])


def read_own(table: Table, collector: Collector, default_place: str | None = None) -> list[str]:
    """Feed a CSV with Fennet's own columns to a collector; returns the columns it did not know."""
    index = {name: i for i, name in enumerate(table.header)}
    if "place" not in index and default_place is None:
        raise FormatError("line 1: no column place; accepted: at,place,quantity,value,unit,source")
    number = _number_reader(table.separator)
    # A column that is not there reads as empty: one past the end of every row.
    missing = len(table.header)
    at_i, place_i, quantity_i, value_i, unit_i, *extras = (index.get(name, missing) for name in OWN_COLUMNS)
    words: dict[str, bool | None] = {"": None, "true": True, "1": True, "false": None, "0": None}
    for lines, rows in table.chunks(missing):
        columns = [*zip(*rows, strict=True), ("",) * len(rows)]
        # Thousands of rows share all but time and value: what they share is read once.
        shared = [columns[i] for i in (place_i, quantity_i, unit_i, *extras)]
        alike = all(column.count(column[0]) == len(rows) for column in shared)
        keys = [tuple(column[0] for column in shared)] if alike else list(zip(*shared, strict=True))
        code_of = {key: code for code, key in enumerate(dict.fromkeys(keys))}
        at, values = columns[at_i], _numbers(columns[value_i], number)
        codes = [code_of[key] for key in keys] if len(code_of) > 1 else []
        for cells, code in code_of.items():
            place, quantity, unit, source, x, y, z, under, guess = (cell.strip() for cell in cells)
            spot = [number(c) if c else None for c in (x, y, z)]
            rest = (place or default_place, quantity, unit, source or None, *spot, under or None, words.get(guess.lower(), guess))
            group = collector.group(rest)
            if len(code_of) == 1:
                group.at += at
                group.value += values
                group.where += lines
            else:
                mine = [i for i, other in enumerate(codes) if other == code]
                group.at += [at[i] for i in mine]
                group.value += [values[i] for i in mine]
                group.where += [lines[i] for i in mine]
            if len(group.where) >= BULK:
                collector.convert(group)
    return [name for name in table.header if name not in OWN_COLUMNS]


def _numbers(cells: Sequence[str], number: Callable[[str], float | str]) -> Sequence[float | str]:
    """A column of figures; those that are none stay as they were."""
    try:
        figures: list[float | str] = np.array(cells, dtype=float).tolist()
        return figures
    except ValueError:
        return [number(cell) for cell in cells]


def _number_reader(separator: str) -> Callable[[str], float | str]:
    """How a figure is read: with a decimal comma where the separator is not one. What is not a number stays as it was."""

    def number(text: str) -> float | str:
        try:
            return float(text)
        except ValueError:
            if separator != "," and text.count(",") == 1:
                try:
                    return float(text.replace(",", "."))
                except ValueError:
                    return text
            return text

    return number
