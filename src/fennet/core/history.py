"""What the events of a record say: which stand, where a tray was, what was counted, when a batch ended."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from fennet.core.kinds import EVENT_KINDS
from fennet.core.records import Batch, Event, Journal

#: After these a batch is past emergence: nobody waits for more.
ENDING_KINDS = ("gave_up", "planted", "potted_up", "harvest")


def effective_events(events: Iterable[Event], at_s: float) -> list[Event]:
    """Events as they stand at a moment: later ones unseen, withdrawn ones gone, corrected ones as corrected.

    A withdrawal can itself be withdrawn; of several corrections the last one holds. Sorted by time, then as written.
    """
    seen = [e for e in events if e.at_s <= at_s]
    gone, corrections = _unsaid(seen)
    corrected = {target: e.fields["event"] for target, e in corrections.items()}
    out = []
    for event in seen:
        if event.id in gone or event.kind in ("withdrawn", "corrects"):
            continue
        if event.id in corrected:
            event = replace(corrected[event.id], id=event.id)
            if event.at_s > at_s:
                continue
        out.append(event)
    return sorted(out, key=lambda e: e.at)


def said_anew(events: Iterable[Event], at_s: float) -> dict[str, str]:
    """Of the events that stand corrected at a moment: which correction says what each of them says now."""
    return {target: e.id for target, e in _unsaid([e for e in events if e.at_s <= at_s])[1].items()}


def _unsaid(seen: list[Event]) -> tuple[set[str], dict[str, Event]]:
    """The ids of what was withdrawn, and by target the corrections that hold; of events in the order they were written."""
    gone: set[str] = set()
    corrected: dict[str, Event] = {}
    # From the last written to the first, so that an undone undo no longer acts.
    for event in reversed(seen):
        if event.id in gone:
            continue
        if event.kind == "withdrawn":
            gone.add(event.fields["target"])
        elif event.kind == "corrects":
            corrected.setdefault(event.fields["target"], event)
    return gone, corrected


@dataclass(frozen=True)
class Stay:
    """Where something was, from a moment (seconds UTC) to another."""

    where: str
    from_s: float
    to_s: float


def split(batch: Batch, events: Sequence[Event]) -> Event | None:
    """The move by which a batch was pricked out or potted up from another; None for one that was sown where it is. `events` are
    effective events."""
    if batch.from_batch is None:
        return None
    return next((e for e in events if e.kind == "moved" and e.fields.get("to_batch") == batch.id), None)


def ancestors(journal: Journal, batch: Batch) -> list[Batch]:
    """The batches that one was pricked out or potted up from, the nearest first."""
    by_id = {b.id: b for b in journal.batches}
    out: list[Batch] = []
    while batch.from_batch in by_id and by_id[batch.from_batch] not in out:
        batch = by_id[batch.from_batch]
        out.append(batch)
    return out


def life_events(batch: Batch, events: Sequence[Event], *kinds: str) -> list[Event]:
    """Events of some kinds that speak of a batch's plants, in order: its own, and those of what it was parted from, up to then.

    `events` are effective events.

    >>> from datetime import UTC, datetime
    >>> day = lambda n: datetime(2026, 3, n, tzinfo=UTC)
    >>> tall = [Event(kind="height", at=day(n), id=f"h{n}", fields={"batch": b, "mm": n}) for n, b in ((1, "old"), (9, "old"))]
    >>> move = Event(kind="moved", at=day(5), id="m", fields={"batch": "old", "to_batch": "new", "count": 3})
    >>> new = Batch(id="new", crop="leek", sown_at=day(1), cells=3, from_batch="old")
    >>> [e.id for e in life_events(new, [tall[0], move, tall[1]], "height")]
    ['h1']
    """
    if batch.from_batch is None:
        return [e for e in events if e.kind in kinds and e.fields.get("batch") == batch.id]
    moves = {e.fields["to_batch"]: e for e in events if e.kind == "moved" and e.fields.get("to_batch")}
    until: dict[str, float] = {batch.id: float("inf")}
    of = batch.id
    while of in moves and moves[of].fields["batch"] not in until:
        until[moves[of].fields["batch"]] = min(until[of], moves[of].at_s)
        of = moves[of].fields["batch"]
    return [e for e in events if e.kind in kinds and e.at_s < until.get(str(e.fields.get("batch")), float("-inf"))]


def fresh_mix_s(batch: Batch, events: Sequence[Event]) -> list[float]:
    """When a batch's plants were set into fresh mix, seconds UTC in order: pricked out or potted up, as part of another or whole.
    Rooted seed out of a towel is sown by its move, not potted. `events` are effective events."""
    moves = [e for e in events if e.kind == "moved" and e.fields.get("to_batch") == batch.id and e.at > batch.sown_at]
    potted = [e for e in events if e.kind == "potted_up" and e.fields["batch"] == batch.id]
    return sorted(e.at_s for e in [*moves, *potted])


def life_stays(journal: Journal, batch: Batch, events: Sequence[Event]) -> list[Stay]:
    """The trays a batch's plants were in, in order: those of what it was parted from, then its own. `events` stand."""
    stays, until_s, of = tray_stays(batch, events), float("inf"), batch
    for mother in ancestors(journal, batch):
        move = split(of, events)
        if move is None:
            break
        until_s, of = min(until_s, move.at_s), mother
        before = [s for s in tray_stays(mother, events) if s.from_s < until_s]
        stays = [*(replace(s, to_s=min(s.to_s, until_s)) for s in before), *stays]
    return stays


