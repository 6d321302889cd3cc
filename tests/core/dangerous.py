"""Setups in which someone or something gets hurt, each one change (or a few) away from a sound one.

None may pass as ok. The first part came from an audit, the second was thought up afterwards; what
once passed stays here. ``SOUND`` are ordinary setups that must stay ok.
"""

from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put

P = "protection."
MODULE = {
    "voc_v": 49.5,
    "vmp_v": 41.6,
    "isc_a": 11.5,
    "imp_a": 10.9,
    "voc_pct_per_k": -0.27,
    "vmp_pct_per_k": -0.35,
}


def lfp(packs: int = 1, **changes: object) -> Setup:
    """Sixteen cells of 280 Ah."""
    return _made(new_setup("lfp", 16, 280.0, packs), changes)


def nmc(**changes: object) -> Setup:
    """Fourteen cells of 100 Ah."""
    return _made(new_setup("nmc", 14, 100.0), changes)


def lto(**changes: object) -> Setup:
    """Twenty-four cells of 40 Ah."""
    return _made(new_setup("lto", 24, 40.0), changes)


def _made(setup: Setup, changes: dict[str, object]) -> Setup:
    return put(setup, {path.replace("__", "."): value for path, value in changes.items()})


def other(**changes: object) -> list[dict[str, object]]:
    """One other charger."""
    return [{"name": "alternator", "absorption_v": 55.2, "max_charge_a": 20.0, **changes}]


def balancer(**changes: object) -> dict[str, object]:
    """A separate active balancer, sound unless changed."""
    return {
        "kind": "active", "current_a": 1.0, "start_v": 3.42, "delta_mv": 10.0, "when": "always",
        "low_v": 2.7, "high_v": 3.6, "low_c": 2.0, **changes,
    }  # fmt: skip


AUDIT: dict[str, Setup] = {
    "no fuse known at all": lfp(wiring=None),
    "a fuse, the lead's size blank": lfp(wiring__cable_mm2=None),
    "four packs on a 10 mm2 main lead": lfp(4, wiring__main_cable_mm2=10.0),
    "another charger floats at 64 V": lfp(other_chargers=other(float_v=64.0)),
    "another charger floats at 58 V": lfp(other_chargers=other(absorption_v=58.0, float_v=58.0)),
    "140 A through a 100 A fuse": lfp(
        **{
            "charging__max_charge_a": 140.0,
            "wiring__fuse_a": 100.0,
            "wiring__cable_mm2": 50.0,
            "protection__discharge_over_current.trip_a": 80.0,
            "protection__charge_over_current.trip_a": 140.0,
            "protection__short_circuit.trip_a": 200.0,
        }
    ),
    "400 A through a 125 A main fuse": lfp(
        2,
        **{
            "wiring__main_fuse_a": 125.0,
            "wiring__main_cable_mm2": 50.0,
            "protection__discharge_over_current.trip_a": 200.0,
            "wiring__fuse_a": 250.0,
            "wiring__cable_mm2": 95.0,
        },
    ),
    "sheet currents blank, 3C out": lfp(
        **{"cell__max_discharge_a": None, "protection__discharge_over_current.trip_a": 840.0}
    ),
    "sheet currents blank, wiring blank, 5C": lfp(
        **{
            "cell": None,
            "wiring": None,
            "protection__discharge_over_current.trip_a": 1400.0,
            "protection__short_circuit.trip_a": 4000.0,
        }
    ),
    "trip above the entered pulse": lfp(cell__pulse_discharge_a=120.0, cell__pulse_s=10.0),
    "a short-circuit trip that is not reached": lfp(
        **{"wiring": None, "protection__short_circuit.trip_a": 20000.0}
    ),
    "4.2 V cells charged to 60 degC": nmc(**{"protection__charge_over_temperature.trip_c": 60.0}),
    "LTO without a cold limit": lto(protection__charge_under_temperature=None),
    "LTO with a cold limit of -50 degC": lto(
        **{"protection__charge_under_temperature.trip_c": -50.0}
    ),
    "half a C at 0 degC by the table": lfp(
        charging__rates=[{"from_c": 0.0, "c_rate": 0.5}, {"from_c": 15.0, "c_rate": 0.5}]
    ),
    "half a C at 2 degC": lfp(charging__max_charge_a=140.0),
    "two days at 3.60 V a cell": lfp(charging__absorption_v=57.6, charging__absorption_min=2880.0),
    "float at 3.55 V for ever": lfp(charging__absorption_v=56.8, charging__float_v=56.8),
    "an active balancer without a low stop": lfp(separate_balancer=balancer(low_v=None)),
    "an active balancer without a high stop": lfp(separate_balancer=balancer(high_v=None)),
    "a PV input that stands the short current only at standard sun": lfp(
        solar={
            "module": MODULE,
            "modules": 6,
            "in_series": 2,
            "tracker": {"max_v": 150.0, "max_short_a": 36.0},
        }
    ),
    "only the charger stops in the cold, beside an alternator": lfp(
        protection__charge_under_temperature=None,
        charging__cold_stop_c=5.0,
        charging__cold_resume_c=6.0,
        other_chargers=other(),
    ),
}

