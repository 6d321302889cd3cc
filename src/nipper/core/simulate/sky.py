"""Sun, clouds, temperature and house loads over the days of a scenario, one value a minute."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]
MINUTES_A_DAY = 1440
TURBIDITY = 3.5  # Linke
NOCT_C, POWER_PER_K = 45.0, -0.0035  # of modules: usual, from memory
LOW_SUN = 0.065  # cosine of the zenith below which clearness says nothing: as pvlib has it
GROUND = 0.2  # what grass and earth reflect: common practice
DIFFUSE_COS = 0.5  # light from a whole sky meets a module as at 60 degrees (Brandemuehl 1980)
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


@dataclass(frozen=True, slots=True)
class Place:
    """Where modules stand and how they look: tilt against the horizon, and which way from the
    equator's direction (south in the north), + to the west. In degrees.
    """

    latitude_deg: float = 52.0
    tilt_deg: float = 0.0
    facing_deg: float = 0.0


def season_day(day_of_year: Floats, latitude_deg: float) -> Floats:
    """The day by which the seasons of a place go: half a year on south of the equator."""
    return day_of_year if latitude_deg >= 0.0 else day_of_year + 365.0 / 2.0


def cos_incidence(day_of_year: Floats, hour: Floats, place: Place) -> Floats:
    """Cosine of the angle between the sun and the modules' normal; 0 with the sun behind them.

    Notes
    -----
    Duffie and Beckman, Solar Engineering of Thermal Processes, equation 1.6.2 (from memory; held
    against pvlib in the tests). South of the equator they look north.
    """
    declination = np.radians(23.45) * np.sin(2 * np.pi * (284.0 + day_of_year) / 365.0)
    latitude, angle = np.radians(place.latitude_deg), np.radians(15.0 * (hour - 12.0))
    tilt = np.radians(place.tilt_deg)
    south = place.latitude_deg >= 0.0
    azimuth = np.radians(place.facing_deg if south else 180.0 - place.facing_deg)
    up = np.sin(declination) * np.sin(latitude) + np.cos(declination) * np.cos(latitude) * np.cos(
        angle
    )
    ahead = np.cos(declination) * np.sin(latitude) * np.cos(angle) - np.sin(declination) * np.cos(
        latitude
    )
    aside = np.cos(declination) * np.sin(angle)
    flat = np.cos(azimuth) * ahead + np.sin(azimuth) * aside
    cosine = np.cos(tilt) * up + np.sin(tilt) * flat
    return np.where(up > 0.0, np.maximum(cosine, 0.0), 0.0)


def on_plane_w_m2(
    horizontal_w_m2: Floats, day_of_year: Floats, hour: Floats, place: Place
) -> Floats:
    """Irradiance on tilted modules from that on the horizontal, W/m2.

    Notes
    -----
    The diffuse share by clearness after Erbs, Klein and Duffie (Solar Energy 28, 1982), its sky
    alike in all directions (Liu and Jordan 1963), ground that reflects a fifth.
    """
    high = cos_zenith(day_of_year, hour, place.latitude_deg)
    extra = 1361.0 * (1.0 + 0.033 * np.cos(2.0 * np.pi * day_of_year / 365.0))
    # close to the horizon the ratio of two small numbers says nothing
    above = np.maximum(high, LOW_SUN)
    clearness = np.clip(horizontal_w_m2 / (extra * above), 0.0, 1.0)
    k = clearness
    share = np.where(
        k <= 0.22,
        1.0 - 0.09 * k,
        np.where(
            k <= 0.8,
            0.9511 - 0.1604 * k + 4.388 * k**2 - 16.638 * k**3 + 12.336 * k**4,
            0.165,
        ),
    )
    diffuse = share * horizontal_w_m2
    beam = (horizontal_w_m2 - diffuse) / above
    tilt = np.radians(place.tilt_deg)
    seen = 0.5 * (1.0 + np.cos(tilt))
    ground = 0.5 * GROUND * (1.0 - np.cos(tilt))
    incident = cos_incidence(day_of_year, hour, place) * beam
    plane = incident + seen * diffuse + ground * horizontal_w_m2
    return np.where(high > 0.0, plane, 0.0)


def module_power(horizontal_w_m2: Floats, day_of_year: Floats, hour: Floats, place: Place,
                 air_c: Floats | float) -> Floats:  # fmt: skip
    """Power of modules at a place as a share of their peak power."""
    if place.tilt_deg == 0.0:
        high = cos_zenith(day_of_year, hour, place.latitude_deg)
        return module_share(horizontal_w_m2, high, air_c)
    plane = on_plane_w_m2(horizontal_w_m2, day_of_year, hour, place)
    # what comes from the whole sky meets them at some 60 degrees: never less than its share
    meets = np.maximum(cos_incidence(day_of_year, hour, place), DIFFUSE_COS)
    return module_share(plane, meets, air_c)


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