def tray_stays(batch: Batch, events: Sequence[Event]) -> list[Stay]:
    """The trays a batch was in, in order of time; one that was parted from another since then."""
    move = split(batch, events)
    marks = [((move.at if move is not None else batch.sown_at).timestamp(), batch.tray)]
    for e in events:
        if e.kind == "potted_up" and e.fields["batch"] == batch.id and e.fields.get("tray"):
            marks.append((e.at_s, e.fields["tray"]))
    return _stays(marks)


def place_stays(tray: str, events: Sequence[Event]) -> list[Stay]:
    """The places a tray stood on, in order of time."""
    return _stays([(e.at_s, e.fields["place"]) for e in events if e.kind == "placed" and e.fields["tray"] == tray])


def _stays(marks: list[tuple[float, str | None]]) -> list[Stay]:
    ends = [*(t for t, _ in marks), float("inf")][1:]
    return [Stay(where, start, end) for (start, where), end in zip(marks, ends, strict=True) if where and end > start]


#: Kinds whose seed is a cluster, and the most seedlings that one gives. Source: growers_rule.
CLUSTERS, SEEDLINGS_OF_A_CLUSTER = frozenset({"beet", "chard"}), 4


def most_up(batch: Batch, field: str) -> int | None:
    """The most that can be up of a batch by one way of counting (`cells_up`, `seedlings_up`, `rooted`); None where the seed was
    not counted.

    >>> from datetime import UTC, datetime
    >>> two = Batch(id="b", crop="leek", sown_at=datetime(2026, 3, 1, tzinfo=UTC), cells=12, seeds_per_cell=2)
    >>> most_up(two, "cells_up"), most_up(two, "seedlings_up"), most_up(replace(two, seeds_per_cell=None), "seedlings_up")
    (12, 24, None)
    """
    if field == "cells_up":
        return batch.n_cells
    each = SEEDLINGS_OF_A_CLUSTER if batch.crop in CLUSTERS and field == "seedlings_up" else 1
    if batch.seeds:
        return max(batch.seeds, batch.n_cells) * each
    return batch.n_cells * batch.seeds_per_cell * each if batch.seeds_per_cell else None


@dataclass(frozen=True)
class Counts:
    """Running totals of what is up: times in seconds UTC, never falling; `unit` cells, seedlings or rooted; out of `of`.

    A look may come later than the last change: `looked_s` is the last one.
    """

    unit: str
    of: int
    at_s: tuple[float, ...]
    total: tuple[int, ...]

    @property
    def up(self) -> int:
        return self.total[-1] if self.total else 0

    @property
    def past_half(self) -> bool:
        """Whether half of all that may come is up, whatever comes yet: when that was is known and no forecast."""
        return 2 * self.up >= self.of

    @property
    def looked_s(self) -> float | None:
        return self.at_s[-1] if self.at_s else None

    def reached(self, n: int) -> float | None:
        """When the total first stood at n or more."""
        return next((t for t, total in zip(self.at_s, self.total, strict=True) if total >= n), None)


