"""Load and search the crop table; derive a grower's own kinds from it."""

from __future__ import annotations

import csv
import difflib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, fields, replace
from functools import lru_cache
from importlib.resources import files
from typing import Any

from fennet.core.bounds import is_plain_text
from fennet.core.crop import BED_UNITS, FIGURE_UNITS, PLANTING_UNITS, BandFigures, Bed, Crop, Planting
from fennet.core.growth import GROWTH_UNITS, Growth

#: Which source column answers for which figures.
SOURCE_COLUMNS: dict[str, tuple[str, ...]] = {
    "response_source": ("t_base_c", "t_lo_c", "t_hi_c", "t_ceil_c", "r_max_per_day"),
    "share_source": ("share_none_below_c", "share_full_from_c", "share_full_to_c", "share_none_at_c"),
    "spread_source": ("wait_sigma",),
    "depth_source": ("depth_mm",),
    "habit_source": ("covered_share", "untreated_share"),
    "storage_source": ("half_life_y",),
    "target_source": ("soil_low_c", "soil_ideal_low_c", "soil_ideal_high_c", "soil_high_c"),
}
GROWERS_OWN = "growers_own"
#: No figure of a crop, in whatever unit, is larger.
MOST_FIGURE = 10_000
GROWTH_FIELDS = {f.name for f in fields(Growth)} - {"source"}
BED_FIELDS = {f.name for f in fields(Bed)} - {"source", "own"}


@dataclass(frozen=True)
class Source:
    key: str
    kind: str
    citation: str


class UnknownCrop(LookupError):
    """No such crop; carries the nearest ones to offer."""

    def __init__(self, given: str, nearest: list[str]) -> None:
        self.given, self.nearest = given, nearest
        offer = f"; nearest: {', '.join(nearest)}" if nearest else ""
        super().__init__(f"no crop {given!r}{offer}")


def plain(name: str) -> str:
    """How names are compared: case, spaces, hyphens and underscores alike.

    >>> plain("Pak-Choi") == plain("pak_choi")
    True
    """
    return "_".join(name.strip().lower().replace("-", " ").replace("_", " ").split())


class CropTable:
    """Crops by id, name or synonym; a garden's own kinds can be added on top."""

    def __init__(self, crops: Iterable[Crop]) -> None:
        self._by_id = {c.id: c for c in crops}
        self._by_name: dict[str, str] = {}
        for crop in self._by_id.values():
            for name in (crop.id, crop.name, *crop.synonyms):
                self._by_name.setdefault(plain(name), crop.id)

    def __iter__(self) -> Iterator[Crop]:
        return iter(self._by_id.values())

    def __len__(self) -> int:
        return len(self._by_id)

    def get(self, name: str) -> Crop:
        """The crop of this id, name or synonym; a simple plural is understood. Raises UnknownCrop."""
        key = plain(name)
        for guess in (key, key.removesuffix("s"), key.removesuffix("es")):
            if guess in self._by_name:
                return self._by_id[self._by_name[guess]]
        near = difflib.get_close_matches(key, self._by_name, n=6, cutoff=0.55)
        raise UnknownCrop(name, list(dict.fromkeys(self._by_id[self._by_name[n]].name for n in near))[:3])

    def names(self) -> frozenset[str]:
        """Every id, name and synonym, as `plain` writes them."""
        return frozenset(self._by_name)

    def search(self, text: str) -> list[Crop]:
        """Crops whose id, name or a synonym holds a text; where none does, those whose names are spelt most like it.

        >>> [c.id for c in shipped().search("laetuce")][:1], [c.id for c in shipped().search("gai lan")]
        (['lettuce'], ['kailaan'])
        """
        key = plain(text)
        if not key:
            return list(self)
        held = dict.fromkeys(id for name, id in self._by_name.items() if key in name)
        # Who types a whole name means that one first.
        exact = self._by_name.get(key)
        found = dict.fromkeys([exact] if exact else []) | held
        if not found:
            near = difflib.get_close_matches(key.removesuffix("s"), self._by_name, n=8, cutoff=0.6)
            words = [
                n
                for part in key.split("_")
                if len(part) > 3
                for n in difflib.get_close_matches(part, self._by_name, n=2, cutoff=0.75)
            ]
            found = dict.fromkeys(self._by_name[n] for n in [*near, *words])
        return [self._by_id[id] for id in found]

    def with_own(self, own: Iterable[Mapping[str, Any]]) -> CropTable:
        """This table and the grower's own kinds. Raises ValueError for a kind that cannot be read."""
        table = CropTable(self._by_id.values())
        for entry in own:
            crop = derive(table, entry)
            table = (
                CropTable([*table._by_id.values(), crop])
                if crop.id not in table._by_id
                else CropTable([crop if c.id == crop.id else c for c in table._by_id.values()])
            )
        return table


