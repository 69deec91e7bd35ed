"""What could not be taken, told so that it can be mended."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Rejection:
    """One entry that was not taken: where it stands, which field, what was given, and what is accepted."""

    where: str
    field: str
    value: str
    reason: str

    def __str__(self) -> str:
        given = f" {self.value}" if self.value else ""
        return f"{self.where}{'.' + self.field if self.field else ''}:{given} {self.reason}".replace("  ", " ")


def shown(value: Any, limit: int = 60) -> str:
    """A given value short enough for a line."""
    # Half letters and control characters are shown by their numbers: a report must be printable whatever it reports.
    text = value[: 4 * limit] if isinstance(value, str) else repr(value)
    text = " ".join(text.split())
    text = "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in text)
    return repr(text if len(text) <= limit else text[: limit - 1] + "…") if isinstance(value, str) else text[:limit]


class FormatError(ValueError):
    """A file that cannot be read at all: where, what was found, what is accepted, on one line."""
