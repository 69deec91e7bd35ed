"""What a plan has to say beside its dates: a kind and its figures; the words are told elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

#: Notes that a grower must act on or accept; the rest are told in passing.
GRAVE = frozenset({
    "never_frost_safe", "never_warm", "no_frost_known", "frost_not_told", "past", "buy_plants", "later_than_wished",
    "too_cold_to_grow", "never_up", "short_of_seed", "dead_seed", "autumn_unknown", "autumn_too_late", "autumn_wish_late",
    "no_cold_spell", "moved_outside", "overdue", "frost_by_latitude", "cold_bolting",
})  # fmt: skip


@dataclass(frozen=True)
class Note:
    kind: str
    values: Mapping[str, Any] = field(default_factory=dict)

    @property
    def grave(self) -> bool:
        return self.kind in GRAVE
