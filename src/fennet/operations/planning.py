"""Wants, the seed box, the plan's own entries: every write of Plan, each one transaction."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, fields, replace
from datetime import date
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import delete, insert, select, update

from fennet.core.bounds import MOST_PLANTS
from fennet.core.kinds import PRACTICES
from fennet.core.mixing import recipe_of
from fennet.core.planning.plan import MOST_SOWINGS, MOST_WANTS, Assumed, beyond
from fennet.core.records import Journal, SeedLot, SeedTest, Want
from fennet.core.stock import seeds_left
from fennet.crops import UnknownCrop, shipped
from fennet.journal.minima import MinimaRead, minima_from_csv
from fennet.journal.plans import ASSUMED, LIMITS, VERSION
from fennet.operations.acting import Refusal, Secret, WriteContext, refused
from fennet.operations.logging import new_id
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row

MOST_VERSIONS, MOST_ADDRESSES = 30, 20
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


# -- wants ----------------------------------------------------------------------------------------------------------------


def put_want(w: WriteContext, given: Mapping[str, Any], position: int | None = None) -> int:
    """Add a want, or change one; returns its place in the list. What is not in `given` stays. Raises Refusal."""
    table = table_of(t.WantRow)
    old = _want(w, position) if position is not None else None
    plain = {**(asdict(old) if old else {}), **given}
    plain["crop"] = crop_id(w, str(plain.get("crop") or ""))
    want: Want = parsed(Want, plain)
    _check_want(w, want)
    there = queries.wants_by_position(w.c, w.garden_id)
    check_holds([*(x for at, x in there.items() if at != position), want])
    if position is not None:
        w.c.execute(
            update(table)
            .where(table.c.garden_id == w.garden_id, table.c.position == position)
            .values(**to_row(want, t.WantRow, w.garden_id))
        )
        return position
    want = replace(want, id=want.id or new_id("want"))
    row = to_row(want, t.WantRow, w.garden_id)
    return int(w.c.execute(insert(table).values(**row).returning(table.c.position)).scalar_one())


def check_holds(wants: Sequence[Want]) -> None:
    """Raises Refusal for more wants, or more sowings of them, than one plan holds."""
    if len(wants) > MOST_WANTS:
        raise Refusal(f"A plan holds up to {MOST_WANTS} wants; drop some first.")
    if beyond(wants):
        raise Refusal(f"A plan holds up to {MOST_SOWINGS} sowings; take fewer of them, or drop a want.", "times")


def _want(w: WriteContext, position: int) -> Want:
    found = queries.wants_by_position(w.c, w.garden_id).get(position)
    if found is None:
        raise Refusal("That want is gone; load the page again.")
    return found


def _check_want(w: WriteContext, want: Want) -> None:
    if not want.plants:
        raise Refusal("Say how many plants are wanted.", "plants")
    if want.plants + (want.spares or 0) > MOST_PLANTS:
        raise Refusal(f"A want goes up to {MOST_PLANTS:,} plants.", "plants", str(want.plants))
    if want.seed_lot:
        lots = queries.records(w.c, w.garden_id, "seed_lots", table_of(t.SeedLotRow).c.id == want.seed_lot)
        if not lots:
            raise Refusal(f"There is no packet {want.seed_lot} in the seed box.", "seed_lot", want.seed_lot)
        if lots[0].crop != want.crop:
            raise Refusal(f"That packet holds {lots[0].crop.replace('_', ' ')}.", "seed_lot", want.seed_lot)
    for name, value in want.practice.items():
        if name not in PRACTICES or value not in PRACTICES[name]:
            raise Refusal(f"{name}: {value!r} is no choice; accepted: {', '.join(PRACTICES.get(name, PRACTICES))}.", name)


def drop_want(w: WriteContext, position: int) -> Want:
    """Take a want off the plan; what was sown for it stays in the record. Returns what it was."""
    table = table_of(t.WantRow)
    want = _want(w, position)
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.position == position))
    return want


def move(w: WriteContext, moves: Sequence[tuple[int, str, date | None]]) -> None:
    """Give sowings days of their own: (want, which of its sowings, day); None hands one back to the plan. All or nothing."""
    change(w, moves, ())


def change(w: WriteContext, moves: Sequence[tuple[int, str, date | None]], plants: Sequence[tuple[int, int]]) -> None:
    """Move sowings and want other numbers of plants, 0 leaving a want out, as one write. Raises Refusal."""
    table = table_of(t.WantRow)
    for position, which, day in moves:
        want = _want(w, position)
        if day is not None and abs((day - w.now.date()).days) > 800:
            raise Refusal(f"{day.isoformat()} is too far off to plan for.", "day", day.isoformat())
        moved = {k: v for k, v in want.moved.items() if k != which} | ({which: day} if day else {})
        row = to_row(replace(want, moved=moved), t.WantRow, w.garden_id)
        w.c.execute(
            update(table).where(table.c.garden_id == w.garden_id, table.c.position == position).values(moved=row["moved"])
        )
    for position, n in plants:
        want = _want(w, position)
        if n:
            _check_want(w, replace(want, plants=n))
        mine = (table.c.garden_id == w.garden_id) & (table.c.position == position)
        w.c.execute(update(table).where(mine).values(plants=n) if n else delete(table).where(mine))


def named_want(w: WriteContext, position: int) -> Want:
    """A want with an id of its own, given now if it had none, so that a batch can say what it was sown for."""
    want = _want(w, position)
    if want.id is None:
        table = table_of(t.WantRow)
        want = replace(want, id=new_id("want"))
        w.c.execute(update(table).where(table.c.garden_id == w.garden_id, table.c.position == position).values(id=want.id))
    return want


# -- the seed box ---------------------------------------------------------------------------------------------------------


def put_lot(w: WriteContext, given: Mapping[str, Any], lot_id: str | None = None) -> str:
    """Add a packet, or change one; returns its id. A count of seeds holds from today. Raises Refusal."""
    table = table_of(t.SeedLotRow)
    old = _lot(w, lot_id) if lot_id else None
    plain = {**({f.name: getattr(old, f.name) for f in fields(old)} if old else {}), **given}
    plain["id"] = lot_id or new_id("lot")
    plain["crop"] = crop_id(w, str(plain.get("crop") or ""))
    plain["tests"] = [asdict(x) if isinstance(x, SeedTest) else x for x in plain.get("tests") or []]
    lot: SeedLot = parsed(SeedLot, plain)
    if old is not None and "counted_at" not in given:
        lot = _counted(w, old, lot)
    if lot.packed is not None and lot.packed > w.now.year:
        raise Refusal(f"A packet of {lot.packed} is not there yet; this year is {w.now.year}.", "packed", str(lot.packed))
    if old is not None:
        row = to_row(lot, t.SeedLotRow, w.garden_id)
        w.c.execute(update(table).where(table.c.garden_id == w.garden_id, table.c.id == lot.id).values(**row))
    else:
        w.c.execute(insert(table).values(**to_row(lot, t.SeedLotRow, w.garden_id)))
    return lot.id


def _counted(w: WriteContext, old: SeedLot, lot: SeedLot) -> SeedLot:
    """A count that is not what is left now is a fresh one; one that is leaves the old count as it was."""
    batches = queries.records(w.c, w.garden_id, "batches", table_of(t.BatchRow).c.seed_lot == lot.id)
    left = seeds_left(Journal(seed_lots=[old], batches=batches), w.now.timestamp()).get(lot.id)
    if lot.seeds == left:
        return replace(lot, seeds=old.seeds, counted_at=old.counted_at)
    return replace(lot, counted_at=None if lot.seeds is None else w.now)


def _lot(w: WriteContext, lot_id: str) -> SeedLot:
    found = queries.records(w.c, w.garden_id, "seed_lots", table_of(t.SeedLotRow).c.id == lot_id)
    if not found:
        raise Refusal(f"There is no packet {lot_id} in the seed box.", "lot", lot_id)
    lot: SeedLot = found[0]
    return lot


def enter_test(w: WriteContext, lot_id: str, given: Mapping[str, Any]) -> SeedTest | None:
    """Enter a home test of a packet: x of n on a day. Raises Refusal."""
    test: SeedTest = parsed(SeedTest, given)
    if test.germinated > test.sown:
        raise Refusal(f"{test.germinated} of {test.sown} cannot have come up.", "germinated", str(test.germinated))
    if test.on > w.now.date():
        raise Refusal(f"{test.on.isoformat()} is still to come.", "on", test.on.isoformat())
    table = table_of(t.SeedLotRow)
    lot = _lot(w, lot_id)
    lot = replace(lot, tests=sorted([*lot.tests, test], key=lambda x: x.on))
    row = to_row(lot, t.SeedLotRow, w.garden_id)
    w.c.execute(update(table).where(table.c.garden_id == w.garden_id, table.c.id == lot_id).values(tests=row["tests"]))
    return test


def drop_lot(w: WriteContext, lot_id: str) -> None:
    """Take a packet out of the box. One that was sown from stays: its batches name it. Raises Refusal."""
    table, batch = table_of(t.SeedLotRow), table_of(t.BatchRow)
    _lot(w, lot_id)
    sown = w.c.execute(select(batch.c.id).where(batch.c.garden_id == w.garden_id, batch.c.seed_lot == lot_id).limit(1)).first()
    if sown:
        raise Refusal(f"Batch {sown[0]} was sown from that packet, so it stays in the record; set its seeds left to 0 instead.")
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.id == lot_id))


# -- the plan's own entries -----------------------------------------------------------------------------------------------


def assume(w: WriteContext, assumed: Assumed) -> None:
    """Tell the plan what the room is like; None leaves a figure to the record. Raises Refusal for what no room is like."""
    told = {k: v for k, v in asdict(assumed).items() if v is not None}
    for name, value in told.items():
        low, high = LIMITS[name]
        if not low <= value <= high:
            raise Refusal(
                f"{name.rsplit('_', 1)[0].replace('_', ' ')}: {value:g} will not do; accepted: {low:g} to {high:g}.", name
            )
    _drop_plan(w, ASSUMED)
    if told:
        keep_entry(w, "plans", {"kind": ASSUMED, **told})


def _drop_plan(w: WriteContext, kind: str, name: str | None = None) -> None:
    k = table_of(t.JournalSectionRow)
    where = (k.c.garden_id == w.garden_id) & (k.c.section == "plans") & (k.c.body["kind"].astext == kind)
    w.c.execute(delete(k).where(where if name is None else where & (k.c.body["name"].astext == name)))


def keep_entry(w: WriteContext, section: str, body: Mapping[str, Any]) -> None:
    w.c.execute(insert(table_of(t.JournalSectionRow)).values(garden_id=w.garden_id, section=section, body=dict(body)))


def keep_version(w: WriteContext, name: str, outcome: Mapping[str, Any]) -> None:
    """Keep the plan as it stands under a name: its wants, and what came of them then. Raises Refusal."""
    name = name.strip()[:80]
    if not name:
        raise Refusal("Give the version a name.", "name")
    there = [e for e in queries.kept(w.c, w.garden_id).get("plans", []) if e.get("kind") == VERSION]
    if len(there) >= MOST_VERSIONS and name not in [e.get("name") for e in there]:
        raise Refusal(f"Up to {MOST_VERSIONS} versions are kept; drop one first.")
    _drop_plan(w, VERSION, name)
    wants = [_plain(x) for x in queries.wants(w.c, w.garden_id)]
    keep_entry(w, "plans", {"kind": VERSION, "name": name, "made_at": w.now.isoformat(), "wants": wants, **outcome})


def _plain(want: Want) -> dict[str, Any]:
    plain: dict[str, Any] = TypeAdapter(Want).dump_python(want, mode="json", exclude_none=True)
    return {k: v for k, v in plain.items() if v != {}}


def drop_version(w: WriteContext, name: str) -> None:
    _drop_plan(w, VERSION, name)


def restore_version(w: WriteContext, name: str) -> int:
    """Make the wants of a kept version the plan again; how many. Raises Refusal."""
    entry = next(
        (e for e in queries.kept(w.c, w.garden_id).get("plans", []) if e.get("kind") == VERSION and e.get("name") == name),
        None,
    )
    if entry is None:
        raise Refusal(f"No version is called {name!r}.", "name", name)
    return _replace_wants(w, [parsed(Want, x) for x in entry.get("wants", [])])


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


def put_recipe(w: WriteContext, entry: Mapping[str, Any]) -> None:
    """Keep a mix by its name, in place of one of the same name. Raises Refusal for one that does not add up."""
    try:
        recipe = recipe_of(entry)
    except ValueError as e:
        words = str(e)
        raise Refusal(f"{words[:1].upper()}{words[1:]}.", words.split(":")[0]) from None
    _drop_recipe(w, recipe.name)
    keep_entry(w, "recipes", dict(entry))


def drop_recipe(w: WriteContext, name: str) -> None:
    _drop_recipe(w, name)


def _drop_recipe(w: WriteContext, name: str) -> None:
    k = table_of(t.JournalSectionRow)
    w.c.execute(delete(k).where(k.c.garden_id == w.garden_id, k.c.section == "recipes", k.c.body["name"].astext == name))


def take_minima(w: WriteContext, text: str, unit: str | None = None) -> MinimaRead | None:
    """Keep a station's daily minima in place of those there are. Raises FormatError for a file that cannot be read."""
    entries, read = minima_from_csv(text, unit)
    k = table_of(t.JournalSectionRow)
    w.c.execute(delete(k).where(k.c.garden_id == w.garden_id, k.c.section == "minima"))
    w.c.execute(insert(k), [{"garden_id": w.garden_id, "section": "minima", "body": e} for e in entries])
    return read


# -- the calendar's secret address ----------------------------------------------------------------------------------------


def hashed(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def make_address(w: WriteContext) -> Secret:
    """A new secret for the calendar's address; shown once, kept hashed. Raises Refusal."""
    table = table_of(t.CalendarAddressRow)
    token = secrets.token_urlsafe(24)
    there = w.c.execute(select(table.c.token_hash).where(table.c.garden_id == w.garden_id)).all()
    if len(there) >= MOST_ADDRESSES:
        raise Refusal(f"Up to {MOST_ADDRESSES} addresses are given out; take some back first.")
    w.c.execute(insert(table).values(token_hash=hashed(token), garden_id=w.garden_id, made_at=w.now, by=w.actor.name))
    return Secret(token)


def revoke_address(w: WriteContext, token_hash: str) -> None:
    """Take an address back: whoever has it sees nothing from now on."""
    table = table_of(t.CalendarAddressRow)
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.token_hash == token_hash))