OWN: dict[str, Setup] = {
    "a fuse in a lead a third of its size": lfp(wiring__cable_mm2=16.0),
    "no fuse, the lead known": lfp(wiring__fuse_a=None),
    "a car fuse at 48 V": lfp(wiring__fuse_breaks_ka=1.0),
    "a trip above what the lead carries, no fuse": lfp(wiring__fuse_a=None, wiring__cable_mm2=10.0),
    "charging beyond the sheet": lfp(cell__max_charge_a=40.0),
    "two chargers through one fuse": lfp(other_chargers=other(max_charge_a=150.0)),
    "an alternator above the cell's sheet": lfp(other_chargers=other(absorption_v=59.2)),
    "an alternator of 14.6 V a twelve-volt pack": _made(
        new_setup("lfp", 4, 100.0),
        {"other_chargers": other(absorption_v=14.7, float_v=14.7, max_charge_a=10.0)},
    ),
    "an inverter that draws past the fuse": lfp(
        link={"mode": "open", "inverter_max_discharge_a": 400.0}
    ),
    "an inverter that charges past the sheet": lfp(
        link={"mode": "open", "inverter_max_charge_a": 300.0}
    ),
    "a closed loop that falls back on too much": lfp(
        **{
            "link": {
                "mode": "closed",
                "transport": "can",
                "on_loss": "fallback",
                "inverter_max_charge_a": 260.0,
            },
            "protection__charge_over_current.trip_a": 130.0,
            "wiring__fuse_a": 200.0,
            "cell__max_charge_a": 120.0,
        }
    ),
    "loads beyond the main fuse": lfp(
        2, wiring__main_fuse_a=100.0, wiring__main_cable_mm2=50.0, usage={"continuous_w": 9000.0}
    ),
    "a main lead half its fuse": lfp(2, wiring__main_fuse_a=315.0, wiring__main_cable_mm2=50.0),
    "charging four packs through one thin main lead": lfp(
        4, wiring__main_cable_mm2=35.0, wiring__main_fuse_a=100.0, charging__max_charge_a=220.0
    ),
    "no short-circuit limit known": lfp(protection__short_circuit=None),
    "no discharge over-current limit": lfp(protection__discharge_over_current=None),
    "a short that may last 5 ms": lfp(**{"protection__short_circuit.delay_us": 5000.0}),
    "a short tried again at once": lfp(**{"protection__short_circuit.release_s": 1.0}),
    "an overload that lasts two minutes": lfp(
        **{"protection__discharge_over_current.delay_s": 120.0}
    ),
    "charging at -5 degC": lfp(
        protection__charge_under_temperature={"trip_c": -5.0, "release_c": 0.0}
    ),
    "no cold limit anywhere": lfp(protection__charge_under_temperature=None),
    "the charger's sensor stops at 0 degC only": lfp(
        protection__charge_under_temperature=None, charging__cold_stop_c=0.0
    ),
    "cold and hot cutoff exchanged": lfp(
        protection__charge_under_temperature={"trip_c": 45.0, "release_c": 50.0}
    ),
    "no heat limit": nmc(protection__charge_over_temperature=None),
    "switches at 130 degC": lfp(**{"protection__mosfet_over_temperature.trip_c": 130.0}),
    "discharging at 75 degC": lfp(**{"protection__discharge_over_temperature.trip_c": 75.0}),
    "4.35 V on a 4.2 V cell": nmc(**{"protection__cell_over_voltage.trip_v": 4.35}),
    "LFP limits on a 4.2 V pack": nmc(protection=lfp().protection.model_dump(exclude_none=True)),
    "4.2 V limits on an LFP pack": lfp(protection=nmc().protection.model_dump(exclude_none=True)),
    "down to 2.0 V": lfp(**{"protection__cell_under_voltage.trip_v": 2.0}),
    "a BMS awake down to 2.0 V": lfp(protection__power_off_v=2.0),
    "an over-voltage trip a minute late": lfp(**{"protection__cell_over_voltage.delay_s": 60.0}),
    "a lead-acid equalise at 62 V": lfp(
        charging__equalise_v=62.0, charging__equalise_every_days=30.0
    ),
    "lead-acid temperature compensation": lfp(charging__compensation_mv_per_k=-60.0),
    "fifteen cells charged as sixteen": _made(
        new_setup("lfp", 15, 280.0), {"charging__absorption_v": 58.4, "charging__float_v": 57.6}
    ),
    "three modules in series on 150 V": lfp(
        solar={"module": MODULE, "modules": 3, "in_series": 3, "tracker": {"max_v": 150.0}}
    ),
    "three strings shorted past the input": lfp(
        solar={
            "module": MODULE,
            "modules": 6,
            "in_series": 2,
            "tracker": {"max_v": 150.0, "max_short_a": 30.0},
        }
    ),
    "an active balancer down to 2.2 V": lfp(separate_balancer=balancer(low_v=2.2)),
    "an active balancer that works at -40 degC": lfp(separate_balancer=balancer(low_c=-40.0)),
    "an active balancer up to 3.9 V": lfp(separate_balancer=balancer(high_v=3.9)),
    "a bleed of 150 A, milliamperes taken for amperes": lfp(balancer__current_a=150.0),
    "nothing said of any charger": lfp(charging=None),
    "a rate table with 1C at 5 degC": nmc(
        charging__rates=[{"from_c": 5.0, "c_rate": 1.0}, {"from_c": 20.0, "c_rate": 0.5}]
    ),
    "a rate table that ends beyond the sheet": lfp(
        charging__rates=[{"from_c": 2.0, "c_rate": 0.1}, {"from_c": 20.0, "c_rate": 0.9}]
    ),
    "a rate table from -10 degC": lfp(charging__rates=[{"from_c": -10.0, "c_rate": 0.1}]),
    "a sheet of another chemistry": lfp(cell__max_v=4.2),
    "pumps that start past the pulse": lfp(
        cell__pulse_discharge_a=300.0,
        cell__pulse_s=5.0,
        usage={"inrush_w": 25000.0, "inrush_s": 3.0},
    ),
    "a pack limit for twenty cells": lfp(**{"protection__pack_over_voltage.trip_v": 73.0}),
}

