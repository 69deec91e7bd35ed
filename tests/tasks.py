"""One task of every kind, as the list makes them."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from typing import Any, TypeVar

from fennet.core.care.handling import Pinch, PotUp, PrickOut, Thin
from fennet.core.hardening.outings import Outing, Why
from fennet.core.hardening.ready import Ready
from fennet.core.hardening.set_out import set_out
from fennet.core.work import figures as f
from fennet.core.work.task import Task
from fennet.core.working import Interval, Working
from fennet.crops import shipped

F = TypeVar("F")
NOW = datetime(2026, 3, 3, 9, 30, tzinfo=UTC)
AT_S = NOW.timestamp()
OUTING = Outing(NOW.date(), True, 3.0, 10.0, "half", True, False, (Why("step", {"n": 3.0, "of": 14.0}), Why("water_before")))
OUT = set_out(shipped().get("leek"), 20)
READY = Ready("yes", (Why("all_well", {"nights": 5.0}),), NOW.date(), 0.02, Working("planting out", (), "", (), ""))
EACH: tuple[f.Figures, ...] = (
    f.HandOver(("cover_off", "mat_off", "light_on"), ("a",), 7, 12, AT_S - 9e4, 20.0, ("r1c1", "r1c2")),
    f.Look(3, 12, 1.4, False), f.Mist(2, ("r1c1", "r1c2"), 0.4), f.CallIt(0.05, 6.0, 12, False), f.Late(4.0, "cold_soil"),
    f.Water(31.0, 50.0, "below", 250.0, 25.0), f.TooWet(99.0, 80.0), f.ProbeSilent("probe-1", 9.0), f.NoSoil(),
    f.ProbeStuck("probe-1", "soil_temperature", 19.4, AT_S - 9e4),
    f.ProbeImpossible("probe-1", "soil_temperature", 69.8, AT_S - 9e4), f.ProbeFallen("probe-1", 24.0, 17.5, AT_S - 9e3),
    f.ProbeDrifting("probe-1", "probe-2", "soil_temperature", 2.1, AT_S - 9e5, False),
    f.MatSet("mat-1", 24.0, 20.0, 2.4, Interval(20.0, 21.0, 22.0)), f.MatLimit("mat-1", 19.0, 24.0),
    f.MatCheck("mat-1", "reads_air"),
       f.ChangePlaces("mat-1", "A", "B", 2.0), f.PromiseBroken(18.0, 20.0, 22.0), f.SoilOut(12.0, 15.0, 20.0, -3.0, False),
    f.NoLight(), f.LightOut(4.0, 8.0, 14.0), f.HoursOut(9.0, 15.0, 14.0, 16.0, "lamp-1"), f.LampNear("lamp-1", 20.0, 60.0, 240.0),
    f.Fallen("on"), f.Damp(51.0, ("still_air", "too_wet"), "on", True), f.Leggy(1.8), f.Sign(("purple_under", "stalled")),
    f.Feed(50.0, True, 2.0, 7.0), Thin(12, 9, "cut"), PrickOut(40), PotUp("leaves", 75.0, 2, "level"), Pinch(),
    f.GoOut(3.0, 10.0, "half", True, False, OUTING), f.ComeIn(5.2, 3.4, True), f.ColdNight(-3.0, -2.0, True),
    f.PlantOut(READY, OUT),
    f.FeelMix(4.0, 5.0), f.AirCover(), f.MistTop(11.0), f.LitFromSowing(),
    f.SowDay(NOW.date(), ("leek", "cosmos"), 30, ("cosmos", 0.7)), f.Prepare("parsley", "soak", NOW.date(), 40),
    f.HotDay(34.0, True), f.PinchOut(), f.FlowersOff(9.0),
    f.LampSet("lamp-1", 160.0, 200.0, 390, 1290, ("A", "B"), 9.0, True), f.LampRaise("lamp-1", 240.0),
)  # fmt: skip
FIGURES: dict[str, Any] = {x.kind: x for x in EACH}


def task(kind: str, due_s: float = AT_S, tray: str = "A", grave: bool = False, **changed: Any) -> Task:
    """A task of a kind for one tray and its batch, with some figures changed."""
    return Task(f"{kind}:{tray}", due_s, tray, tray.lower(), replace(FIGURES[kind], **changed), grave)


def as_a(of: type[F], given: Any) -> F:
    """What a task or a handling rests on, of the class it must be of."""
    assert isinstance(given.figures, of), given
    return given.figures
