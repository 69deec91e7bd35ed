"""Loggers' own files: found out as far as they tell, read through a mapping that a grower sees and may correct.

What a file tells: its letters (UTF-8, UTF-16, Windows-1252), its separator, lines before the header, which columns hold the time
and in what form, which hold figures of what in which unit, whose clock it keeps. What it cannot tell (two days that may be read
either way) is guessed by which reading keeps the times in order.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime, timedelta, timezone
from itertools import islice, pairwise
from zoneinfo import ZoneInfo

from fennet.core.kinds import UNITS_OF
from fennet.journal.readings import Collector
from fennet.journal.readings_csv import MOST_COLUMNS, SEPARATORS, Table, open_table
from fennet.journal.rejected import FormatError, Rejection, shown
from fennet.journal.times import localize

#: How a time may be written: the form, and an example of it.
FORMS: dict[str, str] = {
    "iso": "2026-02-03 21:00",
    "%Y/%m/%d %H:%M:%S": "2026/02/03 21:00:00",
    "%Y/%m/%d %H:%M": "2026/02/03 21:00",
    "%d.%m.%Y %H:%M:%S": "03.02.2026 21:00:00",
    "%d.%m.%Y %H:%M": "03.02.2026 21:00",
    "%d.%m.%y %H:%M:%S": "03.02.26 21:00:00",
    "%d.%m.%y %H:%M": "03.02.26 21:00",
    "%d/%m/%Y %H:%M:%S": "03/02/2026 21:00:00 (day first)",
    "%d/%m/%Y %H:%M": "03/02/2026 21:00 (day first)",
    "%d/%m/%y %H:%M": "03/02/26 21:00 (day first)",
    "%d-%m-%Y %H:%M:%S": "03-02-2026 21:00:00 (day first)",
    "%d-%m-%Y %H:%M": "03-02-2026 21:00 (day first)",
    "%m/%d/%Y %H:%M:%S": "02/03/2026 21:00:00 (month first)",
    "%m/%d/%Y %H:%M": "02/03/2026 21:00 (month first)",
    "%m/%d/%y %H:%M": "02/03/26 21:00 (month first)",
    "%m/%d/%Y %I:%M:%S %p": "02/03/2026 09:00:00 PM (month first)",
    "%m/%d/%Y %I:%M %p": "02/03/2026 09:00 PM (month first)",
    "%m/%d/%y %I:%M:%S %p": "02/03/26 09:00:00 PM (month first)",
    "unix": "1770152400 (seconds since 1970)",
    "unix_ms": "1770152400000 (thousandths since 1970)",
}
#: Whose clock the times are: the garden's with its changes, the garden's winter time all year, or universal time.
CLOCKS = {"garden": "the garden’s clock", "winter": "winter time all year", "utc": "universal time (UTC)"}
#: A logger that lost its battery begins anew at some year long past.
SURELY_RESTARTED = datetime(2010, 1, 1, tzinfo=UTC)
LOOKS_AT, PREAMBLE = 400, 60
#: Figures without a name that may be a soil temperature, °C. Source: starting_estimate.
SOIL_C = (-10.0, 50.0)
NOT_A_READING = re.compile(
    r"batt|volt|\bindex\b|record|\brow\b|^no\.?$|^#$|signal|rssi|serial|dew|count|status|alarm|press|hpa|mbar|co2|\bph\b|\bec\b",
    re.I,
)


@dataclass(frozen=True)
class Use:
    """One column: what it measures, where, in which unit."""

    column: str
    place: str
    quantity: str
    unit: str


@dataclass(frozen=True)
class LoggerMapping:
    """How a logger's file is read. `time_of_day` names a second column where day and time stand apart."""

    time_column: str
    time_form: str
    uses: tuple[Use, ...]
    time_of_day: str = ""
    clock: str = "garden"
    decimal_comma: bool = False

    def body(self) -> dict[str, object]:
        """As it is kept."""
        return asdict(self)

    @staticmethod
    def of(body: Mapping[str, object], place: str) -> LoggerMapping | None:
        """A kept mapping; one of an earlier shape had one column and no place. None for what is none."""
        try:
            if "value_column" in body:
                use = Use(str(body["value_column"]), place, str(body["quantity"]), str(body["unit"]))
                return LoggerMapping(str(body["time_column"]), str(body["time_format"]), (use,))
            uses = tuple(Use(**u) for u in body["uses"])  # type: ignore[attr-defined]
            return LoggerMapping(**{**body, "uses": uses})  # type: ignore[arg-type]
        except (KeyError, TypeError):
            return None

    def at(self, place: str) -> LoggerMapping:
        """The same for another tray: a logger of one probe lies wherever its file is read for."""
        if len({u.place for u in self.uses}) != 1:
            return self
        return replace(self, uses=tuple(replace(u, place=place) for u in self.uses))

    def fits(self, table: Table) -> bool:
        """Whether a file has all the columns it names."""
        return {self.time_column, *filter(None, [self.time_of_day]), *(u.column for u in self.uses)} <= set(table.header)


