"""A fuzz of every door: forms read from the pages themselves, every address of the map with every name after its question mark,
log lines, journals, CSVs, photos, what devices and stations send, and the doors of nobody.

`./fennet fuzz N [SEED]` sends N inputs, drawn and mutated by hypothesis, each example one input; `./fennet test` sends a few. After
every batch each page of the garden must answer 200 in under two seconds, and no input may end in a 5xx, a trace, or take five
seconds. The garden is begun anew from the demo season after so many inputs.
"""

# ruff: noqa: E501 — the pools read best as they are.

from __future__ import annotations

import copy
import io
import json
import random
import re
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from html.parser import HTMLParser
from pathlib import Path
from typing import Any
from urllib.parse import quote

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import seed as seeded
from hypothesis import strategies as st
from PIL import Image
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from fennet.journal.reader import open_journal, read_journal
from fennet.journal.rejected import FormatError
from fennet.operations.acting import Refusal
from fennet.operations.exchange import give_journal, take_journal
from fennet.storage import queries
from tests.database import NOW, cluster
from tests.journal.whole import whole_journal
from tests.web.site import SiteCase, Visitor
from tests.web.test_walk import FILL

G = "/g/canal-house"
#: Every page of a garden, as a grower reaches it.
PAGES = ("today", "trays", "trays/A", "trays/B", "trays/F", "why", "why/leek-1", "why/snapdragon-0", "tune", "tune/lamps", "plan",
         "plan/wants", "plan/days/today", "plan/frost", "plan/mix", "plan/versions", "plan/season", "plan/labels", "plan/calendar",
         "feed", "book", "score", "seeds", "seeds/packet", "sow", "room", "room/lamps/lamp-1", "room/trays/A", "room/places",
         "practice", "practice/targets", "towels", "harden", "log", "away", "more", "crops", "pot-up/leek-1", "trays/new", "people",
         "own-crops", "begin", "begin/sown", "begin/seedlings", "begin/records", "help", "shelf.json")  # fmt: skip
#: What stands after a question mark somewhere.
NAMES = ("a", "asked", "at", "b", "back", "batch", "crop", "day", "days", "for", "from", "kind", "kinds", "like", "line", "next", "of",
         "outline", "q", "recipe", "room", "sheet", "skip", "skipped", "thing", "to", "tray", "try")  # fmt: skip
#: Doors that are open to nobody in particular.
OUTSIDE = ("sign-in", "sign-in/code", "welcome", "invited", "new-password", "theme")
#: A process that holds more than this has kept what it should not, bytes.
MOST_MEMORY = 1_200_000_000
SLOWEST_S, PAGE_S = 5.0, 2.0
BATCH, FRESH_AFTER, LONG = 1_000, 5_000, 10_000
#: What one field after another is sent; None leaves it out.
SLIPS = ("", "²", "9" * 25, "0202-03-01", "x" * 5000, "\x00", "-1", "1e29", None)
#: What may break off where no page stands between: a journal read by a command.
BROKEN = (SQLAlchemyError, ArithmeticError, LookupError, ValueError, TypeError, AttributeError, RecursionError, AssertionError)
ODD = (
    "", " ", "0", "-1", "1", "3", "21,5", "1½", "1/4", "²", "٣", "inf", "-inf", "nan", "NaN", "1e29", "1e-29", "9" * 25, "9" * 5000,
    "0202-03-01", "0001-01-01", "9999-12-31", "2026-02-30", "2026-03-29T03:30", "2026-02-19T10:00", "0202-03-01T10:00", "today",
    "r1c1", "r1c1-r4c6", "r99c99", "all", "A", "leek-1", "lamp-1", "mat-1", "moon", "../..", "a\x00b", "a\rb\nc", "\x1b[31m", "\ufffe",
    "‮abc", "<script>alert(1)</script>", "{{7*7}}", "'; drop table garden; --", "%00", "x" * 5000, "ü" * 300, "1 2 3", "true", "null",
    "[]", "{}", "C", "12 c", "250ml", "-0", "+2", "1,5,5", "١٢", "12:61", "25:00", "07:30", "05-31", "13-45",
)  # fmt: skip
WORDS = ("A", "B", "A B", "leek-1", "celeriac-1", "lamp-1", "mat-1", "fan-1", "landing", "soil", "moist", "feel", "light", "lux", "up",
         "+1", "+2", "cells", "seedlings", "rooted", "watered", "below", "250ml", "1/4cup", "fed", "50mg", "cover", "off", "on", "vent", "to",
         "box-mid", "x", "turned", "at", "120mm", "14.5h", "6:30-21:00", "set", "24", "lost", "fell", "note", "tall", "45mm", "2", "leaves",
         "saw", "long_thin", "gave", "planted", "out", "3h", "shade", "50%", "@", "yesterday", "19:00", "2h", "ago", ";", "r1c1", "r1c1-r2c3",
         "humid", "412g", "sky", "under", "hours", "potted", "thinned", "topped", "washed", "harvest", "taste", "12 mar 8:10")  # fmt: skip


