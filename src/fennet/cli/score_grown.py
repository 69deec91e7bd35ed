"""`./fennet score --grown N`: how often the true cause is named for long thin, fallen and otherwise odd seedlings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from fennet.core.damping_off import risk_days
from fennet.core.diagnosis.findings import findings
from fennet.core.exposure import DAY_S
from fennet.core.history import effective_events
from fennet.crops.complaints import shipped_complaints
from fennet.journal.reader import read_journal
from fennet.simulated_room.attic_grown import attic_grown
from fennet.simulated_room.grown import KEEN, draw_grown
from fennet.simulated_room.grown_life import Grown

Draw = Callable[[int, str | None, tuple[float, float]], Grown]
COMPLAINTS = ("leggy", "damping_off", "other")
#: What would be said of each by one who always says the same.
ALWAYS = {"leggy": "weak_light", "damping_off": "too_wet", "other": "hungry"}
#: Index days of a calm tray are read by the week; a warning is early enough this long before the first fall.
WEEK_D, EARLY_D = 7, 2.0


@dataclass
class GrownScore:
    """What came of one half of the drawn trays."""

    ill: Counter[str] = field(default_factory=Counter)
    first: Counter[str] = field(default_factory=Counter)
    second: Counter[str] = field(default_factory=Counter)
    seen: Counter[str] = field(default_factory=Counter)
    always: Counter[str] = field(default_factory=Counter)
    well: int = 0
    alone: int = 0
    shares: list[tuple[float, bool]] = field(default_factory=list)
    missed: list[str] = field(default_factory=list)

    def share(self, of: Counter[str]) -> float:
        return sum(of.values()) / max(1, sum(self.ill.values()))

    def lines(self, name: str) -> list[str]:
        out = [
            f"{name}: {sum(self.ill.values())} ill: true cause first {self.share(self.first):.0%}, in the first two "
            f"{self.share(self.second):.0%}, seen {self.share(self.seen):.0%} (always the same: {self.share(self.always):.0%}); "
            f"{self.well} well: left alone {self.alone / max(1, self.well):.0%}"
        ]
        for c in COMPLAINTS:
            n = max(1, self.ill[c])
            out.append(
                f"  {c:12} {self.ill[c]:4}: first {self.first[c] / n:.0%}, two {self.second[c] / n:.0%}, "
                f"seen {self.seen[c] / n:.0%}"
            )
        return out


def judged(seed: int, drawn: Grown, out: GrownScore) -> None:
    """Add one drawn tray to a score."""
    read = read_journal(drawn.journal)
    journal = read.with_series()
    crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
    batch = journal.batches[0]
    found = {f.complaint: f for f in findings(journal, crops, shipped_complaints(), batch, drawn.at.timestamp())}
    if drawn.complaint is None:
        if drawn.calm:
            out.well += 1
            grave = [c for c, f in found.items() if f.present >= 0.5]
            out.alone += not grave
            out.missed += [f"{seed} well but {grave}"] if grave else []
        return
    c = drawn.complaint
    out.ill[c] += 1
    f = found.get(c)
    order = [x.cause for x in f.causes] if f else []
    out.first[c] += order[:1] == [drawn.cause]
    out.second[c] += drawn.cause in order[:2]
    out.seen[c] += f is not None and f.present >= 0.5
    out.always[c] += drawn.cause == ALWAYS[c]
    if f is not None:
        out.shares += [(x.share, x.cause == drawn.cause) for x in f.causes]
    if drawn.cause not in order[:1]:
        said = [(x.cause, round(x.share, 2)) for x in f.causes[:3]] if f else "nothing"
        out.missed.append(f"{seed} {c} {drawn.journal['batches'][0]['crop']} {drawn.ills}: {drawn.cause}, said {said}")


def score_half(n: int, held: bool, noting: tuple[float, float] = KEEN, draw: Draw = draw_grown) -> GrownScore:
    """Score `n` drawn trays: the half looked at (even seeds) or the half held back (odd seeds)."""
    out = GrownScore()
    for seed in range(1 if held else 2, 2 * n + (1 if held else 2), 2):
        judged(seed, draw(seed, None, noting), out)
    return out


@dataclass
class WarnScore:
    """Warnings: outbreaks warned of in time, and calm weeks with a warning."""

    outbreaks: int = 0
    early: int = 0
    weeks: int = 0
    warned: int = 0

    def line(self, name: str) -> str:
        return (
            f"{name}: {self.outbreaks} outbreaks, warned two days before the first {self.early / max(1, self.outbreaks):.0%}; "
            f"{self.weeks} calm weeks, with a warning {self.warned / max(1, self.weeks):.0%}"
        )


def score_warnings(n: int, held: bool) -> WarnScore:
    """How early risk is told of, over `n` drawn outbreaks and as many calm trays."""
    out = WarnScore()
    for seed in range(1 if held else 2, 2 * n + (1 if held else 2), 2):
        for what in ("damping_off", "well"):
            drawn = draw_grown(seed, what)
            read = read_journal(drawn.journal)
            journal = read.with_series()
            batch = journal.batches[0]
            until_s = drawn.at.timestamp()
            if drawn.first_fall is not None:
                until_s = min(until_s, drawn.first_fall.timestamp() - EARLY_D * DAY_S)
            if until_s <= batch.sown_at.timestamp():
                continue
            risk = risk_days(journal, read.crops.get(batch.crop), batch, effective_events(journal.events, until_s), until_s)
            if what == "damping_off" and drawn.first_fall is not None:
                out.outbreaks += 1
                out.early += risk.warned_s is not None
            elif what == "well":
                for start in range(0, len(risk.index), WEEK_D):
                    out.weeks += 1
                    out.warned += bool(risk.warned[start : start + WEEK_D].any())
    return out


def print_grown(n: int) -> int:
    """Print the score of both halves."""
    for held, name in ((False, "half looked at"), (True, "half held back")):
        print("\n".join(score_half(n, held).lines(name)))
        print(score_warnings(n // 3, held).line(name))
    for held, name in ((False, "attic, half looked at"), (True, "attic, half held back")):
        print("\n".join(score_half(n, held, KEEN, attic_grown).lines(name)))
    return 0
