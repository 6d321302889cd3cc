"""Cell chemistries: the curve of rest voltage against charge, the window, and the usual values,
each with its source.

A cell's own sheet overrides everything here; nothing below is ever suggested beyond it.
"""

import csv
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources
from types import MappingProxyType

import numpy as np

from nipper.core.chemistry.curve import Curve

__all__ = ["CHEMISTRIES", "Chemistry", "Curve", "Sourced", "chemistry"]

COMMON = "common practice"
MEMORY = "from memory of data sheets"


@dataclass(frozen=True, slots=True)
class Sourced:
    """A value with where it comes from."""

    value: float
    source: str


@dataclass(frozen=True, slots=True)
class Chemistry:
    """One family of cells. Voltages are per cell.

    ``knee_v`` is where, on charge, the curve turns steep: from there up a deviation tells charge.
    ``bears_v``: below the first a cell is taken to be ruined (its copper dissolves), above the
    second to be in danger of venting; wide of every sheet, from memory of sheets and handbooks.
    ``usual`` holds the values a new setup starts from, by the name the setup gives them.
    """

    id: str
    title: str
    min_v: float
    max_v: float
    nominal_v: float
    knee_v: float
    bears_v: tuple[float, float]
    resistance_mohm_ah: float
    wh_per_kg: float
    curve_source: str
    usual: Mapping[str, Sourced]

    @property
    def curve(self) -> Curve:
        """Rest voltage against charge."""
        return _load_curve(self.id)


@cache
def _load_curve(id_: str) -> Curve:
    with (
        resources.files("nipper.core.chemistry")
        .joinpath("data", f"ocv_{id_}.csv")
        .open(encoding="utf-8") as file
    ):
        rows = [(float(row["soc_pct"]), float(row["ocv_v"])) for row in csv.DictReader(file)]
    soc_pct, ocv_v = np.array(rows).T
    return Curve(soc_pct, ocv_v)


def _usual(source: str, **values: float) -> dict[str, Sourced]:
    return {name: Sourced(value, source) for name, value in values.items()}


LFP = Chemistry(
    id="lfp",
    title="LFP (3.2 V)",
    min_v=2.5,
    max_v=3.65,
    nominal_v=3.2,
    knee_v=3.38,
    bears_v=(2.0, 4.0),
    resistance_mohm_ah=80.0,  # from memory of data sheets: 50 to 150 mohm Ah for large cells
    wh_per_kg=160.0,  # 120 to 190, from memory
    curve_source=(
        "constructed from published fits: positive electrode Afshar et al. 2017, "
        "negative electrode Mohtat et al. 2020, between "
        "2.50 and 3.65 V; real cells rest within about 25 mV of it between 10 and 95 %"
    ),
    usual=MappingProxyType(
        {
            **_usual(
                MEMORY,
                sheet_max_v=3.65,
                sheet_min_v=2.50,
                most_charge_rate=0.5,
                most_discharge_rate=1.0,
            ),
            **_usual(
                COMMON,
                over_alarm_v=3.60,
                over_trip_v=3.65,
                over_release_v=3.50,
                under_alarm_v=2.90,
                under_trip_v=2.60,
                under_release_v=3.00,
                soc_full_v=3.45,
                soc_empty_v=2.80,
                power_off_v=2.50,
                absorption_v=3.45,
                float_v=3.35,
                equalise_v=3.55,
                balance_start_v=3.42,
                balance_delta_mv=10,
                charge_rate=0.2,
                charge_cold_trip_c=2,
                charge_cold_release_c=5,
                charge_hot_trip_c=50,
                charge_hot_release_c=45,
                discharge_cold_trip_c=-20,
                discharge_cold_release_c=-15,
                discharge_hot_trip_c=60,
                discharge_hot_release_c=55,
            ),
        }
    ),
)

NMC = Chemistry(
    id="nmc",
    title="lithium-ion (4.2 V)",
    min_v=2.5,
    max_v=4.2,
    nominal_v=3.65,
    knee_v=3.95,
    bears_v=(2.0, 4.3),
    resistance_mohm_ah=110.0,  # from memory: about 22 mohm of a 5 Ah cell
    wh_per_kg=240.0,  # 180 to 280, from memory
    curve_source="published fit: Chen et al. 2020, between 2.50 and 4.20 V; other 4.2 V cells "
    "differ by up to 0.3 V below 50 %",
    usual=MappingProxyType(
        {
            **_usual(
                MEMORY,
                sheet_max_v=4.20,
                sheet_min_v=2.50,
                most_charge_rate=0.5,
                most_discharge_rate=1.0,
            ),
            **_usual(
                COMMON,
                over_alarm_v=4.17,
                over_trip_v=4.20,
                over_release_v=4.15,
                under_alarm_v=3.20,
                under_trip_v=2.80,
                under_release_v=3.20,
                soc_full_v=4.10,
                soc_empty_v=3.00,
                power_off_v=2.70,
                absorption_v=4.10,
                float_v=4.00,
                equalise_v=4.15,
                balance_start_v=4.00,
                balance_delta_mv=10,
                charge_rate=0.2,
                charge_cold_trip_c=2,
                charge_cold_release_c=5,
                charge_hot_trip_c=45,
                charge_hot_release_c=40,
                discharge_cold_trip_c=-20,
                discharge_cold_release_c=-15,
                discharge_hot_trip_c=60,
                discharge_hot_release_c=55,
            ),
        }
    ),
)

LTO = Chemistry(
    id="lto",
    title="LTO (2.3 V)",
    min_v=1.5,
    max_v=2.8,
    nominal_v=2.3,
    knee_v=2.55,
    bears_v=(1.0, 3.0),
    resistance_mohm_ah=30.0,  # from memory, low to medium confidence
    wh_per_kg=80.0,  # 50 to 110, from memory
    curve_source="constructed: positive electrode of Chen et al. 2020 less 1.55 V of a flat "
    "titanate; not a measured cell",
    usual=MappingProxyType(
        {
            **_usual(
                MEMORY,
                sheet_max_v=2.80,
                sheet_min_v=1.50,
                most_charge_rate=1.0,
                most_discharge_rate=2.0,
            ),
            **_usual(
                COMMON,
                over_alarm_v=2.75,
                over_trip_v=2.80,
                over_release_v=2.70,
                under_alarm_v=2.00,
                under_trip_v=1.80,
                under_release_v=2.05,
                soc_full_v=2.65,
                soc_empty_v=1.95,
                power_off_v=1.60,
                absorption_v=2.65,
                float_v=2.55,
                equalise_v=2.70,
                balance_start_v=2.55,
                balance_delta_mv=10,
                charge_rate=0.4,
                charge_cold_trip_c=-20,
                charge_cold_release_c=-15,
                charge_hot_trip_c=55,
                charge_hot_release_c=50,
                discharge_cold_trip_c=-30,
                discharge_cold_release_c=-25,
                discharge_hot_trip_c=60,
                discharge_hot_release_c=55,
            ),
        }
    ),
)

CHEMISTRIES: Mapping[str, Chemistry] = MappingProxyType({c.id: c for c in (LFP, NMC, LTO)})


def chemistry(id_: str) -> Chemistry:
    """The chemistry of that name in the setup; KeyError names the known ones."""
    try:
        return CHEMISTRIES[id_]
    except KeyError:
        raise KeyError(f"unknown chemistry {id_!r}; known: {', '.join(CHEMISTRIES)}") from None