@dataclass(frozen=True)
class Form:
    """A form of a page: where it goes and what it carries, each field with what it may hold."""

    action: str
    fields: tuple[tuple[str, tuple[str, ...]], ...]


class _Forms(HTMLParser):
    """The forms that post, of one page."""

    def __init__(self, address: str) -> None:
        super().__init__()
        self.address, self.forms, self.links = address, [], []  # type: ignore[var-annotated]
        self._open: dict[str, list[str]] | None = None
        self._action, self._select = "", ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        a = {k: v or "" for k, v in attrs}
        if tag == "form":
            self._open = {} if a.get("method", "get").lower() == "post" else None
            self._action = a.get("action") or self.address
        elif tag == "a" and a.get("href", "").startswith(G) and "?" in a["href"]:
            self.links.append(a["href"])
        elif self._open is not None and tag in ("input", "button", "textarea") and a.get("name"):
            self._open.setdefault(a["name"], []).append(a.get("value", ""))
        elif self._open is not None and tag == "select" and a.get("name"):
            self._select = a["name"]
            self._open.setdefault(self._select, [])
        elif self._open is not None and tag == "option" and self._select:
            self._open[self._select].append(a.get("value", ""))

    def handle_endtag(self, tag: str) -> None:
        if tag == "form" and self._open is not None:
            fields = tuple((k, tuple(v)) for k, v in self._open.items() if k not in ("csrf_token", "key"))
            if not self._action.startswith(("/sign-out", "/theme", "/me")):
                self.forms.append(Form(self._action, fields))
            self._open = None
        elif tag == "select":
            self._select = ""


@dataclass
class Told:
    """What a run found."""

    inputs: int = 0
    by_kind: Counter[str] = field(default_factory=Counter)
    statuses: Counter[int] = field(default_factory=Counter)
    slowest_s: float = 0.0
    slowest: str = ""
    pages: int = 0
    memory: int = 0
    slowest_page_s: float = 0.0
    faults: list[str] = field(default_factory=list)
    #: Right, but too late: told by a long run, while a test is not timed.
    slow: list[str] = field(default_factory=list)
    tell: Callable[[Told], None] = lambda _: None

    def line(self) -> str:
        kinds = ", ".join(f"{n:,} {kind}" for kind, n in sorted(self.by_kind.items()))
        return (
            f"{self.inputs:,} inputs ({kinds}): {len(self.faults)} faults, {len(self.slow)} too slow; slowest {self.slowest_s:.2f} s ({self.slowest}); "
            f"{self.pages:,} page looks between them, slowest {self.slowest_page_s:.2f} s; at most {self.memory / 1e6:.0f} MB"
        )