def derive(table: CropTable, entry: Mapping[str, Any]) -> Crop:
    """A grower's own kind: like another crop but for the fields given. Raises ValueError naming the field."""
    if not entry.get("id"):
        raise ValueError("id: missing; accepted: a name for the kind")
    for key in ("id", "like", "name"):
        value = entry.get(key)
        if value is not None and not (isinstance(value, str) and len(value) <= 64 and is_plain_text(value)):
            raise ValueError(f"{key}: {str(value)[:40]!r}; accepted: a text of up to 64 letters")
    base_name = entry.get("like") or entry["id"]
    try:
        base = table.get(str(base_name))
    except UnknownCrop as e:
        raise ValueError(f"like: {e}; accepted: a crop of the table") from e
    known = {f.name for f in fields(Crop)} - {"id", "sources", "estimates", "synonyms", "bands", "planting", "bed", "growth"}
    changes: dict[str, Any] = {}
    planting: dict[str, Any] = {}
    growth: dict[str, Any] = {}
    bed: dict[str, Any] = {}
    for key, value in entry.items():
        if value is None or (key not in known and key not in (*PLANTING_UNITS, *GROWTH_FIELDS, *BED_FIELDS, "hardiness")):
            continue
        unit = FIGURE_UNITS.get(key) or PLANTING_UNITS.get(key) or GROWTH_UNITS.get(key) or BED_UNITS.get(key)
        if unit and (isinstance(value, bool) or not isinstance(value, int | float)):
            raise ValueError(f"{key}: {value!r}; accepted: a number in {unit}")
        if unit and not abs(value) <= MOST_FIGURE:
            raise ValueError(f"{key}: {str(value)[:40]}; accepted: a number in {unit}, up to {MOST_FIGURE:,}")
        kept = changes if key in known else growth if key in GROWTH_FIELDS else bed if key in BED_FIELDS else planting
        if key == "eaten_by":
            kept[key] = tuple(str(v) for v in value) if isinstance(value, list) else tuple(str(value).split(";"))
            continue
        kept[key] = float(value) if unit else value if isinstance(value, bool) else str(value)
    crop = replace(
        base,
        id=str(entry["id"]),
        name=str(changes.pop("name", str(entry["id"]).replace("_", " "))),
        synonyms=(),
        planting=replace(base.planting, **planting, own=base.planting.own | set(planting)),
        bed=replace(base.bed, **bed, own=base.bed.own | set(bed)),
        growth=replace(base.growth, **growth, source=GROWERS_OWN if growth else base.growth.source),
        sources={**base.sources, **dict.fromkeys(changes, GROWERS_OWN)},
        estimates=(base.estimates | {f for f in FIGURE_UNITS if f not in changes}) if entry.get("like") else base.estimates,
        **changes,
    )
    problems = check(crop)
    if problems:
        raise ValueError("; ".join(problems))
    return crop


def check(crop: Crop) -> list[str]:
    """What is wrong with a crop's figures, in words; empty when they hold together."""
    problems = []
    if not crop.t_base_c < crop.t_lo_c <= crop.t_hi_c < crop.t_ceil_c:
        problems.append("t_base_c < t_lo_c <= t_hi_c < t_ceil_c must hold")
    if not crop.share_none_below_c < crop.share_full_from_c <= crop.share_full_to_c < crop.share_none_at_c:
        problems.append("share_none_below_c < share_full_from_c <= share_full_to_c < share_none_at_c must hold")
    if not crop.soil_low_c <= crop.soil_ideal_low_c <= crop.soil_ideal_high_c <= crop.soil_high_c:
        problems.append("soil_low_c <= soil_ideal_low_c <= soil_ideal_high_c <= soil_high_c must hold")
    for name in ("r_max_per_day", "wait_sigma", "half_life_y"):
        if getattr(crop, name) <= 0:
            problems.append(f"{name} must be above 0")
    for name in ("covered_share", "untreated_share"):
        if not 0 <= getattr(crop, name) <= 1:
            problems.append(f"{name} must be from 0 to 1")
    if crop.depth_mm < 0:
        problems.append("depth_mm must be 0 or more")
    problems += crop.planting.faults() + crop.bed.faults()
    return problems


def _read(name: str) -> list[dict[str, str]]:
    with files("fennet.crops").joinpath(name).open(encoding="utf-8") as f:
        return list(csv.DictReader(f))


