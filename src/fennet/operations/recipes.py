"""Mix recipes of one's own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import delete

from fennet.core.mixing import recipe_of
from fennet.operations.acting import Refusal, WriteContext, for_owners
from fennet.operations.typed_records import keep_entry
from fennet.storage import tables as t
from fennet.storage.mapping import table_of


@for_owners
def put_recipe(w: WriteContext, entry: Mapping[str, Any]) -> None:
    """Keep a mix by its name, in place of one of the same name. Raises Refusal for one that does not add up."""
    try:
        recipe = recipe_of(entry)
    except ValueError as e:
        words = str(e)
        raise Refusal(f"{words[:1].upper()}{words[1:]}.", words.split(":")[0]) from None
    _drop_recipe(w, recipe.name)
    keep_entry(w, "recipes", dict(entry))


@for_owners
def drop_recipe(w: WriteContext, name: str) -> None:
    _drop_recipe(w, name)


def _drop_recipe(w: WriteContext, name: str) -> None:
    k = table_of(t.JournalSectionRow)
    w.c.execute(delete(k).where(k.c.garden_id == w.garden_id, k.c.section == "recipes", k.c.body["name"].astext == name))
