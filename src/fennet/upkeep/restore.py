"""The way back: a backup takes the place of all that a database holds, in one transaction, after it was tried beside it."""

from __future__ import annotations

import contextlib
import secrets
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, inspect, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import DBAPIError

from fennet.storage.database import MIGRATIONS, connect, migrate
from fennet.upkeep.backup import GardenCount, Manifest, gardens_of, opened, rows_of, write_backup
from fennet.upkeep.programs import UpkeepError, client_program, run

Say = Callable[[str], None]
#: A connection that was closed is gone from the server's list within so long, s.
CLOSES_S = 3.0


@dataclass(frozen=True)
class Difference:
    """One line of what a restore would change."""

    garden: str
    now: GardenCount | None
    then: GardenCount | None


@dataclass(frozen=True)
class Restored:
    """What was or would be restored: the backup's manifest, and what differs by garden."""

    manifest: Manifest
    differences: list[Difference]


def known_tables() -> list[str]:
    """Every migration this Fennet knows, the newest first."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
    return [s.revision for s in ScriptDirectory.from_config(config).walk_revisions()]


def restore(engine: Engine, path: Path, secret: str, keep_in: Path, say: Say, dry_run: bool = False) -> Restored:
    """Put a backup in the place of what a database holds. Raises UpkeepError, with nothing changed, for a file that is newer,
    broken or foreign, and for a database that is in use. What stood before is backed up into `keep_in` first."""
    with opened(path, secret) as (manifest, dump):
        if manifest.tables not in known_tables():
            raise UpkeepError(
                f"{path}: a newer Fennet made it ({manifest.fennet}, tables {manifest.tables}); bring this one up to date first"
            )
        differences = _differences(engine, manifest)
        say(f"{path} reads well; Fennet {manifest.fennet} made it {manifest.made_at} on PostgreSQL {manifest.postgres}")
        if dry_run:
            _rehearse(engine, dump, manifest, say)
            return Restored(manifest, differences)
        _refuse_in_use(engine)
        _rehearse(engine, dump, manifest, say)
        _keep_what_stands(engine, keep_in, secret, say)
        with tempfile.TemporaryDirectory(prefix="fennet-", dir=path.absolute().parent) as folder:
            script = Path(folder) / "restore.sql"
            _write_script(dump, script)
            _refuse_in_use(engine)
            _play(engine, script)
        migrate(engine)
        with engine.connect() as c:
            _hold_against(rows_of(c), manifest, path)
    return Restored(manifest, differences)


def _differences(engine: Engine, manifest: Manifest) -> list[Difference]:
    now: dict[str, GardenCount] = {}
    if "garden" in inspect(engine).get_table_names():
        with engine.connect() as c:
            now = {g.slug: g for g in gardens_of(c)}
    then = {g.slug: g for g in manifest.gardens}
    return [Difference(slug, now.get(slug), then.get(slug)) for slug in sorted(now.keys() | then.keys())]


def _refuse_in_use(engine: Engine) -> None:
    """A restore over a garden in use would pull the ground from under whoever writes in it."""
    engine.dispose()
    # What was closed a moment ago is still on the list for a moment.
    until_s = time.monotonic() + CLOSES_S
    while (others := _others(engine)) and time.monotonic() < until_s:
        time.sleep(0.1)
    if others:
        raise UpkeepError(f"Fennet is running on this database ({others} connections); stop it first. Nothing was changed")


def _others(engine: Engine) -> int:
    """How many others are connected to the database."""
    with engine.connect() as c:
        found: int = c.execute(
            text(
                "select count(*) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid() "
                "and backend_type = 'client backend'"
            )
        ).scalar_one()
    engine.dispose()
    return found


@contextlib.contextmanager
def _beside(engine: Engine) -> Iterator[Engine | None]:
    """A new database on the same server, gone afterwards; None where this account may not make one."""
    name = f"fennet_trial_{secrets.token_hex(4)}"
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as c:
        try:
            c.execute(text(f'create database "{name}"'))
        except DBAPIError:
            yield None
            return
    trial = connect(make_url(str(engine.url.render_as_string(hide_password=False))).set(database=name).render_as_string(False), 2)
    try:
        yield trial
    finally:
        trial.dispose()
        with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as c:
            c.execute(text(f'drop database if exists "{name}" with (force)'))


def _rehearse(engine: Engine, dump: Path, manifest: Manifest, say: Say) -> None:
    """Restore into a database beside, bring it up to date there and count it: what fails, fails there."""
    with _beside(engine) as trial:
        if trial is None:
            say("this account may not make a database to try it in; it is tried in the one transaction of the restore itself")
            return
        url = trial.url.render_as_string(hide_password=False)
        run("pg_restore", url, ["--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction", str(dump)])
        migrate(trial)
        with trial.connect() as c:
            _hold_against(rows_of(c), manifest, dump)
        say("it was restored into a database beside this one, brought up to date and counted there: all rows are there")


def _hold_against(found: dict[str, int], manifest: Manifest, path: Path) -> None:
    short = {name: n for name, n in manifest.rows.items() if name in found and found[name] < n}
    if short:
        name = next(iter(short))
        raise UpkeepError(f"{path}: {found[name]} of {short[name]} rows of {name} came back; take an earlier backup")


def _keep_what_stands(engine: Engine, keep_in: Path, secret: str, say: Say) -> None:
    """Back up what is about to go, under the same passphrase as what comes, so that neither lies open."""
    if "person" not in inspect(engine).get_table_names():
        return
    with engine.connect() as c:
        if not c.execute(text("select exists (select from person) or exists (select from garden)")).scalar_one():
            return
    keep_in.mkdir(mode=0o700, parents=True, exist_ok=True)
    kept = keep_in / f"before-restore-{datetime.now(UTC):%Y%m%dT%H%M%SZ}.fennet{'.age' if secret else ''}"
    write_backup(engine, kept, secret)
    say(f"what stood before is in {kept}; ./fennet restore takes it back")


def _write_script(dump: Path, script: Path) -> None:
    with script.open("wb") as out:
        out.write(b"drop schema public cascade;\ncreate schema public;\n")
        out.flush()
        done = subprocess.run(
            [client_program("pg_restore"), "--no-owner", "--no-privileges", "--file=-", str(dump)],
            stdout=out,
            stderr=subprocess.PIPE,
        )
    if done.returncode:
        raise UpkeepError(f"pg_restore: {done.stderr.decode(errors='replace').strip()[-300:]}")


def _play(engine: Engine, script: Path) -> None:
    """The whole of it in one transaction: what stood stands until the last row of the backup is there."""
    url = engine.url.render_as_string(hide_password=False)
    run("psql", url, ["--no-psqlrc", "--quiet", "--single-transaction", "--set=ON_ERROR_STOP=1", "--output=/dev/null",
                      f"--file={script}"])  # fmt: skip
    engine.dispose()
