"""What temperature a bath of ice has, and whether it can prove a cutoff at all.

A test that does not trip proves nothing until the bath's temperature is known.
"""

from dataclasses import dataclass

import numpy as np

from nipper.core.setup import TemperatureLimit

# freezing point of brine, degC, by % of salt in the mass: CRC Handbook of Chemistry and Physics,
# from memory; beside ice the bath is at it
FREEZING = (
    (0.0, 0.0),
    (1.0, -0.59),
    (2.0, -1.19),
    (3.0, -1.79),
    (4.0, -2.41),
    (5.0, -3.05),
    (6.0, -3.70),
    (7.0, -4.38),
    (8.0, -5.08),
    (9.0, -5.81),
    (10.0, -6.56),
    (12.0, -8.18),
    (14.0, -9.94),
    (16.0, -11.89),
    (18.0, -14.04),
    (20.0, -16.46),
    (22.0, -19.18),
    (23.3, -21.1),
)
EUTECTIC_PCT, EUTECTIC_C = FREEZING[-1]
FREEZER_C = -18.0  # a household freezer; common practice
# how much colder than the trip a bath should be: a sensor reads in whole degrees and lags; common
# practice
ROOM_K = 2.0
DILUTES_K = 1.0  # melting ice thins the brine while one works: common practice


@dataclass(frozen=True, slots=True)
class Bath:
    """A bath: its words, and between what its temperature is."""

    title: str
    low_c: float
    high_c: float
    how: str


def brine_c(salt_pct: float) -> float:
    """Temperature of crushed ice in salt water, stirred, degC; ``salt_pct`` of the mass of water
    and salt. Beyond the eutectic no colder.
    """
    salt, degrees = zip(*FREEZING, strict=True)
    return float(np.interp(salt_pct, salt, degrees))


def salt_for_c(target_c: float) -> float | None:
    """How much salt, % of the mass of water and salt, makes ice water so cold; None below the
    eutectic.
    """
    if target_c < EUTECTIC_C:
        return None
    salt, degrees = zip(*FREEZING, strict=True)
    return float(np.interp(-target_c, [-d for d in degrees], salt))


def grams_per_kg_water(salt_pct: float) -> float:
    """Grams of salt for each kilogram of water."""
    return 1000.0 * salt_pct / (100.0 - salt_pct)


def ice_water() -> Bath:
    """Plain ice water."""
    return Bath(
        "ice water",
        0.0,
        0.5,
        "Crushed ice with a little water, stirred: it stays at 0 °C as long as there is ice.",
    )


def salted_ice(salt_pct: float) -> Bath:
    """Ice in salt water."""
    cold = brine_c(salt_pct)
    how = (
        f"Crushed ice in water with {grams_per_kg_water(salt_pct):.0f} g of salt a litre, "
        "stirred. Melting ice thins it: keep a thermometer in it."
    )
    return Bath(f"ice with {salt_pct:g} % salt", cold, cold + DILUTES_K, how)


def freezer_mix() -> Bath:
    """A strong salt mix from the freezer."""
    how = (
        "Water with 300 g of salt a litre, two hours in the freezer: it stays liquid and "
        "comes to the freezer's own temperature."
    )
    return Bath("strong salt mix from the freezer", FREEZER_C, -10.0, how)


def judge(bath: Bath, limit: TemperatureLimit | None) -> tuple[str, str]:
    """Whether a bath can trip a cutoff: ``ok``, ``watch`` (perhaps) or ``act`` (it cannot), and the
    sentence.
    """
    if limit is None:
        return (
            "act",
            "There is no cutoff to be proven: set one first, or use an external sensor "
            "with a relay.",
        )
    if bath.low_c >= limit.trip_c:
        salt = salt_for_c(limit.trip_c - ROOM_K)
        better = (
            "only a strong salt mix from the freezer may"
            if salt is None
            else f"ice with {salt:.0f} % salt would"
        )
        return (
            "act",
            f"This bath cannot trip a {limit.trip_c:g} °C cutoff: it is at "
            f"{bath.low_c:.1f} °C at best. A test in it proves nothing; {better}.",
        )
    if bath.high_c > limit.trip_c - ROOM_K:
        return (
            "watch",
            f"This bath is at {bath.low_c:.1f} to {bath.high_c:.1f} °C: near the "
            f"{limit.trip_c:g} °C cutoff. Measure it before a failed trip says anything.",
        )
    return (
        "ok",
        f"This bath is at {bath.low_c:.1f} to {bath.high_c:.1f} °C: well below the "
        f"{limit.trip_c:g} °C cutoff.",
    )
