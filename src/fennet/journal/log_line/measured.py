"""Clauses that say what is measured or counted."""

from __future__ import annotations

from collections.abc import Callable

from fennet.core.kinds import SIGNS
from fennet.journal.cells import parse_cells
from fennet.journal.log_line.statement import Action, Statement, Word
from fennet.journal.log_line.words import CELLS, LENGTHS_MM, MASSES_G, number_of

CELSIUS, FAHRENHEIT = "degC", "degF"


def temperature(quantity: str) -> Callable[[Statement, Word], None]:
    def clause(s: Statement, word: Word) -> None:
        about = s.skip("about", "around", "some", "roughly")
        value, unit = s.number("temperature", f"{word.low} 21.5")
        given = {"c": CELSIUS, "f": FAHRENHEIT, "": s.scene.temperature_unit}.get(unit)
        if given is None:
            raise s.fault(s.words[s.i - 1], f"{unit!r} does not measure temperature.", "C or F")
        for place in s.places(word):
            s.measured(place, quantity, value, given, estimated=about)

    return clause


def percent(quantity: str) -> Callable[[Statement, Word], None]:
    def clause(s: Statement, word: Word) -> None:
        value, unit = s.number(word.low, f"{word.low} 60")
        if unit not in ("", "%"):
            raise s.fault(s.words[s.i - 1], f"{word.low} is given in percent.", f"{word.low} 60")
        for place in s.places(word):
            s.measured(place, quantity, value, "percent")

    return clause


def feel(s: Statement, word: Word) -> None:
    value, _ = s.number("feel", "feel 1 dust-dry, 2 pale top, 3 even, 4 dark, 5 glistening")
    if value not in (1, 2, 3, 4, 5):
        wrong = s.words[s.i - 1]
        raise s.fault(
            wrong,
            f"Feel has five steps; {wrong.text} is not one of them.",
            "1 dust-dry, 2 pale top, 3 even, 4 dark, 5 glistening",
        )
    for place in s.trays(word):
        s.measured(place, "moisture", value, "feel")


def weight(s: Statement, word: Word) -> None:
    value, unit = s.number("weight", "weighs 850g")
    if unit not in ("", *MASSES_G):
        raise s.fault(s.words[s.i - 1], f"{unit!r} is not a weight.", ", ".join(MASSES_G))
    for tray in s.trays(word):
        s.measured(tray, "moisture", round(value * MASSES_G[unit or "g"], 3), "g")


LIGHT_UNITS = {
    "": "umol/m2/s",
    "umol": "umol/m2/s",
    "umol/m2/s": "umol/m2/s",
    "lux": "lux",
    "klux": "klux",
    "lx": "lux",
    "fc": "fc",
}


def light(s: Statement, word: Word) -> None:
    if s.next_is("on") or (s.next_is("off") and s.kind(s.subjects[0]) == "tray"):
        raise s.fault(s.peek(), "A lamp is set; “to light” is for a tray or batch.", "lamp-1 on, or A to light", "to light")
    value, unit = s.number("light", "light 180, light 9800lux or light 12klux sky")
    if unit not in LIGHT_UNITS:
        raise s.fault(s.words[s.i - 1], f"{unit!r} does not measure light.", "umol, lux, klux or fc")
    under: str | None = None
    if s.skip("sky", "daylight", "window"):
        under = "daylight"
    elif s.skip("under"):
        lamp = s.peek()
        found = s.scene.find(lamp.text) if lamp else None
        if found is None or s.scene.kinds[found] != "lamp":
            lamps = [k for k, v in s.scene.kinds.items() if v == "lamp"]
            raise s.fault(lamp, "Under which lamp?", ", ".join([*lamps, "sky"]), lamps[0] if lamps else None)
        s.i += 1
        under = found
    for place in s.places(word):
        lamp_id = s.scene.lamp_over(place) if s.kind(place) == "tray" else None
        s.measured(place, "light", value, LIGHT_UNITS[unit], under or lamp_id or "daylight")