def counts_of(batch: Batch, events: Sequence[Event]) -> Counts:
    """The counts of a batch. Cells are counted unless only seedlings (or roots in a towel) were; totals never fall below an
    earlier one and never pass what was sown. One that was parted from another came up when that one did."""
    mine = [e for e in events if e.kind == "count" and e.fields["batch"] == batch.id]
    fields = ("rooted", "cells_up", "seedlings_up") if batch.set_up == "towel" else ("cells_up", "seedlings_up", "rooted")
    field = next((f for f in fields if any(f in e.fields for e in mine)), "rooted" if batch.set_up == "towel" else "cells_up")
    # Where one seed went into each cell, a seedling is a cell, whichever somebody counts.
    alike = {"cells_up", "seedlings_up"} if batch.n_seeds_per_cell == 1 and batch.crop not in CLUSTERS else {field}
    unit = field.removesuffix("_up")
    of = batch.n_cells if unit == "cells" else (batch.seeds or batch.n_cells * batch.n_seeds_per_cell)
    if batch.crop in CLUSTERS and unit == "seedlings":
        # More may show than were sown; what showed was there to show.
        of = max([of, *(int(e.fields[field]) for e in mine if field in e.fields)])
    at_s: list[float] = []
    total: list[int] = []
    highest = 0
    if not batch.from_seed:
        # Plants came: all of them are there from their first day.
        return Counts(unit, of, (batch.sown_at.timestamp(),), (of,))
    if batch.from_batch is not None and unit != "rooted":
        # Of the plants that were moved as many were up at a time as of all that came up there before.
        before = [e for e in life_events(batch, events, "count") if e.fields["batch"] != batch.id]
        seen = [(e.at_s, int(n)) for e in before if (n := e.fields.get("cells_up", e.fields.get("seedlings_up")))]
        most = max((n for _, n in seen), default=0)
        for when_s, n in seen:
            # Half are up when half were up there: rounding must not shift the age of a few.
            highest = max(highest, of * n // most, -(-of // 2) if 2 * n >= most else 0)
            at_s.append(when_s)
            total.append(highest)
    for e in mine:
        counted = next((e.fields[f] for f in (field, *sorted(alike)) if f in e.fields), None)
        if counted is not None:
            highest = max(highest, min(of, int(counted)))
            at_s.append(e.at_s)
            total.append(highest)
    return Counts(unit, of, tuple(at_s), tuple(total))


def lost_of(batch: Batch, events: Sequence[Event]) -> int:
    """Cells (or seedlings) of a batch that were lost, as logged."""
    mine = [e for e in events if e.kind == "lost" and e.fields["batch"] == batch.id]
    return sum(int(e.fields.get("cells") or len(e.fields.get("cell_list") or [])) for e in mine)


def moved_on(batch_id: str, events: Sequence[Event]) -> int:
    """Plants, or rooted seeds, of a batch that became batches of their own."""
    return sum(int(e.fields.get("count") or 0) for e in events if e.kind == "moved" and e.fields["batch"] == batch_id)


#: What is left of a batch after a part was planted goes with it when nobody speaks of it for so long, d. Source: growers_rule.
REST_D = 14.0


@dataclass(frozen=True)
class PlantedOut:
    """Of a batch that was planted: how many went out as far as anybody counted, how many are still in their pots, and when the
    last of it was out (seconds UTC; None while some are left)."""

    planted: int | None
    left: int
    all_out_s: float | None


def planted_out(batch: Batch, events: Sequence[Event], at_s: float) -> PlantedOut | None:
    """How much of a batch is planted by a moment (seconds UTC); None where nothing is. `events` are effective events.

    A planting that says how many leaves the others where they are, spares among them; one that does not takes all but the
    spares it names. What is left and never spoken of again went with the others. Source: growers_rule.

    >>> from datetime import UTC, datetime
    >>> day = lambda n: datetime(2026, 5, n, tzinfo=UTC)
    >>> b = Batch(id="b", crop="leek", sown_at=day(1), cells=12)
    >>> part = Event(kind="planted", at=day(10), id="p", fields={"batch": "b", "count": 9})
    >>> planted_out(b, [part], day(12).timestamp()).left, planted_out(b, [part], day(30).timestamp()).left
    (3, 0)
    """
    mine = [e for e in events if e.fields.get("batch") == batch.id and e.at_s <= at_s]
    plantings = [e for e in mine if e.kind == "planted"]
    if not plantings:
        return None
    went, left, uncounted = 0, 0, False
    for e in plantings:
        there = left_of(batch, [x for x in events if x.at_s <= e.at_s and not _in_its_bed(x, plantings[0])]) - went
        spares, count = e.fields.get("spares"), e.fields.get("count")
        uncounted = uncounted or count is None
        goes = there - int(spares or 0) if count is None else int(count)
        went += max(0, goes)
        left = max(0, there - goes)
        if spares is not None:
            left = min(left, int(spares)) if count is not None else left
    last_s = max([plantings[-1].at_s, *(e.at_s for e in mine if e.kind in SPEAKS_OF_THE_REST)])
    if left and at_s - last_s > REST_D * 86_400.0:
        return PlantedOut(None if uncounted else went, 0, last_s + REST_D * 86_400.0)
    return PlantedOut(None if uncounted else went, left, None if left else plantings[-1].at_s)


#: After these somebody still has what was left in its pots. Source: growers_rule.
SPEAKS_OF_THE_REST = frozenset(("outing", "potted_up", "height", "count", "thinned", "topped", "moved"))
#: Losses that come to what stands in a bed.
LOST_OUTSIDE = frozenset(("frost", "sun", "wind", "slugs", "birds"))


def _in_its_bed(e: Event, planted: Event) -> bool:
    """Whether a loss is of plants that are out already."""
    return e.kind == "lost" and e.at_s >= planted.at_s and str(e.fields.get("why") or "") in LOST_OUTSIDE


def left_of(batch: Batch, events: Sequence[Event]) -> int:
    """Plants of a batch that are still in it: those that came up, or all where nobody counted, less lost and moved on."""
    return max(0, (counts_of(batch, events).up or batch.n_cells) - lost_of(batch, events) - moved_on(batch.id, events))


def ended_s(batch: Batch, events: Sequence[Event]) -> float | None:
    """When the batch stopped being waited for: given up, moved on whole or by parts, planted, harvested, or all of it lost."""
    for e in events:
        if e.kind in ENDING_KINDS and e.fields.get("batch") == batch.id:
            return e.at_s
    if lost_of(batch, events) >= batch.n_cells:
        return max(e.at_s for e in events if e.kind == "lost" and e.fields["batch"] == batch.id)
    return all_moved_s(batch, events)


#: Nobody waits for a batch of which, or of whose tray, nothing was logged for so long: what is asked of it ends there. Source:
#: starting_estimate.
FORGOTTEN_S = 2 * 366 * 86_400.0


def forgotten_s(batch: Batch, events: Sequence[Event], at_s: float) -> float | None:
    """When a batch was lost sight of, seconds UTC: two years after the last that was logged of it or of its tray. None
    for one that is spoken of: a plant kept for years is watered, if nothing else. `events` are effective events. A year typed
    with a slip (1926 for 2026) mostly costs nothing to work out by this.

    >>> from datetime import UTC, datetime
    >>> old = Batch(id="b", crop="leek", sown_at=datetime(1926, 3, 1, tzinfo=UTC), cells=4, tray="A")
    >>> datetime.fromtimestamp(forgotten_s(old, [], 1.7e9), UTC).year, forgotten_s(old, [], old.sown_at.timestamp())
    (1928, None)
    >>> water = Event(kind="watered", at=datetime(2023, 3, 1, tzinfo=UTC), id="w", fields={"tray": "A"})
    >>> forgotten_s(old, [water], 1.7e9) is None
    True
    """
    sown_s = batch.sown_at.timestamp()
    if at_s - sown_s <= FORGOTTEN_S:
        return None
    stays = tray_stays(batch, events)
    own_s = [e.at_s for e in life_events(batch, events, *EVENT_KINDS)]
    trays = [(e.fields["tray"], e.at_s) for e in events if e.fields.get("tray")]
    around_s = [at for tray, at in trays if any(s.where == tray and s.from_s <= at < s.to_s for s in stays)]
    last_s = max([sown_s, *own_s, *around_s])
    return last_s + FORGOTTEN_S if at_s - last_s > FORGOTTEN_S else None


def over_s(batch: Batch, events: Sequence[Event], at_s: float) -> float | None:
    """When a batch stopped being waited for, by what was logged of it or because nobody logged anything any more."""
    ended = ended_s(batch, events)
    return ended if ended is not None else forgotten_s(batch, events, at_s)


def all_moved_s(batch: Batch, events: Sequence[Event]) -> float | None:
    """When the last of a batch's plants became batches of their own; None while some are left, and for seed in a towel."""
    moves = [e for e in events if e.kind == "moved" and e.fields["batch"] == batch.id]
    if batch.set_up == "towel" or not moves or left_of(batch, events) > 0:
        return None
    return moves[-1].at_s


@dataclass(frozen=True)
class Occupancy:
    """One cell of one tray held by a batch from a moment to another (seconds UTC)."""

    tray: str
    cell: str
    batch: str
    from_s: float
    to_s: float


def occupancies(batch: Batch, events: Sequence[Event]) -> list[Occupancy]:
    """The cells a located batch holds and until when: they are freed when it is moved on, planted or given up, and a cell
    when it is lost or pricked out."""
    if not batch.tray or not batch.cell_list:
        return []
    move = split(batch, events)
    start = (move.at if move is not None else batch.sown_at).timestamp()
    whole_end = float("inf")
    freed: dict[str, float] = {}
    for e in events:
        if e.fields.get("batch") != batch.id:
            continue
        if e.kind in ("gave_up", "planted", "potted_up"):
            whole_end = min(whole_end, e.at_s)
        elif e.kind in ("lost", "moved"):
            for cell in e.fields.get("cell_list") or []:
                freed.setdefault(cell, e.at_s)
    if lost_of(batch, events) >= batch.n_cells:
        whole_end = min(whole_end, ended_s(batch, events) or whole_end)
    whole_end = min(whole_end, all_moved_s(batch, events) or whole_end)
    out = []
    for cell in batch.cell_list:
        end = min(whole_end, freed.get(cell, float("inf")))
        if end > start:
            out.append(Occupancy(batch.tray, cell, batch.id, start, end))
    return out
