"""What a server process keeps at hand: answers by what they were made of, the least lately asked for given up first."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class Kept(Generic[T]):
    """Up to `most` answers. Two threads that ask for the same at once may both make it; either is as good."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[Hashable, T] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a key, made now if nothing is."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made

    def drop(self, key: Hashable) -> None:
        """Give up one answer, so that it is made anew next time."""
        with self._lock:
            self._kept.pop(key, None)

    def forget(self) -> None:
        """Empty it, as after a start."""
        with self._lock:
            self._kept.clear()
