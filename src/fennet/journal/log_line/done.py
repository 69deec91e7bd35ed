"""Clauses that say what was done or seen."""

from __future__ import annotations

import difflib
from typing import Any

from fennet.core.hardening.after import FIRST_FLOWER, HEALTH, HEALTHY
from fennet.core.hardening.outings import SHADE_SHARE
from fennet.core.kinds import SIGNS
from fennet.journal.log_line.measured import rest_of
from fennet.journal.log_line.statement import Statement, Word
from fennet.journal.log_line.words import LENGTHS_MM, MASSES_G, VOLUMES_ML, number_of


def watered(s: Statement, word: Word) -> None:
    how = "mist" if word.low.startswith("mist") else None
    ml = minutes = None
    while (after := s.peek()) is not None:
        if after.low in ("below", "above", "mist"):
            how = s.take().low
        elif (found := number_of(after.text)) is not None and found[1] == "":
            ahead = s.peek(1)
            glued = found[2] or (ahead.low if ahead and ahead.low in (*VOLUMES_ML, "min") else "")
            if glued in VOLUMES_ML or (glued == "" and ml is None and (ahead is None or ahead.low != "up")):
                s.i += 1 if found[2] or not glued else 2
                ml = round(found[0] * VOLUMES_ML[glued or "ml"], 1)
            elif glued == "min":
                s.i += 1 if found[2] else 2
                minutes = found[0]
            else:
                break
        elif after.low in ("from", "with", "for"):
            s.i += 1
        else:
            break
    if ml is not None and not 0 < ml <= 20_000:
        raise s.fault(s.words[s.i - 1], f"{ml:g} ml is not a watering of a tray.", "some ml up to 20 l, like 250ml")
    for tray in s.trays(word):
        s.action("watered", tray=tray, how=how, ml=ml, minutes=minutes)


def fed(s: Statement, word: Word) -> None:
    names: list[str] = []
    dose, spooned = None, ""
    while (after := s.peek()) is not None:
        found = number_of(after.text)
        if found is not None:
            start = s.i
            dose, unit = s.number("feed", "fed tomato feed 50mg")
            if unit in VOLUMES_ML or unit == "g":
                # By the spoon: what a label says of a spoon in a can is known to its reader, so it is kept as said.
                spooned = " ".join(w.text for w in s.words[start : s.i])
                dose = None
                continue
            if unit not in ("", "mg", "mg/l", "ppm"):
                raise s.fault(
                    s.words[s.i - 1], f"{unit!r} is not a strength.", "50mg of nitrogen a litre, or a spoon: 1tbsp in 4l"
                )
            break
        if after.low in ("in", "per", "to"):
            spooned = f"{spooned} {s.take().text}"
            if (ahead := s.peek()) is not None and ahead.low in VOLUMES_ML:
                spooned = f"{spooned} {s.take().text}"
            elif ahead is not None and number_of(ahead.text) is not None:
                start = s.i
                s.number("feed", "fed 1tbsp in 4l")
                spooned = f"{spooned} {' '.join(w.text for w in s.words[start : s.i])}"
            continue
        names.append(s.take().text)
    feed = " ".join(w for w in (*names, spooned.strip()) if w)
    for tray in s.trays(word):
        s.action("fed", tray=tray, feed=feed or None, n_mg_per_l=dose)


def cover(s: Statement, word: Word) -> None:
    states: dict[str, Any] = {"on": True, "off": False, "vent": "vented", "vented": "vented", "open": "vented"}
    after = s.peek()
    if after is None or after.low not in states:
        raise s.fault(after, "The cover is on, off or vented.", "cover on, cover off, cover vent", "off")
    s.i += 1
    for tray in s.trays(word):
        s.action("cover", tray=tray, on=states[after.low])


def on_mat(s: Statement, word: Word) -> None:
    """`A mat mat-1`, `A on mat-1`, `A mat off`."""
    s.skip("mat") if word.low in ("on", "off") else s.skip("on")
    after = s.peek()
    mats = [k for k, v in s.scene.kinds.items() if v == "mat"]
    if word.low == "off" or (after and after.low == "off"):
        if word.low != "off":
            s.i += 1
        for tray in s.trays(word):
            state = s.scene.state.trays.get(tray)
            if state is None or state.mat is None:
                raise s.fault(word, f"{tray} is not on a mat.", "a tray that does")
            s.action("mat", mat=state.mat, tray=tray, on=False)
        return
    found = s.scene.find(after.text) if after else None
    if (
        (found is None or s.scene.kinds[found] != "mat")
        and len(mats) == 1
        and (after is None or s.scene.find(after.text) is None)
    ):
        found = mats[0]
    elif found is None or s.scene.kinds[found] != "mat":
        raise s.fault(after, "Which mat?", ", ".join([*mats, "off"]) or "a mat of the room", mats[0] if mats else None)
    else:
        s.i += 1
    for tray in s.trays(word):
        s.action("mat", mat=found, tray=tray, on=True)


