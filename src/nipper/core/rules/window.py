"""The two ends of the cells' window: what holds at both is written once, for the side it is at.

An over-voltage and an under-voltage limit mirror each other: outward is up at the one and down at
the other, and with it the rounding, the words and what happens when it is wrong.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    Evidence,
    down,
    error,
    sheet_max_v,
    sheet_min_v,
    up,
    usual,
    warning,
)
from nipper.core.setup import Setup
from nipper.core.setup.protection import CellVoltageLimit

COPPER = (
    "Below it copper dissolves, and on the next charge it can short the cell inside. Factory "
    "defaults are sometimes absurdly low."
)
TOO_EMPTY = {
    "lfp": COPPER,
    "nmc": COPPER,
    # both collectors are aluminium: no copper there (from memory)
    "lto": "Below it the cell ages fast and may turn round against its neighbours in the "
    "string, which destroys it. Factory defaults are sometimes absurdly low.",
}
LEAST_GAP_V = 0.02  # between trip and release: less is inside a BMS's own reading error
# above the sheet: some makers of 4.2 V cells allow a trip that much higher (common practice)
TOLERATED_V = 0.05


@dataclass(frozen=True, slots=True)
class Side:
    """One end of the window: which way is out, how far inside it is set back, and its words."""

    name: str  # over or under
    out: int  # +1 where out is up
    release_v: float  # a release that far inside its trip
    alarm_v: float  # an alarm that far inside its trip
    returns: str  # what is let flow again at the release
    inward: str  # the word for inside
    outward: str
    chatter: str  # without a gap
    pack_chatter: str
    late: str  # what an alarm is for
    never: str  # why a pack's limit beyond the cells' is of no use
    beyond: Callable[[Setup], str]  # what happens outside the sheet
    tolerated_v: float = 0.0  # outside the sheet, before it is an error

    @property
    def path(self) -> str:
        """Of the cells' limit."""
        return f"protection.cell_{self.name}_voltage"

    @property
    def pack_path(self) -> str:
        """Of the pack's limit."""
        return f"protection.pack_{self.name}_voltage"

    def limit(self, setup: Setup) -> CellVoltageLimit:
        """The cells' limit at this side."""
        limit: CellVoltageLimit = getattr(setup.protection, f"cell_{self.name}_voltage")
        return limit

    def sheet_v(self, setup: Setup) -> float:
        """The end of the sheet's window, V a cell."""
        return sheet_max_v(setup) if self.out > 0 else sheet_min_v(setup)

    def inside(self, value: float, by: float = 0.0) -> float:
        """So far inside, rounded inward."""
        return down(value - by) if self.out > 0 else up(value + by)

    def inner(self, *values: float) -> float:
        """The one that lies furthest inside."""
        return min(values) if self.out > 0 else max(values)

    def past(self, value: float, edge: float) -> float:
        """How far a value lies outside an edge, V; negative inside."""
        return self.out * (value - edge)

    # what is judged at either side --------------------------------------------------------------

    def release(self, setup: Setup, _: Evidence) -> Iterator[Finding]:
        """A limit must release inside its trip, or it switches on and off."""
        limit = self.limit(setup)
        # as typed values compare: 3.63 is not inside 3.65 by less than what 3.65 - 0.02 gives
        if self.past(limit.release_v, limit.trip_v - self.out * LEAST_GAP_V) <= 0.0:
            return
        to = self.inner(
            usual(setup, f"{self.name}_release_v"), self.inside(limit.trip_v, self.release_v)
        )
        yield error(
            (f"{self.path}.release_v", f"{self.path}.trip_v"),
            f"{self.returns} returns at {limit.release_v:.3f} V, not {self.inward} the trip at "
            f"{limit.trip_v:.3f} V.",
            self.chatter,
            {f"{self.path}.release_v": to},
        )

    def alarm(self, setup: Setup, _: Evidence) -> Iterator[Finding]:
        """An alarm at its trip or outside it warns too late."""
        limit = self.limit(setup)
        if limit.alarm_v is None or self.past(limit.alarm_v, limit.trip_v) < 0.0:
            return
        to = self.inside(limit.trip_v, self.alarm_v)
        yield warning(
            f"{self.path}.alarm_v",
            f"The {self.name}-voltage alarm at {limit.alarm_v:.2f} V comes no earlier than the "
            f"trip at {limit.trip_v:.2f} V.",
            self.late,
            {f"{self.path}.alarm_v": to},
        )

    def sheet(self, setup: Setup, _: Evidence) -> Iterator[Finding]:
        """A trip outside the sheet's window does not protect the cell."""
        limit, edge = self.limit(setup), self.sheet_v(setup)
        if self.past(limit.trip_v, edge) <= 1e-9:
            return
        trip = edge if self.out > 0 else self.inner(edge, usual(setup, "under_trip_v"))
        to = self.inside(trip)
        cure = {
            f"{self.path}.trip_v": to,
            f"{self.path}.release_v": self.inner(limit.release_v, self.inside(to, self.release_v)),
        }
        if limit.alarm_v and self.past(limit.alarm_v, to) >= 0.0:
            cure[f"{self.path}.alarm_v"] = self.inside(to, self.alarm_v)
        judge = error if self.past(limit.trip_v, edge) > self.tolerated_v + 1e-9 else warning
        yield judge(
            f"{self.path}.trip_v",
            f"The {self.name}-voltage trip at {limit.trip_v:.2f} V lies {self.outward} the "
            f"{edge:.2f} V of the cell's sheet.",
            self.beyond(setup),
            cure,
        )

    def pack(self, setup: Setup, _: Evidence) -> Iterator[Finding]:
        """The pack's limit must fit the cells': outside cells x trip it never acts, and its release
        must lie inside.
        """
        limit, n = getattr(setup.protection, f"pack_{self.name}_voltage"), setup.cells
        if limit is None:
            return
        cell = self.limit(setup)
        trip = self.inside(n * (cell.trip_v - 0.02 * self.out))
        release = self.inside(n * cell.release_v)
        if self.past(limit.trip_v, n * cell.trip_v) > 0.01:
            yield warning(
                f"{self.pack_path}.trip_v",
                f"The pack trips at {limit.trip_v:.2f} V, {limit.trip_v / n:.3f} V a cell, "
                f"{self.outward} the cells' own {cell.trip_v:.2f} V.",
                self.never,
                {
                    f"{self.pack_path}.trip_v": trip,
                    f"{self.pack_path}.release_v": self.inner(release, self.inside(trip, 0.02 * n)),
                },
            )
        elif self.past(limit.release_v, limit.trip_v) >= 0.0:
            to = self.inner(release, self.inside(limit.trip_v, 0.02 * n))
            yield error(
                f"{self.pack_path}.release_v",
                f"The pack's {self.name}-voltage releases at {limit.release_v:.2f} V, not "
                f"{self.inward} its trip at {limit.trip_v:.2f} V.",
                self.pack_chatter,
                {f"{self.pack_path}.release_v": to},
            )