@lru_cache
def load_sources() -> dict[str, Source]:
    """Every source key with its kind (measured, rule, estimated) and citation."""
    return {r["key"]: Source(r["key"], r["kind"], r["citation"]) for r in _read("sources.csv")}


def trials() -> dict[str, list[tuple[float, float]]]:
    """Trial cells by crop: (soil °C, days to half emerged)."""
    out: dict[str, list[tuple[float, float]]] = {}
    for r in _read("trials.csv"):
        out.setdefault(r["crop"], []).append((float(r["soil_c"]), float(r["days_to_half_emerged"])))
    return out


def share_trials() -> dict[str, list[tuple[float, float]]]:
    """Trial cells by crop: (soil °C, share of the crop's best share that came)."""
    out: dict[str, list[tuple[float, float]]] = {}
    for r in _read("share_trials.csv"):
        out.setdefault(r["crop"], []).append((float(r["soil_c"]), float(r["share_of_best"])))
    return out


def same_species() -> dict[str, str]:
    """Crop → the crop of the same species whose trials speak for it too."""
    return {r["id"]: r["kin"] for r in _read("crops.csv") if r["kin"]}


def group_shapes() -> dict[str, str]:
    """The response shape (core.response.SHAPES) that each crop is pulled to."""
    return {r["id"]: r["shape"] for r in _read("crops.csv")}


@lru_cache
def band_table() -> dict[str, dict[tuple[str, str], BandFigures]]:
    """Bands by group or crop id, then by (stage, quantity)."""
    kinds = load_sources()
    out: dict[str, dict[tuple[str, str], BandFigures]] = {}
    for r in _read("bands.csv"):
        figures = {
            k: float(r[k]) if r[k] else None for k in ("low", "high", "ideal_low", "ideal_high", "night_low", "night_high")
        }
        low, high, night_low, night_high = (figures[k] for k in ("low", "high", "night_low", "night_high"))
        assert low is not None and high is not None
        out.setdefault(r["of"], {})[r["stage"], r["quantity"]] = BandFigures(
            low,
            high,
            r["source"],
            figures["ideal_low"],
            figures["ideal_high"],
            (night_low, night_high) if night_low is not None and night_high is not None else None,
            float(r["least"]) if r["least"] else None,
            r["warning"],
            kinds[r["source"]].kind == "estimated",
        )
    return out


def _planting() -> dict[str, Planting]:
    out = {}
    for r in _read("planting.csv"):
        figures: dict[str, Any] = {name: float(r[name]) for name in PLANTING_UNITS if r[name]}
        out[r["id"]] = Planting(hardiness=r["hardiness"], source=r["source"], **figures)
    return out


def _beds() -> dict[str, Bed]:
    out = {}
    for r in _read("bed.csv"):
        eaten_by = tuple(x for x in r["eaten_by"].split(";") if x)
        figures: dict[str, Any] = {name: float(r[name]) for name in BED_UNITS}
        words: dict[str, Any] = {
            name: r[name] for name in ("set", "support", "gives", "form", "flowers", "counted_from", "source")
        }
        out[r["id"]] = Bed(eaten_by=eaten_by, **words, **figures)
    return out


def growth_table() -> dict[str, Growth]:
    """Growth as a seedling by group or crop id."""
    return {
        r["of"]: Growth(
            float(r["height_12d_mm"]), r["stem"], r["topping"] == "yes", r["pricks_out"] == "yes", float(r["leaf_days"]),
            r["purple"], r["source"],
        )
        for r in _read("growth.csv")
    }  # fmt: skip


@lru_cache
def shipped() -> CropTable:
    """The crop table as shipped."""
    kinds, planting, beds, growth = load_sources(), _planting(), _beds(), growth_table()
    crops = []
    for row in _read("crops.csv"):
        sources = {figure: row[column] for column, figures in SOURCE_COLUMNS.items() for figure in figures}
        crops.append(
            Crop(
                id=row["id"],
                name=row["name"],
                synonyms=tuple(s for s in row["synonyms"].split(";") if s),
                family=row["family"],
                group=row["group"],
                seed_leaf=row["seed_leaf"],
                seed_light=row["seed_light"],
                pretreatment=row["pretreatment"],
                caution=row["caution"],
                bands={**band_table().get(row["group"], {}), **band_table().get(row["id"], {})},
                planting=planting[row["id"]],
                bed=beds[row["id"]],
                growth=growth.get(row["id"], growth[row["group"]]),
                sources=sources,
                estimates=frozenset(f for f, key in sources.items() if kinds[key].kind == "estimated"),
                here=None,
                **{figure: float(row[figure]) for figure in FIGURE_UNITS},
            )
        )
    return CropTable(crops)
