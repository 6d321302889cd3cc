"""The setup: what pack it is and how its BMS, balancer, charger, wiring and link are set.

The models are the declaration: check, JSON, tooltip and label come from them. They refuse what is
*no* setup (text for a number, an unknown key, a number nobody can mean); whether it is a *good*
one is for the rules to say, because a bad one must open and be seen.
"""

from nipper.core.setup.bank import Setup
from nipper.core.setup.charging import Charging, ExtraCharger, Load, RateStep, Usage
from nipper.core.setup.pack import Balancer, Cell, SeparateBalancer
from nipper.core.setup.part import Part
from nipper.core.setup.paths import Described, described, get, is_path, put
from nipper.core.setup.protection import (
    CellVoltageLimit,
    CurrentLimit,
    Protection,
    ShortCircuit,
    TemperatureLimit,
    VoltageLimit,
)
from nipper.core.setup.reading import dumps, json_schema, load, loads, loads_kept, parse
from nipper.core.setup.solar import Module, OtherString, Solar, Tracker
from nipper.core.setup.unlike import (
    all_alike,
    own_paths,
    pack_names,
    pack_number,
    pack_setup,
    pack_setups,
    put_all,
    put_own,
    unlike,
    with_names,
)
from nipper.core.setup.wiring import Link, Wiring

__all__ = [
    "Balancer",
    "Cell",
    "CellVoltageLimit",
    "Charging",
    "CurrentLimit",
    "Described",
    "ExtraCharger",
    "Link",
    "Load",
    "Module",
    "OtherString",
    "Part",
    "Protection",
    "RateStep",
    "SeparateBalancer",
    "Setup",
    "ShortCircuit",
    "Solar",
    "TemperatureLimit",
    "Tracker",
    "Usage",
    "VoltageLimit",
    "Wiring",
    "all_alike",
    "described",
    "dumps",
    "get",
    "is_path",
    "json_schema",
    "load",
    "loads",
    "loads_kept",
    "own_paths",
    "pack_names",
    "pack_number",
    "pack_setup",
    "pack_setups",
    "parse",
    "put",
    "put_all",
    "put_own",
    "unlike",
    "with_names",
]
