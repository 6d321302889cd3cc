"""Packs joined in parallel: what flows between them at the moment of joining, and until they agree.

The current is the difference of their rest voltages over both resistances and both leads. On the
flat of the curve that is little and lasts for hours; near its ends it is much. What may be joined
is what neither a trip, a fuse, a lead nor a cell's sheet minds.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import inf

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup
from nipper.core.wiring.lead import pack_lead
from nipper.core.wiring.network import flow
from nipper.core.wiring.sharing import row
from nipper.core.wiring.short import leads_ohm as leads_only_ohm
from nipper.core.wiring.short import ohmic_ohm

FOR_A_MOMENT = 0.5  # of the smallest limit: so much is taken as fine at the moment of joining
STEP_S, LONGEST_H = 30.0, 48.0
COUNTER_PCT = 5.0  # what a good charge counter is off by: common practice
DONE_C = 0.005  # of the capacity an hour: below it they agree
# per cell: what an hour of rest, a meter, and one curve for all makes leave open (published curves
# of one family lie so far apart, see chemistry)
VOLT_DOUBT_V = 0.020


@dataclass(frozen=True, slots=True)
class Joined:
    """One pack as it stands: its settings, its rest voltage at its own terminals, V, and what its
    own counter says, %; None where that is not known.
    """

    setup: Setup
    rest_v: float
    counted_pct: float | None = None

    @property
    def off_its_volts(self) -> bool:
        """Whether the counter says what the volts rule out."""
        low, high = _soc(self, -VOLT_DOUBT_V), _soc(self, VOLT_DOUBT_V)
        said = self.counted_pct
        return said is not None and not low - COUNTER_PCT <= said <= high + COUNTER_PCT


@dataclass(frozen=True, slots=True)
class Limit:
    """The least of what a pack may take or give for a moment."""

    amps: float
    what: str  # charge trip, cells' sheet, fuse, lead
    pack: int


@dataclass(frozen=True, slots=True)
class Joining:
    """What happens when they are joined.

    ``first_a`` is the largest current of any pack at the moment of joining, ``packs_a`` each
    pack's (discharge positive); ``allowed_v`` the difference between the two farthest packs that
    stays within ``limit``; ``soc_pct`` what the voltages say of each pack, with what they leave
    open; ``moved_ah`` and ``hours`` until they agree; None where it takes longer than two days.
    """

    packs_a: tuple[float, ...]
    first_a: float
    limit: Limit | None
    allowed_v: float | None
    apart_v: float
    soc_pct: tuple[tuple[float, float], ...]
    moved_ah: float
    hours: float | None
    outside: tuple[int, ...]  # packs whose cells rest outside their sheet: none is joined
    astray: tuple[int, ...] = ()  # packs whose counter says what the volts rule out
    counted: bool = False  # all start where their counters say

    @property
    def fine(self) -> bool | None:
        """Whether they may be joined as they are; None where no limit is known."""
        if self.outside:
            return False
        return None if self.limit is None else self.first_a <= FOR_A_MOMENT * self.limit.amps


def joining(packs: Sequence[Joined]) -> Joining:
    """Judge joining packs that rest at these voltages.

    At the first moment only the ohmic part of a cell limits (:mod:`nipper.core.wiring.short`);
    afterwards the packs' whole resistances do.
    """
    rests = [p.rest_v for p in packs]
    first = _first_a(packs, rests)
    most_a, apart_v = max(map(abs, first)), max(rests) - min(rests)
    limit = _limit(packs)
    allowed_v = None
    if limit is not None:
        unit = [(r - min(rests)) / apart_v for r in rests] if apart_v else _first_apart(len(packs))
        allowed_v = FOR_A_MOMENT * limit.amps / max(map(abs, _first_a(packs, unit)))
    moved_ah, hours = _until_they_agree(packs)
    return Joining(
        tuple(first), most_a, limit, allowed_v, apart_v,
        tuple((_soc(p, -VOLT_DOUBT_V), _soc(p, VOLT_DOUBT_V)) for p in packs), moved_ah, hours,
        tuple(i for i, p in enumerate(packs) if not _within_sheet(p)),
        tuple(i for i, p in enumerate(packs) if p.off_its_volts),
        _counted(packs),
    )  # fmt: skip


def _counted(packs: Sequence[Joined]) -> bool:
    """Whether every pack has a counter that its volts do not contradict."""
    return all(p.counted_pct is not None and not p.off_its_volts for p in packs)


def _within_sheet(pack: Joined) -> bool:
    """Whether the cells, taken together, rest within their sheet's and the chemistry's window."""
    cell, chem = pack.setup.cell, chemistry(pack.setup.chemistry)
    least_v, most_v = max(cell.min_v or 0.0, chem.min_v), min(cell.max_v or inf, chem.max_v)
    return least_v <= pack.rest_v / pack.setup.cells <= most_v


def _first_apart(packs: int) -> list[float]:
    return [1.0] + [0.0] * (packs - 1)


def _first_a(packs: Sequence[Joined], rests: Sequence[float]) -> list[float]:
    """At the first moment: only ohmic resistance and leads stand between the voltages."""
    siemens = np.array([1.0 / (ohmic_ohm(p.setup) + leads_only_ohm(p.setup)) for p in packs])
    volts = np.asarray(rests, float)
    meet = float(siemens @ volts / siemens.sum())
    return (siemens * (volts - meet)).tolist()


def _limit(packs: Sequence[Joined]) -> Limit | None:
    """The least any pack minds, of charge or discharge: one gives what another takes."""
    found = [
        Limit(amps, what, i) for i, p in enumerate(packs) for what, amps in _limits(p.setup) if amps
    ]
    return min(found, key=lambda limit: limit.amps, default=None)


def _limits(setup: Setup) -> list[tuple[str, float | None]]:
    p, wiring, lead = setup.protection, setup.wiring, pack_lead(setup.wiring)
    return [
        ("charge trip", p.charge_over_current.trip_a if p.charge_over_current else None),
        ("discharge trip", p.discharge_over_current.trip_a if p.discharge_over_current else None),
        ("cells' sheet", setup.sheet_charge_a),
        ("fuse", wiring.fuse_a if wiring else None),
        ("lead", lead.carries_a if lead else None),
    ]


def _soc(pack: Joined, off_v: float = 0.0) -> float:
    """What the rest voltage says of the charge, %, were each cell that much off."""
    curve = chemistry(pack.setup.chemistry).curve
    return float(curve.soc(pack.rest_v / pack.setup.cells + off_v))


def _until_they_agree(packs: Sequence[Joined]) -> tuple[float, float | None]:
    """Ampere-hours the fullest pack gives, and hours until nothing to speak of flows."""
    cells, curve = packs[0].setup.cells, chemistry(packs[0].setup.chemistry).curve
    ah = np.array([p.setup.capacity_ah for p in packs])
    soc = np.array([p.counted_pct if _counted(packs) else _soc(p) for p in packs], float)
    way, ones = row([p.setup for p in packs]), np.eye(len(packs))
    # the network is linear: what each pack's volt drives through all of them, A
    per_volt = np.array([flow(way, 0.0, one).packs_a for one in ones.tolist()]).T
    small_a, given_ah = DONE_C * float(ah.min()), np.zeros(len(packs))
    step_h = STEP_S / 3600.0
    most = 0.2 * ah / step_h / 100.0  # no pack may jump past the others within a step
    for step in range(int(LONGEST_H / step_h)):
        amps = per_volt @ (cells * curve.ocv(soc))
        amps *= min(1.0, float((most / np.maximum(np.abs(amps), 1e-9)).min()))
        if np.abs(amps).max() < small_a:
            return float(np.abs(given_ah).max()), step * step_h
        soc = np.clip(soc - 100.0 * amps * step_h / ah, 0.0, 100.0)
        given_ah += amps * step_h
    return float(np.abs(given_ah).max()), None
