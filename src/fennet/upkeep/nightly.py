"""The nightly backup: when it is due, where it goes, which old ones stay, and how it went."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import Connection, Engine, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import SQLAlchemyError

from fennet.storage import tables as t
from fennet.storage.mapping import table_of
from fennet.upkeep.backup import write_backup
from fennet.upkeep.programs import UpkeepError

BACKUP = "backup"
#: The hour of the machine's own day from which it is done; one that was missed for so long is done at once.
HOUR, MISSED = 3, timedelta(hours=26)
#: A failed one is tried again after so long; one older than this is told on Today.
RETRY, TOLD_AFTER = timedelta(hours=1), timedelta(hours=50)
#: How many stay: the newest of so many days, weeks and months.
DAYS, WEEKS, MONTHS = 7, 5, 12
NAME = re.compile(r"fennet-(\d{8})\.fennet(?:\.age)?")


class Upkeep:
    """How the last nightly backup went: when it was tried, when one last succeeded, and what was wrong."""

    def __init__(self, at: datetime, done_at: datetime | None, words: str) -> None:
        self.at, self.done_at, self.words = at, done_at, words

    def failing(self, now: datetime) -> bool:
        """Whether somebody should know: it went wrong, or the last good one is old."""
        return bool(self.words) or self.done_at is None or now - self.done_at > TOLD_AFTER


def last_backup(c: Connection) -> Upkeep | None:
    u = table_of(t.UpkeepRow)
    row = c.execute(select(u.c.at, u.c.done_at, u.c.words).where(u.c.what == BACKUP)).first()
    return Upkeep(*row) if row else None


def folder(state: Path) -> Path:
    """Where nightly backups go: FENNET_BACKUPS, or a folder beside the database's."""
    return Path(os.environ.get("FENNET_BACKUPS") or state / "backups")


def passphrase_of(state: Path) -> str:
    """The passphrase that backups are encrypted with, where one was set: the first line of a file that only its owner reads."""
    file = Path(os.environ.get("FENNET_BACKUP_PASSPHRASE_FILE") or state / "backup-passphrase")
    try:
        lines = file.read_text(encoding="utf-8").splitlines()
    except FileNotFoundError:
        return ""
    except (OSError, UnicodeDecodeError) as e:
        raise UpkeepError(f"{file}: {e}; accepted: a text file with the passphrase in its first line") from e
    return lines[0].strip() if lines else ""


def is_due(last: Upkeep | None, now: datetime) -> bool:
    """Whether the nightly backup is to be made now. `now` carries the zone of the machine.

    A worked example stands in tests/upkeep/test_nightly.py.
    """
    if last is None:
        return True
    if last.words and now - last.at < RETRY:
        return False
    if last.done_at is None or last.words or now - last.done_at > MISSED:
        return True
    tonight = now.replace(hour=HOUR, minute=0, second=0, microsecond=0)
    return last.done_at < tonight <= now


def to_remove(names: Iterable[str]) -> list[str]:
    """Which of the nightly backups go: all but the newest of each of the last days, weeks and months that have one.

    >>> to_remove([f"fennet-202601{d:02}.fennet" for d in range(1, 10)] + ["mine.fennet"])
    ['fennet-20260101.fennet', 'fennet-20260102.fennet']
    """
    found = sorted(((m[1], name) for name in names if (m := NAME.fullmatch(name)) and _is_day(m[1])), reverse=True)
    keep: set[str] = set()
    for of, most in (("%Y%m%d", DAYS), ("%G%V", WEEKS), ("%Y%m", MONTHS)):
        seen: dict[str, str] = {}
        for day, name in found:
            seen.setdefault(datetime.strptime(day, "%Y%m%d").strftime(of), name)
        keep |= set(list(seen.values())[:most])
    return sorted(name for _, name in found if name not in keep)


def _is_day(text: str) -> bool:
    try:
        datetime.strptime(text, "%Y%m%d")
    except ValueError:
        return False
    return True


def make(engine: Engine, into: Path, secret: str, now: datetime) -> Path:
    """Make the backup of this night and let old ones go; how it went is noted in the database. Raises UpkeepError."""
    path = into / f"fennet-{now:%Y%m%d}.fennet{'.age' if secret else ''}"
    try:
        into.mkdir(mode=0o700, parents=True, exist_ok=True)
        write_backup(engine, path, secret)
        for name in to_remove(p.name for p in into.iterdir()):
            (into / name).unlink()
    except (UpkeepError, OSError, SQLAlchemyError) as e:
        words = str(e) if isinstance(e, UpkeepError) else f"{into}: {getattr(e, 'strerror', None) or type(e).__name__}"
        note(engine, now, words)
        raise UpkeepError(words) from e
    note(engine, now, "")
    return path


def note(engine: Engine, now: datetime, words: str) -> None:
    """Keep how it went."""
    u = table_of(t.UpkeepRow)
    now = now.astimezone(UTC)
    new = insert(u).values(what=BACKUP, at=now, done_at=None if words else now, words=words[:500])
    again = {"at": now, "words": words[:500]} | ({} if words else {"done_at": now})
    with engine.begin() as c:
        c.execute(new.on_conflict_do_update(index_elements=["what"], set_=again))
