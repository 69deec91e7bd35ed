"""What is wrong with the machine, the database and the backups, and how to mend it."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import Engine, text
from sqlalchemy.exc import SQLAlchemyError

from fennet.upkeep import nightly
from fennet.upkeep.programs import UpkeepError, client_program
from fennet.upkeep.restore import known_tables

#: Room on a disk that is too little, and that is little; bytes.
TOO_LITTLE, LITTLE = 200_000_000, 1_000_000_000
#: Clocks of this machine and of the database may differ so much.
CLOCKS_APART = timedelta(seconds=10)
#: No clock that is right says an earlier day.
SURELY_PAST = datetime(2026, 11, 1, tzinfo=UTC)


@dataclass(frozen=True)
class Found:
    """One thing that was looked at: whether it is well, what was seen, and what mends it where it is not."""

    what: str
    well: bool
    words: str
    mend: str = ""


@dataclass(frozen=True)
class Machine:
    """What the doctor looks at. `data` is the database's own folder where it is on this machine; `outside` says that it
    is a database of FENNET_DATABASE_URL; the demo is not `backed_up`."""

    state: Path
    data: Path | None = None
    outside: bool = False
    backed_up: bool = True


def examine(machine: Machine, engine: Engine | None, now: datetime) -> list[Found]:
    """Look at everything; one thing that cannot be looked at hides nothing else."""
    out: list[Found] = []
    looks: list[tuple[str, Callable[[], Iterator[Found]]]] = [
        ("Python", _python),
        ("folders", lambda: _folders(machine)),
        ("disk", lambda: _disks(machine)),
        ("programs", _programs),
    ]
    if engine is not None:
        looks += [
            ("database", lambda: _database(engine)),
            ("sockets", lambda: _sockets(engine, machine)),
            ("clock", lambda: _clock(engine, now)),
            *([("backups", lambda: _backups(engine, machine, now))] if machine.backed_up else []),
        ]
    for what, look in looks:
        try:
            out += look()
        except SQLAlchemyError as e:
            words = str(getattr(e, "orig", None) or e).strip().splitlines()[0]
            out.append(Found(what, False, f"the database does not answer: {words}", _start(machine)))
        except (OSError, UpkeepError) as e:
            out.append(Found(what, False, str(e), "mend what it says, and run ./fennet doctor again"))
    return out


def _start(machine: Machine) -> str:
    if machine.outside:
        return "see that the server of FENNET_DATABASE_URL runs and lets this account in"
    return "start Fennet (./fennet run); its database starts with it, and its log is server.log in the database's folder"


def _python() -> Iterator[Found]:
    version = ".".join(map(str, sys.version_info[:3]))
    yield Found("Python", sys.version_info >= (3, 11), version, "install Python 3.11 or newer and remove the folder .venv")


def _folders(machine: Machine) -> Iterator[Found]:
    """The folder of secrets and its files: there, writable, and read by nobody else."""
    state = machine.state
    if not state.exists():
        yield Found("folders", True, f"{state} is made at the first start")
        return
    if not os.access(state, os.W_OK | os.X_OK):
        yield Found(
            "folders", False, f"{state} cannot be written by this account", f"chown it to this account: chown -R $(id -u) {state}"
        )
    for name in ("secrets.json", "backup-passphrase"):
        file = state / name
        if not file.exists():
            continue
        if not os.access(file, os.R_OK):
            yield Found("secrets", False, f"{file} cannot be read by this account", f"chown $(id -u) {file}; chmod 600 {file}")
        elif file.stat().st_mode & 0o077:
            yield Found("secrets", False, f"{file} can be read by others", f"chmod 600 {file}")
    yield Found("folders", True, f"{state} is there and can be written")


def _disks(machine: Machine) -> Iterator[Found]:
    seen: set[int] = set()
    for place in (machine.data, machine.state, nightly.folder(machine.state)):
        there = next((p for p in [place, *place.parents] if p.exists()), None) if place is not None else None
        if there is None or there.stat().st_dev in seen:
            continue
        seen.add(there.stat().st_dev)
        free = shutil.disk_usage(there).free
        said = f"{free / 1e9:.1f} GB free where {there} is"
        mend = "make room on that disk; old backups may go, in " + str(nightly.folder(machine.state))
        yield Found("disk", free > LITTLE, said, mend if free > TOO_LITTLE else f"{mend}. Fennet cannot write when it is full")


def _programs() -> Iterator[Found]:
    missing = []
    for name in ("pg_dump", "pg_restore", "psql"):
        try:
            client_program(name)
        except UpkeepError:
            missing.append(name)
    said = f"{', '.join(missing)} missing" if missing else "pg_dump, pg_restore and psql are there"
    yield Found("programs", not missing, said, "apt-get install postgresql-client")


def _database(engine: Engine) -> Iterator[Found]:
    with engine.connect() as c:
        version = str(c.execute(text("show server_version")).scalar_one()).split(" ")[0]
        yield Found(
            "database", int(version.split(".")[0]) >= 15, f"PostgreSQL {version} answers", "install PostgreSQL 15 or newer"
        )
        if c.execute(text("show transaction_read_only")).scalar_one() == "on":
            yield Found("database", False, "it can be read only", "see its log; a standby or a full disk makes it so")
        there = c.execute(text("select to_regclass('alembic_version') is not null")).scalar_one()
        at = c.execute(text("select version_num from alembic_version")).scalar_one() if there else None
        known = known_tables()
        if at is None:
            yield Found("tables", True, "none yet; they are made at the first start")
        elif at not in known:
            yield Found(
                "tables",
                False,
                f"they stand at {at}, which a newer Fennet made",
                "bring this Fennet up to date, or restore a backup",
            )
        else:
            yield Found(
                "tables", at == known[0], f"they stand at {at}", "restart Fennet; it brings them up to date after a backup"
            )
        used, most = c.execute(
            text("select (select count(*) from pg_stat_activity where backend_type = 'client backend'), "
                 "current_setting('max_connections')::int")
        ).one()  # fmt: skip
        yield Found(
            "connections", used < 0.9 * most, f"{used} of {most} in use", "restart Fennet; fewer programs on one database"
        )


def _sockets(engine: Engine, machine: Machine) -> Iterator[Found]:
    """Where the database listens: a private one on this machine alone."""
    with engine.connect() as c:
        listens, port = (str(c.execute(text(f"show {name}")).scalar_one()) for name in ("listen_addresses", "port"))
    said = f"the database listens on {listens or 'a socket file'}, port {port}"
    lonely = {a.strip() for a in listens.split(",")} <= {"127.0.0.1", "::1", "localhost", ""}
    mend = "restart Fennet, which writes its settings anew; nobody else may reach this database"
    yield Found("sockets", lonely or machine.outside, said, mend)


def _clock(engine: Engine, now: datetime) -> Iterator[Found]:
    with engine.connect() as c:
        theirs = c.execute(text("select clock_timestamp()")).scalar_one()
        newest = c.execute(text("select max(recorded_at) from event")).scalar_one()
    apart = abs(theirs - datetime.now(UTC))
    mend = "set the clock: timedatectl set-ntp true"
    yield Found("clock", apart < CLOCKS_APART, f"this machine and the database differ by {apart.total_seconds():.1f} s", mend)
    if now < SURELY_PAST:
        yield Found("clock", False, f"it says {now:%Y-%m-%d}, which is past", mend)
    if newest is not None and newest > now + timedelta(minutes=5):
        yield Found("clock", False, f"an entry was written {newest:%Y-%m-%d %H:%M}, which is still to come by this clock", mend)


def _backups(engine: Engine, machine: Machine, now: datetime) -> Iterator[Found]:
    with engine.connect() as c:
        if not c.execute(text("select exists (select from person where true)")).scalar_one():
            yield Found("backups", True, "nobody has signed in yet; backups begin with the first night")
            return
        last = nightly.last_backup(c)
    into = nightly.folder(machine.state)
    mend = "./fennet backup FILE makes one now"
    if last is None:
        yield Found("backups", False, "none was made yet by night", f"leave Fennet running overnight; {mend}")
        return
    if last.words:
        yield Found(
            "backups", False, f"the last one failed: {last.words}", f"mend what it says; it is tried again every hour; {mend}"
        )
    if last.done_at is None:
        yield Found("backups", False, "none has succeeded yet", mend)
    else:
        age_h = (now - last.done_at).total_seconds() / 3600
        yield Found("backups", not last.failing(now), f"the last one is {age_h:.0f} hours old, in {into}", mend)
