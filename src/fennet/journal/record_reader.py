"""Records of a journal validated one by one into the core's dataclasses; what cannot be is told and left out."""

from __future__ import annotations

import types
import typing
from collections.abc import Iterable, Mapping
from dataclasses import fields, is_dataclass
from datetime import datetime
from functools import lru_cache
from typing import Any, cast
from zoneinfo import ZoneInfo

from pydantic import TypeAdapter, ValidationError

from fennet.core import records as rec
from fennet.core.salvage import salvage
from fennet.journal.accepted import accepted_by
from fennet.journal.events import EventFault
from fennet.journal.rejected import Rejection, shown
from fennet.journal.times import parse_instant


@lru_cache
def _adapter(cls: type) -> TypeAdapter[Any]:
    return TypeAdapter(cls)


def key_of(f: Any) -> str:
    """How a field is spelled in the journal."""
    return str(f.metadata.get("key", f.name))


@lru_cache
def _keys(cls: type) -> dict[str, tuple[str, Any]]:
    """Journal key → (field name, type) of a record."""
    hints = typing.get_type_hints(cls)
    return {key_of(f): (f.name, hints[f.name]) for f in fields(cls)}


def _inner(hint: Any) -> Any:
    """The record type inside `X | None` or `list[X] | None`, and datetime; other types as they are."""
    if isinstance(hint, types.UnionType) or typing.get_origin(hint) is typing.Union:
        return next((_inner(a) for a in typing.get_args(hint) if a is not type(None)), hint)
    if typing.get_origin(hint) is list:
        return _inner(typing.get_args(hint)[0])
    return hint


class RecordReader:
    def __init__(self, zone: ZoneInfo) -> None:
        self.zone = zone
        self.rejected: list[Rejection] = []
        self.unknown: set[str] = set()

    def prepare(self, section: str, cls: type, item: Any) -> Any:
        """Journal keys to field names, times to instants, nulls dropped; unknown keys noted."""
        if not isinstance(item, dict):
            return item
        known = _keys(cls)
        out = {}
        for key, value in item.items():
            if key not in known:
                self.unknown.add(f"{section}.{key}")
                continue
            if value is None:
                continue
            name, hint = known[key]
            inner = _inner(hint)
            if inner is datetime:
                try:
                    value = parse_instant(value, self.zone)
                except ValueError as e:
                    raise EventFault(key, value, str(e)) from None
            elif is_dataclass(inner) and isinstance(inner, type):
                value = (
                    [self.prepare(f"{section}.{key}", inner, v) for v in value]
                    if isinstance(value, list)
                    else self.prepare(f"{section}.{key}", inner, value)
                )
            elif name == "practice" and isinstance(value, dict):
                # A practice that is a figure may be written as one.
                value = {k: f"{v:g}" if isinstance(v, int | float) and not isinstance(v, bool) else v for k, v in value.items()}
            out[name] = value
        return out

    def record(self, section: str, cls: type, item: Any, where: str) -> Any | None:
        """One record, or None with a reason set aside."""
        try:
            return _adapter(cls).validate_python(self.prepare(section, cls, item))
        except EventFault as e:
            self.rejected.append(Rejection(where, e.field, shown(e.value), e.accepted))
        except ValidationError as e:
            self.rejected.append(Rejection(where, *accepted_by(e.errors()[0])))
        return None

    def garden(self, item: Any) -> rec.Garden:
        """The garden's settings: one that cannot be is told and left out, the rest hold."""
        try:
            plain = self.prepare("garden", rec.Garden, item)
        except EventFault as e:
            plain = {}
            self.rejected.append(Rejection("garden", e.field, shown(e.value), e.accepted))
        if not isinstance(plain, dict):
            self.rejected.append(Rejection("garden", "", shown(item), "is not an object; accepted: an object"))
            return rec.Garden(timezone=self.zone.key)
        try:
            return cast(rec.Garden, _adapter(rec.Garden).validate_python(plain))
        except ValidationError as e:
            wrong = {str(x["loc"][0]): Rejection("garden", *accepted_by(x)) for x in e.errors() if x["loc"]}
            self.rejected += wrong.values()
            kept, _ = salvage(_adapter(rec.Garden).validate_python, {**plain, "timezone": self.zone.key}, ())
            return kept or rec.Garden(timezone=self.zone.key)

    def records(self, data: Mapping[str, Any], section: str, cls: type) -> Iterable[tuple[str, Any]]:
        for where, item in self.items(data, section):
            made = self.record(section, cls, item, where)
            if made is not None:
                yield where, made

    def items(self, data: Mapping[str, Any], section: str) -> Iterable[tuple[str, Any]]:
        items = data.get(section)
        if items is None:
            return
        if not isinstance(items, list):
            self.rejected.append(Rejection(section, "", shown(items), "is not a list; accepted: a list of objects"))
            return
        for i, item in enumerate(items):
            yield f"{section}[{i}]", item
