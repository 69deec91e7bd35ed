"""How often a door was knocked at, counted in the database so that all server processes agree."""

from __future__ import annotations

import hashlib
import random
from typing import Any

from limits.storage import Storage
from sqlalchemy import Engine, delete, func, select, text
from sqlalchemy.exc import SQLAlchemyError

from fennet.storage import tables as t
from fennet.storage.mapping import table_of

#: One knock in so many sweeps out what is over.
SWEEP = 200
COUNT = text(
    "insert into knock (key, n, until) values (:key, :amount, now() + make_interval(secs => :expiry)) "
    "on conflict (key) do update set n = case when knock.until < now() then :amount else knock.n + :amount end, "
    "until = case when knock.until < now() then excluded.until else knock.until end returning n"
)


class KnockStorage(Storage):
    """The count of knocks for the limiter. A key carries names and addresses, so it is kept hashed."""

    STORAGE_SCHEME = ["fennet"]

    def __init__(self, uri: str | None = None, wrap_exceptions: bool = False, **options: Any) -> None:
        self._engine: Engine = options.pop("engine")
        super().__init__(uri, wrap_exceptions)

    @property
    def base_exceptions(self) -> type[Exception]:
        return SQLAlchemyError

    def incr(self, key: str, expiry: int, amount: int = 1) -> int:
        with self._engine.begin() as c:
            if random.randrange(SWEEP) == 0:
                k = table_of(t.KnockRow)
                c.execute(delete(k).where(k.c.until < func.now()))
            return int(c.execute(COUNT, {"key": _kept(key), "amount": amount, "expiry": expiry}).scalar_one())

    def get(self, key: str) -> int:
        k = table_of(t.KnockRow)
        with self._engine.connect() as c:
            return int(c.execute(select(k.c.n).where(k.c.key == _kept(key), k.c.until >= func.now())).scalar() or 0)

    def get_expiry(self, key: str) -> float:
        k = table_of(t.KnockRow)
        with self._engine.connect() as c:
            until = select(func.coalesce(func.max(k.c.until), func.now())).where(k.c.key == _kept(key))
            return float(c.execute(until).scalar_one().timestamp())

    def check(self) -> bool:
        try:
            with self._engine.connect() as c:
                return bool(c.execute(select(1)).scalar())
        except SQLAlchemyError:
            return False

    def reset(self) -> int | None:
        with self._engine.begin() as c:
            return c.execute(delete(table_of(t.KnockRow))).rowcount

    def clear(self, key: str) -> None:
        k = table_of(t.KnockRow)
        with self._engine.begin() as c:
            c.execute(delete(k).where(k.c.key == _kept(key)))


def _kept(key: str) -> str:
    return hashlib.sha256(key.encode("utf-8", "replace")).hexdigest()
