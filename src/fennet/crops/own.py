"""A kind of one's own: like one of the table, but for what its grower knows better."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fennet.core.crop import Crop
from fennet.crops.table import CropTable, UnknownCrop, derive, plain

#: Figures that a grower of an own kind may give; each goes into the entry of a journal's `crops` as the figures it stands for.
ANSWERS = (
    "half_up_d", "depth_mm", "seed_light", "pretreatment", "soil_low_c", "soil_high_c", "hardiness", "least_night_c",
    "kills_at_c", "grow_days", "spacing_mm", "first_days", "caution",
)  # fmt: skip


def own_kind(table: CropTable, name: str, like: str, answers: Mapping[str, Any], old_id: str | None = None) -> dict[str, Any]:
    """The journal's entry for a kind that is like another but for some answers; what is None stays as with that other.

    `half_up_d` days to half up at the middle of its ideal soil (d), `soil_low_c`, `soil_high_c` the soil it is sown into (°C; its
    ideal is the middle half), `grow_days` days from half up to hardening off, `first_days` days from planting to the first pick
    or flower; their early and late figures keep their proportion. Raises ValueError naming the field.

    >>> from fennet.crops import shipped
    >>> own_kind(shipped(), "Lime basil", "basil", {"half_up_d": 10.0})["id"]
    'lime_basil'
    """
    given = plain(name)
    id = old_id or "".join(c for c in given if c.isascii() and (c.isalnum() or c == "_"))[:40].strip("_")
    if not id:
        raise ValueError(f"name: {name[:40]!r}; accepted: a name with letters")
    try:
        taken = table.get(name) if plain(name) in table.names() else None
    except UnknownCrop:
        taken = None
    if taken is not None and taken.id != old_id:
        raise ValueError(
            f"name: {name[:40]!r} is a crop of the table already; accepted: a name of its own, like {name[:30]} (mine)"
        )
    if old_id is None and id in {c.id for c in table}:
        raise ValueError(f"name: {name[:40]!r} is too near {id.replace('_', ' ')}; accepted: a name of its own")
    try:
        base = table.get(like)
    except UnknownCrop as e:
        near = f"; nearest: {', '.join(e.nearest)}" if e.nearest else ""
        raise ValueError(f"like: {like[:40]!r} is not a crop of the table{near}; accepted: a crop it is like") from None
    if base.id == old_id:
        raise ValueError(f"like: {like[:40]!r} is this kind itself; accepted: another crop")
    entry: dict[str, Any] = {"id": id, "name": name.strip(), "like": base.id}
    told = {k: v for k, v in answers.items() if k in ANSWERS and v not in (None, "")}
    entry |= {k: v for k, v in told.items() if k not in ("half_up_d", "soil_low_c", "soil_high_c", "grow_days", "first_days")}
    entry |= _soil(base, told) | _in_proportion(base, told)
    if "half_up_d" in told:
        if not 1 <= float(told["half_up_d"]) <= 120:
            raise ValueError(f"half_up_d: {told['half_up_d']:g}; accepted: 1 to 120 days")
        shaped = derive(table, {k: v for k, v in entry.items() if k != "id"} | {"id": "own_kind"})
        pace = shaped.response.days_to_half(shaped.target_soil_c)
        if pace is None:
            raise ValueError("half_up_d: none comes up in that soil; accepted: a warmer or cooler soil for it")
        entry["r_max_per_day"] = round(shaped.r_max_per_day * pace / float(told["half_up_d"]), 4)
    derive(table, entry)
    return entry


def _soil(base: Crop, told: Mapping[str, Any]) -> dict[str, float]:
    if "soil_low_c" not in told and "soil_high_c" not in told:
        return {}
    low, high = float(told.get("soil_low_c", base.soil_low_c)), float(told.get("soil_high_c", base.soil_high_c))
    if not low < high:
        raise ValueError(f"soil_low_c: {low:g} to {high:g} °C; accepted: from the cooler to the warmer")
    quarter = (high - low) / 4
    return {
        "soil_low_c": low, "soil_ideal_low_c": round(low + quarter, 2), "soil_ideal_high_c": round(high - quarter, 2),
        "soil_high_c": high,
    }  # fmt: skip


def _in_proportion(base: Crop, told: Mapping[str, Any]) -> dict[str, float]:
    """Days with the early and late ones that belong to them."""
    out: dict[str, float] = {}
    p, b = base.planting, base.bed
    for key, early, usual, late in (
        ("grow_days", p.grow_least_days, p.grow_days, p.grow_most_days),
        ("first_days", b.first_least_days, b.first_days, b.first_most_days),
    ):
        if key in told:
            stem, factor = key.removesuffix("_days"), float(told[key]) / usual
            if factor <= 0:
                raise ValueError(f"{key}: {told[key]:g}; accepted: days above 0")
            out |= {
                key: float(told[key]),
                f"{stem}_least_days": round(early * factor, 1),
                f"{stem}_most_days": round(late * factor, 1),
            }
            if key == "grow_days" and p.pot_up_days is not None:
                out["pot_up_days"] = round(p.pot_up_days * factor, 1)
    return out


def answers_of(table: CropTable, entry: Mapping[str, Any]) -> dict[str, Any]:
    """What a grower answered for an own kind, from its entry."""
    out = {k: entry[k] for k in ANSWERS if entry.get(k) is not None}
    if "r_max_per_day" in entry:
        crop = derive(table, entry)
        days = crop.response.days_to_half(crop.target_soil_c)
        out["half_up_d"] = round(days, 1) if days is not None else None
    return out
