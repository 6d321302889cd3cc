"""Random wrong setups, and what following the first suggestion makes of them: used by the property
test and the long fuzz.
"""

import numpy as np

from nipper.core.errors import InputError
from nipper.core.findings import Severity
from nipper.core.presets import new_setup
from nipper.core.rules import check
from nipper.core.setup import Setup, get, put

AMPS = [0.05, 0.3, 0.7, 0.9, 1.1, 1.4, 2.0, 3.0, 8.0]
VOLTS = [0.7, 0.9, 0.95, 0.98, 0.99, 1.01, 1.02, 1.05, 1.1, 1.3]
DEGREES = [-40.0, -20.0, -10.0, -1.0, 0.0, 1.0, 2.0, 3.0, 10.0, 25.0, 40.0, 55.0, 65.0, 110.0]
TIMES = [0.0, 0.1, 0.5, 3.0, 30.0]
P = "protection."
TURNED: dict[str, list[float]] = {
    **{
        f"{P}{side}.{key}": VOLTS
        for side in (
            "cell_over_voltage",
            "cell_under_voltage",
            "pack_over_voltage",
            "pack_under_voltage",
        )
        for key in ("trip_v", "release_v", "alarm_v")
    },
    **{f"{P}{name}_v": VOLTS for name in ("soc_full", "soc_empty", "power_off")},
    **{f"{P}{side}_over_current.trip_a": AMPS for side in ("charge", "discharge")},
    **{
        f"{P}{side}_over_current.{key}": TIMES
        for side in ("charge", "discharge")
        for key in ("delay_s", "release_s")
    },
    f"{P}short_circuit.trip_a": AMPS,
    f"{P}short_circuit.delay_us": [0.1, 0.5, 2.0, 10.0],
    **{f"charging.{k}": VOLTS for k in ("absorption_v", "float_v")},
    "charging.absorption_min": [0.0, 0.1, 3.0, 30.0],
    "charging.max_charge_a": AMPS,
    "charging.tail_a": AMPS,
    "balancer.start_v": VOLTS,
    "balancer.delta_mv": [0.0, 0.1, 3.0, 10.0],
    "balancer.current_a": AMPS,
    "wiring.fuse_a": AMPS,
    "wiring.cable_mm2": AMPS,
    "cell.max_charge_a": AMPS,
    "cell.max_discharge_a": AMPS,
    "cell.resistance_mohm": [0.3, 3.0],
}
COLD = [
    f"{P}{name}.{key}"
    for name in (
        "charge_over_temperature",
        "charge_under_temperature",
        "discharge_over_temperature",
        "discharge_under_temperature",
        "mosfet_over_temperature",
    )
    for key in ("trip_c", "release_c")
]
GONE = [
    "wiring",
    "wiring.fuse_a",
    "wiring.cable_mm2",
    "cell",
    "cell.max_charge_a",
    "cell.max_discharge_a",
    "charging",
    "charging.float_v",
    "balancer",
    f"{P}short_circuit",
    f"{P}charge_over_current",
    f"{P}discharge_over_current",
    f"{P}charge_under_temperature",
    f"{P}charge_over_temperature",
    f"{P}pack_over_voltage",
    f"{P}pack_under_voltage",
    "charging.max_charge_a",
]
MOST_STEPS = 60


