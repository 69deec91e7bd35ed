"""A backup: one file with everything of one database, photos included, and a manifest that says what is in it.

The file is a tar of `manifest.json` and `database.dump` (PostgreSQL's custom format); with a passphrase the whole of it is
encrypted in the age format, which the program `age` opens too. Sessions, links for one use and counts of knocks are left out:
nobody is signed in, and nobody let in, by an old copy.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import os
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pyrage import DecryptError, passphrase
from sqlalchemy import Connection, Engine, inspect, text

from fennet import __version__
from fennet.storage.tables import metadata
from fennet.upkeep.programs import UpkeepError, client_program, run

FORMAT, VERSION = "fennet-backup", 1
MANIFEST, DUMP = "manifest.json", "database.dump"
#: Tables whose rows are not kept.
LEFT_OUT = ("session", "one_time_link", "knock", "upload")
#: A file of the age format begins so.
AGE = b"age-encryption.org/v1"
#: What is encrypted is held in memory, so there is an end to its size.
MOST_ENCRYPTED = 1_500_000_000
MOST_MANIFEST = 5_000_000


@dataclass(frozen=True)
class GardenCount:
    """How much of a garden there is."""

    slug: str
    name: str
    batches: int
    events: int
    photos: int
    readings: int


@dataclass(frozen=True)
class Manifest:
    """What a backup holds: when and by which Fennet it was made, the migration its tables stand at, rows by table."""

    made_at: str
    fennet: str
    tables: str
    postgres: str
    dump_sha256: str
    dump_bytes: int
    rows: dict[str, int]
    people: int
    gardens: list[GardenCount]


def write_backup(engine: Engine, path: Path, secret: str = "") -> Manifest:
    """Write a backup of one database and read it back. The file is there whole or not at all. Raises UpkeepError."""
    path = checked_place(path)
    fresh = path.with_name(f".{path.name}.{os.getpid()}.new")
    try:
        with tempfile.TemporaryDirectory(prefix="fennet-", dir=path.parent) as folder:
            dump = Path(folder) / DUMP
            manifest = _dump(engine, dump)
            plain = Path(folder) / "plain"
            _pack(manifest, dump, plain)
            _seal(plain, fresh, secret)
        with opened(fresh, secret) as (found, _):
            if found != manifest:
                raise UpkeepError(f"{path}: what was written does not read back as it was; nothing was kept")
        fresh.replace(path)
        _sync(path.parent)
    except OSError as e:
        raise UpkeepError(f"{path}: {e.strerror or e}; accepted: a folder that can be written, with room on its disk") from e
    finally:
        with contextlib.suppress(OSError):
            fresh.unlink(missing_ok=True)
    return manifest


def checked_place(path: Path) -> Path:
    """A place where a backup can be written. Raises UpkeepError."""
    path = path.absolute()
    if path.is_dir() or not path.parent.is_dir():
        raise UpkeepError(f"{path}: accepted: a file name in a folder that exists")
    return path


def _dump(engine: Engine, dump: Path) -> Manifest:
    """The database as it stands at one moment, and the count of it at that same moment."""
    url = engine.url.render_as_string(hide_password=False)
    with engine.connect().execution_options(isolation_level="REPEATABLE READ") as c, c.begin():
        snapshot = c.execute(text("select pg_export_snapshot()")).scalar_one()
        left_out = [f"--exclude-table-data={name}" for name in LEFT_OUT]
        words = ["--format=custom", "--compress=6", "--no-owner", "--no-privileges", f"--snapshot={snapshot}", *left_out]
        run("pg_dump", url, [*words, f"--file={dump}"])
        digest = hashlib.sha256()
        with dump.open("rb") as f:
            for block in iter(lambda: f.read(1 << 20), b""):
                digest.update(block)
        return _manifest(c, digest.hexdigest(), dump.stat().st_size)


def _manifest(c: Connection, sha256: str, n_bytes: int) -> Manifest:
    return Manifest(
        made_at=datetime.now(UTC).isoformat(timespec="seconds"),
        fennet=__version__,
        tables=str(c.execute(text("select version_num from alembic_version")).scalar_one()),
        postgres=str(c.execute(text("show server_version")).scalar_one()).split(" ")[0],
        dump_sha256=sha256,
        dump_bytes=n_bytes,
        rows=rows_of(c),
        people=int(c.execute(text("select count(*) from person")).scalar_one()),
        gardens=gardens_of(c),
    )


def rows_of(c: Connection) -> dict[str, int]:
    """Rows of every table that is kept and there: an earlier Fennet's database has not all of them yet."""
    there = set(inspect(c).get_table_names())
    names = sorted(name for name in metadata.tables if name not in LEFT_OUT and name in there)
    return {name: int(c.execute(text(f'select count(*) from "{name}"')).scalar_one()) for name in names}


def gardens_of(c: Connection) -> list[GardenCount]:
    """How much of each garden there is, by its address."""
    found = c.execute(
        text(
            "select g.slug, g.name, (select count(*) from batch b where b.garden_id = g.id), "
            "(select count(*) from event e where e.garden_id = g.id), (select count(*) from photo p where p.garden_id = g.id), "
            "(select count(*) from reading r join series s on s.id = r.series_id where s.garden_id = g.id) "
            "from garden g order by g.slug"
        )
    )
    return [GardenCount(str(r[0]), str(r[1]), *(int(n) for n in r[2:])) for r in found]


