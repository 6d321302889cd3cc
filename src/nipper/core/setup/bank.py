"""The whole setup: what bank it is, and how BMS, balancer, chargers, wiring and link are set."""

from typing import Literal

from pydantic import Field, PrivateAttr

from nipper.core.setup.charging import Charging, ExtraCharger, Usage
from nipper.core.setup.pack import Balancer, Cell, SeparateBalancer
from nipper.core.setup.packs import OwnPack
from nipper.core.setup.part import AMPERE_HOURS, Part, number
from nipper.core.setup.protection import Protection, TemperatureLimit
from nipper.core.setup.solar import Solar
from nipper.core.setup.wiring import Link, Wiring


class Setup(Part):
    """The whole setup file of the headless contract."""

    format: Literal["nipper-setup"] = "nipper-setup"
    version: Literal[1] = 1
    name: str = Field(default="My pack", max_length=200, title="name")
    chemistry: Literal["lfp", "nmc", "lto"] = Field(title="chemistry")
    cells_in_series: int = Field(ge=1, le=200, title="cells in series")
    cells_in_parallel: int = Field(default=1, ge=1, le=1000, title="cells in parallel")
    capacity_ah: float = number(AMPERE_HOURS, "capacity")
    packs_in_parallel: int = Field(default=1, ge=1, le=64, title="packs in parallel")
    cell: Cell = Cell()
    protection: Protection
    balancer: Balancer | None = None
    separate_balancer: SeparateBalancer | None = None
    charging: Charging | None = None
    other_chargers: tuple[ExtraCharger, ...] = Field(default=(), max_length=4, strict=False)
    usage: Usage | None = None
    solar: Solar | None = None
    wiring: Wiring | None = None
    link: Link | None = None
    packs: tuple[OwnPack, ...] = Field(
        default=(),
        max_length=64,
        strict=False,
        title="packs that differ",
        description="one object a pack, merged over the values above; null takes a part away",
    )

    _bank_ah: float | None = PrivateAttr(default=None)  # of one of unlike packs: all together

    @property
    def bank_ah(self) -> float:
        """Capacity of all packs together, Ah."""
        if self._bank_ah is not None:
            return self._bank_ah
        own = [self.capacity_ah if p.capacity_ah is None else p.capacity_ah for p in self.packs]
        return sum(own) if own else self.capacity_ah * self.packs_in_parallel

    _own: tuple[str, ...] = PrivateAttr(default=())

    def within_bank(self, bank_ah: float | None, own: tuple[str, ...]) -> "Setup":
        """The same settings, known to be of one pack in a bank of that capacity; ``own`` are the
        paths of what this pack does not share.
        """
        self._bank_ah, self._own = bank_ah, own
        return self

    @property
    def bank_ah_given(self) -> float | None:
        """The bank's capacity where these are the settings of one of unlike packs."""
        return self._bank_ah

    @property
    def own(self) -> tuple[str, ...]:
        """The paths of what only this one of unlike packs has."""
        return self._own

    @property
    def flat(self) -> bool:
        """Whether voltage hardly tells charge between the knees of its cells."""
        return self.chemistry == "lfp"

    @property
    def plates(self) -> bool:
        """Whether lithium plates when its cells are charged too cold or too fast: on anodes of
        graphite; a titanate anode does not plate.
        """
        return self.chemistry != "lto"

    @property
    def cells(self) -> int:
        """Cells in series, the number of voltages a log holds."""
        return self.cells_in_series

    @property
    def sheet_charge_a(self) -> float | None:
        """The most one pack's cells may be charged with, by their sheet: cells in parallel add
        up.
        """
        return self._of_group(self.cell.max_charge_a)

    @property
    def sheet_discharge_a(self) -> float | None:
        """The most one pack's cells may give for long, by their sheet."""
        return self._of_group(self.cell.max_discharge_a)

    @property
    def sheet_pulse_a(self) -> float | None:
        """The most one pack's cells may give for the pulse's time, by their sheet."""
        return self._of_group(self.cell.pulse_discharge_a)

    def _of_group(self, amps: float | None) -> float | None:
        return None if amps is None else amps * self.cells_in_parallel

    @property
    def balancers(self) -> tuple[tuple[str, Balancer], ...]:
        """The balancers there are, each with its path; switched on or not."""
        both = ("separate_balancer", self.separate_balancer), ("balancer", self.balancer)
        return tuple((path, b) for path, b in both if b is not None)

    @property
    def leveller_path(self) -> str:
        """Where the balancer stands that does the work: of two that are switched on, the one
        that moves more; empty where none is.
        """
        on = [(path, b.current_a) for path, b in self.balancers if b.is_on]
        return max(on, key=lambda pair: pair[1], default=("", 0.0))[0]

    @property
    def leveller(self) -> Balancer | None:
        """The balancer that does the work."""
        return dict(self.balancers).get(self.leveller_path)

    @property
    def idle_a(self) -> float:
        """What the balancers take from every cell all the time, A."""
        return sum(b.idle_a or 0.0 for _, b in self.balancers)

    @property
    def charge_cutoff(self) -> TemperatureLimit | None:
        """What stops the charge in the cold: the BMS, or else the charger by a sensor of its
        own.
        """
        charging, own = self.charging, self.protection.charge_under_temperature
        if own is not None or charging is None or charging.cold_stop_c is None:
            return own
        resume_c = (
            charging.cold_resume_c
            if charging.cold_resume_c is not None
            else charging.cold_stop_c + 1.0
        )
        return TemperatureLimit(trip_c=charging.cold_stop_c, release_c=resume_c)
