"""What takes each source off, and what stays live: known before a lead is loosened."""

from dataclasses import dataclass

from nipper.core.setup import Setup, pack_names, pack_setups

SWITCH = "battery switch"


@dataclass(frozen=True, slots=True)
class Source:
    """A source: how it is stopped, what stays live then, and whether the battery switch stops it
    (None: not said).
    """

    name: str
    stopped_by: str
    stays_live: str
    by_switch: bool | None


def sources(setup: Setup) -> list[Source]:
    """Every source of the bank, the packs last: they are never off."""
    out: list[Source] = []
    if setup.solar is not None:
        out.append(
            Source(
                "PV strings",
                "their own PV isolator, or night",
                "the strings themselves by day; a charger whose battery is taken away first may "
                "drive its output up: PV off before any battery lead",
                False,
            )
        )
    if setup.charging is not None:
        out.append(_charger("main charger", setup.charging.joins))
    out += [_charger(c.name, c.joins) for c in setup.other_chargers]
    if setup.link is not None and setup.link.inverter_max_discharge_a:
        out.append(
            Source(
                "inverter",
                f"its own switch, then the {SWITCH}",
                "its capacitors for minutes; its mains side from shore or a generator: for a "
                "licensed electrician",
                True,
            )
        )
    return out + _packs(setup)


def _charger(name: str, joins: str | None) -> Source:
    if joins == "at_battery":
        return Source(
            name, "its own switch or breaker",
            f"the battery and its leads: it goes on feeding them while the {SWITCH} is open", False,
        )  # fmt: skip
    if joins == "behind_switch":
        return Source(
            name, f"the {SWITCH}, or its own breaker",
            "its own output: it may hold it up while its source is on", True,
        )  # fmt: skip
    return Source(name, "not said: look where its plus lead ends", "unknown until then", None)


def _packs(setup: Setup) -> list[Source]:
    out: list[Source] = []
    for name, pack in zip(pack_names(setup), pack_setups(setup), strict=True):
        fuse = pack.wiring.fuse_a if pack.wiring else None
        by = "its BMS, its connector, then its fuse drawn" if fuse else "its BMS alone: no fuse"
        out.append(
            Source(name, by, "cells, bars and sense leads, always: a pack cannot be off", False)
        )
    return out
