"""What the measured record says of each cause of slow germination: for it, against it, and what it lacks."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from fennet.core.diagnosis.finding import Evidence
from fennet.core.diagnosis.slow_germination import SlowCase
from fennet.core.heat_mat import mat_without_lift
from fennet.core.records import Event, Journal, SeedLot
from fennet.core.sowing import DARK_UNDER_SHARE

#: Share of the time out of band from which heat or cold is worth saying. Source: starting_estimate.
SAID_FROM = 0.15


@dataclass
class Said:
    """What speaks for a cause, against it, and what is not recorded."""

    yes: list[Evidence] = field(default_factory=list)
    no: list[Evidence] = field(default_factory=list)
    lacks: list[str] = field(default_factory=list)

    def weigh(self, holds: bool, for_key: str, against_key: str, figures: Mapping[str, float | str | None]) -> None:
        """One figure that speaks for or against by whether something holds."""
        (self.yes if holds else self.no).append(Evidence(for_key if holds else against_key, figures))


@dataclass(frozen=True)
class Record:
    """What the evidence is read from."""

    case: SlowCase
    spells: Mapping[str, float]
    journal: Journal
    events: Sequence[Event]

    @property
    def lot(self) -> SeedLot | None:
        return next((s for s in self.journal.seed_lots if s.id == self.case.batch.seed_lot), None)


def by_record(
    cause: str, case: SlowCase, spells: Mapping[str, float], journal: Journal, events: Sequence[Event]
) -> tuple[list[Evidence], list[Evidence], list[str]]:
    """What the record says of one cause: for, against, and what it lacks. `spells` as days and share measured."""
    said = Said()
    read = READS.get(cause)
    if read is not None:
        read(Record(case, spells, journal, events), said)
    return said.yes, said.no, said.lacks


def _heat(r: Record, said: Said, cold: bool) -> None:
    crop, soil = r.case.crop, r.case.soil
    if not soil.n_readings:
        said.lacks.append("soil_temperature")
        return
    out = soil.soil_c < crop.soil_low_c if cold else soil.soil_c > crop.soil_high_c
    share = float(out.mean())
    figures: dict[str, float | str | None] = {
        "mean_c": soil.mean_c,
        "share": share,
        "low_c": crop.soil_low_c,
        "high_c": crop.soil_high_c,
        "days_there": crop.response.days_to_half(soil.mean_c),
        "days_at_target": crop.response.days_to_half(crop.target_soil_c),
        "basis": soil.basis,
    }
    cause = "cold_soil" if cold else "hot_soil"
    said.weigh(share >= SAID_FROM, cause, f"not_{cause}", figures)
    if soil.open_d >= 0.2:
        said.no.append(Evidence("probe_lay_open", {"days": soil.open_d}))
    if soil.basis == "air":
        said.lacks.append("soil_temperature")
    if soil.gap_reason == "gap":
        said.lacks.append("soil_gap")
    idle = mat_without_lift(r.journal, r.case.batch, r.events, r.case.at_s, soil.recent_c) if cold else None
    if idle is not None:
        figures = {"mat": idle.mat, "setpoint_c": idle.setpoint_c, "soil_c": soil.recent_c}
        said.yes.append(Evidence("mat_without_lift", figures))


def _water(r: Record, said: Said, dry: bool) -> None:
    cause = "dry_spell" if dry else "waterlogged"
    days, known = r.spells["dry_d" if dry else "wet_d"], r.spells["known_share"]
    if days >= 0.5:
        said.yes.append(Evidence(f"{cause}_days", {"days": days}))
    elif known >= 0.5:
        said.no.append(Evidence(f"no_{cause}", {"share": known}))
    else:
        said.lacks.append("moisture")
    if dry and any(e.kind == "watered" for e in r.events) and r.case.supposed.get(cause, 0.0) > 0.15:
        said.yes.append(Evidence("dry_by_deeds"))


def _seed(r: Record, said: Said) -> None:
    lot, alive, fresh = r.lot, r.case.seed.mean, r.case.fresh.mean
    if lot is None or (lot.packed is None and not lot.tests):
        said.lacks.append("seed_lot")
        return
    figures = {"alive": alive, "fresh": fresh, "packed": lot.packed, "tests": len(lot.tests)}
    said.weigh(alive < fresh - 0.1, "seed_weak", "seed_sound", figures)


def _depth(r: Record, said: Said) -> None:
    depth_mm = r.case.batch.depth_mm
    if depth_mm is None:
        said.lacks.append("depth")
        return
    deep = r.case.sowing.deep_wait > 1.03 or r.case.sowing.deep_share < 0.95
    said.weigh(deep, "depth_deep", "depth_usual", {"depth_mm": depth_mm, "usual_mm": r.case.crop.depth_mm})


def _light(r: Record, said: Said) -> None:
    batch = r.case.batch
    if r.case.crop.seed_light != "light":
        said.no.append(Evidence("light_not_needed"))
    elif r.case.sowing.light_share < DARK_UNDER_SHARE:
        said.yes.append(Evidence("covered", {"depth_mm": batch.depth_mm, "share": r.case.sowing.light_share}))
    elif batch.depth_mm is None and batch.covered_with != "none":
        said.lacks.append("depth")
    else:
        said.no.append(Evidence("light_reaches"))


def _treatment(r: Record, said: Said) -> None:
    wanted = r.case.crop.pretreatment
    if wanted in ("", "none"):
        said.no.append(Evidence("no_pretreatment_needed"))
    elif r.case.batch.pretreatment is None:
        said.lacks.append("pretreatment")
    else:
        said.weigh(r.case.sowing.pretreatment_share < 1.0, "untreated", "treated", {"wanted": wanted})


def _mix(r: Record, said: Said) -> None:
    kind = r.case.batch.mix.kind if r.case.batch.mix else None
    if kind is None:
        said.lacks.append("mix")
    elif kind in ("garden_soil", "seed_mix", "coir"):
        said.weigh(kind == "garden_soil", "mix_kind", "mix_kind", {"kind": kind})


READS: dict[str, Callable[[Record, Said], None]] = {
    "cold_soil": lambda r, said: _heat(r, said, True),
    "hot_soil": lambda r, said: _heat(r, said, False),
    "dry_spell": lambda r, said: _water(r, said, True),
    "waterlogged": lambda r, said: _water(r, said, False),
    "weak_seed": _seed,
    "sown_deep": _depth,
    "needs_light": _light,
    "needs_pretreatment": _treatment,
    "coarse_or_crusted_mix": _mix,
}
