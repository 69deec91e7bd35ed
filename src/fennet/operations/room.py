"""Setting up the room: rooms, places, lamps, mats, fans, trays, outlets and probes; and what follows when a factor changes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields, replace
from datetime import datetime
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import delete, insert, update

from fennet.core.history import effective_events
from fennet.core.kinds import NEEDS_FIGURE, PRACTICE_FIGURES, PRACTICES, is_id, practice_fault
from fennet.core.records import Calibration, Event, Garden, Source, Target
from fennet.core.room import RoomProblem, canopy_mm, in_trays, room_at, room_problems
from fennet.core.targets import band_fault
from fennet.operations.acting import Refusal, WriteContext, for_owners, refused
from fennet.operations.actions import check_action
from fennet.operations.derived import of_unnamed_light, renew
from fennet.operations.logging import write_events
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import SECTIONS, table_of, to_row

#: Trays, lamps, places and the like that one garden holds.
MOST_OF_A_KIND = 300
#: Fields whose change makes figures of the past anew.
FACTORS = {"lamps": ("kind", "lux_per_ppfd"), "sources": ("calibration",)}
FIELD_WORDS = {
    "id": "the name",
    "width_mm": "the width",
    "depth_mm": "the depth",
    "height_mm": "the height",
    "x_mm": "the distance from the left",
    "z_mm": "the height above the floor",
    "watts": "watts",
    "lumens": "lumens",
    "lux_per_ppfd": "the lamp’s own factor",
    "min_distance_mm": "the least distance",
    "limit_w": "the outlet’s rating",
    "trays_max": "the trays it holds",
    "cell_ml": "the volume of a cell",
    "rows": "rows",
    "columns": "cells in a row",
    "facing_deg": "the compass",
    "length_mm": "the length",
    "kind": "the kind",
}


def parsed(section: str, given: Mapping[str, Any]) -> Any:
    """A record of one section from typed values. Raises Refusal that names the field, what was given and what is accepted."""
    cls = SECTIONS[section][0]
    known = {f.name for f in fields(cls)}
    plain = {k: v for k, v in given.items() if k in known and v not in (None, "")}
    if not is_id(str(plain.get("id", ""))):
        word = str(plain.get("id", ""))
        raise Refusal(
            f"{word!r} cannot be a name: 1 to 64 letters, digits, dots, dashes or underscores, without spaces.", "id", word
        )
    for name, value in plain.items():
        if name.endswith(("_mm", "_ml", "_w", "_deg")) or name in ("watts", "lumens", "lux_per_ppfd"):
            plain[name] = _number(name, value)
    try:
        return TypeAdapter(cls).validate_python(plain)
    except ValidationError as e:
        raise refused(e, FIELD_WORDS) from None


def _number(name: str, value: Any) -> float:
    try:
        return float(str(value).replace(",", "."))
    except ValueError:
        word = FIELD_WORDS.get(name, name)
        raise Refusal(f"{word[0].upper()}{word[1:]}: {value!r} is not a number.", name, str(value)) from None


@for_owners
def put(
    w: WriteContext,
    section: str,
    given: Mapping[str, Any],
    actions: Sequence[tuple[str, Mapping[str, Any]]] = (),
) -> tuple[Any, list[RoomProblem]]:
    """Add a thing of the room, or change what is known of it, and how it is arranged: the record as kept, and what is wrong
    with the room after it. All or nothing; raises Refusal.

    A lamp's factor or a probe's calibration that changes makes the figures of the past anew in the same transaction.
    """
    record = parsed(section, given)
    _, model, kind = SECTIONS[section]
    table = table_of(model)
    there = queries.records(w.c, w.garden_id, section, table.c.id == record.id)
    _check_names(w, section, record)
    if there:
        kept = {f.name for f in fields(record)} - set(given)
        record = replace(record, **{name: getattr(there[0], name) for name in kept})
        w.c.execute(
            update(table)
            .where(table.c.garden_id == w.garden_id, table.c.id == record.id)
            .values(**to_row(record, model, w.garden_id))
        )
        if any(getattr(there[0], f) != getattr(record, f) for f in FACTORS.get(section, ())):
            remake(w, section, record.id)
    else:
        if len(queries.records(w.c, w.garden_id, section)) >= MOST_OF_A_KIND:
            raise Refusal(f"A garden holds up to {MOST_OF_A_KIND} {section.replace('sources', 'probes')}.", "id", record.id)
        if kind:
            known = queries.things(w.c, w.garden_id)
            if record.id in known:
                raise Refusal(f"{record.id} is the name of a {known[record.id]} already. Choose another.", "id", record.id)
            w.c.execute(insert(table_of(t.ThingRow)).values(garden_id=w.garden_id, id=record.id, kind=kind))
        w.c.execute(insert(table).values(**to_row(record, model, w.garden_id)))
    known = queries.things(w.c, w.garden_id)
    for kind_of_deed, fields_of_deed in actions:
        check_action(w, kind_of_deed, fields_of_deed, w.now, known)
    made = write_events(w, [(k, f, w.now) for k, f in actions])
    return record, checked(w, made, w.now)


def _check_names(w: WriteContext, section: str, record: Any) -> None:
    """What a thing refers to must be there."""
    known = queries.things(w.c, w.garden_id)
    outlets = {o.id for o in queries.records(w.c, w.garden_id, "outlets")}
    for name, accepted in (("room", ("room",)), ("place", ("place",)), ("sited", ("tray", "place", "room", "batch"))):
        value = getattr(record, name, None)
        if value and known.get(value) not in accepted:
            raise Refusal(f"There is no {name if name != 'sited' else 'tray or place'} {value} in this garden.", name, value)
    outlet = getattr(record, "outlet", None)
    if outlet and outlet not in outlets:
        raise Refusal(f"There is no outlet {outlet}; there are {', '.join(sorted(outlets)) or 'none yet'}.", "outlet", outlet)


def remake(w: WriteContext, section: str, id: str) -> int:
    """Make the canonical figures of readings under a lamp or by a probe anew; how many there were."""
    if section == "lamps":
        return renew(w, "light", bears=lambda col: col.under == id or of_unnamed_light(col))
    return renew(w, source=id)


@for_owners
def calibrate(w: WriteContext, source_id: str, calibration: Calibration) -> None:
    """Give a probe or scale two points for moisture from a moment on; readings of the past follow. Raises Refusal."""
    if calibration.dry == calibration.capacity:
        raise Refusal("Dry and full are the same figure: weigh it once dry and once after a soak and a drain.", "capacity")
    if calibration.unit == "g" and not 0 <= calibration.dry < calibration.capacity:
        raise Refusal(
            f"A full tray weighs more than a dry one; dry {calibration.dry:g} g and full {calibration.capacity:g} g were given.",
            "capacity",
        )
    table = table_of(t.SourceRow)
    found: list[Source] = queries.records(w.c, w.garden_id, "sources", table.c.id == source_id)
    old = found[0] if found else Source(id=source_id)
    same = [
        x
        for x in old.calibration
        if (x.quantity, x.unit, x.from_at) != (calibration.quantity, calibration.unit, calibration.from_at)
    ]
    source = replace(old, calibration=[*same, calibration])
    row = to_row(source, t.SourceRow, w.garden_id)
    if found:
        w.c.execute(update(table).where(table.c.garden_id == w.garden_id, table.c.id == source_id).values(**row))
    else:
        w.c.execute(insert(table).values(**row))
    remake(w, "sources", source_id)


def checked(w: WriteContext, made: Sequence[Event], at: datetime) -> list[RoomProblem]:
    """What is wrong with the room after some events, of the things they touch. Raises Refusal for what cannot be at all."""
    moving = [e for e in made if e.kind in ("placed", "mat", "lamp", "height")]
    if not moving:
        return []
    journal = queries.whole_record(w.c, w.actor.ref)
    stood = effective_events(journal.events, float("inf"))
    at_s = at.timestamp()
    state = room_at(journal, stood, at_s)
    canopies = {tray: canopy_mm(batches, stood, at_s) for tray, batches in in_trays(journal.batches, stood, at_s).items()}
    named = {str(v) for e in moving for k, v in e.fields.items() if k in ("tray", "mat", "lamp", "place")}
    found = [x for x in room_problems(journal, state, canopies) if set(x.things) & named]
    for trouble in found:
        if trouble.grave and any(set(trouble.things) & {str(e.fields.get("tray")), str(e.fields.get("mat"))} for e in moving):
            raise Refusal(f"{trouble.words} {trouble.mend}")
    return found


#: What a choice that needs a figure asks for.
FIGURE_ASKED = {
    "gate_night_c": "Say how warm nights must be before it goes out",
    "lamp_fixed_mm": "Say how far from the leaves your lamps hang",
    "patience_d": "Say after how many days you give a sowing up",
}


@for_owners
def set_practice(w: WriteContext, choices: Mapping[str, str], batch: str | None = None) -> None:
    """Keep practice choices for the garden, or for one batch; an empty choice gives the batch the garden's, the garden the
    default. Raises Refusal for a word that is none."""
    for name, value in choices.items():
        known = name in PRACTICES or name in PRACTICE_FIGURES
        accepted = practice_fault(name, value) if value or not known else None
        if accepted is not None:
            raise Refusal(f"{name}: {value!r} is not one of the choices; accepted: {accepted}.", name, value)
    if batch is None:
        table = table_of(t.GardenRow)
        where = table.c.id == w.garden_id
        old = dict(w.actor.ref.garden.practice)
    else:
        table = table_of(t.BatchRow)
        where = (table.c.garden_id == w.garden_id) & (table.c.id == batch)
        found = queries.records(w.c, w.garden_id, "batches", table.c.id == batch)
        if not found:
            raise Refusal(f"There is no batch {batch} in this garden.", "batch", batch)
        old = dict(found[0].practice)
    new = {k: v for k, v in (old | dict(choices)).items() if v}
    for (key, value), figure in NEEDS_FIGURE.items():
        if new.get(key) == value and figure not in new:
            raise Refusal(f"{FIGURE_ASKED[figure]}: your own figure is missing.", figure)
    w.c.execute(update(table).where(where).values(practice=new or None))


@for_owners
def set_target(w: WriteContext, target: Target) -> None:
    """Keep a grower's own band in place of an earlier one for the same batch or crop, stage and quantity. Raises Refusal."""
    wrong = band_fault(target)
    if wrong is not None:
        name, words = wrong
        given = getattr(target, name)
        raise Refusal(f"{given if isinstance(given, str) else f'{given:g}'} {words}.", name, str(given))
    body = {k: v for k, v in TypeAdapter(Target).dump_python(target, mode="json", exclude_none=True).items() if k != "from_at"}
    if target.from_at:
        body["from"] = target.from_at.isoformat()
    _drop_target(w, target)
    w.c.execute(insert(table_of(t.JournalSectionRow)).values(garden_id=w.garden_id, section="targets", body=body))


@for_owners
def drop_target(w: WriteContext, target: Target) -> None:
    _drop_target(w, target)


def _drop_target(w: WriteContext, target: Target) -> None:
    k = table_of(t.JournalSectionRow)
    who = {"quantity": target.quantity, "crop": target.crop, "batch": target.batch, "stage": target.stage}
    for row in w.c.execute(k.select().where(k.c.garden_id == w.garden_id, k.c.section == "targets")).mappings():
        if {name: row["body"].get(name) for name in who} == who:
            w.c.execute(delete(k).where(k.c.position == row["position"]))


@for_owners
def change_garden(w: WriteContext, changes: Mapping[str, Any]) -> Garden:
    """Where the garden is and how it is run: name, latitude, longitude, last frost. Owner's to change. Raises Refusal."""
    if w.actor.ref.role != "owner":
        raise Refusal("Only an owner changes the garden itself.")
    try:
        garden = TypeAdapter(Garden).validate_python({**vars(w.actor.ref.garden), **changes})
    except ValidationError as e:
        raise refused(e, {}) from None
    g = table_of(t.GardenRow)
    w.c.execute(update(g).where(g.c.id == w.garden_id).values(**{k: getattr(garden, k) for k in changes}))
    return garden