def _pack(manifest: Manifest, dump: Path, into: Path) -> None:
    said = json.dumps({"format": FORMAT, "version": VERSION, **asdict(manifest)}, ensure_ascii=False, indent=1).encode()
    with tarfile.open(into, "w") as tar:
        head = tarfile.TarInfo(MANIFEST)
        head.size = len(said)
        tar.addfile(head, io.BytesIO(said))
        body = tarfile.TarInfo(DUMP)
        body.size = dump.stat().st_size
        with dump.open("rb") as f:
            tar.addfile(body, f)


def _seal(plain: Path, into: Path, secret: str) -> None:
    """Write the file for its owner's eyes alone, encrypted where there is a passphrase, and see it onto the disk."""
    if secret and plain.stat().st_size > MOST_ENCRYPTED:
        raise UpkeepError(
            "there is too much to encrypt in memory; accepted: a backup without a passphrase, encrypted by the program age"
        )
    descriptor = os.open(into, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "wb") as out:
        if secret:
            out.write(passphrase.encrypt(plain.read_bytes(), secret))
        else:
            with plain.open("rb") as f:
                for block in iter(lambda: f.read(1 << 20), b""):
                    out.write(block)
        out.flush()
        os.fsync(out.fileno())


def _sync(folder: Path) -> None:
    descriptor = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


@contextlib.contextmanager
def opened(path: Path, secret: str = "") -> Iterator[tuple[Manifest, Path]]:
    """A backup's manifest and its dump, unpacked for as long as it is needed and held against its sum. Raises UpkeepError for a
    file that is none, is broken, is encrypted with another passphrase, or was made by a newer Fennet."""
    try:
        with path.open("rb") as f:
            begins = f.read(len(AGE))
        with tempfile.TemporaryDirectory(prefix="fennet-", dir=path.absolute().parent) as folder:
            plain = path
            if begins == AGE:
                plain = Path(folder) / "plain"
                plain.touch(mode=0o600)
                plain.write_bytes(_decrypted(path, secret))
            dump = Path(folder) / DUMP
            yield _unpacked(path, plain, dump), dump
    except OSError as e:
        raise UpkeepError(f"{path}: {e.strerror or e}; accepted: a file that ./fennet backup wrote") from e


def _decrypted(path: Path, secret: str) -> bytes:
    if not secret:
        raise UpkeepError(f"{path}: it is encrypted; accepted: its passphrase (--passphrase-file FILE)")
    try:
        return bytes(passphrase.decrypt(path.read_bytes(), secret))
    except DecryptError as e:
        raise UpkeepError(f"{path}: that passphrase does not open it, or the file is damaged") from e


def _unpacked(path: Path, plain: Path, dump: Path) -> Manifest:
    foreign = UpkeepError(f"{path}: this is no backup of Fennet's, or it is cut off; accepted: a file that ./fennet backup wrote")
    try:
        with tarfile.open(plain, "r:") as tar:
            members = tar.getmembers()
            if [m.name for m in members] != [MANIFEST, DUMP] or not all(m.isreg() for m in members):
                raise foreign
            if members[0].size > MOST_MANIFEST:
                raise foreign
            head, body = (tar.extractfile(m) for m in members)
            if head is None or body is None:
                raise foreign
            said = json.loads(head.read())
            digest = hashlib.sha256()
            descriptor = os.open(dump, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(descriptor, "wb") as out:
                for block in iter(lambda: body.read(1 << 20), b""):
                    digest.update(block)
                    out.write(block)
    except (tarfile.TarError, ValueError, RecursionError) as e:
        raise foreign from e
    manifest = _read_manifest(said, path)
    if digest.hexdigest() != manifest.dump_sha256 or dump.stat().st_size != manifest.dump_bytes:
        raise UpkeepError(f"{path}: it is damaged: what is in it is not what was written; take an earlier backup")
    # The archive's own table of contents must read, with every table in it.
    _check_contents(dump, path)
    return manifest


def _read_manifest(said: Any, path: Path) -> Manifest:
    if not isinstance(said, dict) or said.get("format") != FORMAT:
        raise UpkeepError(f"{path}: this is no backup of Fennet's; accepted: a file that ./fennet backup wrote")
    if said.get("version") != VERSION:
        raise UpkeepError(
            f"{path}: it is of version {said.get('version')!r}; this Fennet reads version {VERSION}: bring it up to date"
        )
    try:
        gardens = [GardenCount(**g) for g in said["gardens"]]
        return Manifest(**{name: said[name] for name in Manifest.__dataclass_fields__ if name != "gardens"}, gardens=gardens)
    except (KeyError, TypeError) as e:
        raise UpkeepError(f"{path}: its manifest cannot be read ({e}); take an earlier backup") from e


def _check_contents(dump: Path, path: Path) -> None:
    done = subprocess.run([client_program("pg_restore"), "--list", str(dump)], capture_output=True, text=True, errors="replace")
    missing = [name for name in ("garden", "event", "person") if f"TABLE DATA public {name} " not in done.stdout]
    if done.returncode or missing:
        raise UpkeepError(f"{path}: the dump in it cannot be read; take an earlier backup")
