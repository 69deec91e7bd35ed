"""While the server runs: a database that died is started again, and the backup is made by night."""

from __future__ import annotations

import threading
from collections.abc import Callable
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from sqlalchemy.exc import SQLAlchemyError

from fennet.launch import state
from fennet.launch.cluster import ClusterError
from fennet.storage.database import connect
from fennet.upkeep import nightly
from fennet.upkeep.programs import UpkeepError

if TYPE_CHECKING:
    from fennet.launch.serve import Store

#: The backup is thought of every so many looks.
EVERY = 30


class Watch:
    """Looks after what the server stands on, every few seconds, from the command that started it."""

    def __init__(self, store: Store, demo: bool, tell: Callable[[str], None]) -> None:
        self._store, self._demo, self._tell = store, demo, tell
        self._looks = 0
        self._down_told = False
        self._backup: threading.Thread | None = None

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
        self._looks += 1
        if not self._demo and self._looks % EVERY == 1 and (self._backup is None or not self._backup.is_alive()):
            self._backup = threading.Thread(target=self._make_backup, daemon=True)
            self._backup.start()

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