def added(setup: Setup, rng: np.random.Generator) -> dict[str, object]:
    """Parts a new setup does not have."""
    n, ah, packs = setup.cells, setup.capacity_ah, setup.packs_in_parallel
    volts = (setup.charging.absorption_v if setup.charging else 3.4 * n) * float(rng.choice(VOLTS))
    watts = ah * packs * n * 3.2 * float(rng.choice([0.1, 0.4, 1.0, 3.0]))
    module = {
        "voc_v": 49.5,
        "vmp_v": 41.6,
        "isc_a": 11.5,
        "imp_a": 10.9,
        "voc_pct_per_k": -0.27,
        "vmp_pct_per_k": -0.35,
    }
    amps = ah * float(rng.choice([0.05, 0.3, 1.0, 4.0]))
    choices: list[dict[str, object]] = [
        {"usage": {"continuous_w": watts}},
        {"usage": {"inrush_w": 2.0 * watts, "inrush_s": float(rng.choice([0.5, 2.0, 10.0]))}},
        {
            "other_chargers": [
                {
                    "name": "alternator",
                    "absorption_v": volts,
                    "float_v": volts * float(rng.choice([0.9, 1.0, 1.1])),
                    "max_charge_a": amps,
                }
            ]
        },
        {
            "cell.pulse_discharge_a": 3.0 * amps,
            "cell.pulse_s": float(rng.choice([1.0, 10.0, 30.0])),
        },
        {"cell.max_v": round(float(rng.choice([0.95, 0.98, 1.0])) * volts / n, 3)},
        {
            "wiring.main_fuse_a": 2.0 * amps,
            "wiring.main_cable_mm2": float(rng.choice([10.0, 50.0, 120.0])),
        },
        {
            "link": {
                "mode": "open",
                "inverter_max_charge_a": amps,
                "inverter_max_discharge_a": 2.0 * amps,
            }
        },
        {"link": {"mode": "closed", "transport": "none", "loss_timeout_s": 600.0}},
        {
            "charging.rates": [
                {
                    "from_c": float(rng.choice([-10.0, 0.0, 5.0])),
                    "c_rate": float(rng.choice([0.1, 0.5, 2.0])),
                },
                {"from_c": 0.0, "c_rate": 0.5},
            ]
        },
        {
            "charging.equalise_v": volts,
            "charging.equalise_every_days": float(rng.choice([1.0, 30.0])),
        },
        {"charging.compensation_mv_per_k": float(rng.choice([-24.0, 10.0]))},
        {
            "separate_balancer": {
                "kind": "active",
                "current_a": 2.0,
                "start_v": volts / n,
                "delta_mv": 5.0,
                "when": "always",
            }
        },
        {
            "solar": {
                "module": module,
                "modules": 6,
                "in_series": int(rng.integers(1, 5)),
                "tracker": {"max_v": 150.0, "max_short_a": 30.0},
            }
        },
        {"charging.cold_stop_c": float(rng.choice([-5.0, 2.0, 5.0]))},
    ]
    return choices[int(rng.integers(len(choices)))]


def wrong_setup(seed: int) -> Setup:
    """A setup with one to eight things wrong."""
    rng = np.random.default_rng(seed)
    chemistry = ("lfp", "nmc", "lto")[int(rng.integers(3))]
    setup = new_setup(
        chemistry,
        int(rng.choice([1, 4, 8, 14, 16, 24])),
        float(rng.choice([2, 20, 100, 280, 1000])),
        int(rng.choice([1, 1, 2, 4])),
    )
    for _ in range(int(rng.integers(1, 9))):
        kind = rng.random()
        if kind < 0.55:
            path = list(TURNED)[int(rng.integers(len(TURNED)))]
            value = get(setup, path)
            changes: dict[str, object] = (
                {path: round(value * float(rng.choice(TURNED[path])), 3)} if value else {}
            )
        elif kind < 0.70:
            changes = {COLD[int(rng.integers(len(COLD)))]: float(rng.choice(DEGREES))}
            if get(setup, next(iter(changes)).rpartition(".")[0]) is None:
                changes = {}
        elif kind < 0.82:
            changes = {GONE[int(rng.integers(len(GONE)))]: None}
        else:
            changes = added(setup, rng)
        try:
            setup = put(setup, changes)
        except InputError:
            continue
    return setup


def follow(setup: Setup) -> tuple[Setup, list[str], list[str]]:
    """The first suggestion again and again: where it ends, the codes on the way, and what is wrong
    with the way.
    """
    seen, way = {setup}, []
    for _ in range(MOST_STEPS):
        found = [f for f in check(setup) if f.severity is not Severity.NOTE and f.suggestion]
        if not found:
            return setup, way, []
        try:
            after = put(setup, found[0].suggestion)
        except InputError as refused:
            return setup, way, [f"{found[0].code} refused: {refused}"]
        way.append(found[0].code)
        if after in seen:
            return after, way, [f"round: {' > '.join(way[-4:])}"]
        seen.add(after)
        setup = after
    return setup, way, [f"no end: {' > '.join(way[-6:])}"]
