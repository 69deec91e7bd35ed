"""Numbers as people type them: one reader for the log line, the forms and the CSV."""

from __future__ import annotations

import re
from collections.abc import Mapping

from fennet.core.bounds import MOST_WHOLE

#: Signs for parts of a whole that a phone's keyboard offers.
FRACTIONS = {"½": 1 / 2, "¼": 1 / 4, "¾": 3 / 4, "⅓": 1 / 3, "⅔": 2 / 3, "⅛": 1 / 8, "⅜": 3 / 8, "⅝": 5 / 8, "⅞": 7 / 8}
_SIGN = "".join(FRACTIONS)
#: At most nine digits before and nine behind the mark: more is a slip of the hand, not a figure.
FIGURE = rf"(?:[0-9]{{0,4}}[{_SIGN}]|[0-9]{{1,4}}/[0-9]{{1,4}}|[0-9]{{1,9}}(?:[.,][0-9]{{1,9}})?|[.,][0-9]{{1,9}})"
_TYPED = re.compile(rf"([+\-−]?)\s*(?:([0-9]{{1,4}})\s+(?=[0-9]{{1,4}}/))?({FIGURE})\s*([^\s0-9].*)?")


def figure(text: str) -> float | None:
    """The value of one figure without sign or unit, or None: 21,5, .5, 1/4, 1½.

    >>> figure("21,5"), figure("1/4"), figure("1½"), figure("²"), figure("1/0")
    (21.5, 0.25, 1.5, None, None)
    """
    if re.fullmatch(FIGURE, text) is None:
        return None
    if text[-1] in FRACTIONS:
        return (float(text[:-1]) if text[:-1] else 0.0) + FRACTIONS[text[-1]]
    if "/" in text:
        top, bottom = text.split("/")
        return float(top) / float(bottom) if float(bottom) else None
    return float(text.replace(",", "."))


def number(text: str, units: Mapping[str, float] | None = None) -> float:
    """A number with a decimal comma or point, a fraction, and a unit behind it if `units` (unit → factor) has one.

    Raises ValueError, whose words say what is wrong and what is accepted.

    >>> number("21,5"), number("1 1/2"), number("1/4"), number("−3"), number("2 cm", {"cm": 10.0}), number("1½ in", {"in": 2.0})
    (21.5, 1.5, 0.25, -3.0, 20.0, 3.0)
    """
    found = _TYPED.fullmatch(text.strip())
    value = figure(found[3]) if found else None
    if found is None or value is None:
        digits = sum(c.isdigit() for c in text)
        raise ValueError("has more digits than a figure here can have" if digits > 9 else "is not a number")
    value += float(found[2] or 0)
    unit = (found[4] or "").strip().lower().removeprefix("°").rstrip(".")
    if unit and unit not in (units or {}):
        known = ", ".join(units) if units else ""
        raise ValueError(f"ends in {unit[:20]!r}; accepted: a plain number" + (f", or one in {known}" if known else ""))
    return (-value if found[1] in ("-", "−") else value) * ((units or {}).get(unit, 1.0) if unit else 1.0)


def whole(text: str) -> int:
    """A whole number of at most nine digits. Raises ValueError.

    >>> whole(" 12 ")
    12
    """
    try:
        value = number(text)
    except ValueError as e:
        raise ValueError(str(e).replace("is not a number", "is not a whole number")) from None
    if value != int(value) or abs(value) > MOST_WHOLE:
        raise ValueError("is not a whole number")
    return int(value)
