"""What a value of the record may be at all: one set of types for the form, the log line, the journal and the CSV.

Every door of Fennet takes its values through these, so that nothing is stored that cannot be shown, counted or exported. Each
type says in words what it accepts (`ACCEPTED`), for refusals.
"""

from __future__ import annotations

import math
import unicodedata
from datetime import UTC, date, datetime
from typing import Annotated, Any

from annotated_types import Ge, Gt, Le, Len, Predicate

#: No garden's record reaches further: instants from, and before; days from, and to.
EARLIEST, LATEST = datetime(1900, 1, 1, tzinfo=UTC), datetime(2200, 1, 1, tzinfo=UTC)
FIRST_DAY, LAST_DAY = date(1900, 1, 1), date(2199, 12, 31)
#: Plants of one want, and its spares.
MOST_PLANTS = 20_000
#: A whole number has at most nine digits.
MOST_WHOLE = 999_999_999
#: Letters of a name, of a line, of a long text.
NAME_LEN, LINE_LEN, TEXT_LEN = 120, 400, 4_000
#: Depth and size of an open entry of a journal (a target, a feed, a version of the plan).
OPEN_DEPTH, OPEN_ITEMS = 8, 20_000


def is_plain_text(text: str) -> bool:
    """Whether a text has only letters that can be stored and shown: no NUL, no control characters but line ends and tabs, no
    half of a surrogate pair.

    >>> is_plain_text("früh\\nspät"), is_plain_text("a\\x00b"), is_plain_text("\\ud800"), is_plain_text("a\\x1bb")
    (True, False, False, False)
    """
    return not any(unicodedata.category(c) in ("Cc", "Cs") and c not in "\n\r\t" for c in text)


def is_instant(at: datetime) -> bool:
    """Whether a moment lies where a garden's record can reach, 1900–2199.

    >>> is_instant(datetime(2026, 3, 1, tzinfo=UTC)), is_instant(datetime(202, 3, 1, tzinfo=UTC))
    (True, False)
    """
    return EARLIEST <= (at if at.tzinfo is not None else at.replace(tzinfo=UTC)) < LATEST


def is_day_of_year(text: str) -> bool:
    """Whether a text is a day of the year as MM-DD.

    >>> is_day_of_year("05-18"), is_day_of_year("02-29"), is_day_of_year("13-45")
    (True, True, False)
    """
    try:
        datetime.strptime(f"2000-{text}", "%Y-%m-%d")
    except ValueError:
        return False
    return is_plain_text(text)


def is_open_entry(value: Any, depth: int = OPEN_DEPTH) -> bool:
    """Whether an entry of open shape holds only what can be stored: plain texts, finite numbers of at most fifteen digits, lists
    and objects of stated depth and length.

    >>> is_open_entry({"a": [1, 2.5, None, "x"]}), is_open_entry({"a": float("nan")}), is_open_entry({"a": 10**20})
    (True, False, False)
    """
    if value is None or isinstance(value, bool):
        return True
    if isinstance(value, str):
        return len(value) <= 20_000 and is_plain_text(value)
    if isinstance(value, int | float):
        return abs(value) < 1e15 if isinstance(value, int) else math.isfinite(value)
    if depth <= 0 or not isinstance(value, dict | list) or len(value) > OPEN_ITEMS:
        return False
    if isinstance(value, dict):
        return all(isinstance(k, str) and is_open_entry(k) and is_open_entry(v, depth - 1) for k, v in value.items())
    return all(is_open_entry(v, depth - 1) for v in value)


Instant = Annotated[datetime, Predicate(is_instant)]
DayOfYear = Annotated[str, Len(3, 5), Predicate(is_day_of_year)]
Day = Annotated[date, Ge(FIRST_DAY), Le(LAST_DAY)]
Year = Annotated[int, Ge(1900), Le(2199)]
Text = Annotated[str, Len(0, TEXT_LEN), Predicate(is_plain_text)]
Name = Annotated[str, Len(1, NAME_LEN), Predicate(is_plain_text)]
Word = Annotated[str, Len(1, 64), Predicate(is_plain_text)]
CellName = Annotated[str, Len(1, 16), Predicate(is_plain_text)]
Finite = Annotated[float, Ge(-1e9), Le(1e9)]
Share = Annotated[float, Ge(0), Le(1)]
Positive = Annotated[float, Gt(0), Le(1e7)]
NonNegative = Annotated[float, Ge(0), Le(1e7)]
Millimetres = Annotated[float, Ge(-1e6), Le(1e6)]
Count = Annotated[int, Ge(0), Le(1_000_000)]
AtLeastOne = Annotated[int, Ge(1), Le(100_000)]

#: What each test of a type accepts, as a refusal says it.
ACCEPTED = {
    is_instant: "a time from 1900 to 2199",
    is_plain_text: "a text without control characters or broken letters",
    is_day_of_year: "a day of the year, 05-18 for 18 May",
}