def moved_to(s: Statement, word: Word) -> None:
    """`A to shelf-2 x 300`, `A to light`, `lamp-1 to shelf-2`."""
    after = s.peek()
    if after is not None and after.low == "light":
        s.i += 1
        for batch in s.batches(word):
            s.action("moved_to_light", batch=batch)
        return
    found = s.scene.find(after.text) if after else None
    places = [k for k, v in s.scene.kinds.items() if v in ("place", "room")]
    if found is None or found not in places:
        near = difflib.get_close_matches(after.text if after else "", places, 1, 0.4)
        raise s.fault(after, "Where to?", ", ".join(["light", *places][:8]), near[0] if near else None)
    s.i += 1
    x_mm = None
    if s.skip("x"):
        value, unit = s.number("x", "x 300")
        x_mm = value * LENGTHS_MM.get(unit or "mm", 1.0)
    if s.kind(s.subjects[0]) == "lamp":
        for lamp in s.subjects:
            s.action("lamp", lamp=lamp, place=found)
        return
    for tray in s.trays(word):
        s.action("placed", tray=tray, place=found, x_mm=x_mm)


def turned(s: Statement, word: Word) -> None:
    by: Any = True
    if (after := s.peek()) and (found := number_of(after.text)) and found[0] in (0, 90, 180, 270):
        s.i += 1
        by = found[0]
    for tray in s.trays(word):
        place = s.scene.state.trays[tray].place if tray in s.scene.state.trays else None
        if place is None:
            raise s.fault(word, f"{tray} stands nowhere yet.", f"{tray} to a place first")
        s.action("placed", tray=tray, place=place, turned=by)


def lost(s: Statement, word: Word) -> None:
    value, _ = s.number("losses", "lost 2 fell over")
    why = rest_of(s)
    for batch in s.batches(word):
        s.action("lost", batch=batch, cells=whole(s, word, value), why=why)


def whole(s: Statement, word: Word, value: float) -> int:
    if value != int(value) or value < 0:
        raise s.fault(word, f"{value:g} is not a count.", "a whole number")
    return int(value)


def _count_if_given(s: Statement, example: str) -> int | None:
    """A whole number where one comes next."""
    after = s.peek()
    if after is None or number_of(after.text) is None:
        return None
    return whole(s, after, s.number(example.split()[0], example)[0])


def thinned(s: Statement, word: Word) -> None:
    s.skip("to", "left")
    left = _count_if_given(s, "thinned to 12")
    for batch in s.batches(word):
        s.action("thinned", batch=batch, left=left)


def harvested(s: Statement, word: Word) -> None:
    """What was picked: `harvest 450g 12`, by weight, by pieces or neither; `first` where it is the first."""
    grams: float | None = None
    pieces: int | None = None
    first = s.skip("first") or None
    while _is_number(s.peek()):
        value, unit = s.number("a harvest", "harvest 450g 12")
        if unit in MASSES_G:
            grams = value * MASSES_G[unit]
        elif unit == "":
            pieces = whole(s, word, value)
        else:
            raise s.fault(s.words[s.i - 1], f"{unit!r} is not a weight.", "harvest 450g, harvest 12")
    first = s.skip("first") or first
    for batch in s.batches(word):
        s.action("harvest", batch=batch, grams=grams, pieces=pieces, first=first)


def tasted(s: Statement, word: Word) -> None:
    mark, _ = s.number("taste", "taste 4")
    if mark not in (1, 2, 3, 4, 5):
        raise s.fault(s.words[s.i - 1], f"{mark:g} is not a mark.", "1 to 5")
    for batch in s.batches(word):
        s.action("taste", batch=batch, mark=int(mark))


def gave_up(s: Statement, word: Word) -> None:
    s.skip("up")
    for batch in s.batches(word):
        s.action("gave_up", batch=batch)


def planted(s: Statement, word: Word) -> None:
    s.skip("out")
    count = _count_if_given(s, "planted 8")
    after, place = s.peek(), None
    if after is not None and (found := s.scene.find(after.text)) is not None and s.scene.kinds[found] == "place":
        s.i += 1
        place = found
    spares = None
    if s.skip("spares", "spare", "kept", "keeping"):
        spares = _count_if_given(s, "spares 3")
        if spares is None:
            raise s.fault(s.peek(), "How many are kept back?", "planted 9 spares 3")
    for batch in s.batches(word):
        s.action("planted", batch=batch, count=count, place=place, spares=spares)


def flowers(s: Statement, word: Word) -> None:
    """The first flower outside: `P flowers`."""
    for batch in s.batches(word):
        s.action("check", batch=batch, what=FIRST_FLOWER, result="yes")


def health(s: Statement, word: Word) -> None:
    """How plants outside do: `P health well`."""
    after = s.peek()
    if after is None or after.low not in HEALTHY:
        raise s.fault(after, "How are they?", ", ".join(f"health {w}" for w in HEALTHY), HEALTHY[0])
    s.i += 1
    for batch in s.batches(word):
        s.action("check", batch=batch, what=HEALTH, result=after.low)


