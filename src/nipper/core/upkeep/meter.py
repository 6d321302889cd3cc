"""Finding a fault with a meter: which reading tells most next, and what all of them say together.

Each fault says what every probe would read; a reading makes those likelier that expected it
(Bayes, with room for a slip). The next probe is the one that is expected to tell most for its
minutes.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

SLIP = 0.02  # of readings that are wrong: probes slipped, a digit misread; common practice
SURE = 0.9  # of one fault: it is named
TELLS_BITS = 0.03  # a reading that is expected to tell less is not asked for


@dataclass(frozen=True, slots=True)
class Reads:
    """What a probe would read: a value, and how far around it."""

    value: float
    around: float


class Cells(StrEnum):
    """Whose reading it is, where one cell strays."""

    NONE = ""  # the bank's
    ALL = "all"  # a screen or a log shows every cell
    ONE = "one"  # of the cell that was chosen


@dataclass(frozen=True, slots=True)
class Probe:
    """A reading: where the probes go, in which unit, how long it takes, and what to heed."""

    id: str
    where: str
    unit: str
    minutes: float = 2.0
    caution: str = ""
    cells: Cells = Cells.NONE


@dataclass(frozen=True, slots=True)
class Fault:
    """A cause: its share of such cases beforehand, what is done, and what differs from normal."""

    id: str
    title: str
    prior: float
    cure: str
    reads: Mapping[str, Reads]
    sizes: tuple[float, ...] = (1.0,)  # as it is met, of what ``reads`` tells: alike beforehand


@dataclass(frozen=True, slots=True)
class Beside:
    """What may be so besides, and is no fault: its share, and by how much readings shift with
    it.
    """

    share: float
    shifts: Mapping[str, float]


NOTHING_BESIDE = (Beside(1.0, {}),)


@dataclass(frozen=True, slots=True)
class Walk:
    """A symptom with its probes, its faults, and what each probe reads when nothing is wrong
    there; and what may be so besides, whatever the fault.
    """

    id: str
    title: str
    probes: tuple[Probe, ...]
    faults: tuple[Fault, ...]
    normal: Mapping[str, Reads]
    besides: tuple[Beside, ...] = NOTHING_BESIDE

    def reads(self, fault: Fault, probe: str, size: float = 1.0) -> Reads:
        """What a probe reads with that fault, of such a size."""
        normal = self.normal[probe]
        told = fault.reads.get(probe, normal)
        if size == 1.0:
            return told
        # what is larger is read less surely, but never more surely than where nothing is wrong
        around = normal.around + abs(size) * max(0.0, told.around - normal.around)
        return Reads(normal.value + size * (told.value - normal.value), around)

    def probe(self, id_: str) -> Probe:
        """The probe of that name."""
        return next(p for p in self.probes if p.id == id_)


@dataclass(frozen=True, slots=True)
class Stand:
    """How the search stands: faults with their probability, likeliest first, and the next probe
    (None: nothing is left that tells).
    """

    likely: tuple[tuple[Fault, float], ...]
    ask: Probe | None
    bits: float  # what the next reading is expected to tell
    strange: bool  # no fault known here explains the readings

    @property
    def found(self) -> Fault | None:
        """The fault, once it is sure."""
        fault, share = self.likely[0]
        return fault if share >= SURE and not self.strange else None


def stand(walk: Walk, readings: Mapping[str, float]) -> Stand:
    """What the readings say together, by probe; and what to read next."""
    kinds = _Kinds(walk)
    weights = kinds.prior
    strange = False
    for probe, value in readings.items():
        if probe not in walk.normal:
            continue
        fits = kinds.fits(probe, value)
        strange = strange or float(fits.max()) <= 2.0 * SLIP
        weights = weights * fits
    weights = weights / weights.sum()
    shares = kinds.by_fault(weights)
    pairs = zip(walk.faults, shares.tolist(), strict=True)
    likely = sorted(pairs, key=lambda pair: -pair[1])
    left = [p for p in walk.probes if p.id not in readings]
    told = [(kinds.tells(weights, p.id), p) for p in left]
    bits, ask = max(told, key=lambda pair: pair[0] / pair[1].minutes, default=(0.0, None))
    if bits < TELLS_BITS or likely[0][1] >= SURE:
        ask = None
    return Stand(tuple(likely), ask, bits, strange)


class _Kinds:
    """The faults, each in its sizes and with what may be besides: of these kinds one is true."""

    def __init__(self, walk: Walk) -> None:
        kinds = [
            (i, f, size, beside)
            for i, f in enumerate(walk.faults)
            for size in f.sizes
            for beside in walk.besides
        ]
        self._of = np.array([i for i, *_ in kinds])
        self._faults = len(walk.faults)
        self.prior = np.array([f.prior / len(f.sizes) * b.share for _, f, _, b in kinds])
        self._open = {p.id: p.cells != Cells.NONE for p in walk.probes}  # any fault may be larger
        self._reads = {p.id: np.array([_kind(walk, k, p.id) for k in kinds]) for p in walk.probes}

    def fits(self, probe: str, value: float) -> Floats:
        """How well each kind explains a reading, float64[kinds]."""
        reads = self._reads[probe]
        if self._open[probe]:
            value = min(max(value, float(reads[:, 0].min())), float(reads[:, 0].max()))
        return _fits(reads, np.array([value]))[0]

    def by_fault(self, weights: Floats) -> Floats:
        """Sizes taken together, float64[..., faults]."""
        return weights @ (self._of[:, None] == np.arange(self._faults))

    def tells(self, weights: Floats, probe: str) -> float:
        """By how much a reading is expected to narrow the faults, bits: each kind in turn is taken
        as the true one, and reads what it says.
        """
        reads = self._reads[probe]
        after = weights * _fits(reads, reads[:, 0])
        after /= after.sum(axis=1, keepdims=True)
        left = float(weights @ _entropy(self.by_fault(after)))
        return max(0.0, float(_entropy(self.by_fault(weights))) - left)


def _kind(walk: Walk, kind: tuple[int, Fault, float, Beside], probe: str) -> tuple[float, float]:
    """What a probe reads with a fault of a size, and what may be besides."""
    _, fault, size, beside = kind
    reads = walk.reads(fault, probe, size)
    return reads.value + beside.shifts.get(probe, 0.0), reads.around


def _fits(reads: Floats, values: Floats) -> Floats:
    """float64[values, kinds], of reads float64[kinds, 2]: what is expected, and how far around."""
    off = (values[:, None] - reads[:, 0]) / reads[:, 1]
    return SLIP + (1.0 - SLIP) * np.exp(-0.5 * np.minimum(off * off, 200.0))


def _entropy(shares: Floats) -> Floats:
    return -np.sum(shares * np.log2(np.maximum(shares, 1e-300)), axis=-1)