class World(SiteCase):
    """A garden to be fuzzed, with its forms and addresses."""

    def runTest(self) -> None:  # noqa: N802
        """A case is made to have its database."""

    @classmethod
    def begin(cls) -> World:
        cls.setUpClass()
        world = cls()
        world.app.config["PROPAGATE_EXCEPTIONS"] = False
        # Few wants to begin with: a plan is worked out anew after each write, and the inputs bring more.
        with world.engine.begin() as c:
            c.execute(text("delete from want where position > 3"))
        world.me = world.gardener()
        world.token, world.devices = world.me.token(), {}
        world.read()
        for kind, door in (("thermostat", "tune/mat-1/device"), ("timer", "tune/lamps/lamp-1/device")):
            page = world.me.send(f"{G}/{door}", "/me", key=f"fuzz-{kind}").get_data(as_text=True)
            found = re.search(r'<code class="token">([^<]+)</code>', page)
            assert found, kind
            world.devices[kind] = found.group(1)
        page = world.me.send(f"{G}/harden/station", f"{G}/harden", name="roof", key="fuzz-station").get_data(as_text=True)
        found = re.search(r'<code class="token">([^<]+)</code>', page)
        assert found
        world.devices["weather"] = found.group(1)
        picture = io.BytesIO()
        Image.effect_noise((64, 48), 60).convert("RGB").save(picture, "JPEG")
        world.photo, world.nobody = picture.getvalue(), world.visitor()
        return world

    me: Visitor
    token: str
    devices: dict[str, str]
    photo: bytes
    nobody: Visitor

    def read(self) -> None:
        """The forms and addresses of every page as it is now."""
        forms: dict[Any, Form] = {}
        links: set[str] = set()
        for page in PAGES:
            response = self.me.client.get(f"{G}/{page}", follow_redirects=True)
            parser = _Forms(response.request.path)
            parser.feed(response.get_data(as_text=True))
            forms |= {(re.sub(r"\d+", "#", f.action), tuple(n for n, _ in f.fields)): f for f in parser.forms}
            links |= {re.sub(r"=[^&]*", "=", link) for link in parser.links}
        self.forms, self.links = list(forms.values()), sorted(links)

    def end(self) -> None:
        self.doClassCleanups()


#: What a field may be sent: what the page offers, something odd, or noise.
odd = st.one_of(st.sampled_from(ODD), st.text(max_size=40), st.integers(-(10**12), 10**12).map(str), st.floats().map(str))
usual = st.integers(0, 10**6)


@st.composite
def values(draw: Any, options: tuple[str, ...]) -> str:
    return str(draw(st.sampled_from(options))) if options and draw(usual) % 10 < 6 else str(draw(odd))


@st.composite
def form_inputs(draw: Any, world: World) -> tuple[str, Any]:
    form = world.forms[draw(usual) % len(world.forms)]
    sent = [(name, draw(values(options))) for name, options in form.fields if draw(usual) % 10 < 9]
    if draw(usual) % 12 == 0:
        sent.append((draw(odd), draw(odd)))
    action = (
        form.action if draw(usual) % 15 else re.sub(r"[^/]+$", lambda _: str(draw(odd)).replace("/", "_") or "x", form.action)
    )
    return "forms", (action, sent)


@st.composite
def query_inputs(draw: Any, world: World) -> tuple[str, Any]:
    link = world.links[draw(usual) % len(world.links)]
    address, _, query = link.partition("?")
    return "addresses", (address, [(pair.split("=")[0], draw(odd)) for pair in query.split("&")])


@st.composite
def map_inputs(draw: Any, world: World) -> tuple[str, Any]:
    """Any address of the map, a part of it odd, with any names after its question mark."""
    rules = [r for r in world.app.url_map.iter_rules() if "GET" in (r.methods or set())]
    rule = rules[draw(usual) % len(rules)]
    spoilt = draw(st.sampled_from(sorted(rule.arguments))) if rule.arguments and draw(usual) % 3 == 0 else ""
    path = re.sub(
        r"<(?:\w+(?:\([^)]*\))?:)?(\w+)>",
        lambda m: quote(draw(odd)[:300] or "x", safe="", errors="replace") if m[1] == spoilt else FILL[m[1]],
        rule.rule,
    )
    return "addresses", (path, [(draw(st.sampled_from(NAMES)), draw(odd)) for _ in range(draw(st.integers(0, 3)))])


