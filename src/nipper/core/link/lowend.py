"""The low end of a bank in rank: what acts first as it empties, by percentage, by volts under load,
or the BMS; each at rest and with its amperes.

A voltage falls with the current, a count does not: under load the order can turn round.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.setup import Setup
from nipper.core.sources.openloop import discharge_a, low_cut_v, low_restart_v


class By(StrEnum):
    """What is looked at."""

    COUNT = "percentage"
    VOLTS = "voltage"
    PROPOSED = "voltage, proposed"
    BMS = "the BMS"


@dataclass(frozen=True, slots=True)
class Act:
    """Something that happens on the way down. ``set``: as it is typed in, % or V of the pack;
    ``rest_pct`` and ``load_pct``: at which charge, %, at rest and with the amperes.
    """

    name: str
    by: By
    set: float
    rest_pct: float
    load_pct: float
    load_v: float  # of the pack, at that moment, under that load


def amperes(setup: Setup) -> float:
    """The load it is ranked at, A of the bank: the most the inverter draws, else 0.2C."""
    return discharge_a(setup) or 0.2 * setup.bank_ah


def rank(setup: Setup, amps: float | None = None) -> list[Act]:
    """All that acts, first to last as the bank empties under that load.

    Parameters
    ----------
    amps : drawn from the bank, A; left out, :func:`amperes`
    """
    amps = amperes(setup) if amps is None else amps
    acts = [*_by_count(setup, amps), *_by_volts(setup, amps)]
    return sorted(acts, key=lambda act: -act.load_pct)


def _drop_v(setup: Setup, amps: float) -> float:
    """By how much a cell falls under that load of the bank, V."""
    return amps / max(1, setup.packs_in_parallel) * cell_resistance_ohm(setup)


def _by_count(setup: Setup, amps: float) -> Iterator[Act]:
    link, curve = setup.link, chemistry(setup.chemistry).curve
    if link is None:
        return
    for name, pct in (
        ("charges again", link.charge_start_pct), ("alarm", link.low_alarm_pct),
        ("starts again", link.low_restart_pct), ("cuts off", link.low_cut_pct),
    ):  # fmt: skip
        if pct is not None:
            volts = setup.cells * (float(curve.ocv(pct)) - _drop_v(setup, amps))
            yield Act(name, By.COUNT, pct, pct, pct, round(volts, 2))


def _by_volts(setup: Setup, amps: float) -> Iterator[Act]:
    link, p = setup.link, setup.protection
    restart = By.VOLTS if link and link.low_restart_v else By.PROPOSED
    cut = By.VOLTS if link and link.low_cut_v else By.PROPOSED
    named = [
        ("alarm", By.VOLTS, link.low_alarm_v if link else None),
        ("starts again", restart, low_restart_v(setup)),
        ("cuts off", cut, low_cut_v(setup)),
        ("trips: a cell", By.BMS, setup.cells * p.cell_under_voltage.trip_v),
        ("trips: the pack", By.BMS, p.pack_under_voltage.trip_v if p.pack_under_voltage else None),
    ]
    curve = chemistry(setup.chemistry).curve
    for name, by, volts in named:
        if volts is None:
            continue
        cell_v = volts / setup.cells
        rest = float(curve.soc(cell_v))
        load = float(curve.soc(cell_v + _drop_v(setup, amps)))
        yield Act(name, by, volts, rest, load, round(volts, 2))


def doubts(setup: Setup, amps: float | None = None) -> list[str]:
    """What of the order is wrong or turns round under load, in words."""
    acts = rank(setup, amps)
    cuts = [a for a in acts if a.name == "cuts off"]
    cut = next((a for a in cuts if a.by is By.COUNT), None)
    volts = next(a for a in cuts if a.by is not By.COUNT)
    trip = next(a for a in acts if a.by is By.BMS)  # of cell and pack the one that comes first
    out: list[str] = []
    if cut is not None and volts.load_pct > cut.load_pct:
        at_rest = volts.rest_pct > cut.set
        when = "never reached" if at_rest else "reached at lesser loads only"
        out.append(
            f"Under this load the voltage cuts off first, at {volts.load_pct:.0f} % of charge: the "
            f"{cut.set:g} % are {when}."
        )
    first = max(volts.load_pct, cut.load_pct if cut else 0.0)
    if trip.load_pct >= first:
        out.append(
            f"Under this load the BMS trips first, at {trip.load_pct:.0f} %: the inverter goes dark"
            " instead of stopping."
        )
    return out