def letters_of(data: bytes) -> str:
    """The text of a file whatever program wrote it. Raises FormatError for what is no text.

    >>> letters_of("\\ufefftime;°C".encode("utf-16")), letters_of("Zeit;°C".encode("cp1252"))
    ('time;°C', 'Zeit;°C')
    """
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        tried = ["utf-16"]
    elif b"\x00" in data[:2000]:
        tried = ["utf-16-le" if data[1:2] == b"\x00" else "utf-16-be"]
    else:
        tried = ["utf-8-sig", "cp1252"]
    for name in tried:
        try:
            text = data.decode(name).removeprefix("\ufeff")
        except UnicodeDecodeError:
            continue
        if "\x00" not in text:
            return text
    raise FormatError("line 1: this is not text but a binary file; accepted: CSV in UTF-8, UTF-16 or Windows-1252")


def open_any(data: bytes) -> Table:
    """A file's table: Fennet's own columns, or a logger's. Raises FormatError."""
    text = letters_of(data)
    own = open_table(text)
    return own if own.is_own else open_logger(text)


def open_logger(text: str) -> Table:
    """Find a file's table: its separator, and its header below whatever stands before it. A file without a header gets one.

    Raises FormatError where there is no table.
    """
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    lines = text.split("\n")
    best: tuple[int, int, str] | None = None
    for separator in SEPARATORS:
        rows = [_cells(line, separator) for line in lines[: PREAMBLE + 2]]
        for i in range(min(PREAMBLE, len(rows) - 1)):
            width, below = len(rows[i]), rows[i + 1]
            if width < 2 or len(below) != width or not _has_time(below) or not any(figure_of(c) is not None for c in below):
                continue
            if best is None or width > best[0]:
                best = (width, i, separator)
            break
    if best is None:
        raise FormatError("line 1: no line holds a time beside a figure; accepted: columns parted by comma, semicolon or tab")
    width, i, separator = best
    if width > MOST_COLUMNS:
        raise FormatError(f"line {i + 1}: {width} columns; accepted: up to {MOST_COLUMNS}")
    names = [c.strip() for c in _cells(lines[i], separator)]
    if _has_time(names):
        names, body = [f"column {n}" for n in range(1, width + 1)], lines[i:]
    else:
        body = lines[i + 1 :]
    header = tuple(_distinct(names))
    # What stood before the header is left empty, so that lines are counted as in the file.
    return Table(header, separator, "\n".join([separator.join(f'"{h}"' for h in header), *[""] * i, *body]))


def _cells(line: str, separator: str) -> list[str]:
    try:
        return next(csv.reader([line], delimiter=separator), [])
    except csv.Error:
        return []


def _distinct(names: Sequence[str]) -> Iterator[str]:
    """Names of columns, each once; an empty one is called by its number."""
    seen: dict[str, int] = {}
    for n, raw in enumerate(names, 1):
        name = raw.replace('"', "").strip() or f"column {n}"
        seen[name] = seen.get(name, 0) + 1
        yield name if seen[name] == 1 else f"{name} ({seen[name]})"


def _has_time(cells: Sequence[str]) -> bool:
    whole = [c.strip() for c in cells]
    pairs = [f"{a} {b}" for a, b in pairwise(whole)]
    return any(_form_of([c]) for c in [*whole, *pairs])


