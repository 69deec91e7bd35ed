"""What a log line may speak of: the garden's things as they stand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from zoneinfo import ZoneInfo

from fennet.core.history import counts_of
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.room import RoomState, in_trays, room_at
from fennet.core.stages import ENDED, stages_now


@dataclass(frozen=True)
class Scene:
    """The things of a garden by id with their kind; what is in each tray; counts so far; lamps with their timers."""

    zone: ZoneInfo
    now: datetime
    temperature_unit: str = "degC"
    kinds: Mapping[str, str] = field(default_factory=dict)
    in_tray: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    batches: Mapping[str, Batch] = field(default_factory=dict)
    trays: Mapping[str, Tray] = field(default_factory=dict)
    up: Mapping[str, tuple[str, int, int]] = field(default_factory=dict)
    state: RoomState = field(default_factory=lambda: RoomState(0.0))
    #: Tubes of the lamps that have some to light one by one.
    tubes: Mapping[str, int] = field(default_factory=dict)

    def lamp_over(self, tray: str) -> str | None:
        """The lamp that hangs over a tray, where there is just one."""
        there = self.state.trays.get(tray)
        over = self.state.over(there.place if there else None)
        return over[0].lamp if len(over) == 1 else None

    def find(self, word: str) -> str | None:
        """The id a word names: exactly, or but for its capitals."""
        if word in self.kinds:
            return word
        near = [i for i in self.kinds if i.lower() == word.lower()]
        return near[0] if len(near) == 1 else None


def scene_of(
    journal: Journal, events: Sequence[Event], now: datetime, zone: ZoneInfo, temperature_unit: str,
    stages: Mapping[str, str] | None = None,
) -> Scene:  # fmt: skip
    """The scene of a garden now, from its record and its effective events; `stages` of its batches, where they are known."""
    now_s = now.timestamp()
    kinds: dict[str, str] = {}
    for section, kind in (
        ("rooms", "room"), ("places", "place"), ("lamps", "lamp"), ("mats", "mat"), ("fans", "fan"), ("trays", "tray"),
        ("batches", "batch"),
    ):  # fmt: skip
        kinds |= {x.id: kind for x in getattr(journal, section) if getattr(x, "until", None) is None}
    up: dict[str, tuple[str, int, int]] = {}
    stages = stages_now(journal.batches, events, now_s) if stages is None else stages
    alive = [b for b in journal.batches if stages[b.id] not in ENDED and b.sown_at <= now]
    in_tray = {tray: [b.id for b in inside] for tray, inside in in_trays(alive, events, now_s).items()}
    for b in alive:
        counts = counts_of(b, events)
        up[b.id] = (counts.unit, counts.up, counts.of)
    return Scene(
        zone, now, temperature_unit, kinds, {k: tuple(v) for k, v in in_tray.items()}, {b.id: b for b in journal.batches},
        {t.id: t for t in journal.trays}, up, room_at(journal, events, now_s), {x.id: x.tubes for x in journal.lamps if x.tubes},
    )  # fmt: skip
