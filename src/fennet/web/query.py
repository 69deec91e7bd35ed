"""What an address carries after its question mark, within bounds: a value that cannot be is as good as none."""

from __future__ import annotations

from datetime import date

from flask import request

from fennet.core.bounds import FIRST_DAY, LAST_DAY, NAME_LEN, is_plain_text
from fennet.journal.numbers import whole


def text(name: str, otherwise: str = "", longest: int = NAME_LEN) -> str:
    """A text of stated length."""
    value = request.args.get(name, otherwise).strip()
    return value if len(value) <= longest and is_plain_text(value) else otherwise


def number(name: str, otherwise: int, low: int, high: int) -> int:
    """A whole number between two bounds."""
    try:
        value = whole(request.args.get(name, "")[:20])
    except ValueError:
        return otherwise
    return value if low <= value <= high else otherwise


def day(value: str) -> date | None:
    """A day as a date field sends it, of the years a record can reach; None for what is none."""
    try:
        found = date.fromisoformat(value)
    except ValueError:
        return None
    return found if FIRST_DAY <= found <= LAST_DAY else None


def position(value: str) -> int | None:
    """The number of something in a list."""
    return int(value) if value.isascii() and value.isdecimal() and len(value) <= 9 else None
