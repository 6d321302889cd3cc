"""Writes clear_sky.csv: irradiance and power of a flat module by pvlib 0.16.1 (pip install
pvlib==0.16.1).

Ineichen and Perez (Solar Energy 73, 2002) at sea level, Linke turbidity 3.5, air mass of Kasten and
Young (1989), without the Perez enhancement; extraterrestrial irradiance of Spencer (1971); ASHRAE
incidence angle modifier with b0 = 0.05; cell temperature by NOCT 45 degC; power by -0.35 %/K. Not
run by the tests.
"""

import csv
from pathlib import Path

import numpy as np
import pvlib

COLUMNS = (
    "day_of_year",
    "zenith_deg",
    "air_c",
    "airmass",
    "extra_w_m2",
    "ghi_w_m2",
    "iam",
    "cell_c",
    "power_share",
)


def rows():
    """One row a day, zenith and air temperature."""
    for day in (15, 80, 172, 265, 355):
        extra = float(
            pvlib.irradiance.get_extra_radiation(day, method="spencer", solar_constant=1361.0)
        )
        for zenith in (0, 20, 40, 55, 65, 75, 82, 86):
            airmass = float(pvlib.atmosphere.get_relative_airmass(zenith, "kastenyoung1989"))
            ghi = float(pvlib.clearsky.ineichen(zenith, airmass, 3.5, 0.0, extra, False)["ghi"])
            iam = float(pvlib.iam.ashrae(zenith, 0.05))
            for air_c in (-5.0, 25.0):
                cell_c = air_c + (45.0 - 20.0) / 800.0 * ghi
                power = ghi * iam / 1000.0 * (1.0 - 0.0035 * (cell_c - 25.0))
                yield (day, zenith, air_c, airmass, extra, ghi, iam, cell_c, power)


if __name__ == "__main__":
    with Path(__file__).with_name("clear_sky.csv").open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(COLUMNS)
        writer.writerows([np.round(v, 6) for v in row] for row in rows())
