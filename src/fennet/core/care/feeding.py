"""When to feed and how much of which product, by the figures on its own label; and doses that burn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fennet.core.care.leaves import leaf_there_s, leaves_made
from fennet.core.crop import Crop
from fennet.core.drying import HELD_SHARE
from fennet.core.history import counts_of, fresh_mix_s, life_events
from fennet.core.light import DAY_S
from fennet.core.records import Batch, Event, Tray
from fennet.core.room import tray_of
from fennet.core.stretch import ThermalAge
from fennet.core.working import Input, Working

#: Nitrogen of a quarter and a half strength, of a weak feed in every watering, and from which seedlings burn, mg/l. Source:
#: growers_rule.
QUARTER_MG, HALF_MG, WEAK_MG, BURNS_MG = 50.0, 100.0, 25.0, 150.0
#: The strength of which these are the quarter and the half. Source: growers_rule.
FULL_MG = 200.0
#: A dose over this many times the burning one is a slip of the decimal point. Source: starting_estimate.
SLIP_TIMES = 5.0
#: Density of a liquid feed whose label does not say, g/ml. Source: starting_estimate.
LIQUID_G_ML = 1.2
#: Mix that was fed feeds for so long; taller plants have so many true leaves; dry mix is watered first, % of capacity. Source:
#: growers_rule.
FED_MIX_D, TALL_LEAVES, DRY_PCT = 28.0, 4, 45.0
#: (strength mg/l, days between) by practice. Source: growers_rule.
STRENGTHS: dict[str, tuple[float, float]] = {
    "quarter_weekly": (QUARTER_MG, 7.0), "quarter_two_weeks": (QUARTER_MG, 14.0), "half_weekly": (HALF_MG, 7.0),
    "every_watering": (WEAK_MG, 3.0), "push_or_hold": (QUARTER_MG, 7.0),
}  # fmt: skip
#: Ahead or behind the planting date by so many days a feed is held or pushed. Source: growers_rule.
PUSH_FROM_D, HOLD_FROM_D = 5.0, 9.0


@dataclass(frozen=True)
class Product:
    """A feed by its label: nitrogen, phosphate, potash in %, and the dose it asks for a litre: in g of a powder, in ml of a
    liquid of so many g/ml."""

    id: str
    name: str
    n_pct: float
    p_pct: float = 0.0
    k_pct: float = 0.0
    dose_g_per_l: float | None = None
    dose_ml_per_l: float | None = None
    density_g_per_ml: float = LIQUID_G_ML

    @property
    def liquid(self) -> bool:
        return self.dose_ml_per_l is not None

    @property
    def n_mg_per_unit(self) -> float:
        """Nitrogen in a gram of powder, or in a millilitre of liquid, mg."""
        return self.n_pct * 10.0 * (self.density_g_per_ml if self.liquid else 1.0)

    @property
    def dose_per_l(self) -> float | None:
        """The label's own dose a litre, in ml of a liquid, in g of a powder."""
        return self.dose_ml_per_l if self.liquid else self.dose_g_per_l

    @property
    def label_mg_per_l(self) -> float | None:
        """Nitrogen of the label's own dose, mg/l."""
        return None if self.dose_per_l is None else self.dose_per_l * self.n_mg_per_unit


def product_of(entry: Mapping[str, Any]) -> Product:
    """A feed from the record. Raises ValueError naming the figure at fault.

    >>> product_of({"id": "f", "name": "tomato feed", "n_pct": 4, "dose_ml_per_l": 5}).label_mg_per_l
    240.0
    """
    found: dict[str, float] = {}
    for name, least, most in (
        ("n_pct", 0.0, 60.0), ("p_pct", 0.0, 60.0), ("k_pct", 0.0, 60.0), ("dose_g_per_l", 0.0, 100.0),
        ("dose_ml_per_l", 0.0, 200.0), ("density_g_per_ml", 0.7, 2.0),
    ):  # fmt: skip
        value = entry.get(name)
        if value is None:
            continue
        if isinstance(value, bool) or not isinstance(value, int | float) or not least <= value <= most:
            raise ValueError(f"{name}: {value!r}; accepted: {least:g} to {most:g}")
        found[name] = float(value)
    doses = found.get("dose_g_per_l") or found.get("dose_ml_per_l")
    if "n_pct" not in found:
        raise ValueError(
            "n_pct: missing; accepted: the first of the three figures on the label, in %; 0 for a feed without nitrogen"
        )
    if not found["n_pct"] and not doses:
        raise ValueError("dose_ml_per_l: missing; a feed without nitrogen goes by its label’s dose; accepted: ml or g a litre")
    return Product(
        str(entry.get("id") or entry.get("name") or "feed"), str(entry.get("name") or entry.get("id") or "feed"), **found
    )


