"""Sun, clouds, temperature and house loads over the days of a scenario, one value a minute."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]
MINUTES_A_DAY = 1440
TURBIDITY = 3.5  # Linke
NOCT_C, POWER_PER_K = 45.0, -0.0035  # of modules: usual, from memory
CLEARNESS = {
    "clear": (0.95, 0.03),
    "mixed": (0.75, 0.22),
    "cloudy": (0.35, 0.15),
}  # share of clear-sky power: mean and spread of days


def cos_zenith(day_of_year: Floats, hour: Floats, latitude_deg: float) -> Floats:
    """Cosine of the sun's zenith angle, 0 at night; ``hour`` is local solar time.

    Notes
    -----
    Declination after Cooper (Solar Energy 12, 1969): 23.45 deg sin(360 (284 + n) / 365); good to
    about half a degree.
    """
    declination = np.radians(23.45) * np.sin(2 * np.pi * (284.0 + day_of_year) / 365.0)
    latitude, angle = np.radians(latitude_deg), np.radians(15.0 * (hour - 12.0))
    cosine = np.sin(latitude) * np.sin(declination) + np.cos(latitude) * np.cos(
        declination
    ) * np.cos(angle)
    return np.maximum(cosine, 0.0)


def clear_sky_w_m2(cos_z: Floats, day_of_year: Floats | float) -> Floats:
    """Global horizontal irradiance under a clear sky, W/m2, at sea level.

    Notes
    -----
    Ineichen and Perez (Solar Energy 73, 2002) with a Linke turbidity of 3.5, usual over the year in
    temperate places (3 in winter to 4 in summer, from memory); relative air mass of Kasten and
    Young
    (Applied Optics 28, 1989); extraterrestrial irradiance 1361 W/m2 by the distance of the sun.
    """
    up = cos_z > 0.0
    cosine = np.where(up, cos_z, 1.0)
    zenith_deg = np.degrees(np.arccos(np.minimum(cosine, 1.0)))
    airmass = 1.0 / (cosine + 0.50572 * (96.07995 - zenith_deg) ** -1.6364)
    extra = 1361.0 * (1.0 + 0.033 * np.cos(2.0 * np.pi * np.asarray(day_of_year) / 365.0))
    attenuation = np.exp(-0.0387 * airmass * (1.0 + (TURBIDITY - 1.0)))
    return np.where(up, 0.868 * extra * cosine * attenuation, 0.0)


def module_share(irradiance_w_m2: Floats, cos_z: Floats, air_c: Floats | float) -> Floats:
    """Power of a module lying flat, as a share of its peak power: less by reflection at low sun,
    and by heat.

    Notes
    -----
    Reflection by the ASHRAE incidence angle modifier, b0 = 0.05 (Souka and Safwat 1966). Cell
    temperature from the air's by NOCT 45 degC, power -0.35 %/K: usual of silicon, from memory.
    """
    up = cos_z > 0.0
    passed = np.clip(1.0 - 0.05 * (1.0 / np.where(up, cos_z, 1.0) - 1.0), 0.0, 1.0)
    cell_c = air_c + (NOCT_C - 20.0) / 800.0 * irradiance_w_m2
    share = irradiance_w_m2 / 1000.0 * passed * (1.0 + POWER_PER_K * (cell_c - 25.0))
    return np.maximum(np.where(up, share, 0.0), 0.0)


def clouds(rng: np.random.Generator, minutes: int, weather: str) -> Floats:
    """Share of the clear-sky power that comes through each minute: a level for the day, and clouds
    that pass in minutes.
    """
    mean, spread = CLEARNESS[weather]
    level = np.clip(rng.normal(mean, spread, minutes // MINUTES_A_DAY + 1), 0.08, 1.0)
    share = np.repeat(level, MINUTES_A_DAY)[:minutes]
    passing = (
        np.convolve(rng.random(minutes + 6), np.ones(6) / 6.0, mode="valid")[:minutes] - 0.5
    )  # clouds last some minutes
    return np.clip(share + 2.4 * passing * np.minimum(share, 1.0 - share), 0.03, 1.0)


def ambient_c(
    day_of_year: Floats, hour: Floats, mean_c: float, season_c: float, day_c: float
) -> Floats:
    """Air temperature around the pack: a yearly and a daily wave, coldest in mid January and before
    sunrise.
    """
    return (
        mean_c
        - season_c * np.cos(2 * np.pi * (day_of_year - 15.0) / 365.0)
        - day_c * np.cos(2 * np.pi * (hour - 4.0) / 24.0)
    )


def loads_w(
    rng: np.random.Generator,
    hour: Floats,
    base_w: float,
    fridge_w: float,
    evening_w: float,
    kettle_w: float,
) -> tuple[Floats, NDArray[np.bool_]]:
    """House loads each minute, W, and when the compressor starts: always on, a compressor that
    cycles, an evening, a kettle some times a day.
    """
    minutes = hour.size
    cycle = (np.arange(minutes) + int(rng.integers(60))) % 60
    evening = np.where((hour > 17.5) & (hour < 22.5), evening_w, 0.0) + np.where(
        (hour > 6.5) & (hour < 8.0), 0.5 * evening_w, 0.0
    )
    wobble = np.repeat(rng.uniform(0.6, 1.4, minutes // 15 + 1), 15)[:minutes]
    total = base_w + np.where(cycle < 21, fridge_w, 0.0) + evening * wobble
    for at in rng.integers(0, minutes, int(minutes / MINUTES_A_DAY * 4)):
        if 6.0 < hour[at] < 22.0:
            total[at : at + 4] += kettle_w
    return total, cycle == 0
