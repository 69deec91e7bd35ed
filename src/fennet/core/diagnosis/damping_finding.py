"""Are seedlings falling to damping off, and what let it in: the days before the first fall, argued."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fennet.core.crop import Crop
from fennet.core.damping_off import CROWDED_FROM, FACTOR, FALLEN, HALF_AT, UNKNOWN, RiskDays, risk_days
from fennet.core.diagnosis.cell_map import bare_pattern
from fennet.core.diagnosis.engine import NOTHING, Argument, Complaint, Suppositions, argue
from fennet.core.diagnosis.finding import ArguedCause, DampingFigures, Evidence, Finding, Remedy, checks_of, split_said
from fennet.core.diagnosis.witnesses import heard
from fennet.core.exposure import DAY_S
from fennet.core.history import lost_of
from fennet.core.learning.garden import crop_of
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.room import room_at, tray_of
from fennet.core.working import Input, Working

MENDED_FROM, LOOK_AGAIN_D = 0.10, 1.0
#: Days before the first fall that are held to account. Source: starting_estimate.
BEFORE_D = 6
N_DRAWS, SEED = 400, 29
#: How far each factor may be off (log sd), and how sharply the largest one is the main one. Source: starting_estimate.
FACTOR_SD, SHARPNESS, ACTS_FROM = 0.30, 2.2, 0.25
#: Something nobody recorded let it in, with this chance and factor. Source: starting_estimate.
ELSE_PRIOR, ELSE_LOG = 0.05, 1.0
#: Chance that a batch at a given index has a case now, at an index of half; told by signs, it takes signs to be believed.
#: Source: starting_estimate.
AT_HALF = 0.08
#: What nobody recorded acts behind what is on record: its weight against the same on record. Source: starting_estimate.
SUPPOSED_WEIGHT = 0.65
#: A look within so many days speaks of now. Source: growers_rule.
RECENT_D = 12.0
ACTIONS = {
    "too_wet": ("let_top_dry",),
    "covered_too_long": ("cover_off",),
    "still_air": ("fan_on",),
    "watered_from_above": ("water_from_below",),
    "cool_and_slow": ("warm_to_its_best",),
    "unclean_mix": ("clean_mix",),
    "crowded": ("thin_out",),
    "unexplained": ("let_top_dry", "fan_on"),
}
#: What is done before the seedlings are up instead: where the top is wet, where it is not, and when they come.
BEFORE_UP = ("seed_not_wet", "vent_cover", "cover_when_up")
#: Deeds that harm or mean nothing before the seedlings are up.
AFTER_UP = frozenset(("cover_off", "let_top_dry", "thin_out"))
#: A wet top that multiplies risk by so much before they are up is told to dry. Source: starting_estimate.
WETS_FROM = 1.2
#: What is remembered only once they are up.
ASKED_UP = frozenset(("cover_stayed",))


@dataclass(frozen=True)
class _Case:
    risk: RiskDays
    first_s: float | None
    fallen: int
    rows: FloatArray


def damping_off(
    journal: Journal, crops: Mapping[str, Crop], complaint: Complaint, batch: Batch, events: Sequence[Event], at_s: float
) -> Finding | None:
    """Is a batch damping off, and what let it in; None where nothing fell and nothing warns. `events` are effective events.

    Source: growers_rule and leach_1947 for the factors, starting_estimate for their spread.
    """
    crop = crop_of(crops, batch)
    risk = risk_days(journal, crop, batch, events, at_s)
    tray = tray_of(batch, events, at_s)
    mine = [e for e in events if e.fields.get("batch") == batch.id or (tray is not None and e.fields.get("tray") == tray)]
    fallen = [e for e in mine if e.kind == "sign" and e.fields["sign"] in FALLEN]
    lost = [e for e in mine if e.kind == "lost" and any(w in str(e.fields.get("why") or "").lower() for w in LOST_WORDS)]
    looked = [e for e in mine if e.kind == "check" and e.at_s > at_s - RECENT_D * DAY_S]
    said = heard(journal, crops, batch, events, complaint, at_s)
    first_s = min((e.at_s for e in [*fallen, *lost]), default=None)
    if first_s is None and "stem_base" in said and said["stem_base"] == "pinched":
        first_s = min((e.at_s for e in looked), default=at_s)
    warned = risk.warns(at_s)
    if first_s is None and not warned and said.get("stem_base") != "sound":
        return None
    if lost and "stem_base" not in said and not fallen:
        said["went_down"] = "one_by_one"
    pattern = _pattern(batch, mine)
    if pattern is not None:
        said["fallen_map"] = pattern
    rows = _days_before(risk, first_s if first_s is not None else at_s)
    case = _Case(
        risk, first_s, sum(int(e.fields.get("cells") or len(e.fields.get("cell_list") or []) or 1) for e in fallen), rows
    )
    suppositions, parts = _suppositions(case, complaint)
    # Where nothing fell there is no stem to look at: what let it in is asked about.
    asked_not = _not_to_ask(risk) | (FALLS if first_s is None else frozenset()) | (ASKED_UP if risk.up_s is None else frozenset())
    told = argue(suppositions, complaint, said, asked_not)
    present = told.present if first_s is not None or "stem_base" in said else min(told.present, 0.4)
    state = "fallen" if present >= 0.5 else "warned" if warned else "calm"
    every = sorted(complaint.causes, key=lambda c: -told.shares.get(c, 0.0))
    causes = tuple(_argued(c, case, parts, told) for c in every)
    checks = checks_of(told)
    fell_on = _when_fell(mine, batch.sown_at.timestamp())
    fallen_n = max(case.fallen, lost_of(batch, events))
    figures = DampingFigures(risk.now, risk.up_s is not None, fallen_n, risk.warned_s, fell_on)
    remedies = _remedies(journal, crop, batch, causes, events, at_s, state, risk.up_s is not None) if state != "calm" else ()
    return Finding(
        batch, complaint.key, state, present, causes, checks[0] if checks else None, remedies,
        at_s + LOOK_AGAIN_D * DAY_S, figures, {"present": _working(told, case, complaint), "risk": risk.working}, checks,
    )  # fmt: skip


#: Words of a loss that mean disease.
LOST_WORDS = ("damp", "fell", "pinch", "rot", "collaps", "went down")


def _pattern(batch: Batch, mine: Sequence[Event]) -> str | None:
    """How those that fell lie in the tray."""
    cells: set[str] = set()
    for e in mine:
        named = e.fields.get("cell_list") or []
        if (e.kind == "sign" and e.fields["sign"] in FALLEN) or e.kind == "lost":
            cells |= set(named)
    if not cells or not batch.cell_list:
        return None
    return bare_pattern(batch.cell_list, set(batch.cell_list) - cells)


def _when_fell(mine: Sequence[Event], sown_s: float) -> dict[str, int]:
    """The cells that fell with the day of the batch they fell on."""
    days: dict[str, int] = {}
    for e in mine:
        if (e.kind == "sign" and e.fields["sign"] in FALLEN) or e.kind == "lost":
            for cell in e.fields.get("cell_list") or []:
                days.setdefault(str(cell), int((e.at_s - sown_s) // DAY_S))
    return dict(sorted(days.items()))


def _days_before(risk: RiskDays, first_s: float) -> FloatArray:
    """Which days are held to account: the last six before the first fall, at least one."""
    before = np.flatnonzero(risk.day_s <= first_s)
    return np.asarray(before[-BEFORE_D:] if len(before) else np.array([0]))


def _held(risk: RiskDays, cause: str, rows: NDArray[np.intp]) -> float:
    """How far a cause held over some days, 0–1: a cover over those on which seedlings stood under it, not those before them."""
    part = risk.parts[cause][rows]
    if cause == "covered_too_long" and risk.up_s is not None:
        up = risk.day_s[rows] + DAY_S > risk.up_s
        part = part[up] if up.any() else part
    return float(part.mean())


def _suppositions(case: _Case, complaint: Complaint) -> tuple[Suppositions, dict[str, float]]:
    """Draws of what may have held and how strongly it acts; the main cause is the one whose factor is largest."""
    rng = np.random.default_rng(SEED)
    risk, rows = case.risk, case.rows.astype(int)
    names = [c for c in risk.parts if c in complaint.causes]
    logs = np.zeros((N_DRAWS, len(names) + 1))
    parts: dict[str, float] = {}
    for j, c in enumerate(names):
        held = _held(risk, c, rows)
        size = np.log(FACTOR[c]) * np.exp(FACTOR_SD * rng.standard_normal(N_DRAWS))
        if risk.known[c] < 0.5:
            # Nobody recorded it: it held in full, or not at all.
            size = size * SUPPOSED_WEIGHT
            chance = UNKNOWN.get(c, held)
            if c == "crowded":
                chance = 0.15
            acts = (rng.random(N_DRAWS) < max(chance, held * (c not in UNKNOWN))).astype(float)
            # Days on which it could not hold, as a cover before anything is up, are no part of it.
            acts *= min(1.0, held / UNKNOWN[c]) if c in UNKNOWN else 1.0
        else:
            acts = np.clip(held + 0.08 * rng.standard_normal(N_DRAWS), 0.0, 1.0) if held > 0.02 else np.zeros(N_DRAWS)
        logs[:, j] = size * acts
        parts[c] = float(FACTOR[c] ** held)
    logs[:, -1] = (rng.random(N_DRAWS) < ELSE_PRIOR) * ELSE_LOG
    product = np.exp(logs.sum(axis=1)) * float(risk.susceptible[rows].mean())
    # Whether there is a case at all: likelier the higher the risk stood.
    odds = AT_HALF * product / HALF_AT
    present = odds / (1.0 + odds)
    strength = np.maximum(logs, 1e-3) ** SHARPNESS
    strength /= strength.sum(axis=1, keepdims=True)
    columns = [*names, "unexplained"]
    acting = tuple(
        frozenset(c for j, c in enumerate(columns) if logs[i, j] > ACTS_FROM) or frozenset({"unexplained"})
        for i in range(N_DRAWS)
    )
    # Each draw stands twice: with a case, where its causes act, and without one.
    with_case = np.concatenate([strength * present[:, None], np.zeros((N_DRAWS, 1))], axis=1)
    without = np.concatenate([np.zeros((N_DRAWS, len(columns))), (1 - present)[:, None]], axis=1)
    mass = np.concatenate([with_case, without]) / N_DRAWS
    nobody: tuple[frozenset[str], ...] = (frozenset(),) * N_DRAWS
    return Suppositions((*acting, *nobody), (*columns, NOTHING), mass / mass.sum()), parts


#: Witnesses of the fall itself: they say that there is a case, hardly which.
FALLS = frozenset(("stem_base", "went_down", "fallen_map"))


def _not_to_ask(risk: RiskDays) -> frozenset[str]:
    by = {"too_wet": "mix_feel", "still_air": "air_moves", "unclean_mix": "mix_from", "watered_from_above": "watered_how",
          "covered_too_long": "cover_stayed", "cool_and_slow": "soil_now", "crowded": "leaves_touch"}  # fmt: skip
    return frozenset(w for c, w in by.items() if risk.known.get(c, 0.0) >= 0.6)


def _argued(cause: str, case: _Case, parts: Mapping[str, float], told: Argument) -> ArguedCause:
    yes: list[Evidence] = []
    no: list[Evidence] = []
    lacks: list[str] = []
    risk, rows = case.risk, case.rows.astype(int)
    if cause in risk.parts:
        held = _held(risk, cause, rows)
        if risk.known[cause] < 0.5:
            lacks.append(f"part_{cause}")
        else:
            there = held >= 0.3
            figures = {"share": held, "times": FACTOR[cause] ** held, "from": CROWDED_FROM}
            (yes if there else no).append(Evidence(f"risk_{cause}" if there else f"risk_no_{cause}", figures))
    telling = [s for s in told.said.get(cause, ()) if s.witness not in FALLS or s.witness == "fallen_map"]
    heard_for, heard_against = split_said(telling)
    yes, no = [*yes, *heard_for], [*no, *heard_against]
    asked = _not_to_ask(risk)
    lacks += [w for w in told.missing.get(cause, ()) if w not in lacks and w not in asked and w not in FALLS]
    return ArguedCause(cause, told.shares.get(cause, 0.0), 0.0, tuple(yes), tuple(no), tuple(lacks), parts.get(cause))


def _remedies(
    journal: Journal, crop: Crop, batch: Batch, causes: Sequence[ArguedCause], events: Sequence[Event], at_s: float, state: str,
    up: bool,
) -> tuple[Remedy, ...]:  # fmt: skip
    """The first hour, in order; then what keeps it from coming back."""
    tray = tray_of(batch, events, at_s)
    here = room_at(journal, events, at_s).trays.get(tray or "")
    now = at_s + 3600.0
    out: list[Remedy] = []

    def add(action: str, cause: str, by_s: float | None) -> None:
        if action in ("cover_off", "vent_cover", "cover_when_up") and (here is None or here.cover == "off"):
            return
        if action == "vent_cover" and here is not None and here.cover == "vented":
            return
        if all(r.action != action for r in out):
            out.append(Remedy(action, cause, None, by_s, tray, low_c=crop.soil_ideal_low_c, high_c=crop.soil_ideal_high_c))

    if not up:
        # Nothing is up yet: the cover has its use, and seed must not dry.
        wet = any(c.cause == "too_wet" and (c.ratio or 1.0) > WETS_FROM for c in causes)
        wet_top, dry_top, once_up = BEFORE_UP
        add(wet_top if wet else dry_top, "", now)
        add(once_up, "", None)
    if state == "fallen":
        add("remove_fallen", "", now)
        add("keep_apart", "", now)
        for action in ("cover_off", "fan_on", "let_top_dry"):
            add(action, "", now)
    for c in causes:
        if c.share >= MENDED_FROM or (state == "warned" and (c.ratio or 1.0) > 1.4):
            for action in ACTIONS.get(c.cause, ()):
                if not up and action in AFTER_UP:
                    continue
                add(action, c.cause, at_s + 0.5 * DAY_S)
    if state == "fallen":
        add("wash_trays", "", at_s + 2 * DAY_S)
        add("sow_spares_clean", "", at_s + DAY_S)
    return tuple(out)


def _working(told: Argument, case: _Case, complaint: Complaint) -> Working:
    inputs = tuple(
        Input(f"{c.replace('_', ' ')}, held before", round(100 * float(v[case.rows.astype(int)].mean())), "%",
              "recorded" if case.risk.known[c] >= 0.5 else "supposed", case.risk.known[c] < 0.5)
        for c, v in case.risk.parts.items()
    )  # fmt: skip
    return Working(
        "damping off",
        inputs,
        "what held over the six days before the first fall, each with its factor; drawn 400 ways within what is known; the main "
        "cause is the one whose factor is largest; what was seen changes the odds by how likely it is with and without each",
        ("growers_rule", "leach_1947", complaint.source),
        "from sowing to three weeks after emergence",
        round(told.present, 3),
        "probability that it is damping off",
    )
