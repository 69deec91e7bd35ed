"""Simulated air, soil, mats and probes, in steps of five minutes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

STEP_S = 300
STEPS_A_DAY = 86_400 // STEP_S
STEPS_AN_HOUR = 3600 // STEP_S


@dataclass(frozen=True)
class Corner:
    """A spot of the house: mean air temperature, its daily swing (half of peak to trough), and how the weather gets in, °C."""

    mean_c: float
    swing_c: float
    weather_c: float
    trend_c_per_day: float = 0.0


def air(corner: Corner, local_hour: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Air temperature over time: warmest in mid-afternoon, with weather that wanders over days."""
    n = len(local_hour)
    days = np.arange(n) / STEPS_A_DAY
    knots = np.arange(0, days[-1] + 2)
    weather = np.zeros(len(knots))
    for i in range(1, len(knots)):
        weather[i] = 0.75 * weather[i - 1] + rng.normal(0, corner.weather_c)
    daily = corner.swing_c * np.cos((local_hour - 15.0) / 24 * 2 * np.pi)
    return corner.mean_c + corner.trend_c_per_day * days + daily + np.interp(days, knots, weather)


@dataclass(frozen=True)
class SimulatedMat:
    """A mat under a tray: what it can lift at most, its thermostat's set-point and how far its probe is off, °C."""

    setpoint_c: float
    lift_c: float = 11.0
    probe_off_c: float = 0.4
    hysteresis_c: float = 0.6


def soil(
    air_c: np.ndarray, rng: np.random.Generator, mat: SimulatedMat | None = None, on: np.ndarray | None = None
) -> np.ndarray:
    """Soil in a tray: follows the air within hours, lifted by its mat while the thermostat calls for it. Starts at air."""
    lag_h = float(rng.uniform(1.8, 3.5))
    step = STEP_S / 3600 / lag_h
    out = np.empty(len(air_c))
    now, heating = float(air_c[0]), False
    for i, a in enumerate(air_c):
        if mat is not None and (on is None or on[i]):
            felt = now + mat.probe_off_c
            heating = felt < mat.setpoint_c + (mat.hysteresis_c if heating else -mat.hysteresis_c)
        else:
            heating = False
        target = a - 0.4 + (mat.lift_c if heating and mat else 0.0)
        now += step * (target - now)
        out[i] = now
    return out


def probe(soil_c: np.ndarray, rng: np.random.Generator, gap_every_d: float = 9.0) -> tuple[np.ndarray, np.ndarray]:
    """What a probe writes down: (steps it wrote at, its figures). Noise, an offset, a resolution of 0.1, and gaps of hours."""
    n = len(soil_c)
    shown = np.round(soil_c + rng.normal(0, 0.12, n) + rng.normal(0, 0.25), 1)
    keep = rng.random(n) > 0.004
    for _ in range(int(rng.poisson(n / STEPS_A_DAY / gap_every_d))):
        start = int(rng.integers(0, n))
        keep[start : start + int(rng.uniform(2, 20) * STEPS_AN_HOUR)] = False
    keep[0] = keep[-1] = True
    steps = np.flatnonzero(keep)
    return steps, shown[steps]


def lamp_light(at_100_mm_umol: float, distance_mm: float) -> float:
    """Light under a panel lamp at a distance from its face: this simulator's own curve, an extended source's."""
    return float(at_100_mm_umol * (100.0**2 + 180.0**2) / (distance_mm**2 + 180.0**2))
