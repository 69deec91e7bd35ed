"""Large files of readings, read in the background: part by part, each part one transaction with how far it has come, so that what
breaks off goes on where it was, and nothing is kept twice.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import Connection, Engine, func, insert, select, update

from fennet.journal.logger_csv import LoggerMapping, clock_reader, open_any, read_logger
from fennet.journal.readings import Collector, Taken
from fennet.journal.readings_csv import Table, read_own
from fennet.journal.rejected import FormatError, Rejection
from fennet.journal.times import zone_of
from fennet.operations import readings, uploads
from fennet.operations.acting import Actor, Refusal, WriteContext, in_turn
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

#: A file over so many bytes is read in the background; its preview looks at so many of its first lines.
LARGE_BYTES, LOOKS_AT = 1_000_000, 20_000
#: Lines that are read and kept at a time; rejected ones that are told one by one.
PART, TOLD = 25_000, 200
#: Files of one garden that wait at a time.
MOST_WAITING = 20
WAITING, DONE, FAILED = "waiting", "done", "failed"


@dataclass(frozen=True)
class ImportJob:
    """One file that is read in the background: how it is read, how far it has come, what came of it so far."""

    garden_id: int
    key: str
    name: str
    place: str
    by: str
    person_id: int | None
    made_at: datetime
    mapping: dict[str, Any] | None
    replaces: bool
    state: str
    words: str
    lines: int
    lines_done: int
    accepted: int
    repeated: int
    n_rejected: int
    rejected: list[Any] | None

    @property
    def share(self) -> float:
        """How far it has come, of one."""
        return min(1.0, self.lines_done / self.lines) if self.lines else 1.0


def head_of(table: Table) -> Table:
    """The first lines of a large file, to be looked at before it is read."""
    return next((part for _, part in table.parts(LOOKS_AT)), table)


def enqueue(
    w: WriteContext, key: str, name: str, place: str, table: Table, mapping: LoggerMapping | None, replaces: bool
) -> None:
    """Read an upload in the background from now on. Raises Refusal where many wait already."""
    j = table_of(t.ImportJobRow)
    waiting = select(func.count()).where(j.c.garden_id == w.garden_id, j.c.state == WAITING)
    if w.c.execute(waiting).scalar_one() >= MOST_WAITING:
        raise Refusal(f"{MOST_WAITING} files wait to be read already. Send this one when they are done.")
    values = {"garden_id": w.garden_id, "key": key, "name": name, "place": place, "by": w.actor.name, "made_at": w.now,
              "person_id": w.actor.person_id, "mapping": mapping.body() if mapping is not None else None, "replaces": replaces,
              "state": WAITING, "lines": table.lines}  # fmt: skip
    w.c.execute(insert(j).values(**values))


def job(c: Connection, garden_id: int, key: str) -> ImportJob | None:
    j = table_of(t.ImportJobRow)
    row = c.execute(select(j).where(j.c.garden_id == garden_id, j.c.key == key)).mappings().first()
    return None if row is None else ImportJob(**row)


def run_oldest(engine: Engine, clock: Callable[[], datetime], stop: Callable[[], bool]) -> bool:
    """Read the file that has waited longest, or what is left of it; False where none waits. One process at a time does this."""
    j = table_of(t.ImportJobRow)
    with engine.connect() as c:
        row = c.execute(select(j).where(j.c.state == WAITING).order_by(j.c.made_at).limit(1)).mappings().first()
        found = ImportJob(**row) if row is not None else None
        ref = queries.garden_by_id(c, found.garden_id, "helper") if found is not None else None
    if found is None or ref is None:
        return False
    actor = Actor(found.by, ref, found.person_id)
    try:
        _read(engine, actor, found, clock, stop)
    except (FormatError, Refusal) as e:
        words = str(e)
        # Told outside the garden: the one who sent it may have left it.
        with engine.begin() as c:
            mine = (j.c.garden_id == found.garden_id, j.c.key == found.key)
            c.execute(update(j).where(*mine).values(state=FAILED, words=words[:500]))
    return True


def _read(engine: Engine, actor: Actor, found: ImportJob, clock: Callable[[], datetime], stop: Callable[[], bool]) -> None:
    upload = uploads.get(engine, actor, found.key)
    if upload is None:
        raise Refusal("The file is gone. Send it once more: what was kept is not kept twice.")
    table, zone = open_any(upload[1]), zone_of(actor.ref.garden.timezone)
    mapping = LoggerMapping.of(found.mapping, found.place) if found.mapping is not None else None
    instant = clock_reader(mapping.clock, zone) if mapping is not None else None

    def fill(part: Table, collector: Collector) -> None:
        if mapping is not None:
            read_logger(part, mapping, collector, zone, instant=instant)
        else:
            read_own(part, collector, default_place=found.place)

    def collector(before: int) -> Collector:
        # What the garden holds may have changed since the last part.
        made = readings.collector_for(engine, replace(actor, ref=replace(actor.ref, setup_revision=None)), clock())
        made.label = lambda line: f"line {line + before}"
        return made

    parts = list(table.parts(PART))
    ends = [*(before for before, _ in parts[1:]), table.lines]
    done = sum(end <= found.lines_done for end in ends)
    if done:
        # Once more for its times alone: which of an hour that the clock shows twice is meant is told by what came before.
        fill(parts[done - 1][1], collector(0))
    for (before, part), end in list(zip(parts, ends, strict=True))[done:]:
        if stop():
            return
        into = collector(before)
        fill(part, into)
        in_turn(engine, actor, clock(), partial(_keep, found=found, end=end, taken=into.close()))
    in_turn(engine, actor, clock(), lambda w: _finish(w, found))


def _keep(w: WriteContext, found: ImportJob, end: int, taken: Taken) -> None:
    """One part: its readings, and how far the file has come."""
    outcome = readings.take(w, taken, found.replaces)
    j = table_of(t.ImportJobRow)
    mine = (j.c.garden_id == w.garden_id, j.c.key == found.key)
    told = w.c.execute(select(j.c.rejected).where(*mine)).scalar() or []
    told = [*told, *(asdict(r) for r in outcome.rejected[: max(0, TOLD - len(told))])]
    values = {"lines_done": end, "accepted": j.c.accepted + outcome.accepted, "repeated": j.c.repeated + outcome.repeated,
              "n_rejected": j.c.n_rejected + len(outcome.rejected), "rejected": told}  # fmt: skip
    w.c.execute(update(j).where(*mine).values(**values))


def _finish(w: WriteContext, found: ImportJob) -> None:
    j = table_of(t.ImportJobRow)
    w.c.execute(update(j).where(j.c.garden_id == w.garden_id, j.c.key == found.key).values(state=DONE, lines_done=found.lines))
    uploads.drop(w, found.key)


def rejections(found: ImportJob) -> list[Rejection]:
    """What was not kept, as far as it is told one by one."""
    return [Rejection(**r) for r in found.rejected or []]
