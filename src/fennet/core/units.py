"""Units: what comes in, and the one canonical unit of each quantity.

Canonical: °C, µmol m⁻² s⁻¹, h, percent of container capacity, mm. Conversions are arrays in, arrays out, so that a
million readings cost milliseconds; the tests hold each factor against an independent units library.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fennet.core.kinds import UNITS_OF
from fennet.core.records import Calibration, FloatArray, Lamp

#: Illuminance per photon flux, lux per µmol m⁻² s⁻¹. Source: thimijan_heins_1983, white LED: starting_estimate.
LUX_PER_PPFD: dict[str, float | None] = {
    "daylight": 54.0, "incandescent": 50.0, "white_led": 67.0, "fluorescent_cool": 74.0, "fluorescent_warm": 76.0,
    "hps": 82.0, "metal_halide": 71.0, "hot_tube": 74.0, "red_blue_led": None,
}  # fmt: skip
#: A foot-candle is one lumen on a square foot: 1 / 0.3048² lux, exactly.
LUX_PER_FOOT_CANDLE = 1 / 0.3048**2
#: Five steps of feel in percent of capacity, ± 10. Source: starting_estimate.
FEEL_PCT = np.array([15.0, 50.0, 65.0, 85.0, 110.0])

#: The canonical unit of each quantity, as it is written.
CANONICAL_UNIT: dict[str, str] = {
    "soil_temperature": "°C", "air_temperature": "°C", "outdoor_temperature": "°C", "light": "µmol m⁻² s⁻¹", "photoperiod": "h",
    "lamp_on": "", "moisture": "% of capacity", "humidity": "%", "height": "mm",
}  # fmt: skip

#: Units of light as the eye sees it, which need to know the lamp to be told as plants use it.
IN_LUX = ("lux", "klux", "fc")
#: What may be given at all, of any unit, and of those that say nothing of a quantity until they are calibrated.
GIVEN_MOST = 1e7
GIVEN_RANGE: dict[str, tuple[float, float]] = {"g": (0.0, 100_000.0)}
#: What can be true of a canonical figure at all; outside it a reading is a fault, not a fact.
CREDIBLE: dict[str, tuple[float, float]] = {
    "soil_temperature": (-30.0, 80.0),
    "air_temperature": (-60.0, 80.0),
    "outdoor_temperature": (-80.0, 65.0),
    "light": (0.0, 4000.0),
    "photoperiod": (0.0, 24.0),
    "lamp_on": (0.0, 1.0),
    "moisture": (-10.0, 135.0),
    "humidity": (0.0, 100.0),
    "height": (0.0, 5000.0),
}


def celsius(value: FloatArray | float, unit: str) -> FloatArray:
    """Temperature in °C from °C or °F.

    Range: any. Raises ValueError for another unit.

    >>> float(celsius(64.4, "degF"))
    18.0
    """
    if unit == "degC":
        return np.asarray(value, dtype=float)
    if unit == "degF":
        return np.round((np.asarray(value, dtype=float) - 32.0) * 5.0 / 9.0, 10)
    raise ValueError(f"temperature in {unit!r}; accepted: degC, degF")


def fahrenheit(value_c: float) -> float:
    """°F from °C.

    >>> fahrenheit(18.0)
    64.4
    """
    return round(value_c * 9.0 / 5.0 + 32.0, 10)


def lux_factor(lamp: Lamp) -> float | None:
    """Lux per µmol m⁻² s⁻¹ of a lamp: its own, else its kind's; None where lux mean nothing. Source: thimijan_heins_1983.

    >>> lux_factor(Lamp(id="l", kind="white_led"))
    67.0
    """
    return lamp.lux_per_ppfd or LUX_PER_PPFD.get(lamp.kind or "")


def ppfd(
    value: FloatArray | float, unit: str, under: str | None, lamp: Lamp | None = None, shone: FloatArray | None = None
) -> FloatArray | None:
    """Photon flux density in µmol m⁻² s⁻¹ from a light reading, or None where it cannot be known.

    `under` is "daylight", a lamp's id or None; `lamp` is the lamp so named. Lux need a spectrum: the lamp's own
    factor, else its kind's. Where `under` says nothing, `shone` may give the lux per µmol of what hung over each reading (NaN
    where that is not known). Under red-and-blue lamps lux mean nothing, and under an unknown lamp they are not guessed.
    Source: thimijan_heins_1983.

    >>> float(ppfd(5400.0, "lux", "daylight"))
    100.0
    """
    array = np.asarray(value, dtype=float)
    if unit == "umol/m2/s":
        return array
    factor: float | FloatArray | None = LUX_PER_PPFD["daylight"] if under == "daylight" else shone if under is None else None
    if lamp is not None:
        factor = lux_factor(lamp)
    if factor is None:
        return None
    lux = array * {"lux": 1.0, "klux": 1000.0, "fc": LUX_PER_FOOT_CANDLE}[unit]
    return np.asarray(lux / factor)


def moisture_pct(value: FloatArray, unit: str, at_s: FloatArray, calibrations: Sequence[Calibration]) -> FloatArray:
    """Moisture in percent of container capacity; NaN where no calibration holds yet.

    Percent as given; feel by the five steps; weight and raw by the calibration in force at each reading's time (the
    first one also reaches back, so that a scale calibrated late still speaks of the past). Source: starting_estimate.

    >>> moisture_pct(np.array([2.0]), "feel", np.array([0.0]), [])
    array([50.])
    """
    array = np.asarray(value, dtype=float)
    if unit == "percent":
        return array
    if unit == "feel":
        return np.asarray(np.interp(array, np.arange(1, 6), FEEL_PCT))
    out = np.full(array.shape, np.nan)
    mine = sorted(
        (c for c in calibrations if c.quantity == "moisture" and (c.unit or "raw") == unit and c.capacity != c.dry),
        key=lambda c: c.from_at.timestamp() if c.from_at else float("-inf"),
    )
    for i, c in enumerate(mine):
        start = float("-inf") if i == 0 or c.from_at is None else c.from_at.timestamp()
        held = at_s >= start
        out[held] = (array[held] - c.dry) / (c.capacity - c.dry) * 100.0
    return out


def canonical(
    quantity: str, value: FloatArray, unit: str, at_s: FloatArray, under: str | None = None, lamp: Lamp | None = None,
    calibrations: Sequence[Calibration] = (), shone: FloatArray | None = None,
) -> FloatArray:  # fmt: skip
    """Readings of one quantity and unit in the canonical unit; NaN where the figure cannot be known (yet).

    Raises ValueError for a quantity or unit that is not in the lists.

    >>> canonical("height", np.array([2.0]), "in", np.array([0.0]))
    array([50.8])
    """
    if quantity not in UNITS_OF:
        raise ValueError(f"quantity {quantity!r}; accepted: {', '.join(UNITS_OF)}")
    if unit not in UNITS_OF[quantity]:
        raise ValueError(f"unit {unit!r} for {quantity}; accepted: {', '.join(UNITS_OF[quantity])}")
    if quantity.endswith("temperature"):
        return celsius(value, unit)
    if quantity == "light":
        out = ppfd(value, unit, under, lamp, shone)
        return np.full(np.shape(value), np.nan) if out is None else out
    if quantity == "moisture":
        return moisture_pct(value, unit, at_s, calibrations)
    if quantity == "height":
        return np.asarray(np.asarray(value, dtype=float) * {"mm": 1.0, "cm": 10.0, "in": 25.4}[unit])
    return np.asarray(value, dtype=float)
