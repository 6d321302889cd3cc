"""Both ends' menus as ordered sheets: what is chosen or switched on at the battery and at the
inverter so that a closed loop is closed, each with its value for this bank and why.

Names are neutral; a menu has its own, which can be kept beside each line. Common practice where no
other source is said.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from nipper.core.link.expect import absorption_v
from nipper.core.link.protocols import offers
from nipper.core.link.switches import addresses, ends
from nipper.core.setup import Setup
from nipper.core.sources.openloop import charge_a, discharge_a, low_cut_v, low_restart_v


class End(StrEnum):
    """Whose menu it is."""

    BATTERY = "battery"
    INVERTER = "inverter"


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of a menu. ``restart``: it usually holds only after the device was off and on."""

    end: End
    id: str
    title: str
    value: str
    why: str
    restart: bool = False

    @property
    def key(self) -> str:
        """What a tick is kept under: with another value it is to be done again."""
        return f"menu:{self.end}:{self.id}:{self.value.replace(':', ' ')}"[:200]

    @property
    def name_key(self) -> str:
        """What the menu's own name is kept under."""
        return f"{self.end}:{self.id}"


def entries(setup: Setup) -> list[Entry]:
    """Both menus, the battery's first, each in the order in which it is best gone through."""
    return [*_battery(setup), *_inverter(setup)]


def _closed(setup: Setup) -> bool:
    return setup.link is not None and setup.link.mode == "closed"


def _protocol(setup: Setup) -> str:
    found = offers(setup)
    if found.both:
        return found.both[0]
    link = setup.link
    return (link.profile if link else None) or "the same at both ends"


def _rate(setup: Setup) -> str:
    link = setup.link
    rate = link.bit_rate if link else None
    return f"{rate} bit/s" if rate else "the same at both ends"


def _battery(setup: Setup) -> Iterator[Entry]:
    if not _closed(setup):
        return
    packs = addresses(setup)
    host = next((a.pack for a in packs if a.role in ("host", "single")), packs[0].pack)
    each = ", ".join(f"{a.pack} {a.address}" for a in packs)
    yield Entry(End.BATTERY, "protocol", "protocol to the inverter", _protocol(setup),
                "one that both menus offer", True)  # fmt: skip
    yield Entry(End.BATTERY, "rate", "bit rate", _rate(setup), "another one is silence")
    yield Entry(End.BATTERY, "address", "addresses", each, "each its own, by its switches", True)
    yield Entry(End.BATTERY, "host", "speaks to the inverter", host, "one pack only, for all")
    yield Entry(End.BATTERY, "end", "resistor of 120 Ω", f"on at {ends(setup)[1]}, off elsewhere",
                "at the two ends of the bus")  # fmt: skip


def _inverter(setup: Setup) -> Iterator[Entry]:
    closed = _closed(setup)
    kind = "lithium, with a BMS that talks" if closed else "user-defined"
    why = (
        "it brings the protocols with it; types without a BMS hide them"
        if closed
        else "a type called lithium often waits for a BMS that talks"
    )
    yield Entry(End.INVERTER, "type", "battery type", kind, why, True)
    yield Entry(End.INVERTER, "cells", "cells in series", f"{setup.cells}",
                "some types imply a count, and with it a voltage")  # fmt: skip
    if closed:
        yield from _closed_loop(setup)
    yield from _own_limits(setup, closed)
    yield from _low(setup)
    yield Entry(End.INVERTER, "compensation", "temperature compensation", "0 mV/K",
                "a lead-acid feature")  # fmt: skip
    yield Entry(End.INVERTER, "equalise", "equalise", "off", "a lead-acid feature")


def _closed_loop(setup: Setup) -> Iterator[Entry]:
    yield Entry(End.INVERTER, "enable", "BMS on the bus", "enabled", "else it hears and ignores")
    yield Entry(End.INVERTER, "protocol", "protocol", _protocol(setup), "as at the battery", True)
    yield Entry(End.INVERTER, "rate", "bit rate", _rate(setup), "as at the battery", True)
    yield Entry(End.INVERTER, "managed", "limits managed by the BMS", "on",
                "charge voltage and currents follow it")  # fmt: skip
    yield Entry(End.INVERTER, "cap", "own cap of the charge voltage",
                f"off, or not below {absorption_v(setup):.1f} V",
                "a lower cap of its own wins, and the bank is never full")  # fmt: skip
    yield Entry(End.INVERTER, "share", "shared with other chargers",
                "current yes; voltage and temperature no",
                "the BMS sends volts and temperatures of the cells themselves")  # fmt: skip
    link = setup.link
    stops = link is not None and link.on_loss == "stop"
    seconds = link.loss_timeout_s if link and link.loss_timeout_s else 10.0
    yield Entry(End.INVERTER, "timeout", "without the BMS after", f"{seconds:g} s",
                "proven by pulling the plug")  # fmt: skip
    yield Entry(End.INVERTER, "loss", "and then",
                "stops, every flag for it on" if stops else "goes on with its own voltages",
                "it stops only where all named flags are on; one that is off, and it goes on"
                if stops else "the open-loop values below are then in force")  # fmt: skip


def _own_limits(setup: Setup, closed: bool) -> Iterator[Entry]:
    least = "the least of this and the BMS's counts" if closed else "nothing else limits it"
    yield Entry(End.INVERTER, "absorption", "absorption, its own", f"{absorption_v(setup):.2f} V",
                "in force without the BMS" if closed else "of the bank")  # fmt: skip
    yield Entry(End.INVERTER, "charge", "most charge current", f"{charge_a(setup):.0f} A", least)
    most = discharge_a(setup)
    if most is not None:
        yield Entry(End.INVERTER, "discharge", "most discharge current", f"{most:.0f} A", least)


def _low(setup: Setup) -> Iterator[Entry]:
    """By volts, and by percentage where that is set."""
    link = setup.link
    cut, n = low_cut_v(setup), setup.cells
    alarm = (link.low_alarm_v if link else None) or cut + 0.05 * n
    for id_, title, value, why in (
        ("alarm", "low-voltage alarm", f"{alarm:.1f} V", "time to charge"),
        ("cut", "low-voltage cut", f"{cut:.1f} V", "before the BMS trips"),
        ("restart", "starts again at", f"{low_restart_v(setup):.1f} V", "else it chatters"),
    ):
        yield Entry(End.INVERTER, id_, title, value, why)
    for id_, title, pct in (
        ("alarm_pct", "alarm at", link.low_alarm_pct if link else None),
        ("cut_pct", "cuts off at", link.low_cut_pct if link else None),
        ("restart_pct", "starts again at, by count", link.low_restart_pct if link else None),
        ("charge_pct", "charges again below", link.charge_start_pct if link else None),
    ):
        if pct is not None:
            yield Entry(End.INVERTER, id_, title, f"{pct:g} %", "as the BMS counts it")