OVER = Side(
    name="over",
    out=+1,
    release_v=0.10,
    alarm_v=0.05,
    returns="Charging",
    inward="below",
    outward="above",
    chatter="Without a gap the charge switch chatters: it closes as soon as the voltage sags "
    "after opening.",
    pack_chatter="Without a gap the charge switch chatters.",
    late="An alarm is there to be seen before the charge is cut.",
    never="Long before, a cell has tripped: this limit never acts. Often the number of cells it "
    "was made for is another.",
    beyond=lambda _: (
        "Above it lithium plates and the electrolyte breaks down. Some makers of "
        "4.2 V cells allow a trip 50 mV higher: only if the sheet says so."
    ),
    tolerated_v=TOLERATED_V,
)
UNDER = Side(
    name="under",
    out=-1,
    release_v=0.20,
    alarm_v=0.10,
    returns="Discharging",
    inward="above",
    outward="below",
    chatter="The voltage rebounds as soon as the load is off: without a gap the load is switched "
    "on and off until the cells are empty.",
    pack_chatter="The voltage rebounds when the load is off: the load is switched on and off "
    "until the cells are empty.",
    late="An alarm is there to be seen before the lights go out.",
    never="Long before, a cell has tripped: this limit never acts.",
    beyond=lambda setup: TOO_EMPTY[setup.chemistry],
)