@st.composite
def outside_inputs(draw: Any) -> tuple[str, Any]:
    """The doors of nobody: names, passwords, codes, links and ways back."""
    door = draw(st.sampled_from((*OUTSIDE, "invited/", "new-password/", "shared/", "calendar/")))
    if door.endswith("/"):
        return "outside", (f"/{door}{quote(draw(odd)[:300] or 'x', safe='', errors='replace')}", None, {})
    fields = {n: draw(odd) for n in ("name", "password", "code", "garden", "timezone", "theme", "back", "key") if draw(usual) % 3}
    return "outside", (f"/{door}", fields, {"next": draw(odd)} if draw(usual) % 2 else {})


@st.composite
def photo_inputs(draw: Any, world: World) -> tuple[str, Any]:
    data = bytearray(world.photo)
    for _ in range(draw(st.integers(0, 6))):
        data[draw(usual) % len(data)] = draw(st.integers(0, 255))
    cut = bytes(data[: draw(usual) % len(data)]) if draw(usual) % 3 == 0 else bytes(data)
    return "photos", (cut if draw(usual) % 8 else draw(st.binary(max_size=300)), draw(odd), draw(odd)[:60])


@st.composite
def line_inputs(draw: Any) -> tuple[str, Any]:
    words = draw(st.lists(st.one_of(st.sampled_from(WORDS), odd), min_size=1, max_size=9))
    return "log lines", " ".join(words)[:1200]


def _mutated(draw: Any, value: Any) -> Any:
    """A journal with one to four of its values replaced by something odd, somewhere."""
    value = copy.deepcopy(value)
    for _ in range(draw(st.integers(1, 4))):
        at, within = value, None
        while isinstance(at, dict | list) and at and (within is None or draw(usual) % 5):
            key = sorted(at)[draw(usual) % len(at)] if isinstance(at, dict) else draw(usual) % len(at)
            within, at = (at, key), at[key]
        if within is not None:
            odd_json = st.one_of(
                odd, st.none(), st.booleans(), st.floats(), st.integers(-(10**30), 10**30), st.just([]), st.just({"a": [1]})
            )
            within[0][within[1]] = draw(odd_json)
    return value


@st.composite
def journal_inputs(draw: Any, journal: dict[str, Any]) -> tuple[str, Any]:
    return ("journals taken" if draw(usual) % 40 == 0 else "journals read"), _mutated(draw, journal)


CSVS = {
    "trays/E/upload": "at,quantity,value,unit,source,x_mm\n2026-02-19T10:00:00+02:00,soil_temperature,20.5,degC,p1,\n2026-02-19 11:00,moisture,55,percent,,10\n",
    "plan/frost": "on,min_c\n2001-04-01,-2.5\n2001-04-02,3\n",
    "plan/wants/file": "crop,variety,plants,out_by,spares\nleek,Grey,20,2026-05-20,2\nparsley,,6,,\n",
}  # fmt: skip


@st.composite
def csv_inputs(draw: Any) -> tuple[str, Any]:
    where = sorted(CSVS)[draw(usual) % len(CSVS)]
    rows = [row.split(",") for row in CSVS[where].splitlines()]
    for _ in range(draw(st.integers(0, 5))):
        row = rows[draw(usual) % len(rows)]
        row[draw(usual) % len(row)] = draw(odd)
    joined = draw(st.sampled_from((",", ";", "\t", '"'))).join
    body = draw(st.sampled_from(("\n", "\r\n", "\r"))).join(joined(row) for row in rows * draw(st.sampled_from((1, 1, 40))))
    data = body.encode("utf-8", "surrogatepass") if draw(usual) % 8 else draw(st.binary(max_size=400))
    return "files", (where, data, draw(odd)[:80])