DANGEROUS = AUDIT | OWN

SOUND: dict[str, Setup] = {
    "a second gentle charger": lfp(other_chargers=other(float_v=53.6)),
    "a separate balancer with its stops": lfp(balancer=None, separate_balancer=balancer()),
    "a fuse that breaks 20 kA": lfp(wiring__fuse_breaks_ka=20.0),
    "a pulse above the trip": lfp(cell__pulse_discharge_a=560.0, cell__pulse_s=10.0),
    "two packs, main fuse and lead": lfp(
        2, wiring__main_fuse_a=315.0, wiring__main_cable_mm2=150.0
    ),
    "loads within": lfp(usage={"continuous_w": 4000.0, "inrush_w": 8000.0, "inrush_s": 1.0}),
    "two modules in series": lfp(
        solar={
            "module": MODULE,
            "modules": 4,
            "in_series": 2,
            "tracker": {"max_v": 150.0, "max_short_a": 30.0},
        }
    ),
    "a 4.1 V cell": nmc(
        cell__max_v=4.1,
        charging__absorption_v=56.0,
        charging__float_v=54.6,
        protection__cell_over_voltage={"trip_v": 4.1, "release_v": 4.02, "alarm_v": 4.07},
        protection__pack_over_voltage={"trip_v": 57.1, "release_v": 56.2},
        protection__soc_full_v=4.0,
        balancer__start_v=3.97,
    ),
    "LTO at 1C": lto(
        **{
            "charging__max_charge_a": 40.0,
            "protection__charge_over_current.trip_a": 40.0,
            "wiring__fuse_a": 63.0,
            "wiring__cable_mm2": 16.0,
        }
    ),
}
