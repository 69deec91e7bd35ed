"""`python -m fennet.jobs`: read every file that waits, then end."""

from __future__ import annotations

import os
import signal
import sys
import threading
from datetime import UTC, datetime

from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from fennet.operations import importing
from fennet.storage.database import connect

#: One process alone reads a database's files: the lock's number.
LOCK = 7_303


def main() -> int:
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    engine = connect(os.environ["FENNET_WEB_DATABASE"], 2)
    try:
        with engine.connect() as alone:
            if not alone.execute(text("select pg_try_advisory_lock(:n)"), {"n": LOCK}).scalar():
                return 0
            alone.commit()
            while not stop.is_set() and importing.run_oldest(engine, lambda: datetime.now(UTC), stop.is_set):
                pass
    except SQLAlchemyError as e:
        # What was read is kept; whoever started this starts it again while a file waits.
        print(f"fennet: a file is read on later: {str(e).splitlines()[0]}", file=sys.stderr, flush=True)
        return 0
    finally:
        engine.dispose()
    return 0


if __name__ == "__main__":
    sys.exit(main())