@st.composite
def device_inputs(draw: Any) -> tuple[str, Any]:
    body = {k: draw(st.one_of(odd, st.floats(), st.none(), st.booleans(), st.integers(-10**40, 10**40))) for k in
            ("probe_c", "heating", "why", "simulated", "lit", "lit_h") if draw(usual) % 4}  # fmt: skip
    issue = {"issued_at": "2026-02-19T06:00:00Z", "hours": [{"at": "2026-02-20T00:00:00Z", "temperature_c": 3.5, "wind_m_s": 2.0,
             "cloud": 0.5, "rain_mm": 0.0}], "days": [{"on": "2026-02-20", "min_c": -1.0, "max_c": 6.0}]}  # fmt: skip
    door = draw(st.sampled_from(("thermostat", "timer", "weather")))
    said = _mutated(draw, {"issues": [issue], **issue}) if door == "weather" else body
    text = json.dumps(said) if draw(usual) % 5 else draw(odd)
    return "devices", (door, text)


def send(world: World, kind: str, what: Any) -> tuple[int, str]:
    """Send one input; its status and the body's text, 0 where it went through no page."""
    client = world.me.client
    if kind == "forms":
        action, sent = what
        fields: dict[str, list[str]] = {"csrf_token": [world.token]}
        for name, value in sent:
            fields.setdefault(name, []).append(value)
        response = client.post(action, data=fields)
    elif kind == "addresses":
        response = client.get(what[0], query_string=what[1])
    elif kind == "outside":
        address, fields, query = what
        door = world.nobody.client
        if fields is None:
            response = door.get(address, query_string=query, follow_redirects=True)
        else:
            sent = {"csrf_token": world.nobody.token("/sign-in"), **fields}
            response = door.post(
                address, data={n: v.encode("utf-8", "surrogatepass") for n, v in sent.items()}, query_string=query
            )
    elif kind == "photos":
        data, thing, name = what
        sent_photo = {
            "csrf_token": world.token,
            "thing": thing if len(thing) % 3 else "A",
            "photo": (io.BytesIO(data), name or "x.jpg"),
        }
        response = client.post(f"{G}/photos", data=sent_photo)
    elif kind == "log lines":
        if len(what) % 2:
            response = client.get(f"{G}/log/echo", query_string={"line": what})
        else:
            response = client.post(f"{G}/log", data={"csrf_token": world.token, "line": what})
    elif kind == "files":
        where, data, name = what
        sent_file = {"csrf_token": world.token, "file": (io.BytesIO(data), name or "x.csv")}
        # A file of readings is shown before it is taken in: that page is part of the door.
        response = client.post(f"{G}/{where}", data=sent_file, follow_redirects=where.startswith("trays/"))
    elif kind == "devices":
        headers = {"Authorization": f"Bearer {world.devices[what[0]]}"}
        response = client.post(
            f"/api/{what[0]}", data=what[1].encode("utf-8", "replace"), headers=headers, content_type="application/json"
        )
    else:
        return 0, _journal(world, kind, what)
    return response.status_code, response.get_data(as_text=True) if response.mimetype == "text/html" else ""


def _journal(world: World, kind: str, data: dict[str, Any]) -> str:
    """Read a journal from its text, or take it into the garden and give it out again."""
    try:
        opened = open_journal(json.dumps(data))
        if kind == "journals read":
            read_journal(opened)
            return ""
        done = take_journal(world.engine, opened, NOW, garden="fuzzed")
        with world.engine.connect() as c:
            json.loads("".join(give_journal(c, next(g for g in queries.gardens(c) if g.id == done.garden.id))))
    except (FormatError, Refusal):
        return ""
    return ""


def look(world: World, told: Told) -> None:
    """Every page answers 200, soon."""
    for page in PAGES:
        address, quick = f"{G}/{page}", False
        # A page begun anew may have much to work out: the second look must be quick at the latest.
        for _ in range(2):
            began = time.monotonic()
            response = world.me.client.get(address, follow_redirects=True)
            took = time.monotonic() - began
            told.pages += 1
            told.slowest_page_s = max(told.slowest_page_s, took)
            quick = took < PAGE_S
            if response.status_code != 200:
                told.faults.append(f"{address}: {response.status_code} after {told.inputs} inputs")
            if quick:
                break
        if not quick:
            told.slow.append(f"{address}: {took:.1f} s after {told.inputs} inputs")


