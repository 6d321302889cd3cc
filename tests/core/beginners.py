"""Ten setups as a beginner types them in: made up, each with the mistakes of the trade.

Used by the core's and the window's tests.
"""

from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put

P = "protection."


def _lead_acid_habits() -> Setup:
    """A 12 V bank charged like the lead-acid one it replaced."""
    return put(
        new_setup("lfp", 4, 200.0),
        {
            "charging.absorption_v": 14.8,
            "charging.float_v": 13.8,
            "charging.equalise_v": 15.5,
            "charging.equalise_every_days": 7.0,
            "charging.compensation_mv_per_k": -24.0,
        },
    )


def _factory_defaults() -> Setup:
    """A BMS as it came: -40 degC, 2.2 V, no gap."""
    return put(
        new_setup("lfp", 16, 280.0),
        {
            P + "charge_under_temperature": {"trip_c": -40.0, "release_c": -40.0},
            P + "discharge_under_temperature": {"trip_c": -40.0, "release_c": -35.0},
            P + "cell_under_voltage": {"trip_v": 2.2, "release_v": 2.2, "delay_s": 2.0},
            P + "power_off_v": 2.0,
            P + "short_circuit.delay_us": 3000.0,
        },
    )


def _fifteen_as_sixteen() -> Setup:
    """Fifteen cells, and every pack voltage copied from a friend's sixteen."""
    return put(
        new_setup("lfp", 15, 280.0),
        {
            "charging.absorption_v": 56.8,
            P + "pack_over_voltage": {"trip_v": 58.0, "release_v": 55.2},
            P + "pack_under_voltage": {"trip_v": 48.0, "release_v": 50.0},
        },
    )


def _wrong_chemistry() -> Setup:
    """A 4.2 V e-mobility pack with the limits of LFP."""
    lfp = new_setup("lfp", 20, 40.0)
    return put(
        new_setup("nmc", 20, 40.0),
        {
            "protection": lfp.protection.model_dump(exclude_none=True),
            "charging.absorption_v": 69.0,
            "balancer.start_v": 3.42,
        },
    )


def _starved_balancer() -> Setup:
    """A balancer that may not, at a voltage that is not reached, in no time."""
    return put(
        new_setup("lfp", 16, 230.0),
        {
            "balancer.start_v": 3.50,
            "balancer.when": "rest",
            "balancer.delta_mv": 100.0,
            "charging.absorption_min": 5.0,
            "charging.tail_a": 60.0,
        },
    )


def _thin_leads() -> Setup:
    """A big inverter on thin leads, without a fuse, and a compressor behind it."""
    return put(
        new_setup("lfp", 8, 280.0),
        {
            "wiring.fuse_a": None,
            "wiring.cable_mm2": 16.0,
            "usage": {"continuous_w": 5000.0, "inrush_w": 12000.0, "inrush_s": 2.0},
            P + "discharge_over_current.trip_a": 250.0,
        },
    )


def _nervous() -> Setup:
    """Delays and recoveries of nearly nothing, alarms behind the trips."""
    return put(
        new_setup("lfp", 16, 100.0, 2),
        {
            P + "discharge_over_current": {"trip_a": 50.0, "delay_s": 0.1, "release_s": 1.0},
            P + "cell_under_voltage.delay_s": 0.0,
            P + "short_circuit.release_s": 0.0,
            P + "cell_over_voltage.alarm_v": 3.70,
            P + "pack_under_voltage.delay_s": 0.0,
            "usage": {"inrush_w": 6000.0, "inrush_s": 1.5},
        },
    )


def _three_panels() -> Setup:
    """Three panels of 49.5 V in series on a 150 V input, in the mountains, and a generator that
    overdoes it.
    """
    module = {
        "voc_v": 49.5,
        "vmp_v": 41.6,
        "isc_a": 11.5,
        "imp_a": 10.9,
        "voc_pct_per_k": -0.27,
        "vmp_pct_per_k": -0.35,
    }
    return put(
        new_setup("lfp", 16, 100.0),
        {
            "solar": {
                "module": module,
                "modules": 6,
                "in_series": 3,
                "tracker": {"max_v": 150.0, "to_v": 115.0},
                "coldest_c": -25.0,
            },
            "other_chargers": [{"name": "generator", "absorption_v": 58.8, "max_charge_a": 60.0}],
        },
    )


def _second_device() -> Setup:
    """A separate balancer left as it came, beside a BMS without a cutoff in the cold."""
    return put(
        new_setup("lfp", 16, 280.0),
        {
            "separate_balancer": {
                "kind": "active",
                "current_a": 2.0,
                "start_v": 3.0,
                "delta_mv": 2.0,
                "when": "always",
                "low_v": 2.2,
                "high_v": 3.9,
                "low_c": -40.0,
            },
            P + "charge_under_temperature": None,
            P + "mosfet_over_temperature": None,
        },
    )


def _half_closed_loop() -> Setup:
    """A closed loop without a cable, an inverter that cuts after the BMS, references on the
    flat.
    """
    return put(
        new_setup("lto", 22, 80.0),
        {
            "link": {
                "mode": "closed",
                "transport": "none",
                "loss_timeout_s": 3600.0,
                "inverter_max_discharge_a": 400.0,
                "low_cut_v": 38.0,
                "low_restart_v": 37.0,
                "low_alarm_v": 36.0,
            },
            P + "soc_full_v": 2.35,
            P + "soc_empty_v": 2.30,
            P + "cell_under_voltage.release_v": 2.30,
            "charging.rates": [{"from_c": 20.0, "c_rate": 9.0}, {"from_c": 0.0, "c_rate": 1.0}],
        },
    )


BEGINNERS = (
    _lead_acid_habits, _factory_defaults, _fifteen_as_sixteen, _wrong_chemistry, _starved_balancer,
    _thin_leads, _nervous, _three_panels, _second_device, _half_closed_loop,
)  # fmt: skip
