"""Records from typed values, and entries of open journal sections."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import insert

from fennet.crops import UnknownCrop, shipped
from fennet.operations.acting import Refusal, WriteContext, refused
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

FIELD_WORDS = {
    "plants": "plants",
    "spares": "spares",
    "every_days": "days between sowings",
    "times": "sowings",
    "confidence": "how sure",
    "out_by": "the day",
    "packed": "the year packed",
    "rate": "the rate",
    "seeds": "seeds left",
    "counted_at": "when they were counted",
    "on": "the day of the test",
    "sown": "seeds tested",
    "germinated": "seeds that came up",
}


def parsed(cls: type, given: Mapping[str, Any]) -> Any:
    """A record from typed values. Raises Refusal that names the field, what was given and what is accepted."""
    known = {f.name for f in fields(cls)}
    try:
        return TypeAdapter(cls).validate_python({k: v for k, v in given.items() if k in known and v not in (None, "")})
    except ValidationError as e:
        raise refused(e, FIELD_WORDS) from None


def crop_id(w: WriteContext, name: str) -> str:
    """The id of a crop by any of its names. Raises Refusal with the nearest ones."""
    try:
        return shipped().with_own(queries.own_crops(w.c, w.garden_id)).get(name).id
    except UnknownCrop as e:
        near = f" Nearest: {', '.join(e.nearest)}." if e.nearest else ""
        raise Refusal(
            f"No crop is called {name!r}.{near}" if name else "A crop is missing: type its name.", "crop", name
        ) from None


def keep_entry(w: WriteContext, section: str, body: Mapping[str, Any]) -> None:
    w.c.execute(insert(table_of(t.JournalSectionRow)).values(garden_id=w.garden_id, section=section, body=dict(body)))