def time_of(text: str, form: str) -> datetime | None:
    """A time without zone, or with its own; None where it is not of this form."""
    text = text.strip()
    try:
        if form == "iso":
            return datetime.fromisoformat(text.replace(" ", "T", 1)) if len(text) >= 16 and text[4:5] == "-" else None
        if form in ("unix", "unix_ms"):
            seconds = float(text) / (1000.0 if form == "unix_ms" else 1.0)
            return datetime.fromtimestamp(seconds, UTC) if 9e8 <= seconds <= 4.2e9 and text.replace(".", "").isdigit() else None
        return datetime.strptime(text, form)
    except (ValueError, OverflowError, OSError):
        return None


def _form_of(cells: Sequence[str]) -> str:
    """The form in which all of some times can be read; between those that can, the one that keeps them in order and close."""
    can = [form for form in FORMS if cells and all(time_of(c, form) is not None for c in cells)]
    if len(can) < 2:
        return can[0] if can else ""

    def disorder(form: str) -> tuple[int, float]:
        times = [t.replace(tzinfo=None) for c in cells if (t := time_of(c, form)) is not None]
        steps = [(b - a).total_seconds() for a, b in pairwise(times)]
        return sum(s < 0 for s in steps), sum(map(abs, steps))

    return min(can, key=disorder)


def figure_of(text: str, decimal_comma: bool = False) -> float | None:
    """A figure as a logger writes it: with a unit behind it perhaps, and a decimal comma perhaps."""
    found = re.fullmatch(r"\s*([+-]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?)\s*(?:°\s*[CF]|[CF]|%|lux|lx)?\s*", text)
    if not found:
        return None
    number = found[1]
    if "," in number:
        return float(number.replace(",", ".")) if decimal_comma or number.count(",") == 1 else None
    return float(number)


def guess(table: Table, place: str, known: Mapping[str, str], zone: ZoneInfo) -> LoggerMapping | None:
    """A first guess at how a file is read, for a tray or place; `known` are its trays and places by id, with their names.
    None where no column is a time beside a figure.

    A worked example stands in tests/journal/test_loggers.py.
    """
    sample = [row for _, row in islice(table.rows(), LOOKS_AT)]
    # What does not look like the rest (a footer of statistics) says nothing of the columns.
    columns = {name: [row[i].strip() for row in sample if i < len(row)] for i, name in enumerate(table.header)}
    time_column, time_of_day, form = _time_columns(columns)
    if not form:
        return None
    uses: list[Use] = []
    nameless: list[Use] = []
    for name, cells in columns.items():
        if name in (time_column, time_of_day) or NOT_A_READING.search(name):
            continue
        figures = [f for c in cells if (f := figure_of(c, table.separator != ",")) is not None]
        if figures and 2 * len(figures) >= sum(bool(c) for c in cells):
            use = measure_of(name, cells, figures, place, known)
            if use is not None:
                uses.append(use)
            elif all(SOIL_C[0] <= f <= SOIL_C[1] for f in figures):
                nameless.append(Use(name, place, "soil_temperature", "degC"))
    # A column whose name says nothing is a guess only where it is all there is.
    uses = uses or nameless[:1]
    if not uses:
        return None
    mapping = LoggerMapping(time_column, form, tuple(uses), time_of_day, "garden", table.separator != ",")
    return replace(mapping, clock=_clock_of(table, mapping, zone))


def _time_columns(columns: Mapping[str, Sequence[str]]) -> tuple[str, str, str]:
    names = list(columns)
    for i, name in enumerate(names):
        pairs = [("", columns[name])]
        if i + 1 < len(names):
            pairs.insert(0, (names[i + 1], [f"{a} {b}" for a, b in zip(columns[name], columns[names[i + 1]], strict=False)]))
        for other, cells in pairs:
            good = [c for c in cells if _has_time([c])]
            # Most of the lines: some at the end may be no readings.
            if good and 2 * len(good) > sum(bool(c.strip()) for c in cells) and (form := _form_of(good)):
                return name, other, form
    return "", "", ""


def _names(column: str, place: str) -> bool:
    """Whether the name of a column (in small letters) names a place. A letter that is a unit too counts beside a word alone.

    >>> _names(" soil °c ", "c"), _names(" probe c ", "c"), _names(" landing soil ", "landing")
    (False, True, True)
    """
    before = r"(?:tray|probe|sensor|channel|ch)[\s_\-.]*" if place in ("c", "f", "k", "h") else ""
    return re.search(rf"(?<![a-z0-9]){before}{re.escape(place)}(?![a-z0-9])", column) is not None or column.strip() == place


