"""Finding a fault with a meter: which reading tells most next, and what all of them say together.

Each fault says what every probe would read; a reading makes those likelier that expected it
(Bayes, with room for a slip). The next probe is the one that is expected to tell most for its
minutes.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import exp, log2

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


@dataclass(frozen=True, slots=True)
class Walk:
    """A symptom with its probes, its faults, and what each probe reads when nothing is wrong
    there.
    """

    id: str
    title: str
    probes: tuple[Probe, ...]
    faults: tuple[Fault, ...]
    normal: Mapping[str, Reads]

    def reads(self, fault: Fault, probe: str) -> Reads:
        """What a probe reads with that fault."""
        return fault.reads.get(probe, self.normal[probe])

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
    weights = [f.prior for f in walk.faults]
    strange = False
    for probe, value in readings.items():
        if probe not in walk.normal:
            continue
        fits = [_fits(walk.reads(f, probe), value) for f in walk.faults]
        strange = strange or max(fits) <= 2.0 * SLIP
        weights = [w * fit for w, fit in zip(weights, fits, strict=True)]
    total = sum(weights)
    shares = [w / total for w in weights]
    likely = sorted(zip(walk.faults, shares, strict=True), key=lambda pair: -pair[1])
    left = [p for p in walk.probes if p.id not in readings]
    told = [(_tells(walk, shares, p.id), p) for p in left]
    bits, ask = max(told, key=lambda pair: pair[0] / pair[1].minutes, default=(0.0, None))
    if bits < TELLS_BITS or likely[0][1] >= SURE:
        ask = None
    return Stand(tuple(likely), ask, bits, strange)


def _fits(reads: Reads, value: float) -> float:
    off = (value - reads.value) / reads.around
    return SLIP + (1.0 - SLIP) * exp(-0.5 * min(off * off, 200.0))


def _tells(walk: Walk, shares: Sequence[float], probe: str) -> float:
    """By how much a reading is expected to narrow the faults, bits: each fault in turn is taken as
    the true one, and reads what it says.
    """
    before, after = _entropy(shares), 0.0
    for fault, share in zip(walk.faults, shares, strict=True):
        if share < 1e-4:
            continue
        value = walk.reads(fault, probe).value
        weights = [
            s * _fits(walk.reads(f, probe), value) for f, s in zip(walk.faults, shares, strict=True)
        ]
        total = sum(weights)
        after += share * _entropy([w / total for w in weights])
    return max(0.0, before - after)


def _entropy(shares: Sequence[float]) -> float:
    return -sum(s * log2(s) for s in shares if s > 0)
