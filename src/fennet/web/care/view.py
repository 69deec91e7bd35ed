"""What the feed page and the potting page show."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.answering.answers import Answers
from fennet.core.care.feeding import BURNS_MG, Dose, Product, dose_for, product_of, takes_up_l
from fennet.core.care.handling import buries, pots_area_mm2
from fennet.core.conditions import Conditions
from fennet.core.history import left_of
from fennet.core.planning.plan import Plan
from fennet.core.planning.pot_space import pot_space
from fennet.core.records import Batch, Journal
from fennet.core.room import free_cells, tray_of
from fennet.core.targets import practice_of
from fennet.operations.care import space_left_mm2
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import day_words
from fennet.presentation.work import HOLDS
from fennet.web import answers
from fennet.web.parts import Untold, untold
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view

LOOKS_BACK_S = 8 * 86_400.0


@dataclass(frozen=True)
class FeedRow:
    """One tray on the feed page: what is in it, when it is due, how strong, and the sum of a product for it."""

    tray: str
    names: str
    when: str
    strength: str
    mg: float
    takes: str
    last: str
    hold: str
    young: bool
    due: bool


@dataclass(frozen=True)
class ProductView:
    name: str
    label: str
    doses: list[tuple[str, str, str, str]]
    working: WorkingView | None


@dataclass(frozen=True)
class FeedView:
    rows: list[FeedRow]
    products: list[ProductView]
    burns: str
    practice: tuple[str, str]
    faults: list[str]
    untold: list[Untold]


@dataclass(frozen=True)
class PotView:
    batch: Batch
    name: str
    tray: str
    alive: int
    pot_mm: float
    stem: str
    stem_why: str
    places: list[tuple[str, str]]
    pricks_out: bool
    trays: list[tuple[str, str]]
    cells_n: int
    plan_words: str
    plan_over: bool


def products_of(journal: Journal) -> tuple[list[Product], list[str]]:
    """The feeds on the shelf that can be read, and what is wrong with the others."""
    out, faults = [], []
    for entry in journal.feeds:
        try:
            out.append(product_of(entry))
        except ValueError as e:
            faults.append(f"{entry.get('name') or 'a feed'}: {e}")
    return out, faults


def feed_view(a: Answers, fmt: Formatter) -> FeedView:
    journal, events, at_s, table = a.journal, a.events, a.at_s, a.table
    by_tray: dict[str, list[tuple[Batch, Conditions]]] = {}
    alive: list[Batch] = []
    for b in a.living:
        stands = tray_of(b, events, at_s)
        if stands is None:
            continue
        alive.append(b)
        state = answers.conditions(a, b, LOOKS_BACK_S)
        if state is not None:
            by_tray.setdefault(stands, []).append((b, state))
    rows, litres = [], 0.0
    for tray in journal.trays:
        inside = by_tray.get(tray.id, [])
        cares = [(b, answers.care(a, b, tray, c)) for b, c in inside]
        found = [(b, care) for b, care in cares if care is not None]
        fed = [(b, c, c.feed) for b, c in found if c.feed is not None]
        if not fed:
            continue
        due = min((d for _, _, d in fed), key=lambda d: d.due_s)
        last = [e for e in events if e.kind == "fed" and e.fields["tray"] == tray.id]
        young = all(a.leaves(x) < 1 for x, _ in found)
        names = ", ".join(batch_name(x, table.get(x.crop).name) for x, _ in inside)
        when = "now" if due.due_s <= at_s else fmt.day(due.due_s)
        hold = "; ".join(HOLDS[h] for h in due.hold)
        takes_l, now = takes_up_l(tray), due.due_s <= at_s and not due.hold
        litres += takes_l if now else 0.0
        rows.append(
            FeedRow(
                tray.id, names, when, f"{fmt.number(due.n_mg_per_l, 0)} mg N a litre", due.n_mg_per_l, fmt.litres(takes_l),
                fmt.day(last[-1].at) if last else "never", hold, young, now,
            )
        )  # fmt: skip
    rows.sort(key=lambda r: (not r.due, r.when != "now", r.tray))
    products, faults = products_of(journal)
    practice = practice_of(journal.garden)
    strengths = sorted({r.mg for r in rows}) or [50.0]
    return FeedView(
        rows, [_product(p, strengths, litres or 1.0, fmt) for p in products], fmt.number(BURNS_MG, 0),
        (practice["first_feed"].replace("_", " "), practice["feed_strength"].replace("_", " ")), faults,
        untold((b.id, batch_name(b, table.get(b.crop).name)) for b in alive),
    )  # fmt: skip


def _product(p: Product, strengths: list[float], litres: float, fmt: Formatter) -> ProductView:
    dose = f"{p.dose_ml_per_l:g} ml" if p.liquid else f"{p.dose_g_per_l:g} g" if p.dose_g_per_l is not None else "no dose"
    label = f"N-P-K {p.n_pct:g}-{p.p_pct:g}-{p.k_pct:g}, label {dose} a litre"
    if p.label_mg_per_l:
        label += f" = {fmt.number(p.label_mg_per_l, 0)} mg N a litre"
        if p.label_mg_per_l > BURNS_MG:
            label += ", which burns seedlings: dilute"
    doses: list[Dose] = [dose_for(p, mg, litres) for mg in strengths]
    told = []
    for d in doses:
        part = f"{fmt.part_of(d.of_label)} of the label’s dose" if d.of_label and p.n_pct else ""
        whole = f"{fmt.number(d.total, 2)} {d.unit} in {fmt.litres(litres)}"
        strength = f"{fmt.number(d.n_mg_per_l, 0)} mg N" if p.n_pct else fmt.part_of(d.of_label or 0.0)
        told.append((strength, f"{fmt.number(d.per_litre, 2)} {d.unit} a litre", whole, part))
    view = working_view(f"w-feed-{p.id}".replace(".", "-").replace(" ", "-"), doses[0].working, fmt)
    return ProductView(p.name, label, told, view)


def pot_view(a: Answers, plan: Plan, batch: Batch, fmt: Formatter) -> PotView:
    journal, events, at_s = a.journal, a.events, a.at_s
    crop = a.table.get(batch.crop)
    alive = left_of(batch, events)
    pot_mm = crop.planting.pot_mm or 90.0
    stem = buries(crop, practice_of(journal.garden, batch))
    why = {
        "bury": f"{crop.name} roots along a buried stem: up to the seed leaves",
        "slightly": "the practice buries a little; only stem-rooting kinds gain from more",
        "level": f"{crop.name} does not root from its stem: as deep as it stood",
    }[stem]
    places = []
    for p in journal.places:
        if p.until is not None and p.until.timestamp() <= at_s:
            continue
        free = space_left_mm2(journal, p.id, events, at_s)
        fits = "" if free is None else f", room for {int(free // pots_area_mm2(1, pot_mm))} pots"
        places.append((p.id, f"{p.name or p.id}{fits}"))
    leaves = max(0, int(a.leaves(batch)))
    name = f"{batch_name(batch, crop.name)}, about {leaves} true lea{'f' if leaves == 1 else 'ves'}"
    here = tray_of(batch, events, at_s) or ""
    cells_free = {tray: len(cells) for tray, cells in free_cells(journal, events, at_s).items() if cells and tray != here}
    trays = [(tray, f"{tray}, {n} free {'cell' if n == 1 else 'cells'}") for tray, n in cells_free.items()]
    space = pot_space(plan, batch.id, alive, pot_mm, True)
    plan_words = ""
    if space is not None:
        full = f"{fmt.percent(space.share)} full at the most, in the week of {day_words(space.monday, fmt)}"
        plan_words = f"As planned, and with {'it' if alive == 1 else f'all {alive}'} potted, the shelves are {full}."
    return PotView(
        batch, name, here, alive, pot_mm, stem, why, places, crop.growth.pricks_out, trays,
        min(alive, max(cells_free.values(), default=0)), plan_words, space is not None and space.share > 1.0,
    )  # fmt: skip
