"""Other signs, of leaves, roots, insects and stalks: what stands behind them, the look that settles most, and what to do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fennet.core.crop import Crop
from fennet.core.diagnosis.engine import Complaint, argue
from fennet.core.diagnosis.finding import ArguedCause, Finding, Remedy, SignsFigures, checks_of, split_said
from fennet.core.diagnosis.signs import FRUITING, HARMLESS, RECENT_D, SIGNS, SURFACE, Weighed, suppositions, weigh_record
from fennet.core.diagnosis.witnesses import heard
from fennet.core.exposure import DAY_S
from fennet.core.learning.garden import crop_of
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import room_at, tray_of
from fennet.core.working import Input, Working

MENDED_FROM, LOOK_AGAIN_D = 0.15, 7.0
#: So sure at least must one cause be before it is named as the likeliest; under it the answer is "cannot tell". Source:
#: starting_estimate.
TELLS_FROM = 0.3
ACTIONS = {
    "hungry": ("feed_quarter",), "overfed": ("flush",), "too_much_light": ("less_light",), "lamp_too_near": ("raise_lamp",),
    "cold_roots": ("warm_roots",), "airless_mix": ("let_dry_out", "lighter_mix"), "thirsty": ("water_now",),
    "overwatered": ("let_dry_out",), "root_bound": ("pot_up_now",), "sun_scald": ("shade_again",), "wind_burn": ("shelter",),
    "chilled": ("bring_in",), "gnats": ("dry_top_traps",), "aphids": ("wash_off",), "bolting": ("bolted_resow", "mend_hours"),
    "eaten": ("look_at_night",), "one_sided_light": ("turn_tray",), "thin_cover": ("mist_coats",),
    "early_fruit": ("pinch_fruit",), "flower_drop": ("cool_for_flowers",), "unexplained": ("wait_a_week",),
}  # fmt: skip


#: What a green film or a white fluff asks for.
WET_TOP = ("let_top_dry", "fan_on", "water_from_below")


def other_signs(
    journal: Journal, crops: Mapping[str, Crop], complaint: Complaint, batch: Batch, events: Sequence[Event], at_s: float
) -> Finding | None:
    """What stands behind signs that were logged of a batch; None where none was. `events` are effective events.

    Source: starting_estimate, growers_rule.
    """
    tray = tray_of(batch, events, at_s)
    from_s = at_s - RECENT_D * DAY_S
    recent = [e for e in events if e.at_s >= from_s or e.kind not in ("sign", "check")]
    seen = [
        e
        for e in recent
        if e.kind == "sign" and e.fields["sign"] in SIGNS and e.at >= batch.sown_at and _speaks_of(e, batch, tray)
    ]
    if not seen:
        return None
    said = heard(journal, crops, batch, recent, complaint, at_s)
    crop = crop_of(crops, batch)
    w = weigh_record(journal, crop, batch, events, at_s)
    actions = {e.kind for e in events if e.fields.get("batch") == batch.id or (tray and e.fields.get("tray") == tray)}
    asked_not = _not_to_ask(complaint, crop, w, actions)
    told = argue(suppositions(complaint, w, [str(e.fields["sign"]) for e in seen]), complaint, said, asked_not)
    every = sorted((c for c in complaint.causes if c not in HARMLESS), key=lambda c: -told.shares.get(c, 0.0))
    top = told.shares.get(every[0], 0.0)
    surface_only = {str(e.fields["sign"]) for e in seen} <= set(SURFACE)
    if told.present >= 0.5:
        state = "told" if top >= TELLS_FROM else "cannot_tell"
    elif crop.growth.purple and "purple_under" in said:
        state = "by_nature"
    elif any(e.key == "wilted_at_midday" for e in w.yes.get("midday_wilt", [])):
        state = "midday_wilt"
    else:
        state = "surface" if surface_only else "nothing"
    causes = []
    for c in every:
        heard_for, heard_against = split_said(told.said.get(c, ()))
        yes, no = [*w.yes.get(c, []), *heard_for], [*w.no.get(c, []), *heard_against]
        asked = [
            x
            for x in told.missing.get(c, ())
            if x not in asked_not and complaint.witnesses[x].asks and not complaint.witnesses[x].signs
        ]
        causes.append(ArguedCause(c, told.shares.get(c, 0.0), 0.0, tuple(yes), tuple(no), (*w.lacks.get(c, []), *asked)))
    checks = checks_of(told)
    figures = SignsFigures(tuple(dict.fromkeys(str(e.fields["sign"]) for e in seen)), crop.growth.purple or "")
    remedies = _remedies(journal, causes, events, tray, at_s) if told.present >= 0.5 else ()
    if state == "surface":
        # Harmless in themselves, a witness of a wet top: there is something to do all the same.
        remedies = tuple(Remedy(action, "", None, at_s + DAY_S, tray) for action in WET_TOP)
    elif state == "midday_wilt":
        remedies = (Remedy("look_at_dusk", "", None, at_s + DAY_S, tray),)
    working = Working(
        "what the signs mean",
        tuple(
            Input(f"{c.cause.replace('_', ' ')}, by the record", round(w.odds.get(c.cause, 1.0), 2), "times", "", True)
            for c in causes[:6]
        ),
        "how common each cause is, times what the record says of it, times how likely it makes what was seen",
        (complaint.source, "growers_rule"),
        "seedlings and young plants; what was logged in the last three weeks",
        round(told.present, 3),
        "probability that something is wrong",
    )  # fmt: skip
    return Finding(
        batch, complaint.key, state, told.present, tuple(causes),
        checks[0] if checks else None, remedies, at_s + LOOK_AGAIN_D * DAY_S, figures,
        {"present": working}, checks,
    )  # fmt: skip


def _speaks_of(e: Event, batch: Batch, tray: str | None) -> bool:
    """Whether a sign is of this batch, or of its whole tray."""
    if e.fields.get("batch"):
        return bool(e.fields["batch"] == batch.id)
    return tray is not None and e.fields.get("tray") == tray


#: What a question asks for: the deed that answers it, or the name under which its lack is told.
LOGGED = {"was_fed": "fed", "went_out": "outing"}
RECORDED = {"soil_now": "growing_temperature", "mix_feel": "moisture", "under_lamp": "lamp_height"}


def _not_to_ask(complaint: Complaint, crop: Crop, w: Weighed, actions: set[str]) -> frozenset[str]:
    """Signs are seen or not; of them only what was logged counts. What is on record is not asked for. The packet is asked only
    where a kind may be coloured."""
    out = {k for k, x in complaint.witnesses.items() if x.signs}
    lacking = {what for found in w.lacks.values() for what in found}
    out |= {witness for witness, what in RECORDED.items() if what not in lacking}
    out |= {witness for witness, action in LOGGED.items() if action in actions}
    if not crop.growth.purple:
        out.add("packet_says")
    if crop.id not in FRUITING:
        out.add("first_fruit")
    return frozenset(out)


def _remedies(
    journal: Journal, causes: Sequence[ArguedCause], events: Sequence[Event], tray: str | None, at_s: float
) -> tuple[Remedy, ...]:
    out: list[Remedy] = []
    here = room_at(journal, events, at_s).trays.get(tray or "")
    for c in causes:
        if c.share < MENDED_FROM:
            continue
        for action in ACTIONS.get(c.cause, ()):
            if all(r.action != action for r in out):
                out.append(Remedy(action, c.cause, None, at_s + DAY_S, tray, here.mat if here else None))
    return tuple(out)