@dataclass(frozen=True)
class Dose:
    """How much of a product makes a strength: a litre and in all, beside the label's own dose, with the sum shown."""

    product: Product
    n_mg_per_l: float
    per_litre: float
    unit: str
    of_label: float | None
    litres: float
    total: float
    burns: bool
    working: Working


def dose_for(product: Product, n_mg_per_l: float, litres: float) -> Dose:
    """The amount of a product for a strength in mg of nitrogen a litre. Source: arithmetic, growers_rule (what burns).

    Raises ValueError for a strength or a volume that is not above 0.

    >>> d = dose_for(Product("f", "tomato feed", 4.0, dose_ml_per_l=5.0), 50.0, 2.0)
    >>> round(d.per_litre, 2), d.unit, round(d.of_label, 2), round(d.total, 2)
    (1.04, 'ml', 0.21, 2.08)
    """
    if n_mg_per_l <= 0 or litres <= 0:
        raise ValueError(f"{n_mg_per_l:g} mg/l in {litres:g} l; both must be above 0")
    unit = "ml" if product.liquid else "g"
    label = product.label_mg_per_l
    if not product.n_pct:
        return _by_label(product, n_mg_per_l, litres, unit)
    per = n_mg_per_l / product.n_mg_per_unit
    working = Working(
        "feed",
        (
            Input("nitrogen on the label", product.n_pct, "%", product.name),
            Input("density", product.density_g_per_ml if product.liquid else None, "g/ml", "starting_estimate", True)
            if product.liquid
            else Input("form", "powder or crystals", ""),
            Input("nitrogen in one " + unit, round(product.n_mg_per_unit, 2), "mg"),
            Input("strength wanted", n_mg_per_l, "mg of nitrogen a litre", "growers_rule"),
            Input("the label’s own dose", None if label is None else round(label, 1), "mg of nitrogen a litre", product.name),
        ),
        f"strength / (% of nitrogen × 10{' × density' if product.liquid else ''}) = {unit} a litre",
        ("arithmetic", "growers_rule"),
        "nitrogen only; follow the label where it asks for less",
        round(per, 3),
        f"{unit} a litre",
    )
    return Dose(
        product,
        n_mg_per_l,
        per,
        unit,
        n_mg_per_l / label if label else None,
        litres,
        per * litres,
        n_mg_per_l > BURNS_MG,
        working,
    )


def _by_label(product: Product, n_mg_per_l: float, litres: float, unit: str) -> Dose:
    """A feed without nitrogen goes by parts of its label's dose: a quarter where a quarter strength is wanted."""
    share = min(1.0, n_mg_per_l / FULL_MG)
    per = share * (product.dose_per_l or 0.0)
    working = Working(
        "feed",
        (
            Input("nitrogen on the label", 0.0, "%", product.name),
            Input("the label’s own dose", product.dose_per_l, f"{unit} a litre", product.name),
            Input("part of it wanted", round(share, 2), "share", "growers_rule"),
        ),
        f"part × the label’s dose = {unit} a litre",
        ("arithmetic", "growers_rule"),
        "a feed without nitrogen burns by salt all the same: the label is the most",
        round(per, 3),
        f"{unit} a litre",
    )
    return Dose(product, n_mg_per_l, per, unit, share, litres, per * litres, False, working)


#: What labels measure in, ml; what they measure it into, l. Source: arithmetic.
MEASURE_ML = {"ml": 1.0, "tsp": 4.92892159375, "tbsp": 14.78676478125, "cup": 236.5882365, "fl oz": 29.5735295625}
INTO_L = {"litre": 1.0, "10 litres": 10.0, "US gallon": 3.785411784, "imperial gallon": 4.54609, "US quart": 0.946352946}
#: A level spoon of powder or crystals, g/ml. Source: starting_estimate.
SPOON_G_PER_ML = 0.9


def label_dose(amount: float, measure: str, into: str, powder: bool) -> float:
    """The dose a litre that a label asks for in its own measures: ml of a liquid, g of a powder.

    Raises KeyError for a measure that is not listed. Source: arithmetic; what a spoon of powder weighs is starting_estimate.

    >>> round(label_dose(1.0, "tbsp", "US gallon", False), 2), label_dose(15.0, "g", "10 litres", True)
    (3.91, 1.5)
    """
    if measure == "g":
        return amount / INTO_L[into]
    return amount * MEASURE_ML[measure] * (SPOON_G_PER_ML if powder else 1.0) / INTO_L[into]


def takes_up_l(tray: Tray) -> float:
    """Feed that a tray takes up from below, l: half of the water its mix holds, at least a quarter; a litre where its cells are
    not known. Source: growers_rule.

    >>> takes_up_l(Tray(id="A", rows=4, columns=6, cell_ml=50.0))
    0.3
    """
    if tray.rows and tray.columns and tray.cell_ml:
        return max(0.25, tray.rows * tray.columns * tray.cell_ml * HELD_SHARE * 0.5 / 1000.0)
    return 1.0


