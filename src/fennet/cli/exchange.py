"""`./fennet import` and `./fennet export`."""

from __future__ import annotations

import sys
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from fennet.cli.refused import Refused
from fennet.journal.reader import open_journal
from fennet.journal.readings_csv import decode
from fennet.journal.rejected import FormatError
from fennet.launch.cluster import ClusterError
from fennet.launch.serve import database
from fennet.operations import lists
from fennet.operations.acting import Actor, Refusal, in_turn
from fennet.operations.exchange import Imported, find_garden, give_journal, take_journal


def _say(text: str) -> None:
    print(f"  {text}", file=sys.stderr, flush=True)


def take(path: str, garden: str | None, demo: bool) -> int:
    try:
        raw = Path(path).read_bytes()
        if not raw.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{") and path.lower().endswith((".csv", ".tsv", ".txt")):
            return _take_list(path, raw, garden, demo)
        data = open_journal(raw)
        with database(demo, _say) as engine:
            result = take_journal(engine, data, datetime.now(UTC), garden, say=_say, demo=demo)
    except OSError as e:
        raise Refused(f"{path}: {e.strerror or e}; accepted: a journal file") from None
    except FormatError as e:
        raise Refused(f"{path}: {e}") from None
    except (Refusal, ClusterError) as e:
        raise Refused(str(e)) from None
    _tell(result)
    return 0


def _take_list(path: str, raw: bytes, garden: str | None, demo: bool) -> int:
    """A CSV of wants, seed box, sowings or minima into a garden that is there."""
    with database(demo, _say) as engine:
        with engine.connect() as c:
            ref = find_garden(c, garden)
        actor = Actor("import", replace(ref, role="owner"))
        text = decode(raw)
        done = in_turn(engine, actor, datetime.now(UTC), lambda w: lists.take(w, text))
    assert done is not None
    _tell(done)
    return 0


def _tell(result: Imported) -> None:
    for note in result.notes:
        print(note)
    for entry in result.rejected:
        print(f"set aside {entry}")
    parts = ", ".join(f"{n:,} {section.replace('_', ' ')}" for section, n in result.taken.items())
    print(
        f"{result.garden.garden.name}: {parts or 'nothing new'}; "
        f"{result.repeated:,} already there; {len(result.rejected):,} set aside"
    )


def give(path: str | None, garden: str | None, demo: bool) -> int:
    try:
        with database(demo, _say) as engine, engine.connect() as c:
            pieces = give_journal(c, find_garden(c, garden))
            if path is None:
                sys.stdout.writelines(pieces)
                return 0
            # Beside the target first, so that an interrupted export never leaves half a file under its name.
            target = Path(path)
            fresh = target.with_name(target.name + ".part")
            with fresh.open("w", encoding="utf-8") as f:
                f.writelines(pieces)
            fresh.replace(target)
    except OSError as e:
        raise Refused(f"{path}: {e.strerror or e}; accepted: a file that can be written") from None
    except (Refusal, ClusterError) as e:
        raise Refused(str(e)) from None
    return 0
