"""Sections of a journal that are kept as they came (targets, feeds, recipes, promises, nights, weather, plans): whether an entry
can be kept at all. What passes here can be stored, shown and exported; what cannot is told and set aside."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from pydantic import TypeAdapter, ValidationError

from fennet.core.bounds import NAME_LEN, is_open_entry
from fennet.core.care.feeding import product_of
from fennet.core.crop import BAND_UNITS
from fennet.core.mixing import recipe_of
from fennet.core.records import Promise, Target
from fennet.core.stages import STAGES

#: In the order in which a journal is written.
OPEN_SECTIONS = ("targets", "feeds", "recipes", "promises", "minima", "weather", "plans")
#: Entries of one section.
MOST_ENTRIES = 20_000
_target, _promise = TypeAdapter(Target), TypeAdapter(Promise)


def fault_of(section: str, entry: Any) -> tuple[str, str] | None:
    """Why an entry cannot be kept, as (field, words); None where it can."""
    if not isinstance(entry, dict):
        return "", "is no object; accepted: an object"
    if not is_open_entry(entry):
        wrong = next((k for k, v in entry.items() if not (isinstance(k, str) and is_open_entry({k: v}))), "")
        return str(wrong)[:60], (
            "cannot be kept; accepted: texts without control characters, finite numbers of up to fifteen digits, lists and "
            "objects up to eight deep"
        )
    check = _CHECKS.get(section)
    return check(entry) if check is not None else None


def target_of(entry: Mapping[str, Any]) -> Target:
    """A grower's own band. Raises ValueError (pydantic's among them) naming what is wrong."""
    fields = Target.__dataclass_fields__
    plain = {("from_at" if k == "from" else k): v for k, v in entry.items()}
    target: Target = _target.validate_python({k: v for k, v in plain.items() if k in fields})
    if target.quantity not in BAND_UNITS:
        raise ValueError(f"quantity: {target.quantity!r}; accepted: {', '.join(BAND_UNITS)}")
    if target.stage is not None and target.stage not in STAGES:
        raise ValueError(f"stage: {target.stage!r}; accepted: {', '.join(STAGES)}")
    if not target.low < target.high:
        raise ValueError(f"low: {target.low:g}; accepted: less than {target.high:g}")
    return target


def _told(make: Callable[[Mapping[str, Any]], Any]) -> Callable[[Mapping[str, Any]], tuple[str, str] | None]:
    """A check that asks a maker: its ValueError says "field: words"."""

    def check(entry: Mapping[str, Any]) -> tuple[str, str] | None:
        try:
            make(entry)
        except ValidationError as e:
            first = e.errors()[0]
            return ".".join(map(str, first["loc"])), f"is not accepted; accepted: {first['msg'].lower()}"
        except ValueError as e:
            field, _, words = str(e).partition(": ")
            return field, words
        return None

    return check


def _promise_of(entry: Mapping[str, Any]) -> Any:
    """A promise's dates must be dates; figures of a setting stand beside them."""
    known = {k: v for k, v in entry.items() if k in Promise.__dataclass_fields__}
    return _promise.validate_python(known)


def _plan(entry: Mapping[str, Any]) -> tuple[str, str] | None:
    name = entry.get("name")
    if name is not None and not (isinstance(name, str) and 1 <= len(name) <= NAME_LEN):
        return "name", f"is no name; accepted: 1 to {NAME_LEN} letters"
    if not isinstance(entry.get("wants", []), list):
        return "wants", "is no list; accepted: a list of wants"
    return None


_CHECKS: dict[str, Callable[[Mapping[str, Any]], tuple[str, str] | None]] = {
    "targets": _told(target_of), "feeds": _told(product_of), "recipes": _told(recipe_of), "promises": _told(_promise_of),
    "plans": _plan,
}  # fmt: skip
