"""Sense leads, measured before the plug goes into the BMS: which lead sits where.

Each lead is read against lead 0, the pack's minus. In a string of equal cells the readings are
whole steps; a lead that reads another's step sits there. One wrong lead can put tens of volts
across an input that stands five.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup

WHOLE = 0.30  # so far from a whole step, in steps, a reading still counts as on it
NOTHING_V = 0.15  # below this a lead reads nothing
INPUT_V = 5.0  # what a sense input usually stands between neighbours: from memory of data sheets
BEYOND = 1.35  # of the chemistry's highest voltage: up to here it may be one overcharged cell
CELL_APART = 0.06  # of a cell's voltage: one that far from the others is told


class Fault(StrEnum):
    """What is wrong with sense leads."""

    OPEN = "open"
    SWAPPED = "swapped"
    SKIPPED = "skipped"
    TWICE = "twice"
    REVERSED_ORDER = "reversed order"
    REVERSED_CELL = "reversed cell"
    PROBES = "probes"
    BETWEEN = "between"
    UNLIKE_CELL = "unlike cell"
    TERMINALS = "terminals"
    OUTSIDE = "outside"


@dataclass(frozen=True, slots=True)
class TapFault:
    """A fault: the leads it is seen at, and where they seem to sit."""

    kind: Fault
    leads: tuple[int, ...]
    at: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class TapTest:
    """What the readings say. ``step_v`` is one cell's voltage by the readings; ``most_v`` the most
    that would stand between neighbouring leads; ``read`` how many of the leads were read.
    """

    step_v: float | None
    faults: tuple[TapFault, ...]
    most_v: float | None
    read: int
    wanted: int

    @property
    def complete(self) -> bool:
        """Whether every lead was read."""
        return self.read == self.wanted

    @property
    def safe(self) -> bool:
        """Whether every lead was read, and none is wrong."""
        return self.complete and all(f.kind == Fault.UNLIKE_CELL for f in self.faults)


def expected_v(setup: Setup, pack_v: float | None = None) -> list[float]:
    """What each lead from 1 must read against lead 0, V: by the pack's own voltage at its
    terminals, else by half-full cells of the chemistry at rest.
    """
    half_full = setup.cells * float(chemistry(setup.chemistry).curve.ocv(50.0))
    step_v = (pack_v or half_full) / setup.cells
    return [step_v * lead for lead in range(1, setup.cells + 1)]


def tap_test(
    setup: Setup, readings: Sequence[float | None], pack_v: float | None = None
) -> TapTest:
    """Judge the readings of the leads 1 to N against lead 0, V; None where one is not read yet.

    ``pack_v`` is read at the pack's own terminals, which no wrong sense lead can touch: with it a
    shifted row is told from full or empty cells.
    """
    volts = [None if v is None else float(v) for v in readings[: setup.cells]]
    volts += [None] * (setup.cells - len(volts))
    known = [v for v in volts if v is not None]
    if not known:
        return TapTest(None, (), None, 0, setup.cells)
    step_v = _step_v(setup, volts, pack_v)
    if all(v < -NOTHING_V for v in known):
        probes = TapFault(Fault.PROBES, ())
        return TapTest(step_v, (probes,), None, len(known), setup.cells)
    faults = tuple(_faults(setup, volts, step_v)) or _terminals(volts, step_v, pack_v)
    faults += _outside(setup, step_v)
    return TapTest(step_v, faults, _most_v(volts), len(known), setup.cells)


def _step_v(setup: Setup, volts: Sequence[float | None], pack_v: float | None) -> float:
    """One cell's voltage: what most neighbouring leads differ by, else by the terminals, else by a
    half-full cell.
    """
    chem = chemistry(setup.chemistry)
    row = [0.0, *volts]
    apart = [
        abs(high - low)
        for low, high in itertools.pairwise(row)
        if low is not None and high is not None
    ]
    usual = [v for v in apart if 0.5 * chem.min_v <= v <= BEYOND * chem.max_v]
    if len(usual) >= 2:
        return float(np.median(usual))
    if pack_v:
        return pack_v / setup.cells
    return usual[0] if usual else float(chem.curve.ocv(50.0))


def _places(volts: Sequence[float | None], step_v: float) -> list[int | None]:
    """At which tap each lead seems to sit; None where it is not read or on none."""
    out: list[int | None] = []
    for v in volts:
        steps = None if v is None else v / step_v
        whole = None if steps is None else round(steps)
        fits = steps is not None and whole is not None and abs(steps - whole) < WHOLE
        out.append(whole if fits else None)
    return out


def _faults(setup: Setup, volts: Sequence[float | None], step_v: float) -> list[TapFault]:
    cells, places = setup.cells, _places(volts, step_v)
    out: list[TapFault] = []
    turned = _turned(places, cells)
    if turned:
        return [TapFault(Fault.REVERSED_ORDER, turned)]
    shifts = _shifts(places)
    told = {lead for fault in shifts for lead in fault.leads}
    base = _base(shifts, cells)
    for lead, (v, place) in enumerate(zip(volts, places, strict=True), 1):
        if v is None:
            continue
        if abs(v) < NOTHING_V and base[lead] != 0:
            out.append(TapFault(Fault.OPEN, (lead,)))
        elif v < -NOTHING_V and base[lead] > 0:
            out.append(TapFault(Fault.PROBES, (lead,)))
        elif place is None:
            out.append(TapFault(Fault.BETWEEN, (lead,)))
        elif place != base[lead] and lead not in told:
            out.append(TapFault(Fault.SWAPPED, (lead,), (place,)))
    held = {base[lead] for lead, p in enumerate(places, 1) if p == base[lead]}
    return shifts + _paired(out, held) + _unlike(volts, places, base)


def _terminals(
    volts: Sequence[float | None], step_v: float, pack_v: float | None
) -> tuple[TapFault, ...]:
    """All leads are in order, yet the pack's own terminals read something else: the first or the
    last lead is not at the string's end, or the setup counts other cells.
    """
    last = volts[-1]
    if pack_v is None or last is None or abs(last - pack_v) < 0.5 * step_v:
        return ()
    return (TapFault(Fault.TERMINALS, (len(volts),)),)


def _turned(places: Sequence[int | None], cells: int) -> tuple[int, ...]:
    """The leads, where the whole row is plugged the other way round: the first reads the most."""
    pairs = [(i, p) for i, p in enumerate(places, 1) if p is not None]
    if len(pairs) < 4:
        return ()
    falling = sum(b < a for (_, a), (_, b) in itertools.pairwise(pairs))
    return tuple(i for i, _ in pairs) if falling >= 0.8 * (len(pairs) - 1) else ()


def _shifts(places: Sequence[int | None]) -> list[TapFault]:
    """Where from one lead on all sit further up or down than they should."""
    out: list[TapFault] = []
    shift = 0
    for i, place in enumerate(places):
        later = [p - (j + 1) for j, p in enumerate(places) if j >= i and p is not None]
        if place is None or not later or place - (i + 1) == shift:
            continue
        new = place - (i + 1)
        alike = sum(s == new for s in later) >= max(1, 0.8 * len(later))
        if not alike or (len(later) < 2 and i + 1 < len(places)):
            continue
        kind = {-2: Fault.REVERSED_CELL, -1: Fault.TWICE, 1: Fault.SKIPPED}.get(new - shift)
        if kind is not None:
            out.append(TapFault(kind, (i + 1,), (place,)))
            shift = new
    return out


def _base(shifts: Sequence[TapFault], cells: int) -> dict[int, int]:
    """Where each lead is expected once the shifts are taken as they are."""
    by = {Fault.REVERSED_CELL: -2, Fault.TWICE: -1, Fault.SKIPPED: 1}
    return {
        lead: lead + sum(by[f.kind] for f in shifts if f.leads[0] <= lead)
        for lead in range(1, cells + 1)
    }


def _outside(setup: Setup, step_v: float) -> tuple[TapFault, ...]:
    """The cells, taken together, rest outside their sheet: nothing is connected before it is known
    why.
    """
    cell, chem = setup.cell, chemistry(setup.chemistry)
    least_v = max(cell.min_v or 0.0, chem.min_v)
    most_v = min(cell.max_v or chem.max_v, chem.max_v)
    return () if least_v <= step_v <= most_v + 0.01 else (TapFault(Fault.OUTSIDE, ()),)


def _paired(faults: list[TapFault], held: set[int]) -> list[TapFault]:
    """Two leads that each sit at the other's place are one fault; one at a place that another
    rightly has is there a second time; one alone that sits elsewhere is told with its place.
    """
    at = {f.leads[0]: f.at[0] for f in faults if f.kind == Fault.SWAPPED}
    out: list[TapFault] = []
    for fault in faults:
        if fault.kind != Fault.SWAPPED:
            out.append(fault)
            continue
        lead, other = fault.leads[0], fault.at[0]
        if at.get(other) == lead:
            if lead < other:
                out.append(TapFault(Fault.SWAPPED, (lead, other), (other, lead)))
        elif other in held:
            out.append(TapFault(Fault.TWICE, (lead,), (other,)))
        else:
            out.append(fault)
    return out


def _unlike(
    volts: Sequence[float | None], places: Sequence[int | None], base: dict[int, int]
) -> list[TapFault]:
    """Cells whose own voltage is not the others', where both their leads sit right."""
    row = [0.0, *volts]
    right = [True, *(p is not None and p == base[i] for i, p in enumerate(places, 1))]
    own: dict[int, float] = {}
    for i in range(1, len(row)):
        low, high = row[i - 1], row[i]
        if right[i - 1] and right[i] and low is not None and high is not None:
            own[i] = high - low
    if len(own) < 3:
        return []
    middle = float(np.median(list(own.values())))
    return [
        TapFault(Fault.UNLIKE_CELL, (i,))
        for i, v in own.items()
        if abs(v - middle) > CELL_APART * abs(middle) and abs(v - middle) < 0.5 * abs(middle)
    ]


def _most_v(volts: Sequence[float | None]) -> float | None:
    """The most that stands between two neighbouring leads that were both read, V."""
    row = [0.0, *volts]
    steps = [
        abs(high - low)
        for low, high in itertools.pairwise(row)
        if low is not None and high is not None
    ]
    return max(steps, default=None)
