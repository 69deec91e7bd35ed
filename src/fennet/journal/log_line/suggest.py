"""How a line may go on, while it is typed."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.kinds import SIGNS
from fennet.journal.log_line.scene import Scene

#: What may follow a thing of each kind: what is typed, and what it says.
FOLLOWS: dict[str, list[tuple[str, str]]] = {
    "tray": [
        ("3 up", "so many cells are up by now"), ("watered below 250ml", "watered"), ("feel 3", "how the mix feels, 1 to 5"),
        ("soil 21.5", "soil temperature"), ("light 180", "light at the leaf"), ("cover off", "cover on, off or vent"),
        ("moist 60", "moisture in percent"), ("weighs 850g", "weight of the tray"), ("to ", "moved to a place, or to light"),
        ("mat off", "on or off a mat"), ("tall 45mm", "height of the plants"), ("fed 50mg", "fed"), ("lost 2", "lost"),
        ("saw long_thin", "a sign seen"), ("turned", "turned end for end"), ("note ", "a note"), ("gave up", "given up"),
        ("planted 8", "planted out"), ("harvest 450g", "picked"), ("taste 4", "taste, 1 to 5"), ("out 3h", "an outing"),
        ("in limp", "in again, and what is seen"), ("thinned to 12", "thinned"), ("washed", "washed"),
    ],
    "lamp": [("at 120mm", "height over its shelf"), ("14.5h", "hours a day"), ("6:30-21:00", "on and off"), ("dim 80%", "dimmed"),
             ("off", "switched off by hand"), ("to ", "hung over a place")],
    "mat": [("set 24", "thermostat"), ("off", "switched off")],
    "fan": [("12h", "hours a day")],
    "place": [("air 18", "air temperature"), ("humid 60", "humidity"), ("note ", "a note")],
}  # fmt: skip
FOLLOWS["batch"] = [f for f in FOLLOWS["tray"] if not f[0].startswith(("mat", "turned", "weighs", "washed"))]
FOLLOWS["room"] = FOLLOWS["place"]
MOST = 6


@dataclass(frozen=True)
class Suggestion:
    """A way to go on: the whole line as it would read, and what it means."""

    line: str
    means: str


def suggest(line: str, scene: Scene) -> list[Suggestion]:
    """Up to six ways to go on from what is typed so far.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> s = Scene(ZoneInfo("UTC"), datetime(2026, 3, 3, tzinfo=UTC), kinds={"A": "tray"})
    >>> [x.line for x in suggest("A wat", s)]
    ['A watered below 250ml']
    """
    head, _, piece = line.rpartition(";")
    lead = f"{head}; " if head else ""
    words = piece.split()
    ends_open = bool(words) and not piece.endswith(" ")
    typed = words[-1] if ends_open else ""
    before = words[:-1] if ends_open else words
    subjects = []
    for word in before:
        found = scene.find(word)
        if found is None:
            break
        subjects.append(found)
    kept = f"{lead}{' '.join(before)} " if before else lead
    out: list[Suggestion] = []
    if len(subjects) == len(before):
        order = {"tray": 0, "lamp": 1, "mat": 2, "batch": 3}
        things = sorted(scene.kinds.items(), key=lambda kv: order.get(kv[1], 4))
        out += [
            Suggestion(f"{kept}{name} ", _told(name, kind, scene))
            for name, kind in things
            if name.lower().startswith(typed.lower()) and name not in subjects and (typed or not subjects)
        ]
    if subjects:
        follows = FOLLOWS.get(scene.kinds[subjects[0]], FOLLOWS["place"])
        said = " ".join(before[len(subjects) :])
        if not said or said.split()[-1][-1:].isalnum():
            out += [Suggestion(f"{kept}{words}", means) for words, means in follows if words.lower().startswith(typed.lower())]
        if before[-1:] == ["saw"] or (typed and len(typed) > 2):
            out += [Suggestion(f"{kept}{sign}", "a sign seen") for sign in SIGNS if sign.startswith(typed.lower())]
        if before[-1:] == ["to"]:
            places = [n for n, k in scene.kinds.items() if k == "place" and n.startswith(typed)]
            out = [Suggestion(f"{kept}{name}", "a place") for name in [*places, "light"]]
    return out[:MOST]


def _told(name: str, kind: str, scene: Scene) -> str:
    inside = scene.in_tray.get(name)
    return ", ".join(inside) if inside else kind
