"""Faults of the database in a person's words: what happened, and what became of what was sent."""

from __future__ import annotations

from psycopg import errors
from sqlalchemy.exc import DBAPIError, PendingRollbackError, TimeoutError

_FULL = (errors.DiskFull, errors.OutOfMemory)
_READ_ONLY = (errors.ReadOnlySqlTransaction, errors.InsufficientPrivilege)
_CANNOT_BE = (errors.ProgramLimitExceeded, errors.DataError)


def told(error: DBAPIError | TimeoutError | PendingRollbackError, is_change: bool) -> tuple[int, str, str]:
    """(status, title, words) for a fault of the database in a request that changed something, or only looked."""
    cause = getattr(error, "orig", None)
    if isinstance(cause, _FULL) or "No space left" in str(cause):
        words = "Nothing was changed. Make room on the disk that holds Fennet’s database; ./fennet doctor says which."
        return 507, "The disk is full", words
    if isinstance(cause, _READ_ONLY):
        return (
            503,
            "The database cannot be written",
            "Nothing was changed. ./fennet doctor says what is wrong and how to mend it.",
        )
    if isinstance(cause, _CANNOT_BE):
        return 400, "That cannot be kept", "Something in what was sent is too long or no text. Nothing was changed."
    if isinstance(error, TimeoutError):
        return 503, "Too many at once", "Nothing was changed. Try again in a moment."
    if not is_change:
        return 503, "The database is away", "Fennet starts it again by itself. Load the page again in a moment."
    # Lost while it was being written: whether it came to stand cannot be known from here. The form's key makes the second
    # sending harmless.
    words = (
        "It went away while this was being written, so it may or may not be kept. Fennet starts it again by itself: go back and "
        "send the form once more in a moment. What was kept already is not taken twice."
    )
    return 503, "The database is away", words