def measure_of(name: str, cells: Sequence[str], figures: Sequence[float], place: str, known: Mapping[str, str]) -> Use | None:
    """What a column measures, by its name first, then by its figures."""
    low = f" {name.lower()} "
    shown_unit = " ".join(cells[:3])
    where = next((id for id, words in known.items() if _names(low, words.lower())), place)
    fahrenheit = bool(re.search(r"°\s*f|\(f\)|_f\b|\bf\b|fahr|degf", low) or re.search(r"°?\s*F\b", shown_unit))
    if re.search(r"humid|\brh\b|r\.?h\.?|%\s*rh", low):
        return Use(name, where, "humidity", "percent")
    if re.search(r"moist|vwc|water content|feucht", low):
        return Use(name, where, "moisture", "percent" if max(figures) <= 100 else "raw")
    if re.search(r"ppfd|\bpar\b|[µμu]mol", low):
        return Use(name, where, "light", "umol/m2/s")
    if re.search(r"lux|\blx\b|light|illum", low):
        return Use(name, where, "light", "lux")
    if re.search(r"temp|°|\(c\)|\(f\)|celsius|fahr|_c\b|_f\b|\bt\d*\b|probe|soil|air|sensor|chan", low):
        quantity = "outdoor_temperature" if re.search(r"outdoor|outside|extern", low) else (
            "air_temperature" if re.search(r"\bair\b|ambient|room|indoor|intern", low) else "soil_temperature"
        )  # fmt: skip
        return Use(name, where, quantity, "degF" if fahrenheit else "degC")
    return None


def _clock_of(table: Table, mapping: LoggerMapping, zone: ZoneInfo) -> str:
    """Whose clock a file keeps: an hour that the garden's clock skips tells that it never changes."""
    times = _Times(table, mapping)
    asked: set[tuple[int, ...]] = set()
    for _, row in table.rows():
        naive = times.naive(row)
        if naive is None or naive.tzinfo is not None or (hour := (naive.year, naive.month, naive.day, naive.hour)) in asked:
            continue
        asked.add(hour)
        try:
            localize(naive, zone)
        except ValueError as e:
            if "does not exist" in str(e):
                return "winter"
    return "garden"


class _Times:
    """The times of a file's rows as they are written. Days and times of day that were read are remembered: a file has each many
    times over."""

    def __init__(self, table: Table, mapping: LoggerMapping) -> None:
        self._i = table.header.index(mapping.time_column)
        self._j = table.header.index(mapping.time_of_day) if mapping.time_of_day else None
        self._form = mapping.time_form
        self._day_form, _, clock_form = mapping.time_form.partition(" ")
        self._clock = re.compile(r"(\d\d?):(\d\d)" + (r":(\d\d)" if clock_form.endswith(":%S") else ""), re.ASCII)
        self._apart = clock_form in ("%H:%M", "%H:%M:%S")
        self._days: dict[str, datetime | None] = {}
        self._clocks: dict[str, timedelta | None] = {}

    def text(self, row: Sequence[str]) -> str:
        """What stands for the time."""
        text = row[self._i].strip() if self._i < len(row) else ""
        if self._j is not None:
            text = f"{text} {row[self._j].strip() if self._j < len(row) else ''}"
        return text

    def naive(self, row: Sequence[str]) -> datetime | None:
        """The time of a row; None where there is none of the form."""
        text = self.text(row)
        if not self._apart:
            return time_of(text, self._form)
        day, _, clock = text.partition(" ")
        if day not in self._days:
            self._days[day] = time_of(day, self._day_form)
        if clock not in self._clocks:
            self._clocks[clock] = self._of_day(clock)
        date, since = self._days[day], self._clocks[clock]
        return None if date is None or since is None else date + since

    def _of_day(self, clock: str) -> timedelta | None:
        found = self._clock.fullmatch(clock.strip())
        if found is None:
            return None
        hour, minute, second = (*map(int, found.groups()), 0)[:3]
        fits = hour < 24 and minute < 60 and second < 60
        return timedelta(hours=hour, minutes=minute, seconds=second) if fits else None