def every_field(world: World) -> Iterator[tuple[str, Any]]:
    """Each field of each form with each of a few slips in turn, and left out, the others as the page offers them."""
    for form in world.forms:
        usual_ones = [(name, options[0] if options else "") for name, options in form.fields]
        for name, _ in usual_ones:
            for slip in SLIPS:
                changed = [(n, v if n != name else slip) for n, v in usual_ones if n != name or slip is not None]
                yield "forms", (form.action, changed)


def try_one(world: World, told: Told, kind: str, what: Any) -> None:
    """Send one input and note what came of it."""
    began = time.monotonic()
    try:
        status, body = send(world, kind, what)
    except BROKEN as e:
        status, body = 599, f"{type(e).__name__}: {e}"
    took = time.monotonic() - began
    told.inputs += 1
    told.by_kind[kind] += 1
    told.statuses[status] += 1
    if took > told.slowest_s:
        told.slowest_s, told.slowest = took, f"{kind} {str(what)[:80]!r}"
    if status >= 500 or took > SLOWEST_S or "Traceback (most recent" in body:
        kept = told.faults if status >= 500 or took <= SLOWEST_S else told.slow
        kept.append(f"{kind}: {status} in {took:.1f} s: {str(what)[:600]!r} {body[:200] if status == 599 else ''}")
    if told.inputs % BATCH == 0:
        look(world, told)
        told.memory = max(told.memory, _memory())
        if told.memory > MOST_MEMORY:
            told.faults.append(f"memory: {told.memory / 1e6:.0f} MB after {told.inputs} inputs")
        told.tell(told)


def _memory() -> int:
    """What this process holds, bytes."""
    return int(re.findall(r"VmRSS:\s+(\d+)", Path("/proc/self/status").read_text())[0]) * 1024


def run(inputs: int, seed: int = 0, tell: Callable[[Told], None] = lambda _: None) -> Told:
    """Send so many inputs; what was found. A long run begins with every field of every form."""
    told = Told(tell=tell)
    journal = {**whole_journal(), "format": "fennet-journal", "version": 1}
    while told.inputs < inputs and len(told.faults) < 50:
        world = World.begin()
        if not told.inputs and inputs >= LONG:
            for kind, what in every_field(world):
                try_one(world, told, kind, what)
        forms, lines, files, journals = form_inputs(world), line_inputs(), csv_inputs(), journal_inputs(journal)
        addresses, nobody, pictures = map_inputs(world), outside_inputs(), photo_inputs(world)
        kinds = st.one_of(forms, forms, forms, query_inputs(world), addresses, addresses, lines, lines, journals, journals, files,
                          device_inputs(), nobody, pictures)  # fmt: skip
        here = [world]

        @settings(max_examples=min(FRESH_AFTER, inputs - told.inputs), database=None, deadline=None, phases=[Phase.generate],
                  suppress_health_check=list(HealthCheck))  # fmt: skip
        @given(kinds)
        def one(drawn: tuple[str, Any]) -> None:
            try_one(here[0], told, *drawn)  # noqa: B023

        seeded(random.Random(f"{seed} {told.inputs}").randrange(2**60))(one)()
        look(world, told)
        world.end()
    return told


def main() -> int:
    inputs = int(sys.argv[1]) if len(sys.argv) > 1 else 2_000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    cluster()
    shown: set[str] = set()

    def tell(told: Told) -> None:
        found = [x for x in (*told.faults, *told.slow) if x not in shown]
        print(*found, told.line(), sep="\n", flush=True)
        shown.update(found)

    told = run(inputs, seed, tell)
    tell(told)
    print("statuses:", dict(sorted(told.statuses.items())))
    return 1 if told.faults or told.slow else 0


if __name__ == "__main__":
    sys.exit(main())
