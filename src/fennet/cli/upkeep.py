"""`./fennet backup`, `./fennet restore`, `./fennet thin`, `./fennet doctor`, `./fennet password`."""

from __future__ import annotations

import json
import os
import sys
from datetime import UTC, date, datetime
from pathlib import Path

from sqlalchemy.exc import SQLAlchemyError

from fennet.cli.refused import Refused
from fennet.launch import state
from fennet.launch.cluster import ClusterError
from fennet.launch.serve import store
from fennet.operations import people, thinning
from fennet.operations.acting import Actor, Refusal
from fennet.storage import queries
from fennet.upkeep import doctor as doctors
from fennet.upkeep import nightly
from fennet.upkeep.backup import GardenCount, checked_place, write_backup
from fennet.upkeep.programs import UpkeepError
from fennet.upkeep.restore import Difference
from fennet.upkeep.restore import restore as put_back


def _say(text: str) -> None:
    print(f"  {text}", file=sys.stderr, flush=True)


def _passphrase(file: str | None) -> str:
    """The first line of a file. Raises Refused."""
    if file is None:
        return ""
    try:
        lines = Path(file).read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as e:
        raise Refused(f"--passphrase-file {file}: {getattr(e, 'strerror', None) or e}; accepted: a text file") from None
    if not lines or not lines[0].strip():
        raise Refused(f"--passphrase-file {file}: its first line is empty; accepted: a passphrase there")
    return lines[0].strip()


def backup(file: str, passphrase_file: str | None, demo: bool) -> int:
    secret = _passphrase(passphrase_file)
    try:
        place = checked_place(Path(file))
        with store(demo, _say) as found:
            made = write_backup(found.engine, place, secret)
    except (UpkeepError, ClusterError, state.StateError) as e:
        raise Refused(str(e)) from None
    except SQLAlchemyError as e:
        raise Refused(f"the database: {str(getattr(e, 'orig', None) or e).splitlines()[0]}") from None
    size = Path(file).stat().st_size
    held = f"{len(made.gardens)} gardens, {_people(made.people)}, {made.rows.get('event', 0)} entries"
    print(f"{file}: {size / 1e6:.1f} MB, {held}; read back and found whole")
    return 0


def restore(file: str, dry_run: bool, passphrase_file: str | None, demo: bool) -> int:
    secret = _passphrase(passphrase_file)
    path = Path(file)
    if not path.is_file():
        raise Refused(f"{file}: there is no such file; accepted: a file that ./fennet backup wrote")
    try:
        with store(demo, _say, up_to_date=False) as found:
            done = put_back(found.engine, path, secret, nightly.folder(state.STATE), _say, dry_run)
    except (UpkeepError, ClusterError, state.StateError) as e:
        raise Refused(f"{e}. Nothing was changed" if "Nothing was changed" not in str(e) else str(e)) from None
    except SQLAlchemyError as e:
        raise Refused(f"the database: {str(getattr(e, 'orig', None) or e).splitlines()[0]}") from None
    for d in done.differences:
        print(_difference(d, dry_run))
    if dry_run:
        print("nothing was changed; without --dry-run this would be")
    else:
        print(f"restored: {len(done.manifest.gardens)} gardens, {_people(done.manifest.people)}; everybody signs in again")
    return 0


def _difference(d: Difference, dry_run: bool) -> str:
    would = "would " if dry_run else ""
    if d.now is None and d.then is not None:
        return f"{d.then.name}: {would}come, with {_counts(d.then)}"
    if d.then is None and d.now is not None:
        return f"{d.now.name}: {would}go, with {_counts(d.now)}"
    assert d.now is not None and d.then is not None
    if d.now == d.then:
        return f"{d.then.name}: as it is, {_counts(d.then)}"
    return f"{d.then.name}: now {_counts(d.now)}; {'then' if dry_run else 'restored'} {_counts(d.then)}"


def _people(n: int) -> str:
    return "1 person" if n == 1 else f"{n} people"


def _counts(g: GardenCount) -> str:
    return f"{g.batches} batches, {g.events} entries, {g.readings} readings, {g.photos} photos"


def doctor(demo: bool) -> int:
    """Look at everything; exit 1 where anything is wrong."""
    now = datetime.now(UTC)
    outside = bool(os.environ.get("FENNET_DATABASE_URL")) and not demo
    try:
        with store(demo, _say, up_to_date=False) as found:
            data = found.cluster.data if found.cluster is not None else None
            seen = doctors.examine(doctors.Machine(state.STATE, data, outside, backed_up=not demo), found.engine, now)
    except (ClusterError, state.StateError, SQLAlchemyError) as e:
        seen = doctors.examine(doctors.Machine(state.STATE, None, outside, backed_up=not demo), None, now)
        words = str(getattr(e, "orig", None) or e).strip().splitlines()[0]
        seen.append(doctors.Found("database", False, words, "see what it says; its log is server.log in the database's folder"))
    for f in seen:
        print(f"{'well ' if f.well else 'WRONG'}  {f.what}: {f.words}")
        if not f.well:
            print(f"       mend: {f.mend}")
    wrong = sum(not f.well for f in seen)
    print("everything is well" if not wrong else f"{wrong} of {len(seen)} are wrong")
    return 1 if wrong else 0


def password(name: str, demo: bool) -> int:
    try:
        with store(demo, _say) as found:
            made = people.new_password(found.engine, name)
    except (Refusal, ClusterError, state.StateError) as e:
        raise Refused(str(getattr(e, "reason", e))) from None
    print(made)
    whose = json.dumps(name, ensure_ascii=False)
    _say(f"the new password of {whose} stands above; every device signs in again, and a second step is off")
    return 0


def thin(garden: str, before: str, dry_run: bool, demo: bool) -> int:
    """Thin a garden's minutes of years ago to hours."""
    try:
        day = date.fromisoformat(before)
    except ValueError:
        raise Refused(f"--before {before}: accepted: the first of a month, like 2024-01-01") from None
    try:
        with store(demo, _say) as found:
            with found.engine.connect() as c:
                ref = next(iter(queries.gardens(c, slug=garden)), None)
            if ref is None:
                raise Refused(f"{garden}: there is no such garden; accepted: its name in the address of its pages")
            done = thinning.thin(found.engine, Actor("command line", ref), day, datetime.now(UTC), dry_run)
    except (ClusterError, state.StateError) as e:
        raise Refused(str(e)) from None
    except Refusal as e:
        raise Refused(e.reason) from None
    would = "would go" if dry_run else "went"
    for x in done:
        print(f"{x.place} {x.quantity} {x.source}: {x.n:,} readings {would}; their hours stay")
    print(f"{sum(x.n for x in done):,} readings of {len(done)} series {would}")
    return 0
