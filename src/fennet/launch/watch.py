"""While the server runs: a database that died is started again, brokers are heard, and the backup is made by night."""

from __future__ import annotations

import subprocess
import sys
import threading
import time
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from fennet.launch import state
from fennet.launch.cluster import ClusterError
from fennet.storage.database import connect
from fennet.storage.reading_store import pack_stale
from fennet.upkeep import nightly
from fennet.upkeep.programs import UpkeepError

if TYPE_CHECKING:
    from fennet.launch.serve import Store

#: The backup is thought of every so many looks.
EVERY = 30
#: A process that failed is started again so long after its last start, seconds.
LATER_S = 30.0
#: What runs beside the server, and when it is wanted.
HELPERS = {
    "fennet.mqtt": "select exists (select from broker)",
    "fennet.jobs": "select exists (select from import_job where state = 'waiting')",
}


class Helper:
    """A process beside the server that runs while the database says it is wanted; it ends by itself when it is not."""

    def __init__(self, module: str, wanted: str, environment: Mapping[str, str], bound: Callable[[], None]) -> None:
        self._module, self._wanted, self._environment, self._bound = module, wanted, environment, bound
        self._process: subprocess.Popen[bytes] | None = None
        self._started_s = float("-inf")

    def look(self, store: Store) -> None:
        """See that it runs where it is wanted."""
        code = self._process.poll() if self._process is not None else 0
        # One that fails at once is not started again at every look; one that was killed is.
        if code is None or (code > 0 and time.monotonic() < self._started_s + LATER_S):
            return
        try:
            with store.engine.connect() as c:
                wanted = c.execute(text(self._wanted)).scalar_one()
        except SQLAlchemyError:
            return
        if wanted:
            command = [sys.executable, "-m", self._module]
            self._process = subprocess.Popen(command, env=dict(self._environment), start_new_session=True, preexec_fn=self._bound)
            self._started_s = time.monotonic()

    def end(self) -> None:
        if self._process is not None:
            self._process.terminate()
            try:
                self._process.wait(10)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()


class Watch:
    """Looks after what the server stands on, every few seconds, from the command that started it."""

    def __init__(
        self, store: Store, demo: bool, tell: Callable[[str], None], environment: Mapping[str, str], bound: Callable[[], None]
    ) -> None:
        """`environment` and `bound` (run in it first) are for the processes it starts."""
        self._store, self._demo, self._tell = store, demo, tell
        self._looks = 0
        self._down_told = False
        self._backup: threading.Thread | None = None
        self._helpers = [Helper(module, wanted, environment, bound) for module, wanted in HELPERS.items()]

    def look(self) -> None:
        """Look once; what fails is told once and tried again at the next look."""
        cluster = self._store.cluster
        if cluster is not None and not cluster.answers() and not cluster.runs():
            try:
                cluster.start()
                self._tell("the database had gone; it was started again")
                self._down_told = False
            except ClusterError as e:
                if not self._down_told:
                    self._tell(f"the database has gone and does not start: {e}; it is tried again")
                self._down_told = True
            return
        for helper in self._helpers:
            helper.look(self._store)
        self._looks += 1
        if self._looks % EVERY == 1:
            self._pack_months()
        if not self._demo and self._looks % EVERY == 1 and (self._backup is None or not self._backup.is_alive()):
            self._backup = threading.Thread(target=self._make_backup, daemon=True)
            self._backup.start()

    def end(self) -> None:
        """Stop what this started."""
        for helper in self._helpers:
            helper.end()

    def _pack_months(self) -> None:
        """Months that are over and were written to by devices: packed while it is quiet, so that pages read them at once."""
        try:
            with self._store.engine.begin() as c:
                pack_stale(c, datetime.now(UTC).replace(day=1, hour=0, minute=0, second=0, microsecond=0))
        except SQLAlchemyError as e:
            self._tell(f"months were not packed: {str(e).splitlines()[0]}; tried again")

    def _make_backup(self) -> None:
        engine = connect(self._store.engine.url.render_as_string(hide_password=False), 1)
        try:
            with engine.connect() as c:
                last = nightly.last_backup(c)
            now = datetime.now(UTC).astimezone()
            if nightly.is_due(last, now):
                nightly.make(engine, nightly.folder(state.STATE), nightly.passphrase_of(state.STATE), now)
        except (UpkeepError, SQLAlchemyError) as e:
            self._tell(f"the backup was not made: {str(e).splitlines()[0]}")
        finally:
            engine.dispose()
