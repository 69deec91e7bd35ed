"""Cells of a CSV that goes to a spreadsheet."""

from __future__ import annotations

import re
from typing import Any

_NUMBER = re.compile(r"[+-]?\d+(\.\d+)?(e[+-]?\d+)?")


def plain_cell(cell: Any) -> Any:
    """A cell that a spreadsheet will not run as a formula.

    >>> plain_cell("=1+1"), plain_cell("-3.5"), plain_cell(4)
    ("'=1+1", '-3.5', 4)
    """
    if not isinstance(cell, str) or cell[:1] not in ("=", "+", "-", "@", "\t", "\r", "\n"):
        return cell
    return cell if _NUMBER.fullmatch(cell) else f"'{cell}"
