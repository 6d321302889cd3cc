"""The voltages of a setup on one ladder, per cell, each with the place it is set at."""

from dataclasses import dataclass

from nipper.core.setup import Setup, get


@dataclass(frozen=True, slots=True)
class Rung:
    """A voltage a cell meets: its value per cell, the setting behind it, and by what that is
    multiplied.
    """

    path: str
    title: str
    cell_v: float
    kind: str  # trip, alarm, release, target, balance, reference
    times: int = 1  # cells, where the setting is for the pack

    @property
    def setting_v(self) -> float:
        """The value as it is set."""
        return self.cell_v * self.times

    def to_setting(self, cell_v: float) -> float:
        """The setting for another voltage per cell, to what a BMS or charger lets one type."""
        return round(cell_v * self.times, 2)


PLACES = (
    ("protection.cell_over_voltage.trip_v", "over-voltage trip", "trip", False),
    ("protection.cell_over_voltage.alarm_v", "over-voltage alarm", "alarm", False),
    ("charging.equalise_v", "equalise", "target", True),
    ("charging.absorption_v", "absorption", "target", True),
    ("protection.cell_over_voltage.release_v", "over-voltage release", "release", False),
    ("protection.soc_full_v", "100 % reference", "reference", False),
    ("balancer.start_v", "balance from", "balance", False),
    ("charging.float_v", "float", "target", True),
    ("protection.cell_under_voltage.release_v", "under-voltage release", "release", False),
    ("protection.cell_under_voltage.alarm_v", "under-voltage alarm", "alarm", False),
    ("protection.soc_empty_v", "0 % reference", "reference", False),
    ("protection.cell_under_voltage.trip_v", "under-voltage trip", "trip", False),
    ("protection.power_off_v", "power-off", "trip", False),
)


def ladder(setup: Setup) -> list[Rung]:
    """All rungs that are set, highest first."""
    rungs: list[Rung] = []
    for path, title, kind, whole_pack in PLACES:
        value = get(setup, path)
        if value is not None:
            times = setup.cells if whole_pack else 1
            rungs.append(Rung(path, title, value / times, kind, times))
    return sorted(rungs, key=lambda r: -r.cell_v)
