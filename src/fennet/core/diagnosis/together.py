"""The remedies of all of a batch's complaints, chosen once: no order stands beside its contrary."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fennet.core.diagnosis.finding import Finding, Remedy

#: Deeds that undo each other: of two such sides the one that weighs more stands. Source: growers_rule.
CONTRARY: tuple[tuple[frozenset[str], frozenset[str]], ...] = (
    (frozenset(("water_below", "water_now", "keep_covered")),
     frozenset(("let_drain", "let_top_dry", "let_dry_out", "seed_not_wet", "dry_top_traps"))),
    (frozenset(("warm_soil", "warm_roots", "warm_to_its_best")), frozenset(("cool_soil", "cooler_nights"))),
    (frozenset(("bring_to_light", "light_at_once")), frozenset(("less_light", "raise_lamp", "shade_again"))),
    (frozenset(("keep_covered",)), frozenset(("cover_off", "vent_cover"))),
    (frozenset(("feed_quarter",)), frozenset(("flush",))),
)  # fmt: skip


def chosen_together(found: Sequence[Finding]) -> list[Finding]:
    """The same findings, without the remedies that a weightier one contradicts, and without saying one deed twice.

    What weighs is the probability of the complaint times the share of the cause a deed is against; what stands in the first hour
    of an outbreak goes before all. Source: growers_rule.
    """
    weights = [(_weight(f, r), r.action) for f in found for r in f.remedies]
    dropped: set[str] = set()
    for one, other in CONTRARY:
        best = [
            max((w for w, action in weights if action in side and action not in dropped), default=0.0) for side in (one, other)
        ]
        if min(best) > 0.0:
            dropped |= one if best[0] < best[1] else other
    said: set[str] = set()
    out = []
    for f in found:
        kept = []
        for r in f.remedies:
            if r.action not in dropped and r.action not in said:
                kept.append(r)
                said.add(r.action)
        out.append(f if len(kept) == len(f.remedies) else replace(f, remedies=tuple(kept)))
    return out


def _weight(f: Finding, r: Remedy) -> float:
    if f.state == "fallen":
        return 2.0
    share = next((c.share for c in f.causes if c.cause == r.cause), 0.3)
    return max(1e-6, f.present * share)
