"""What a plan is told of the room, its versions kept by name, and the season begun anew."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import delete, insert

from fennet.core.planning.plan import Assumed
from fennet.core.records import Want
from fennet.journal.plans import ASSUMED, LIMITS, VERSION
from fennet.operations.acting import Refusal, WriteContext, for_owners
from fennet.operations.logging import new_id
from fennet.operations.typed_records import crop_id, keep_entry, parsed
from fennet.operations.wants import _check_want, check_holds
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row

MOST_VERSIONS = 30


@for_owners
def assume(w: WriteContext, assumed: Assumed) -> None:
    """Tell the plan what the room is like; None leaves a figure to the record. Raises Refusal for what no room is like."""
    told = {k: v for k, v in asdict(assumed).items() if v is not None}
    for name, value in told.items():
        low, high = LIMITS[name]
        if not low <= value <= high:
            raise Refusal(
                f"{name.rsplit('_', 1)[0].replace('_', ' ')}: {value:g} is out of range; accepted: {low:g} to {high:g}.", name
            )
    _drop_plan(w, ASSUMED)
    if told:
        keep_entry(w, "plans", {"kind": ASSUMED, **told})


def _drop_plan(w: WriteContext, kind: str, name: str | None = None) -> None:
    k = table_of(t.JournalSectionRow)
    where = (k.c.garden_id == w.garden_id) & (k.c.section == "plans") & (k.c.body["kind"].astext == kind)
    w.c.execute(delete(k).where(where if name is None else where & (k.c.body["name"].astext == name)))


@for_owners
def keep_version(w: WriteContext, name: str, outcome: Mapping[str, Any]) -> None:
    """Keep the plan as it stands under a name: its wants, and what came of them then. Raises Refusal."""
    name = name.strip()[:80]
    if not name:
        raise Refusal("Give the version a name.", "name")
    there = [e for e in queries.open_entries(w.c, w.garden_id).get("plans", []) if e.get("kind") == VERSION]
    if len(there) >= MOST_VERSIONS and name not in [e.get("name") for e in there]:
        raise Refusal(f"Up to {MOST_VERSIONS} versions are kept; delete one first.")
    _drop_plan(w, VERSION, name)
    wants = [_plain(x) for x in queries.wants(w.c, w.garden_id)]
    keep_entry(w, "plans", {"kind": VERSION, "name": name, "made_at": w.now.isoformat(), "wants": wants, **outcome})


def _plain(want: Want) -> dict[str, Any]:
    plain: dict[str, Any] = TypeAdapter(Want).dump_python(want, mode="json", exclude_none=True)
    return {k: v for k, v in plain.items() if v != {}}


@for_owners
def drop_version(w: WriteContext, name: str) -> None:
    _drop_plan(w, VERSION, name)


@for_owners
def restore_version(w: WriteContext, name: str) -> int:
    """Make the wants of a kept version the plan again; how many. Raises Refusal."""
    entry = next(
        (
            e
            for e in queries.open_entries(w.c, w.garden_id).get("plans", [])
            if e.get("kind") == VERSION and e.get("name") == name
        ),
        None,
    )
    if entry is None:
        raise Refusal(f"No version is called {name!r}.", "name", name)
    return _replace_wants(w, [parsed(Want, x) for x in entry.get("wants", [])])


@for_owners
def begin_season(w: WriteContext, wants: Iterable[Mapping[str, Any]]) -> int:
    """Make a list of wants the plan, in place of the one there is; how many. Raises Refusal."""
    made = []
    for given in wants:
        want: Want = parsed(Want, {**given, "id": new_id("want"), "crop": crop_id(w, str(given.get("crop") or ""))})
        _check_want(w, want)
        made.append(want)
    if not made:
        raise Refusal("Nothing was chosen for the new season.")
    return _replace_wants(w, made)


def _replace_wants(w: WriteContext, wants: Sequence[Want]) -> int:
    check_holds(wants)
    table = table_of(t.WantRow)
    lots = {x.id for x in queries.records(w.c, w.garden_id, "seed_lots")}
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id))
    for want in wants:
        kept = want if want.seed_lot in lots else replace(want, seed_lot=None)
        w.c.execute(insert(table).values(**to_row(kept, t.WantRow, w.garden_id)))
    return len(wants)
