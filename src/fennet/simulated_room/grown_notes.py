"""What the person of a simulated tray of seedlings put on record: more or less of it, as people do."""

from __future__ import annotations

from typing import Any

import numpy as np

from fennet.simulated_room.grown_life import DAY, KINDS, SHOWS, START, Grown, Life


def write_down(
    seed: int, life: Life, keen: float, rng: np.random.Generator, complaint: str | None, cause: str | None, stretch: float,
    calm: bool, fall: np.ndarray | None = None, sown_d: float | None = None, felled: int = 0,
) -> Grown:  # fmt: skip
    """What the person of this tray put on record."""
    rng = np.random.default_rng([seed, 223])
    base, *_, up_d, _ = KINDS[life.kind]
    up_d = sown_d if sown_d is not None else up_d
    end = START + (up_d + life.days) * DAY
    columns = 6
    cells = [f"r{i // columns + 1}c{i % columns + 1}" for i in range(life.cells)]
    events: list[dict[str, Any]] = []
    readings: list[dict[str, Any]] = []

    def at(day: float) -> str:
        return (START + day * DAY).isoformat(timespec="seconds")

    def read(day: float, quantity: str, value: float, unit: str, **more: Any) -> None:
        readings.append({"at": at(day), "place": "T", "quantity": quantity, "value": round(value, 1), "unit": unit, **more})

    batch: dict[str, Any] = {"id": "b1", "tray": "T", "cell_list": cells, "crop": life.kind, "sown_at": at(0), "variety": "drawn"}
    if rng.random() < keen or life.per_cell > 2:
        batch["seeds_per_cell"] = life.per_cell
    mix: dict[str, Any] = {"kind": "seed_mix"}
    if rng.random() < keen:
        mix["fed"] = life.rich
    if rng.random() < keen:
        mix["clean"] = life.clean
        if not life.clean and rng.random() < 0.5:
            mix["kind"] = "garden_soil"
    batch["mix"] = mix
    events.append({"at": at(-0.01), "kind": "placed", "tray": "T", "place": "bench"})
    lamp = {"id": "lamp", "place": "bench", "kind": "white_led", "watts": 36, "min_distance_mm": 50}
    off_min = 6 * 60 + round(life.hours * 60)
    hung: dict[str, Any] = {"at": at(-0.01), "kind": "lamp", "lamp": "lamp"}
    if rng.random() < keen or "lamp_too_far" in life.ills or "lamp_too_near" in life.ills:
        hung["height_mm"] = round(life.height_mm)
    lit = {"on": "06:00", "off": f"{off_min // 60:02}:{off_min % 60:02}"}
    if life.dark_d:
        events.append({**hung, "on": False})
        events.append({"at": at(up_d + life.dark_d), "kind": "lamp", "lamp": "lamp", **lit})
    else:
        events.append({**hung, **lit})
    events.append({"at": at(0.01), "kind": "cover", "tray": "T", "on": True})
    if life.cover_d < life.days and (rng.random() < keen or life.cover_d > 2):
        events.append({"at": at(up_d + life.cover_d), "kind": "cover", "tray": "T", "on": False})
    up = max(1, round(life.cells * float(rng.uniform(0.8, 1.0))))
    for share, day in ((0.3, 0.0), (0.8, 0.9), (1.0, 2.0)):
        if day < life.days:
            events.append({"at": at(up_d + day), "kind": "count", "batch": "b1", "cells_up": max(1, round(up * share))})
    if rng.random() < keen:
        for day in (2.0, 6.0):
            if life.dark_d + day < life.days:
                noise = float(np.exp(rng.normal(0, 0.06)))
                read(up_d + life.dark_d + day, "light", life.ppfd_umol * noise, "umol/m2/s", under="lamp")
    if rng.random() < keen:
        for day in np.arange(0.4, up_d + life.days, 0.5):
            night = round(day * 2) % 2 == 1
            warm = life.warm_c if day > up_d else (KINDS[life.kind][3] if "cool_and_slow" not in life.ills else life.warm_c)
            if "chilled" in life.ills and day < up_d + life.days - 3:
                night = False
            read(
                float(day),
                "soil_temperature",
                (life.night_c if night and day > up_d else warm) + float(rng.normal(0, 0.5)),
                "degC",
            )
    _water(life, up_d, rng, keen, read, events, at)
    fans = []
    if rng.random() < keen:
        fans = [{"id": "fan", "place": "bench" if life.fan_h > 0 else "elsewhere", "watts": 5}]
        if life.fan_h > 0:
            events.append({"at": at(-0.01), "kind": "fan", "fan": "fan", "hours_per_day": round(life.fan_h, 1)})
    if life.fed_every_d < 100 and life.days > 8:
        for day in np.arange(8.0, life.days - 1, life.fed_every_d):
            strong = life.fed_mg if day > life.days - 12 else min(life.fed_mg, 60.0)
            events.append({"at": at(up_d + float(day)), "kind": "fed", "tray": "T", "feed": "feed", "n_mg_per_l": round(strong)})
    if life.outing is not None:
        for back in (1.3, 2.3):
            hours_out, shade = life.outing
            events.append({"at": at(up_d + life.days - back), "kind": "outing", "batch": "b1", "hours": round(hours_out, 1),
                           "shade_share": shade})  # fmt: skip
    variety = float(np.exp(rng.normal(0, 0.13)))
    _heights(life, base, stretch * variety, up_d, rng, keen, events, at)
    _signs(life, complaint, cause, stretch, up_d, rng, keen, events, at, cells, fall, felled)
    places: list[dict[str, Any]] = [
        {"id": "bench", "room": "room", "kind": "shelf"},
        {"id": "elsewhere", "room": "room", "kind": "shelf"},
    ]
    journal = {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Grown tray {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}], "places": places, "lamps": [lamp], "fans": fans,
        "trays": [{"id": "T", "kind": "cells", "rows": -(-life.cells // columns), "columns": columns, "cell_ml": life.cell_ml,
                   "height_mm": 60}],
        "batches": [batch], "readings": readings, "events": sorted(events, key=lambda e: str(e["at"])),
    }  # fmt: skip
    return Grown(journal, end, complaint, cause, tuple(life.ills), None, calm)


