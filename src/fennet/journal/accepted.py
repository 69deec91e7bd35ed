"""What was wrong with a value, in words: the one translation of pydantic's errors for journals, lists and forms."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from pydantic import ValidationError

from fennet.core.bounds import ACCEPTED
from fennet.core.kinds import is_id
from fennet.journal.rejected import shown

T = TypeVar("T")
#: What each predicate of a type accepts, by its name in pydantic's message.
_PREDICATES = {check.__name__: words for check, words in {**ACCEPTED, is_id: "1–64 of A–Z a–z 0–9 . _ -"}.items()}


def accepted_by(error: Any) -> tuple[str, str, str]:
    """One of pydantic's errors as (field, what was given, what is wrong and accepted)."""
    field = ".".join(str(p) for p in error["loc"] if not str(p).startswith(("constrained", "function")))
    what, context, message = error["type"], error.get("ctx") or {}, str(error["msg"])
    predicate = message.removeprefix("Predicate '").removesuffix("' failed")
    words = {
        "missing": "is missing; accepted: a value",
        "literal_error": f"is not accepted; accepted: {context.get('expected', '')}",
        "greater_than_equal": f"is too small; accepted: {context.get('ge')} or more",
        "greater_than": f"is too small; accepted: more than {context.get('gt')}",
        "less_than_equal": f"is too large; accepted: {context.get('le')} or less",
        "less_than": f"is too large; accepted: less than {context.get('lt')}",
        "predicate_failed": f"is not accepted; accepted: {_PREDICATES.get(predicate, predicate)}",
        "too_long": f"is too long; accepted: up to {context.get('max_length')} entries",
        "string_too_long": f"is too long; accepted: up to {context.get('max_length')} letters",
        "string_unicode": "is not accepted; accepted: a text without broken letters",
        "dataclass_type": "is not an object; accepted: an object",
        **dict.fromkeys(
            ("int_parsing", "int_type", "int_from_float", "int_parsing_size"), "is not a whole number; accepted: a whole number"
        ),
        **dict.fromkeys(("float_parsing", "float_type", "finite_number"), "is not a number; accepted: a finite number"),
    }.get(what, f"is not accepted; accepted: {message.removeprefix('Input should be ').removeprefix('a valid ')}")
    return field, "" if what == "missing" else shown(error.get("input")), words


def kept_note(
    read: Callable[[Mapping[str, Any]], T], fault: Callable[[T], tuple[str, str] | None], entry: Mapping[str, Any], what: str
) -> str | None:
    """Why an entry of an open section is kept and not gone by, in words; None where it is. `read` raises pydantic's
    ValidationError, `fault` says (field, words) of what was read."""
    try:
        wrong = fault(read(entry))
    except ValidationError as e:
        field, _, words = accepted_by(e.errors()[0])
        wrong = field, words
    return None if wrong is None else f"{wrong[0]} {wrong[1]}; {what} is kept and not gone by"