def potted_up(s: Statement, word: Word) -> None:
    s.skip("up")
    tray = None
    if s.skip("to", "into", "in"):
        after = s.peek()
        tray = s.scene.find(after.text) if after else None
        if tray is None or s.scene.kinds[tray] != "tray":
            trays = [k for k, v in s.scene.kinds.items() if v == "tray"]
            raise s.fault(after, "Into which tray?", ", ".join(trays[:8]))
        s.i += 1
    buried = True if s.skip("buried") else None
    for batch in s.batches(word):
        s.action("potted_up", batch=batch, tray=tray, buried=buried)


def topped(s: Statement, word: Word) -> None:
    for batch in s.batches(word):
        s.action("topped", batch=batch)


def outing(s: Statement, word: Word) -> None:
    """An outing that is over (`out 3h shade 50%`), or one that begins (`out half`)."""
    hours, unit = (None, "") if not _is_number(s.peek()) else s.number("an outing", "out 3h shade 50%")
    if unit not in ("", "h", "min"):
        raise s.fault(s.words[s.i - 1], f"{unit!r} is not a time outside.", "out 3h")
    shade: float | None = None
    more: dict[str, bool | str | None] = {}
    while (after := s.peek()) is not None:
        if s.skip("shade"):
            shade = SHADE_SHARE["shade"]
            if _is_number(s.peek()):
                share, given = s.number("shade", "shade 50%")
                shade = share / 100 if given == "%" or share > 1 else share
        elif s.skip("half"):
            shade = SHADE_SHARE["half"]
        elif s.skip("sun", "full"):
            shade = SHADE_SHARE["full"]
        elif s.skip("sheltered", "shelter"):
            more["sheltered"] = True
        elif s.skip("night", "overnight"):
            more["night"] = True
        elif (found := s.scene.find(after.text)) is not None and s.scene.kinds[found] == "place":
            s.i += 1
            more["place"] = found
        elif hours is not None and s.skip("stress", "wilted", "burnt"):
            more["stress"] = True
        elif hours is not None and after.low in SEEN_BY_WORD:
            s.i += 1
            more["seen"] = SEEN_BY_WORD[after.low]
        else:
            break
    for batch in s.batches(word):
        if hours is None:
            s.action("put_out", batch=batch, shade_share=shade, **more)
        else:
            s.action("outing", batch=batch, hours=hours / 60 if unit == "min" else hours, shade_share=shade, **more)


#: What is said of plants that come in.
SEEN_BY_WORD = {
    "none": "none", "fine": "none", "well": "none", "limp": "limp", "hanging": "limp", "bleached": "bleached",
    "scorched": "bleached", "torn": "windburnt", "windburnt": "windburnt", "chilled": "chilled",
}  # fmt: skip


def came_in(s: Statement, word: Word) -> None:
    """The end of an outing that was begun: `in`, `in limp`."""
    after, seen = s.peek(), None
    if after is not None:
        if after.low not in SEEN_BY_WORD:
            raise s.fault(after, f"{after.text!r} is nothing that is seen on plants.", "in fine, in limp, in bleached, in torn")
        s.i += 1
        seen = SEEN_BY_WORD[after.low]
    for batch in s.batches(word):
        s.action("bring_in", batch=batch, seen=seen)


def _is_number(word: Word | None) -> bool:
    return word is not None and number_of(word.text) is not None


def washed(s: Statement, word: Word) -> None:
    how = rest_of(s)
    for tray in s.trays(word):
        s.action("washed", tray=tray, how=how)


def saw(s: Statement, word: Word) -> None:
    after = s.peek()
    pair = f"{after.low}_{s.words[s.i + 1].low}" if after and s.peek(1) else ""
    sign = pair if pair in SIGNS else after.low if after and after.low in SIGNS else None
    if sign is None:
        near = difflib.get_close_matches(pair or (after.low if after else ""), SIGNS, 1, 0.5)
        raise s.fault(after, "Saw what?", ", ".join(SIGNS[:8]) + " …", near[0] if near else None)
    s.i += 2 if sign == pair else 1
    a_sign(s, word, sign)


def a_sign(s: Statement, word: Word, sign: str) -> None:
    cells = None
    if (after := s.peek()) and (found := number_of(after.text)) and not found[2]:
        cells = whole(s, s.take(), found[0])
        s.skip("cells", "cell")
    for subject in s.subjects:
        who = {"batch": subject} if s.kind(subject) == "batch" else {"tray": s.trays(word)[s.subjects.index(subject)]}
        s.action("sign", sign=sign, cells=cells, **who)


def a_note(s: Statement, word: Word) -> None:
    text = s.line[word.start + len(word.text) :].partition("@")[0].strip() if s.words[-1] is not word else ""
    s.i = len(s.words)
    if not text:
        raise s.fault(None, "A note of what?", "note and some words")
    for subject in s.subjects:
        who = {"batch": subject} if s.kind(subject) == "batch" else {"place": subject}
        s.action("note", text=text, **who)
