"""What a process keeps of answers: filed under the exact revisions they were worked out from, the least lately asked for given
up first."""

from __future__ import annotations

import sys
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from threading import Lock
from typing import Any, TypeVar, cast

import numpy as np
from cachetools import LRUCache

from fennet.core.crop import Crop
from fennet.core.records import Batch, Event, Journal
from fennet.core.working import Working

T = TypeVar("T")
#: Kept beside the answers anyway, so their size is not an answer's.
SHARED = (Batch, Crop, Event, Journal, str, bool)
#: What one entry costs beside what it holds: its key, mostly the ids of events, and its place in the books.
ENTRY_BYTES = 2_000
#: So many of a long row are weighed for all.
MANY = 8
#: What the working of one figure holds: its texts and inputs, about.
WORKING_BYTES = 2_500
MOST_ENTRIES, MOST_BYTES = 6_000, 120_000_000


@dataclass(frozen=True)
class Held:
    """How full a memory is, and how often it had what was asked for."""

    entries: int
    bytes: int
    hits: int
    misses: int


class Memo:
    """Answers by key, bounded in entries and in bytes. Two threads that ask for the same at once may both make it; either is as
    good, since a key says all that its answer was made from."""

    def __init__(self, most_entries: int = MOST_ENTRIES, most_bytes: int = MOST_BYTES) -> None:
        self._most_entries = most_entries
        self._kept: LRUCache[Hashable, tuple[int, Any]] = LRUCache(most_bytes, getsizeof=lambda entry: entry[0])
        self._lock = Lock()
        self._hits = self._misses = 0
        self._weighed: dict[type, tuple[int, float]] = {}

    def get(self, key: Hashable, make: Callable[[], T], keep: Callable[[T], bool] = lambda _: True) -> T:
        """The answer filed under a key, made now if there is none; kept where `keep` says so of it."""
        with self._lock:
            found = self._kept.get(key)
            if found is not None:
                self._hits += 1
                return cast(T, found[1])
            self._misses += 1
        made = make()
        if keep(made):
            weight = ENTRY_BYTES + self._weight(made)
            with self._lock:
                # One that is larger than all there is room for is not kept.
                if weight <= self._kept.maxsize:
                    self._kept[key] = (weight, made)
                while len(self._kept) > self._most_entries:
                    self._kept.popitem()
        return made

    def _weight(self, made: Any) -> int:
        """What an answer weighs. Of many of one kind one in so many is weighed for the others: a page waits for the weighing."""
        kind = type(made)
        n, mean = self._weighed.get(kind, (0, 0.0))
        self._weighed[kind] = (n + 1, mean)
        if n >= MANY and n % MANY and kind is not np.ndarray:
            return int(mean)
        weight = weight_of(made)
        self._weighed[kind] = (n + 1, mean + (weight - mean) / (1 + min(n, MANY)))
        return weight

    def forget(self) -> None:
        """Empty it, as after a start."""
        with self._lock:
            self._kept.clear()

    def held(self) -> Held:
        with self._lock:
            return Held(len(self._kept), int(self._kept.currsize), self._hits, self._misses)


@dataclass(frozen=True)
class Shelf:
    """One garden's part of a memo, its name before every key. One that is `read_only` gives what it has and keeps nothing new:
    what is worked out inside a write may never come to stand."""

    memo: Memo
    garden: Hashable
    read_only: bool = False

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        return self.memo.get((self.garden, key), make, keep=lambda _: not self.read_only)


def weight_of(value: Any) -> int:
    """About how many bytes an answer holds for itself alone.

    >>> weight_of(np.zeros(1000)) >= 8000, weight_of([1.0] * 10) < 1000
    (True, True)
    """
    seen: set[int] = set()
    open_ones, total = [value], 0
    while open_ones:
        x = open_ones.pop()
        kind = type(x)
        known = _WEIGHT_OF_KIND.get(kind)
        if known is None:
            known = _WEIGHT_OF_KIND[kind] = _weight_of_kind(kind)
        if known != OPEN:
            total += known
            continue
        if id(x) in seen:
            continue
        seen.add(id(x))
        if kind is np.ndarray:
            total += x.nbytes + 112
        elif isinstance(x, dict):
            total += sys.getsizeof(x)
            open_ones += [*x.keys(), *x.values()]
        elif isinstance(x, list | tuple | set | frozenset):
            total += sys.getsizeof(x)
            if len(x) > MANY and isinstance(x, list | tuple):
                # Of many alike a few are weighed.
                total += len(x) // MANY * sum(map(weight_of, x[:: len(x) // MANY][:MANY]))
            else:
                open_ones += x
        else:
            total += 64
            open_ones += vars(x).values() if hasattr(x, "__dict__") else ()
    return total


#: What is looked into; all else weighs the same by its kind, found out once.
OPEN = -1
_WEIGHT_OF_KIND: dict[type, int] = {}


def _weight_of_kind(kind: type) -> int:
    if issubclass(kind, (*SHARED, type(None))):
        return 0
    if issubclass(kind, Working):
        return WORKING_BYTES
    return 24 if issubclass(kind, int | float) else OPEN
