"""Light on a window sill where nobody read it: by the way the window faces, the season and the latitude, roughly."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

import numpy as np

from fennet.core.records import Garden, Place
from fennet.core.working import Input, Working

#: Sun above the air, W/m²; what of it a clear sky lets through at the zenith, and how that falls with the air it passes. Source:
#: kasten_czeplak_1980, arithmetic.
SOLAR_W_M2, CLEAR, AIR_POWER = 1367.0, 0.7, 0.678
#: Sky light of a clear and a covered sky, of what falls on level ground without cloud. Source: starting_estimate.
SKY_CLEAR, SKY_COVERED = 0.12, 0.3
#: µmol of light that plants use in a joule of sun. Source: thimijan_heins_1983.
UMOL_PER_J = 2.06
#: What passes clean double glass; what of the sky a leaf on the sill sees; what of the sun frame, wall and the house over the way
#: leave it. Source: starting_estimate.
GLASS, SKY_SEEN, SUN_SEEN = 0.72, 0.32, 0.55
#: Cloud cover of ordinary weather, and of a dim week. Source: starting_estimate.
USUAL_CLOUD, DIM_CLOUD = 0.65, 0.95
#: How rough it is, log sd: with the window's side known, and without. Source: starting_estimate.
FACED_SD, UNFACED_SD = 0.45, 0.7
#: Growth follows daily light by this power. Source: starting_estimate.
LIGHT_POWER = 0.5


@dataclass(frozen=True)
class WindowLight:
    """Daily light on a sill (mol m⁻² d⁻¹) with its log sd, and in a dim week; `working` how it came about."""

    mol: float
    log_sd: float
    dim_mol: float
    working: Working

    def dim_week_costs_d(self) -> float:
        """Days of growth that a dim week costs against an ordinary one. Source: starting_estimate."""
        return 7.0 * (1.0 - (self.dim_mol / self.mol) ** LIGHT_POWER) if self.mol > 0 else 0.0


def window_light(garden: Garden, place: Place, day: date) -> WindowLight | None:
    """Daily light that a sill usually has on a day, indoors behind glass; None where the latitude is not known. A window of which
    nobody said how it faces may face any way. Source: kasten_czeplak_1980 (cloud), starting_estimate (glass, frame, sky seen).

    >>> south = Place(id="s", kind="sill", facing_deg=180.0)
    >>> found = window_light(Garden(latitude=52.0), south, date(2026, 2, 20))
    >>> 1.0 < found.mol < 8.0
    True
    """
    if garden.latitude is None:
        return None
    faces = place.facing_deg
    sides = (faces,) if faces is not None else tuple(float(x) for x in range(0, 360, 45))
    n = day.timetuple().tm_yday
    usual, dim = (float(np.mean([_mol(garden.latitude, x, n, cloud) for x in sides])) for cloud in (USUAL_CLOUD, DIM_CLOUD))
    log_sd = FACED_SD if faces is not None else UNFACED_SD
    working = Working(
        "light of the window",
        (
            Input("latitude", round(garden.latitude, 1), "°"),
            Input(
                "the window faces", faces if faces is not None else None, "°", "" if faces is not None else "not said: any way"
            ),
            Input("cloud", USUAL_CLOUD, "share", "starting_estimate", True),
            Input("in a dim week", round(dim, 1), "mol m⁻² d⁻¹"),
        ),
        "sun and sky of the day through ordinary cloud, what the glass lets through, and what of both a leaf on the sill sees",
        ("kasten_czeplak_1980", "thimijan_heins_1983", "starting_estimate"),
        f"a sill with nothing close in front; give or take a factor of {math.exp(1.2816 * log_sd):.1f}",
        round(usual, 1),
        "mol m⁻² d⁻¹",
    )
    return WindowLight(usual, log_sd, dim, working)


@lru_cache(maxsize=20_000)
def _mol(latitude: float, facing_deg: float, day_of_year: int, cloud: float) -> float:
    """Mol a day on a leaf behind a window, by the hour."""
    hour_angle = np.radians(15.0 * (np.arange(0.125, 24.0, 0.25) - 12.0))
    declination = math.radians(23.45) * math.sin(2 * math.pi * (284 + day_of_year) / 365)
    phi = math.radians(latitude)
    sin_up = math.sin(phi) * math.sin(declination) + math.cos(phi) * math.cos(declination) * np.cos(hour_angle)
    up = np.maximum(sin_up, 0.0)
    # Towards the south and towards the west, of a unit towards the sun.
    south = math.sin(phi) * math.cos(declination) * np.cos(hour_angle) - math.cos(phi) * math.sin(declination)
    west = math.cos(declination) * np.sin(hour_angle)
    side = math.radians(facing_deg - 180.0)
    in_front = np.maximum(south * math.cos(side) + west * math.sin(side), 0.0)
    air = 1.0 / np.maximum(up, 0.05)
    direct = np.where(up > 0, SOLAR_W_M2 * CLEAR ** (air**AIR_POWER), 0.0)
    level = direct * up
    through = 1.0 - 0.75 * cloud**3.4
    sky = level * through * (SKY_CLEAR * (1 - cloud) + SKY_COVERED * cloud)
    # A low sun shines far in, a high one falls on the sill alone: what meets a level leaf is what meets the ground, where it
    # stands in front of the window at all.
    sun = level * (1 - cloud) * np.minimum(1.0, in_front / np.maximum(np.hypot(south, west), 1e-6))
    umol = UMOL_PER_J * GLASS * (SUN_SEEN * sun + SKY_SEEN * sky)
    return float(umol.sum() * 900.0 / 1e6)
