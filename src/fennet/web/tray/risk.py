"""The risk of damping off as a strip under the ribbons: one bar a day with its parts, and what raises it most."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.damping_off import FACTOR, WARN_FROM, RiskDays
from fennet.core.exposure import DAY_S
from fennet.presentation.diagnosis import CAUSE_NAMES
from fennet.presentation.formatter import Formatter
from fennet.web.drawing import Plot
from fennet.web.workings import WorkingView, working_view

HEIGHT = 44.0
#: Parts are drawn in this order, from the foot.
ORDER = tuple(FACTOR)[:7]


@dataclass(frozen=True)
class RiskBar:
    x: float
    width: float
    y: float
    height: float
    cause: str


@dataclass(frozen=True)
class RiskStrip:
    """Bars of each day's index, divided by what raises it; the line from which one is warned; the table's twin."""

    bars: list[RiskBar]
    warn_y: float
    now: str
    high: bool
    words: str
    label: str
    rows: list[tuple[str, str, str]]
    working: WorkingView


def risk_strip(risk: RiskDays, from_s: float, to_s: float, fmt: Formatter) -> RiskStrip | None:
    """The strip of one batch between two moments; None where nothing of it falls there."""
    shown = [i for i, a in enumerate(risk.day_s) if a + DAY_S > from_s and a < to_s]
    if not shown:
        return None
    plot = Plot(from_s, to_s, 0.0, 100.0, HEIGHT)
    bars: list[RiskBar] = []
    rows = []
    for i in shown:
        a, index = float(risk.day_s[i]), float(risk.index[i])
        x0, x1 = plot.x(max(a, from_s)), plot.x(min(a + DAY_S, to_s))
        logs = {c: FACTOR[c] ** float(risk.parts[c][i]) - 1.0 for c in ORDER if risk.parts[c][i] > 0.03}
        whole = sum(logs.values())
        y, top = HEIGHT, plot.y(index)
        if not logs:
            bars.append(RiskBar(x0, round(max(0.5, x1 - x0 - 2), 1), top, round(HEIGHT - top, 1), "none"))
        for cause, size in logs.items():
            height = (HEIGHT - top) * size / whole
            y -= height
            bars.append(RiskBar(x0, round(max(0.5, x1 - x0 - 2), 1), round(y, 1), round(height, 1), cause))
        told = ", ".join(f"{CAUSE_NAMES[c]} ×{fmt.number(v + 1.0)}" for c, v in sorted(logs.items(), key=lambda x: -x[1])[:3])
        rows.append((fmt.day(a), fmt.number(index, 0), told or "nothing raises it"))
    leading = risk.leading(2)
    because = " and ".join(CAUSE_NAMES[c] for c, _ in leading)
    high = bool(risk.warned[-1])
    words = f"{'high' if high else 'calm'}{', for ' + because if leading else ''}"
    return RiskStrip(
        bars, plot.y(WARN_FROM), fmt.number(risk.now, 0), high, words,
        f"Risk of damping off by day, 0 to 100; now {fmt.number(risk.now, 0)}, {words}", rows[::-1],
        working_view(f"w-{risk.batch}-risk-strip".replace(".", "-"), risk.working, fmt),
    )  # fmt: skip
