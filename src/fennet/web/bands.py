"""Bands, misses and time in band as a person reads them; and each batch's conditions, for the pages that show them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fennet.core.conditions import Channel, Conditions
from fennet.core.forecast import Forecast
from fennet.core.targets import Band
from fennet.core.working import Input, Working
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import growing_sentence
from fennet.web.workings import WorkingView, working_view

CHANNEL_WORDS = {
    "soil_temperature": "Soil", "daily_light": "Light", "light_hours": "Hours", "moisture": "Moisture",
}  # fmt: skip
CHANNEL_UNITS = {"daily_light": "mol a day", "light_hours": "of light", "moisture": "% of capacity"}
SHORT_UNITS = {"daily_light": "mol", "light_hours": "h", "moisture": "%"}
STAGE_WORDS = {
    "towel": "in the towel", "sown": "sown", "emerging": "emerging", "seedling": "seedling", "growing_on": "growing on",
    "hardening": "hardening off", "out": "planted out", "lost": "lost", "given_up": "given up",
    "moved_on": "pricked out",
}  # fmt: skip


def figure(quantity: str, value: float, fmt: Formatter, unit: bool = True) -> str:
    """A figure of a channel: "21.4 °C", "8.6 mol", "59 %"."""
    if quantity == "soil_temperature":
        return fmt.temperature(value, unit=unit)
    text = fmt.number(value, 0 if quantity == "moisture" else 1)
    return f"{text} {SHORT_UNITS[quantity]}" if unit else text


def miss_words(channel: Channel, fmt: Formatter) -> str:
    """Where a channel stands against its band: "2.7 °C under", "in its band", "no reading"."""
    if channel.value is None:
        return "no reading" if channel.at_s is None else f"no reading since {fmt.short_day(channel.at_s)}"
    if channel.band is None:
        return ""
    if not channel.out:
        return "in its band" if channel.miss == 0 else "at its edge"
    size = abs(channel.miss)
    span = fmt.temperature_span(size) if channel.quantity == "soil_temperature" else figure(channel.quantity, size, fmt)
    return f"{span} {'under' if channel.miss < 0 else 'over'}"


def band_words(band: Band, fmt: Formatter, dark: bool = False) -> str:
    low, high = band.night if dark and band.night else (band.low, band.high)
    return f"{figure(band.quantity, low, fmt, unit=False)}–{figure(band.quantity, high, fmt)}"


def channel_name(c: Channel) -> str:
    """What a channel is called: the soil's is the air's where only that is read."""
    return "Air" if c.level == "air" else CHANNEL_WORDS[c.quantity]


@dataclass(frozen=True)
class ChannelView:
    """One channel of one batch, told."""

    quantity: str
    name: str
    unit: str
    value: str
    mark: str
    out: bool
    over: bool
    estimated: bool
    band: str
    named: str
    notes: tuple[str, ...]
    held: str
    working: WorkingView | None


def channel_view(c: Channel, batch: str, fmt: Formatter, working: bool = True) -> ChannelView:
    """One channel told; without its working where a page has no room for it."""
    band = c.band
    return ChannelView(
        c.quantity,
        channel_name(c),
        fmt.degree if c.quantity == "soil_temperature" else CHANNEL_UNITS[c.quantity],
        "—" if c.value is None else figure(c.quantity, c.value, fmt, unit=c.quantity == "soil_temperature"),
        miss_words(c, fmt),
        c.out,
        c.miss > 0,
        c.estimated,
        "" if band is None else band_words(band, fmt, c.dark) + (" at night" if c.dark and band.night else ""),
        "" if band is None else band.named,
        band.notes if band else (),
        held_words(c, fmt),
        working_view(f"w-{batch}-{c.quantity}".replace(".", "-"), _working(c, fmt), fmt)
        if working and (band or c.value is not None)
        else None,
    )


def is_grown(stage: str, f: Forecast) -> bool:
    """Whether a batch is past waiting for more to come up: its page then begins with how it grows."""
    return f.verdict == "finished" and stage in ("seedling", "growing_on", "hardening")


def grown_sentence(state: Conditions, fmt: Formatter) -> str:
    """How a batch past emergence stands in its four quantities."""
    out, within, unknown = [], [], []
    for channel in state.channels.values():
        if channel.band is None:
            continue
        name = channel_name(channel).lower()
        if channel.value is None:
            unknown.append(name)
        elif channel.out:
            out.append(f"{name} {miss_words(channel, fmt)}")
        else:
            within.append(name)
    return growing_sentence(STAGE_WORDS[state.stage], out, within, unknown)


def held_words(c: Channel, fmt: Formatter) -> str:
    if c.held is None or c.held.share is None:
        return ""
    return f"{fmt.percent(c.held.share)} of {fmt.days(c.held.known_h / 24)} in band"


def missed_words(c: Channel, fmt: Formatter) -> list[tuple[str, str]]:
    """Time in band in rows: what was missed under and over, the worst spell, the gaps."""
    if c.held is None:
        return []
    h = c.held
    daily = c.quantity in ("daily_light", "light_hours")

    def amount(unit_h: float) -> str:
        if c.quantity == "soil_temperature":
            return f"{fmt.number(fmt.shown_span(unit_h), 0)} degree-hours"
        if daily:
            return f"{fmt.number(unit_h / 24)} {'mol' if c.quantity == 'daily_light' else 'hours'}"
        return f"{fmt.number(unit_h, 0)} %-hours"

    def time(hours: float) -> str:
        return f"{fmt.number(hours / 24)} days" if hours >= 48 or daily else f"{fmt.number(hours)} h"

    rows = [("in band", time(h.in_h))]
    for side, hours, unit_h in (("under it", h.under_h, h.under_unit_h), ("over it", h.over_h, h.over_unit_h)):
        if hours > 0.05:
            rows.append((side, f"{time(hours)}, {amount(unit_h)} {'missed' if side[0] == 'u' else 'too much'}"))
    if h.worst is not None:
        span = f"{fmt.moment(h.worst.from_s)} to {fmt.moment(h.worst.to_s)}"
        far = (
            fmt.temperature_span(h.worst.furthest)
            if c.quantity == "soil_temperature"
            else figure(c.quantity, h.worst.furthest, fmt)
        )
        rows.append(("worst spell", f"{span}, up to {far} {h.worst.side}"))
    if h.gap_h > 0.5:
        rows.append(("not known", f"{time(h.gap_h)}, not counted"))
    return rows


def _working(c: Channel, fmt: Formatter) -> Working:
    inputs: list[Input] = list(c.working.inputs) if c.working else []
    if c.at_s is not None and c.working is None and c.quantity != "light_hours":
        inputs.append(Input("last reading", c.at_s, "time", _LEVELS.get(c.level, c.level)))
    if c.quantity == "light_hours" and c.value is not None:
        inputs.append(Input("lit today as set", round(c.value, 2), "h", f"by {c.level}"))
    if c.band is not None:
        b = c.band
        inputs.append(Input("band", band_words(b, fmt), "", b.source, b.estimated))
        if b.night:
            inputs.append(Input("band at night", band_words(b, fmt, dark=True), "", b.source, b.estimated))
        inputs.append(Input("chosen by", b.named, "", b.source))
    inputs += [Input(name, words, "", "time in band by duration") for name, words in missed_words(c, fmt)]
    formula, sources = (c.working.formula, c.working.sources) if c.working else FORMULAS[c.quantity]
    notes: tuple[str, ...] = c.band.notes if c.band else ()
    shown: Any = None if c.value is None else figure(c.quantity, c.value, fmt)
    return Working(
        CHANNEL_WORDS[c.quantity].lower(), tuple(inputs), formula, sources,
        "this batch at its stage; a step from reading to reading is a straight line, gaps over half a day are left out",
        shown, "", notes,
    )  # fmt: skip


#: What stands behind a figure that carries no working of its own: formula in words, sources.
FORMULAS: dict[str, tuple[str, tuple[str, ...]]] = {
    "soil_temperature": ("the last reading of the nearest thermometer: the tray’s, its place’s, its room’s", ("growers_rule",)),
    "daily_light": ("brightness × seconds lit, added up over the day; here no brightness is known", ("arithmetic",)),
    "light_hours": ("lit time of the local day: logged, or by switches, timers, or from sunrise to sunset", ("growers_rule",)),
    "moisture": (
        "feel by its five steps; a weight or a probe’s figure as (figure − dry) / (full − dry); a watering lifts it to 95 %, a "
        "mist by 10; after the last figure it dries on by 8 % of itself a day under a cover, 20 % without",
        ("growers_rule", "starting_estimate"),
    ),
}
_LEVELS = {
    "soil": "read in the soil",
    "air": "read in the air",
    "tray": "of the tray",
    "place": "of its place",
    "room": "of its room",
}
