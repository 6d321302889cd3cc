"""The demo bench: a made-up workshop with two packs, three months of logs, a stray cell, a loose
joint repaired, a setting changed.

Nothing in it is from a real pack: the kernel of the simulator makes the logs, with a fixed seed.
"""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from nipper.core.simulate.scenario import CellFault, Event, Loads, Scenario
from nipper.core.simulate.trial import run
from nipper.core.sources.solar import modules
from nipper.store import Bench

NAME = "Quarry Lane workshop"
START = "2026-05-11T00:00:00+00:00"
RETORQUED_DAY, LONGER_DAY = 31.5, 57.4
STRAY = CellFault(pack=1, cell=6, leak_mah_per_day=62.0)


def settings() -> Setup:
    """As typed in at first: an hour of absorption, a balancer that runs only while charging."""
    return put(
        new_setup("lfp", 16, 230.0, 2, "passive", NAME),
        {
            "charging.absorption_v": 55.6,
            "charging.absorption_min": 60.0,
            "charging.float_v": 53.6,
            "charging.max_charge_a": 90.0,
            "charging.tail_a": None,
            "balancer.current_a": 0.12,
            "balancer.start_v": 3.42,
            "balancer.when": "charging",
            "protection.charge_under_temperature.trip_c": 2.0,
            "protection.discharge_over_current.release_s": 5.0,
            "charging.joins": "behind_switch",
            "wiring.fuse_kind": "fast",
            "wiring.fuse_breaks_ka": 20.0,
            "wiring.busbar_mm2": 150.0,
            "wiring.switch_a": 275.0,
            "wiring.main_fuse_a": 200.0,
            "wiring.main_fuse_kind": "fast",
            "wiring.main_fuse_breaks_ka": 25.0,
            "wiring.main_cable_mm2": 70.0,
            "wiring.main_cable_length_m": 1.8,
            "other_chargers": [
                {
                    "name": "Generator charger",
                    "absorption_v": 55.2,
                    "absorption_min": 60.0,
                    "float_v": 53.6,
                    "max_charge_a": 40.0,
                    "joins": "at_battery",
                }
            ],
            "usage": {"continuous_w": 3500.0, "inrush_w": 7500.0, "inrush_s": 1.2},
            "solar": {
                "module": modules()[0].model_dump(),
                "modules": 6,
                "in_series": 3,
                "coldest_c": -14.0,
                "tracker": {"max_v": 150.0, "to_v": 130.0, "max_a": 60.0},
            },
            "link": {
                "mode": "closed",
                "transport": "can",
                "profile": "limits-can",
                "bit_rate": 500_000,
                "address": 1,
                "loss_timeout_s": 10.0,
                "on_loss": "fallback",
                "inverter_max_charge_a": 100.0,
                "inverter_max_discharge_a": 160.0,
                "battery_pins": "4 can_h, 5 can_l, 8 ground",
                "inverter_pins": "7 can_h, 8 can_l, 2 ground",
            },
        },
    )


def scenario() -> Scenario:
    """Ninety-two days from May to August under a changing sky."""
    return Scenario(
        days=92,
        start=START,
        seed=20260511,
        latitude_deg=51.5,
        step_s=20.0,
        weather="mixed",
        pv_w=1800.0,
        loads=Loads(base_w=90.0, fridge_w=75.0, evening_w=540.0, kettle_w=1500.0),
        start_soc_pct=72.0,
        ambient_c=15.0,
        season_c=6.0,
        cells=[
            STRAY,
            CellFault(pack=1, cell=12, offset_pct=0.45),
            CellFault(pack=2, cell=13, joint_mohm=0.35),
            CellFault(pack=2, cell=3, offset_pct=-0.4),
        ],
        events=[
            Event(
                day=RETORQUED_DAY,
                note="bars retorqued",
                cells=[CellFault(pack=2, cell=13, joint_mohm=0.0)],
            ),
            Event(
                day=LONGER_DAY,
                note="absorption 1 h → 3 h",
                settings={"charging.absorption_min": 180.0},
            ),
        ],
    )


def make(path: Path, tick: Callable[[float], None] = lambda _share: None) -> None:
    """Write the demo bench to a new file."""
    first, plan = settings(), scenario()
    trial = run(first, plan, lambda share: tick(0.8 * share))
    begin_s = datetime.fromisoformat(START).timestamp()
    longer = plan.events[1]
    now = put(first, longer.settings)
    partial = path.with_suffix(".part")
    partial.unlink(missing_ok=True)
    bench = Bench.create(partial, now, ["North", "South"])
    bench.history.add_revision("typed in", "first settings typed in", first, begin_s)
    bench.history.add_revision("typed in", longer.note, now, begin_s + longer.day * 86400.0)
    for number, log in enumerate(trial.logs, 1):
        bench.logs.add(number, log, f"simulated pack {number}.csv")
        tick(0.8 + 0.1 * number)
    bench.history.add_event(begin_s + RETORQUED_DAY * 86400.0, "repair", "bars retorqued", 2)
    bench.history.add_event(begin_s + LONGER_DAY * 86400.0, "setting", longer.note)
    bench.close()
    partial.replace(path)
