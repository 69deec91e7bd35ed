"""What still stands of a record when one of its values does not: nothing that was stored once may take the rest down."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from typing import Any, TypeVar

T = TypeVar("T")


def salvage(
    validate: Callable[[Mapping[str, Any]], T], plain: Mapping[str, Any], needed: Collection[str]
) -> tuple[T | None, dict[str, Any]]:
    """A record from plain values, less those that cannot be: the record (None where one that is `needed` cannot be), and the
    values that were left out, by field. `validate` raises a ValueError that tells its errors as pydantic's does.

    >>> class Wrong(ValueError):
    ...     def errors(self):
    ...         return [{"loc": ("until",)}]
    >>> def validate(values):
    ...     if "until" in values:
    ...         raise Wrong
    ...     return sorted(values)
    >>> salvage(validate, {"id": "A", "until": "0001-01-01"}, {"id"})
    (['id'], {'until': '0001-01-01'})
    """
    left = dict(plain)
    out: dict[str, Any] = {}
    while True:
        try:
            return validate(left), out
        except ValueError as e:
            errors = getattr(e, "errors", None)
            wrong = {str(x["loc"][0]) for x in errors() if x["loc"]} if errors is not None else set()
            if not wrong & left.keys():
                return None, out
            out |= {name: left.pop(name) for name in wrong & left.keys()}
            if wrong & set(needed):
                return None, out