def hours_of_light(s: Statement, word: Word) -> None:
    value, unit = s.number("hours", "hours 14.5")
    if unit not in ("", "h"):
        raise s.fault(s.words[s.i - 1], "Hours of light are given in hours.", "hours 14.5")
    for place in s.places(word):
        s.measured(place, "photoperiod", value, "h")


def tall(s: Statement, word: Word) -> None:
    value, unit = s.number("height", "tall 45mm")
    if unit not in ("", *LENGTHS_MM):
        raise s.fault(s.words[s.i - 1], f"{unit!r} is not a length.", ", ".join(LENGTHS_MM))
    leaves = None
    if (after := s.peek()) and (found := number_of(after.text)) and s.peek(1) and s.words[s.i + 1].low in ("leaves", "leaf"):
        leaves = int(found[0])
        s.i += 2
    for batch in s.batches(word):
        s.action("height", batch=batch, mm=round(value * LENGTHS_MM[unit or "mm"], 1), true_leaves=leaves)


def bare_figure(s: Statement, word: Word, figure: tuple[float, str, str]) -> None:
    value, sign, unit = figure
    after = s.peek(1)
    low = after.low if after else ""
    if unit in MASSES_G:
        weight(s, word)
        return
    if unit == "%":
        s.i += 1
        for place in s.places(word):
            s.measured(place, "moisture", value, "percent")
        return
    if unit == "" and low in ("up", "cells", "seedlings", "seedling", "rooted", "roots") and value == int(value):
        s.i += 2
        field = {"seedlings": "seedlings_up", "seedling": "seedlings_up", "rooted": "rooted", "roots": "rooted"}.get(low)
        if low in ("cells", "seedlings", "seedling"):
            s.skip("up")
        for batch in s.batches(word):
            one_count(s, word, batch, int(value), sign == "+", field)
        return
    accepted = f"{word.text} up, {word.text}%, soil {word.text}, light {word.text}"
    raise s.fault(word, f"{word.text} of what?", accepted, f"{word.text} up" if unit == "" else None)


def one_count(s: Statement, word: Word, batch: str, value: int, more: bool, field: str | None) -> None:
    if value < 0:
        raise s.fault(word, f"{value} is not a count.", "a whole number, 0 or more")
    unit, up, of = s.scene.up.get(batch, ("cells", 0, 10**6))
    name = field or ("rooted" if unit == "rooted" else "seedlings_up" if unit == "seedlings" else "cells_up")
    total = up + value if more else value
    if name.removesuffix("_up") == unit and total > of:
        raise s.fault(word, f"{batch} has {of} {unit}; {total} cannot be up.", f"0 to {of}", f"{of}")
    if more:
        # What it comes to is worked out when it is written, from what stands then: `field` is what it counts, if that was said.
        s.action("count_more", batch=batch, more=value, field=field)
    else:
        s.action("count", batch=batch, **{name: total})


def named_cells(s: Statement) -> None:
    """Named cells that came up, failed or are gone: `r1c1 r1c2 up`."""
    first = s.peek()
    assert first is not None
    names = []
    while (word := s.peek()) is not None and CELLS.fullmatch(word.low):
        names.append(s.take().low)
    what = s.peek()
    batch = s.batches(first)[0]
    tray = s.scene.trays.get(s.scene.batches[batch].tray or "")
    if tray is None:
        raise s.fault(first, f"{batch} has no cell plan.", "3 up")
    try:
        cells = parse_cells(" ".join(names), tray)
    except ValueError as e:
        raise s.fault(first, str(e), "cells like r1c1 or r1c1-r2c3") from None
    if s.skip("up", "came"):
        s.parts.append(Action("mark", {"batch": batch, "cell_list": cells}))
    elif s.skip("lost", "failed", "died"):
        s.action("lost", batch=batch, cell_list=cells, why=rest_of(s))
    elif (sign := next((x for x in SIGNS if what and what.low == x), None)) is not None:
        s.i += 1
        s.action("sign", batch=batch, sign=sign, cell_list=cells)
    else:
        raise s.fault(what, "What about these cells?", "up, lost, or a sign like long_thin", "up")


def rest_of(s: Statement) -> str | None:
    words = " ".join(w.text for w in s.words[s.i :]).strip()
    s.i = len(s.words)
    return words or None