def clock_reader(clock: str, zone: ZoneInfo) -> Callable[[datetime], datetime]:
    """How a file's times become instants, in the order they stand: an hour that the clock shows twice is the second one once the
    times have gone back. Raises ValueError for an hour that does not exist."""
    before: list[datetime] = []
    # How far the clock stands off within an hour: a file of years asks for each hour many times.
    off: dict[tuple[int, int, int, int], timedelta | None] = {}

    def instant(naive: datetime) -> datetime:
        if naive.tzinfo is not None:
            return naive.astimezone(UTC)
        if clock == "utc":
            return naive.replace(tzinfo=UTC)
        if clock == "winter":
            winter = min(datetime(naive.year, month, 1, tzinfo=zone).utcoffset() or timedelta() for month in (1, 7))
            return naive.replace(tzinfo=timezone(winter)).astimezone(UTC)
        hour = (naive.year, naive.month, naive.day, naive.hour)
        if hour not in off:
            try:
                off[hour] = localize(naive, zone).utcoffset()
            except ValueError:
                off[hour] = None
        shift = off[hour]
        if shift is not None:
            at = naive.replace(tzinfo=UTC) - shift
        else:
            try:
                return localize(naive, zone).astimezone(UTC)
            except ValueError as e:
                if "exists twice" not in str(e):
                    raise
            first, second = (naive.replace(tzinfo=zone, fold=f).astimezone(UTC) for f in (0, 1))
            at = second if before and first <= before[-1] else first
        before[:] = [at]
        return at

    return instant


def read_logger(
    table: Table,
    mapping: LoggerMapping,
    collector: Collector,
    zone: ZoneInfo,
    source: str | None = None,
    instant: Callable[[datetime], datetime] | None = None,
) -> int:
    """Feed a logger's file to a collector through a mapping; how many lines were no readings at all (a footer, say).
    `instant` is the `clock_reader` of a file that is read in parts.

    Raises FormatError where the mapping does not fit the file.
    """
    named = [mapping.time_column, *filter(None, [mapping.time_of_day]), *(u.column for u in mapping.uses)]
    for column in named:
        if column not in table.header:
            raise FormatError(f"line 1: no column {column!r}; accepted: one of {', '.join(table.header[:40])}")
    twice = [(u.place, u.quantity) for u in mapping.uses]
    if len(set(twice)) < len(twice):
        double = next(x for x in twice if twice.count(x) > 1)
        raise FormatError(
            f"two columns are {double[1].replace('_', ' ')} at {double[0]}; accepted: each once, or at a spot of its own"
        )
    for u in mapping.uses:
        if u.unit not in UNITS_OF.get(u.quantity, ()):
            raise FormatError(
                f"{u.column}: {u.quantity} in {u.unit}; accepted: {', '.join(UNITS_OF.get(u.quantity, ())) or 'a known quantity'}"
            )
    instant = instant or clock_reader(mapping.clock, zone)
    at_i = [
        (u, table.header.index(u.column), (u.place, u.quantity, u.unit, source, None, None, None, None, None))
        for u in mapping.uses
    ]
    other, times = 0, _Times(table, mapping)
    for line, row in table.rows():
        naive = times.naive(row)
        if naive is None:
            written = times.text(row)
            if written[:1].isdecimal():
                words = f"is not a time of the form {FORMS.get(mapping.time_form, mapping.time_form)}"
                collector.rejected.append(Rejection(collector.label(line), mapping.time_column, shown(written), words))
            else:
                other += 1
            continue
        try:
            at = instant(naive)
        except ValueError as e:
            collector.rejected.append(Rejection(collector.label(line), mapping.time_column, shown(str(naive)), str(e)))
            continue
        if at < SURELY_RESTARTED:
            words = "is long past: the logger's clock began anew, after an empty battery say; accepted: a time since 2010"
            collector.rejected.append(Rejection(collector.label(line), mapping.time_column, f"{at:%Y-%m-%d %H:%M}", words))
            continue
        for _, i, fixed in at_i:
            cell = row[i].strip() if i < len(row) else ""
            if cell:
                value = figure_of(cell, mapping.decimal_comma)
                collector.add(line, at.isoformat(), cell if value is None else value, *fixed)
    return other
