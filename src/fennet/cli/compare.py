"""`./fennet compare JOURNAL`: no database, no server."""

from __future__ import annotations

from fennet.cli.journal_file import answers_of, load, moment_of, write_document
from fennet.cli.refused import Refused
from fennet.core.comparing.comparison import BY
from fennet.crops import UnknownCrop
from fennet.presentation.comparing import as_json
from fennet.presentation.formatter import Formatter


def compare(path: str, by: str, at: str | None, crop: str | None) -> int:
    if by not in BY:
        raise Refused(f"--by {by}; accepted: {', '.join(BY)}")
    read = load(path)
    a = answers_of(read, moment_of(read, at))
    try:
        only = a.table.get(crop).id if crop is not None else None
    except UnknownCrop as e:
        raise Refused(f"--crop {crop}: {e}") from None
    return write_document(a, "fennet-comparison", as_json(a.comparison(by, only), Formatter(a.zone)))