def _water(
    life: Life, up_d: float, rng: np.random.Generator, keen: float, read: Any, events: list[dict[str, Any]], at: Any
) -> None:  # fmt: skip
    notes_water, notes_feel = rng.random() < keen, rng.random() < keen
    if "thirsty" in life.ills:
        every = 6.0
    else:
        every = 1.2 if life.wet_pct > 88 else 3.0
    how = "above" if life.above else "below"
    for day in np.arange(1.0, up_d + life.days - 0.5, every):
        if notes_water and not ("thirsty" in life.ills and day > up_d + life.days - 7):
            events.append({"at": at(float(day)), "kind": "watered", "tray": "T", "how": how, "ml": 200})
    if notes_feel:
        last_dry = "thirsty" in life.ills
        for day in np.arange(0.8, up_d + life.days, 1.0):
            wet = life.wet_pct if not last_dry or day > up_d + life.days - 5 else 60.0
            read(float(day), "moisture", max(8.0, wet + float(rng.normal(0, 5))), "percent")


def _heights(
    life: Life, base: float, stretch: float, up_d: float, rng: np.random.Generator, keen: float,
    events: list[dict[str, Any]], at: Any,
) -> None:  # fmt: skip
    """Heights by ruler now and then: this simulator's own curve of a sturdy plant, times the stretch so far."""
    if rng.random() > keen:
        return
    pace = 1.06 ** float(np.clip(life.warm_c - (KINDS[life.kind][3] - 2.5), -4, 4))
    for day in (5.0, 8.5, life.days - 0.3):
        if day > life.days:
            continue
        age = day * pace
        shape = 1.45 / (1 + np.exp(-(age - 13) / 4.2)) - 1.45 / (1 + np.exp(13 / 4.2)) + 0.28 * (1 - np.exp(-age / 2.0))
        unit = 1.45 / (1 + np.exp(1 / 4.2)) - 1.45 / (1 + np.exp(13 / 4.2)) + 0.28 * (1 - np.exp(-6.0))
        mm = base * shape / unit * stretch * float(np.exp(rng.normal(0, 0.06)))
        events.append(
            {"at": at(up_d + day), "kind": "height", "batch": "b1", "mm": max(2, round(mm)), "true_leaves": int(day // 8)}
        )


def _signs(
    life: Life, complaint: str | None, cause: str | None, stretch: float, up_d: float, rng: np.random.Generator, keen: float,
    events: list[dict[str, Any]], at: Any, cells: list[str], fall: np.ndarray | None, felled: int,
) -> None:  # fmt: skip
    late = up_d + life.days - 0.1
    if complaint == "leggy" and stretch >= 1.35 and rng.random() < 0.7 * keen:
        events.append({"at": at(late), "kind": "sign", "batch": "b1", "sign": "long_thin"})
    if complaint == "damping_off" and fall is not None:
        down = [c for c, f in zip(cells, fall, strict=True) if f <= late + 0.05]
        sign: dict[str, Any] = {"at": at(late), "kind": "sign", "batch": "b1", "sign": "fallen_pinched_base"}
        if rng.random() < 0.3 and len(down) > 3:
            sign["sign"] = "patch_down"
        if down and rng.random() < 0.5:
            sign["cell_list"] = down
        events.append(sign)
        for what, outcome, other, asked in (
            ("air_moves", "still", "moves", life.fan_h < 1), ("mix_from", "used_or_garden", "new_bag", not life.clean),
            ("cover_stayed", "stayed_on", "came_off", life.cover_d > 2),
        ):  # fmt: skip
            if rng.random() < 0.45 * keen:
                events.append(
                    {"at": at(late), "kind": "check", "batch": "b1", "what": what, "result": outcome if asked else other}
                )
        if "too_wet" in life.ills and rng.random() < 0.6:
            events.append({"at": at(late), "kind": "sign", "tray": "T", "sign": "green_film"})
    if complaint == "other" and cause is not None:
        shown = [s for s, p in SHOWS[cause].items() if rng.random() < p] or [next(iter(SHOWS[cause]))]
        for s in shown:
            events.append({"at": at(late), "kind": "sign", "batch": "b1", "sign": s})
        if rng.random() < 0.6 * keen:
            _one_look(life, cause, rng, events, at(late))
    if complaint is None and rng.random() < 0.06:
        events.append({"at": at(late), "kind": "sign", "tray": "T", "sign": str(rng.choice(["green_film", "white_fluff"]))})


def _one_look(life: Life, cause: str, rng: np.random.Generator, events: list[dict[str, Any]], when: str) -> None:
    """One question answered, as a person who was asked would."""
    looks = {
        "hungry": ("was_fed", "never"), "overfed": ("new_leaves", "marked"), "too_much_light": ("new_leaves", "pale_too"),
        "lamp_too_near": ("under_lamp", "near"), "cold_roots": ("soil_now", "cold"), "airless_mix": ("roots", "brown_soft"),
        "overwatered": ("roots", "brown_soft"), "thirsty": ("mix_feel", "dust_dry"), "root_bound": ("roots", "circling"),
        "sun_scald": ("went_out", "in_sun"), "wind_burn": ("went_out", "in_wind"), "chilled": ("went_out", "in_cold"),
        "gnats": ("mix_feel", "dark"), "aphids": ("leaf_backs", "insects"),
    }  # fmt: skip
    if cause in looks and rng.random() < 0.85:
        what, result = looks[cause]
        events.append({"at": when, "kind": "check", "batch": "b1", "what": what, "result": result})
