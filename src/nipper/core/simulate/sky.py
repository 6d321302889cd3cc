"""Sun, clouds, temperature and house loads over the days of a scenario, one value a step."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]
CLEARNESS = {"clear": (0.95, 0.03), "mixed": (0.75, 0.22), "cloudy": (0.35, 0.15)}  # share of clear-sky power: mean and spread of days


def cos_zenith(day_of_year: Floats, hour: Floats, latitude_deg: float) -> Floats:
    """Cosine of the sun's zenith angle, 0 at night; ``hour`` is local solar time.

    Notes
    -----
    Declination after Cooper (Solar Energy 12, 1969): 23.45 deg sin(360 (284 + n) / 365); good to about half a degree.
    """
    declination = np.radians(23.45) * np.sin(2 * np.pi * (284.0 + day_of_year) / 365.0)
    latitude, angle = np.radians(latitude_deg), np.radians(15.0 * (hour - 12.0))
    cosine = np.sin(latitude) * np.sin(declination) + np.cos(latitude) * np.cos(declination) * np.cos(angle)
    return np.maximum(cosine, 0.0)


def clear_sky_w_m2(cos_z: Floats) -> Floats:
    """Global horizontal irradiance under a clear sky, W/m2: Haurwitz (J. Meteorology 2, 1945), 1098 cos z exp(-0.057 / cos z)."""
    up = cos_z > 0.0
    return np.where(up, 1098.0 * cos_z * np.exp(-0.057 / np.where(up, cos_z, 1.0)), 0.0)


def clouds(rng: np.random.Generator, steps: int, step_s: float, weather: str) -> Floats:
    """Share of the clear-sky power that comes through at each step: a level for the day, and clouds that pass in minutes."""
    mean, spread = CLEARNESS[weather]
    steps_a_day = round(86400.0 / step_s)
    level = np.clip(rng.normal(mean, spread, steps // steps_a_day + 1), 0.08, 1.0)
    minutes = max(1, round(60.0 / step_s))
    passing = rng.random(steps // minutes + 1)
    kernel = np.ones(6) / 6.0  # clouds last some minutes
    passing = np.convolve(passing, kernel, mode="same")
    share = np.repeat(level, steps_a_day)[:steps]
    flutter = np.repeat(passing, minutes)[:steps] - 0.5
    return np.clip(share + 1.2 * flutter * np.minimum(share, 1.0 - share) * 2.0, 0.03, 1.0)


def ambient_c(day_of_year: Floats, hour: Floats, mean_c: float, season_c: float, day_c: float) -> Floats:
    """Air temperature around the pack: a yearly and a daily wave, coldest in mid January and before sunrise."""
    return mean_c - season_c * np.cos(2 * np.pi * (day_of_year - 15.0) / 365.0) - day_c * np.cos(2 * np.pi * (hour - 4.0) / 24.0)


def loads_w(rng: np.random.Generator, hour: Floats, step_s: float, base_w: float, fridge_w: float, evening_w: float, kettle_w: float) -> Floats:
    """House loads at each step, W: always on, a compressor that cycles, an evening, and a kettle a few times a day."""
    steps = hour.size
    fridge_steps = max(2, round(3600.0 / step_s))
    fridge = np.where((np.arange(steps) + int(rng.integers(fridge_steps))) % fridge_steps < fridge_steps * 0.35, fridge_w, 0.0)
    evening = np.where((hour > 17.5) & (hour < 22.5), evening_w, 0.0) + np.where((hour > 6.5) & (hour < 8.0), 0.5 * evening_w, 0.0)
    wobble = np.repeat(rng.uniform(0.6, 1.4, steps // max(1, round(900.0 / step_s)) + 1), max(1, round(900.0 / step_s)))[:steps]
    total = base_w + fridge + evening * wobble
    kettle_steps = max(1, round(240.0 / step_s))
    for _ in range(int(steps * step_s / 86400.0 * 4)):
        at = int(rng.integers(steps))
        if 6.0 < hour[at] < 22.0:
            total[at : at + kettle_steps] += kettle_w
    return total