@dataclass(frozen=True)
class FeedDue:
    """When a batch is fed next (seconds UTC) and how strong; `hold` why not now (keys), `push` 2 doubled, 0.5 halved, else 1."""

    due_s: float
    n_mg_per_l: float
    every_d: float
    first: bool
    hold: tuple[str, ...] = ()
    push: float = 1.0


def feed_due(
    crop: Crop, batch: Batch, events: Sequence[Event], at_s: float, practice: Mapping[str, str], age: ThermalAge,
    moisture_pct: float | None = None, lit_h: float | None = None, ready_in_d: float | None = None,
    wanted_in_d: float | None = None,
) -> FeedDue | None:  # fmt: skip
    """When a batch should be fed next, by practice, stage and what it had; None before it is up or where practice never feeds it.

    `age` from `thermal_age`; `ready_in_d` and `wanted_in_d` days until it is ready, and wanted, for hardening. `events` are
    effective events. Source: growers_rule.
    """
    counts = counts_of(batch, events)
    if not counts.up or age.up_s is None:
        return None
    tray = tray_of(batch, events, at_s)
    fed = [e for e in events if e.kind == "fed" and tray is not None and e.fields["tray"] == tray and e.at_s >= age.up_s]
    potted = fresh_mix_s(batch, events)
    made = leaves_made(crop, age, events, batch)
    mg, every = STRENGTHS[practice["feed_strength"]]
    if practice["feed_strength"] == "quarter_two_weeks" and made >= TALL_LEAVES:
        mg, every = HALF_MG, 21.0
    push = 1.0
    if practice["feed_strength"] == "push_or_hold" and ready_in_d is not None and wanted_in_d is not None:
        late = ready_in_d - wanted_in_d
        push = 2.0 if late > PUSH_FROM_D else 0.5 if late < -HOLD_FROM_D else 1.0
    said = batch.mix.fed if batch.mix is not None else None
    # Where nobody said what the mix of this batch holds, it is the mix that the grower uses.
    rich = said if said is not None else practice["mix_feed"] == "fed"
    since_mix = max([batch.sown_at.timestamp(), *potted])
    school = practice["first_feed"]
    first_s = _first_s(crop, age, school, potted, at_s, made, batch, events)
    if first_s is None:
        return None
    if rich and school == "never_in_fed_mix":
        first_s = max(first_s, since_mix + FED_MIX_D * DAY_S)
    elif rich:
        first_s = max(first_s, since_mix + 0.5 * FED_MIX_D * DAY_S)
    last = fed[-1].at_s if fed else None
    due = first_s if last is None else max(last + every * DAY_S, first_s)
    hold = []
    if moisture_pct is not None and moisture_pct < DRY_PCT:
        hold.append("dry_mix")
    if lit_h is not None and lit_h < 2.0:
        hold.append("in_the_dark")
    recent_signs = {e.fields["sign"] for e in events if e.kind == "sign" and at_s - e.at_s < 7 * DAY_S
                    and (e.fields.get("batch") == batch.id or e.fields.get("tray") == tray)}  # fmt: skip
    if recent_signs & {"fallen_pinched_base", "patch_down", "wilt_wet", "brown_edges"}:
        hold.append("not_while_it_ails")
    return FeedDue(due, min(BURNS_MG, mg * push), every, last is None, tuple(hold), push)


def _first_s(
    crop: Crop, age: ThermalAge, school: str, potted: Sequence[float], at_s: float, made: float, batch: Batch,
    events: Sequence[Event],
) -> float | None:  # fmt: skip
    """When the first feed is due by the school, seconds UTC."""
    assert age.up_s is not None
    if school == "pot_up":
        return potted[0] if potted else None
    if school == "week":
        return age.up_s + 7 * DAY_S
    wanted = 2 if school == "second_leaves" else 1
    if made >= wanted:
        counted = [e.at_s for e in life_events(batch, events, "height") if (e.fields.get("true_leaves") or 0) >= wanted]
        return counted[0] if counted else at_s - 1.0
    return max(at_s + 0.25 * DAY_S, leaf_there_s(crop, age, made, wanted, at_s))


def too_strong(n_mg_per_l: float, young: bool) -> str:
    """What is wrong with a dose before it is given: "" nothing, burns, slip (a decimal point), early (before first leaves).

    >>> too_strong(60.0, False), too_strong(200.0, False), too_strong(2500.0, False), too_strong(60.0, True)
    ('', 'burns', 'slip', 'early')
    """
    if n_mg_per_l > SLIP_TIMES * BURNS_MG:
        return "slip"
    if n_mg_per_l > BURNS_MG:
        return "burns"
    return "early" if young else ""
