"""One entry of the record in words: deeds, signs and readings, for lists, for the Book and for the log line's echo."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from fennet.core.hardening.after import FIRST_FLOWER
from fennet.core.kinds import SIGNS
from fennet.core.records import Event
from fennet.journal.log_line import Action, Measured, Said
from fennet.presentation.formatter import Formatter
from fennet.presentation.hardening import seen_words
from fennet.presentation.sowing import COVERS

SIGN_WORDS: dict[str, str] = {s: s.replace("_", " ") for s in SIGNS} | {
    "nothing_up": "nothing up",
    "patchy": "some up, others not",
    "seed_on_top": "seed on the surface",
    "coat_stuck": "seed coat stuck on the leaves",
    "crust": "crust on top",
    "rotted_seed": "soft rotted seed",
    "long_thin": "long thin stems",
    "leaning": "leaning to one side",
    "white_fluff": "white fluff on the soil",
    "green_film": "green film on the soil",
    "brown_edges": "brown edges",
    "cupped": "leaves cupped or folded",
    "bleached": "bleached, papery patches",
    "roots_circling": "roots circling or out of the holes",
    "stalled": "stalled for a week",
    "chewed": "chewed leaves",
    "sticky_insects": "sticky, with small insects",
    "early_stalk": "an early flower stalk",
    "fallen_sound_base": "fallen, base sound",
    "fallen_pinched_base": "fallen, base pinched",
    "patch_down": "a patch down",
    "yellow_lower": "yellow lower leaves",
    "purple_under": "purple undersides",
    "pale_all": "pale all over",
    "wilt_wet": "wilting though wet",
    "wilt_dry": "wilting, dry",
}
QUANTITY_WORDS = {
    "soil_temperature": "soil",
    "air_temperature": "air",
    "outdoor_temperature": "outdoors",
    "light": "light",
    "photoperiod": "lit",
    "lamp_on": "lamp",
    "moisture": "moisture",
    "humidity": "humidity",
    "height": "height",
}
UNIT_SIGNS = {
    "degC": "°C",
    "degF": "°F",
    "umol/m2/s": "µmol m⁻² s⁻¹",
    "lux": "lux",
    "klux": "klux",
    "fc": "fc",
    "h": "hours",
    "percent": "%",
    "feel": "",
    "g": "g",
    "raw": "raw",
    "mm": "mm",
    "cm": "cm",
    "in": "in",
    "0|1": "",
}
FEEL_WORDS = {1: "dust-dry", 2: "pale top", 3: "even", 4: "dark", 5: "glistening"}
HOW_WORDS = {"below": " from below", "above": " from above", "mist": " with a mist"}


def subject_of(fields: Mapping[str, Any]) -> str:
    """What a deed is about: its batch, tray, lamp, mat, fan or place."""
    for name in ("batch", "tray", "lamp", "mat", "fan", "place"):
        if fields.get(name):
            return str(fields[name])
    return ""


def deed_words(kind: str, f: Mapping[str, Any], fmt: Formatter) -> str:
    """What was done or seen, without naming of what: "3 cells up", "watered 250 ml from below"."""
    told = _TOLD.get(kind)
    return told(f, fmt) if told else kind.replace("_", " ")


def _count(f: Mapping[str, Any], fmt: Formatter) -> str:
    for key, noun, done in (("cells_up", "cell", "up"), ("seedlings_up", "seedling", "up"), ("rooted", "seed", "rooted")):
        if key in f:
            return f"{f[key]} {noun}{'' if f[key] == 1 else 's'} {done}"
    return "counted"


def _watered(f: Mapping[str, Any], fmt: Formatter) -> str:
    amount = f" {fmt.volume(f['ml'])}" if "ml" in f else ""
    minutes = f", {fmt.number(f['minutes'], 0)} minutes" if "minutes" in f else ""
    return f"watered{amount}{HOW_WORDS.get(str(f.get('how')), '')}{minutes}"


def _lamp(f: Mapping[str, Any], fmt: Formatter) -> str:
    parts = []
    if "place" in f:
        parts.append(f"over {f['place']}")
    if "height_mm" in f:
        parts.append(f"at {fmt.length(f['height_mm'])}")
    if f.get("on") is False:
        parts.append("timer off")
    elif isinstance(f.get("on"), str) or f.get("off"):
        parts.append("–".join(str(f.get(k)) for k in ("on", "off") if isinstance(f.get(k), str)))
    if f.get("periods"):
        parts.append(", ".join(f"{a}–{b}" for a, b in f["periods"]))
    if "dim_pct" in f:
        parts.append(f"dimmed to {fmt.number(f['dim_pct'], 0)} %")
    return ", ".join(parts) or "set"


def _set(f: Mapping[str, Any], fmt: Formatter) -> str:
    value = f.get("value")
    if f["what"] == "leave" and isinstance(value, Mapping):
        why = f": {value['why']}" if value.get("why") else ""
        kind, _, subject = str(value.get("task", "")).partition(":")
        return f"{kind.replace('_', ' ')} {subject} left until {str(value.get('until', ''))[:16].replace('T', ' ')}{why}"
    return f"{f['what']} set{f' to {value}' if value is not None else ''}"


def _mat(f: Mapping[str, Any], fmt: Formatter) -> str:
    parts = []
    if f.get("tray"):
        parts.append(f"off {f['mat']}" if f.get("on") is False else f"on {f['mat']}")
    elif "on" in f:
        parts.append("switched on" if f["on"] is not False else "switched off")
    if "setpoint_c" in f:
        parts.append(f"set to {fmt.temperature(f['setpoint_c'])}")
    if f.get("insulated"):
        parts.append("insulated beneath")
    return ", ".join(parts) or "set"


def _placed(f: Mapping[str, Any], fmt: Formatter) -> str:
    if "turned" in f and "x_mm" not in f:
        return "turned end for end" if f["turned"] is True else f"turned to {f['turned']}°"
    at = f", {fmt.length(f['x_mm'])} from the left" if "x_mm" in f else ""
    return f"to {f['place']}{at}"


def _sign(f: Mapping[str, Any], fmt: Formatter) -> str:
    cells = f.get("cells") or len(f.get("cell_list") or [])
    return f"{SIGN_WORDS.get(f['sign'], f['sign'])}{f' in {cells} cells' if cells else ''}"


def _lost(f: Mapping[str, Any], fmt: Formatter) -> str:
    n = f.get("cells") or len(f.get("cell_list") or [])
    return f"{n} lost{': ' + f['why'] if f.get('why') else ''}"


def _height(f: Mapping[str, Any], fmt: Formatter) -> str:
    leaves = f", {f['true_leaves']} true lea{'f' if f['true_leaves'] == 1 else 'ves'}" if f.get("true_leaves") else ""
    return f"{fmt.length(f['mm'])} tall{leaves}"


def _seen(f: Mapping[str, Any]) -> str:
    """What was seen on coming in, as it ends a sentence."""
    words = seen_words(str(f.get("seen") or ("stress" if f.get("stress") else "")))
    return f", {words}" if words else ""


def _outing(f: Mapping[str, Any], fmt: Formatter) -> str:
    shade = f" in {fmt.percent(f['shade_share'])} shade" if f.get("shade_share") else ""
    if f.get("place"):
        shade = f" in {f['place']}"
    if "hours" in f:
        how_long = f"{fmt.number(f.get('hours', 0))} h outside"
    elif f.get("in_at") is None or f.get("out_at") is None:
        how_long = "put out"
    else:
        hours = (datetime.fromisoformat(f["in_at"]) - datetime.fromisoformat(f["out_at"])).total_seconds() / 3600
        how_long = f"{fmt.number(hours)} h outside"
    return f"{how_long}{shade}{', sheltered' if f.get('sheltered') else ''}{', overnight' if f.get('night') else ''}{_seen(f)}"


def _fed(f: Mapping[str, Any], fmt: Formatter) -> str:
    dose = f" at {fmt.number(f['n_mg_per_l'], 0)} mg N a litre" if "n_mg_per_l" in f else ""
    return f"fed{' ' + f['feed'] if f.get('feed') else ''}{dose}"


_UNIT = {"seedlings_up": "seedlings up", "rooted": "rooted"}
_TOLD: dict[str, Any] = {
    "count": _count,
    "watered": _watered,
    "lamp": _lamp,
    "mat": _mat,
    "placed": _placed,
    "sign": _sign,
    "lost": _lost,
    "height": _height,
    "outing": _outing,
    "put_out": _outing,
    "bring_in": lambda f, fmt: f"brought in{_seen(f)}",
    "fed": _fed,
    "count_more": lambda f, fmt: (
        f"{f['more']} more up" if f.get("field") in (None, "cells_up") else f"{f['more']} more {_UNIT[f['field']]}"
    ),
    "mark": lambda f, fmt: f"{', '.join(f['cell_list'])} up",
    "cover": lambda f, fmt: (
        {True: "cover on", False: "cover off"}.get(f["on"], "cover vented")
        + (f", {COVERS[f['how']][0]}" if f.get("how") in COVERS else "")
    ),
    "fan": lambda f, fmt: f"fan {fmt.number(f['hours_per_day'])} h a day" if "hours_per_day" in f else "fan set",
    "washed": lambda f, fmt: f"washed{' with ' + f['how'] if f.get('how') else ''}",
    "thinned": lambda f, fmt: f"thinned{' to ' + str(f['left']) if 'left' in f else ''}",
    "moved": lambda f, fmt: (
        f"{f.get('count') or len(f.get('cell_list') or []) or 'some'} moved to {f.get('to_batch', 'another')}"
    ),
    "potted_up": lambda f, fmt: (
        f"potted up{' into ' + f['tray'] if f.get('tray') else ''}{', buried' if f.get('buried') else ''}"
    ),
    "moved_to_light": lambda f, fmt: "to the light",
    "topped": lambda f, fmt: "pinched",
    "check": lambda f, fmt: (
        "in flower" if f.get("what") == FIRST_FLOWER else f"checked {f.get('what', '')}: {f.get('result', '')}".strip(": ")
    ),
    "planted": lambda f, fmt: ", ".join(
        [
            f"planted out{' in ' + str(f['place']) if f.get('place') else ''}",
            *([str(f["count"])] if "count" in f else []),
            *([f"{f['spares']} kept back"] if f.get("spares") else []),
        ]
    ),
    "gave_up": lambda f, fmt: "given up",
    "harvest": lambda f, fmt: ", ".join(
        [
            f"harvested{' for the first time' if f.get('first') else ''}",
            *([f"{fmt.number(f['grams'], 0)} g"] if "grams" in f else []),
            *([f"{f['pieces']} pieces"] if "pieces" in f else []),
        ]
    ),
    "taste": lambda f, fmt: f"taste {f.get('mark')} of 5",
    "set": lambda f, fmt: _set(f, fmt),
    "note": lambda f, fmt: f"“{f['text']}”",
}


def entry_words(e: Event, fmt: Formatter) -> str:
    """An entry with what it is about: "leek-1: 3 cells up". A note about nothing stands alone."""
    subject = subject_of(e.fields)
    if e.kind == "mat" and e.fields.get("tray"):
        subject = str(e.fields["tray"])
    if e.kind == "potted_up":
        subject = str(e.fields["batch"])
    words = deed_words(e.kind, e.fields, fmt)
    return f"{subject}: {words}" if subject else words


def measured_words(quantity: str, value: float, unit: str, fmt: Formatter) -> str:
    """A reading as it was given: "soil 21.5 °C", "feels pale top"."""
    if unit == "feel":
        return f"feels {FEEL_WORDS.get(round(value), fmt.number(value))}"
    if quantity == "lamp_on":
        return "switched on" if value else "switched off"
    if unit == "g":
        return f"weighs {fmt.number(value, 0)} g"
    return f"{QUANTITY_WORDS.get(quantity, quantity)} {fmt.number(value, 2)} {UNIT_SIGNS.get(unit, unit)}".strip()


def said_words(said: Said, fmt: Formatter) -> str:
    """What a log line was understood to say, before it is saved: "A: watered 250 ml from below; B: feels even; now"."""
    by_subject: dict[str, list[str]] = {}
    for part in said.parts:
        if isinstance(part, Measured):
            under = " of the sky" if part.under == "daylight" else f" under {part.under}" if part.under else ""
            by_subject.setdefault(part.place, []).append(
                f"{'about, ' if part.estimated else ''}{measured_words(part.quantity, part.value, part.unit, fmt)}{under}"
            )
        elif isinstance(part, Action):
            subject = str(part.fields["tray"]) if part.kind == "mat" and part.fields.get("tray") else subject_of(part.fields)
            by_subject.setdefault(subject, []).append(deed_words(part.kind, part.fields, fmt))
    told = "; ".join(f"{subject}: {', '.join(words)}" if subject else ", ".join(words) for subject, words in by_subject.items())
    return f"{told}; {fmt.moment(said.at) if said.dated else 'now'}"
