"""Before and after: did it help, by how much, is it more than chance; and the swap test: did the
pattern go with what was exchanged?

Both compare straight lines through the offsets of full charges, and resistances from steps of
current, on either side of a moment. Chance is that of a normal error beyond the difference, both
sides; nothing is called a change below one in a hundred.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import erfc, inf, sqrt

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.lag import aligned
from nipper.core.imbalance.lines import LEAST_CHARGES, LEAST_DAYS, side_line
from nipper.core.imbalance.resistance import step_resistances
from nipper.core.imbalance.sharing import Sharing, sharing
from nipper.core.imbalance.snapshot import Snapshot
from nipper.core.imbalance.states import DRIFT_FLOOR_PCT_MONTH, LEVELLED, States, states
from nipper.core.imbalance.swap import KIND as SWAP
from nipper.core.imbalance.swap import Swap, SwapResult, swap_test, undecided
from nipper.core.imbalance.unread import readings_only
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

CHANCE = 0.01  # above it a difference is no change
RESISTANCE_SHARE = 0.15  # of the herd's resistance: a smaller change means nothing to a builder
LEAST_SIDE_DAYS = 2.0


# a cell's resistance and drift against the herd; the spread's growth; the herd's own resistance
RESISTANCE, DRIFT, SPREAD, HERD = "resistance", "drift", "spread", "herd_resistance"
PER_K = 0.036  # resistance against temperature near 15 degC for 25 kJ/mol, as in electrical.py
FARTHEST_K = 6.0  # between both sides: beyond it the season's share is not known well enough
CORRECTED = 0.3  # of the share of the temperature, its uncertainty
HERD_SD = 0.03  # of the herd's resistance from one stretch of use to another


@dataclass(frozen=True, slots=True)
class Change:
    """A quantity before and after a moment.

    ``chance``: how often an error alone would differ so much.
    """

    quantity: str  # one of the four above
    cell: int | None
    before: float
    after: float
    sd: float  # of the difference
    unit: str
    chance: float

    @property
    def real(self) -> bool:
        """More than chance."""
        return self.chance < CHANCE

    @property
    def helped(self) -> bool:
        """Whether it is better than before: a drift nearer to nothing, a resistance lower, a
        spread that grows less or shrinks faster (one that stops shrinking got worse).
        """
        if not self.real:
            return False
        if self.quantity in (SPREAD, HERD):
            return self.after < self.before
        return abs(self.after) < abs(self.before)


def _chance(difference: float, sd: float) -> float:
    return erfc(abs(difference) / max(sd, 1e-12) / sqrt(2.0))


@dataclass(frozen=True, eq=False)  # no slots: the cached property lives in the instance
class Recorded:
    """What is known of a pack: its log with what is estimated of it, its own settings, and what its
    readings by hand say.
    """

    log: Log
    estimate: Estimate
    setup: Setup
    readings: Sequence[Snapshot] = ()

    @cached_property
    def together(self) -> Log:
        """The log with each row's current that of its voltages, and without what is no reading."""
        return aligned(readings_only(self.log, self.setup)[0], self.estimate.lag_rows)


def before_after(
    known: Recorded,
    stood: States,
    time_s: float,
    between: tuple[float, float] = (-inf, inf),
) -> list[Change]:
    """What changed at a moment, least likely by chance first; empty when one side of it holds too
    little.

    Parameters
    ----------
    known : of one pack, estimated from its whole log
    stood : how its cells stood, by charges and readings
    time_s : Unix seconds
    between : what lies outside is left out: other things were done there
    """
    return sorted(
        [
            *_resistance(known.together, known.setup, time_s, between),
            *_drifts(stood, known.setup, time_s, between),
        ],
        key=lambda c: c.chance,
    )


def _sides(
    at_s: Floats, time_s: float, between: tuple[float, float]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    return (at_s >= between[0]) & (at_s < time_s), (at_s >= time_s) & (at_s < between[1])


def _resistance(
    log: Log, setup: Setup, time_s: float, between: tuple[float, float]
) -> list[Change]:
    sides = _sides(log.time_s, time_s, between)
    if (
        min(float(np.ptp(log.time_s[s])) if s.any() else 0.0 for s in sides)
        < LEAST_SIDE_DAYS * 86400.0
    ):
        return []
    old, new = (step_resistances(log.select(side), setup) for side in sides)
    if not (np.isfinite(old.herd_ohm) and np.isfinite(new.herd_ohm)):
        return []
    difference, sd = (
        new.excess_ohm - old.excess_ohm,
        np.hypot(new.sd_ohm, old.sd_ohm) + 0.03 * old.herd_ohm,
    )
    before, after = (log.select(side) for side in sides)
    out = _herd(old.herd_ohm, new.herd_ohm, _warmer_k(before, after))
    for i in np.flatnonzero(np.abs(difference) > RESISTANCE_SHARE * old.herd_ohm):
        chance = _chance(float(difference[i]), float(sd[i]))
        if chance < CHANCE:
            out.append(
                Change(
                    RESISTANCE,
                    int(i) + 1,
                    1e3 * float(old.excess_ohm[i]),
                    1e3 * float(new.excess_ohm[i]),
                    1e3 * float(sd[i]),
                    "mΩ",
                    chance,
                )
            )
    return out


def _warmer_k(before: Log, after: Log) -> float:
    """How much warmer the cells were afterwards, K; NaN where no sensor says it."""
    means = [
        float(np.nanmean(log.temp_c)) if np.isfinite(log.temp_c).any() else np.nan
        for log in (before, after)
    ]
    return means[1] - means[0]


def _herd(old_ohm: float, new_ohm: float, warmer_k: float) -> list[Change]:
    """All joints or cells exchanged at once: no cell stands out, the median cell's resistance
    changes. Told only where the temperatures are known and near each other, and freed of them.
    """
    if not abs(warmer_k) <= FARTHEST_K:
        return []
    share = PER_K * warmer_k
    new_ohm *= 1.0 + share
    sd = old_ohm * float(np.hypot(HERD_SD * np.sqrt(2.0), CORRECTED * share))
    if abs(new_ohm - old_ohm) < RESISTANCE_SHARE * old_ohm:
        return []
    chance = _chance(new_ohm - old_ohm, sd)
    if chance >= CHANCE:
        return []
    return [Change(HERD, None, 1e3 * old_ohm, 1e3 * new_ohm, 1e3 * sd, "mΩ", chance)]


def _drifts(
    drift: States, setup: Setup, time_s: float, between: tuple[float, float]
) -> list[Change]:
    """The spread of charge, and the cell that moves most: net of nothing, because what the balancer
    does is what may have changed.
    """
    floor = 10.0 * DRIFT_FLOOR_PCT_MONTH / 30.4 * setup.capacity_ah  # mAh a day
    sides = _sides(drift.time_s, time_s, between)
    if any(
        s.sum() < LEAST_CHARGES or np.ptp(drift.time_s[s]) < LEAST_DAYS * 86400.0 for s in sides
    ):
        return []
    out: list[Change] = []
    spread = np.nanmax(drift.offset_ah, axis=1) - np.nanmin(drift.offset_ah, axis=1)
    rows = [(None, SPREAD, spread, np.nanmedian(drift.sd_ah, axis=1))]
    rows += [
        (i + 1, DRIFT, drift.offset_ah[:, i], drift.sd_ah[:, i])
        for i in range(drift.offset_ah.shape[1])
    ]
    for cell, quantity, value, sd in rows:
        lines = [
            side_line(
                (drift.time_s[s] - drift.time_s[0]) / 86400.0,
                value[s],
                np.hypot(sd[s], 1e-3 * setup.capacity_ah),
                setup.capacity_ah,
            )
            for s in sides
        ]
        (old, old_sd), (new, new_sd) = lines
        if not (np.isfinite(old) and np.isfinite(new)):
            continue
        error = float(np.hypot(np.hypot(old_sd, new_sd), floor / 1e3))
        change = Change(
            quantity, cell, 1e3 * old, 1e3 * new, 1e3 * error, "mAh/day", _chance(new - old, error)
        )
        if cell is None or change.real:
            out.append(change)
    return out


@dataclass(frozen=True, slots=True)
class Happening:
    """Something that was done: ``pack`` None means all; ``kind`` swap: something was exchanged
    between two packs, ``swap`` says between which, where it is known.
    """

    time_s: float
    pack: int | None
    kind: str
    note: str
    swap: Swap | None = None


@dataclass(frozen=True, eq=False, slots=True)
class Compared:
    """What comparing tells: changes at each happening by pack, swap tests, and how packs in
    parallel share.
    """

    changes: Mapping[int, Sequence[tuple[Happening, Sequence[Change]]]]
    swaps: Sequence[tuple[Happening, SwapResult]]
    shared: Sharing | None


def compare_all(
    packs: Mapping[int, Recorded], happenings: Sequence[Happening], bank: Setup
) -> Compared:
    """Everything that can be compared in a bench.

    Parameters
    ----------
    packs : what is known, by pack, in the order of the bank; those with no log, or with one that is
        not of their cells, are left out
    """
    stood = {
        pack: states(
            known.estimate.drift,
            known.setup,
            known.readings,
            [h.time_s for h in happenings if h.kind == LEVELLED and _concerns(h, pack)],
        )
        for pack, known in packs.items()
    }
    changes = {
        pack: [
            (h, before_after(known, stood[pack], h.time_s, _until_others(h, happenings, pack)))
            for h in happenings
            if _concerns(h, pack) and h.kind != SWAP
        ]
        for pack, known in packs.items()
    }
    swaps = [(h, _swapped(h, packs, stood)) for h in happenings if h.kind == SWAP]
    # of a bank that is not seen whole no pack's share is known, nor which way is the bad one
    whole = len(packs) >= bank.packs_in_parallel
    logs = [known.together for known in packs.values()] if whole else []
    return Compared(changes, swaps, sharing(logs, bank))


def _swapped(
    happening: Happening, packs: Mapping[int, Recorded], stood: Mapping[int, States]
) -> SwapResult:
    """The swap test of the two packs it was between; without a word on which, only of two."""
    pair = happening.swap.packs if happening.swap else tuple(packs)
    if len(pair) != 2:
        return undecided("Of more than two packs it must be said between which it was.")
    if any(pack not in packs for pack in pair):
        return undecided("One of the two packs has no log.")
    what = happening.swap.what if happening.swap else "other"
    return swap_test([(packs[p].setup, stood[p]) for p in pair], happening.time_s, what)


def to_json(compared: Compared) -> dict[str, object]:
    """The document of ``nipper compare``."""
    shared = compared.shared
    return {
        "format": "nipper-compare",
        "version": 1,
        "changes": [
            {
                "pack": pack,
                "quantity": c.quantity,
                "cell": c.cell,
                "before": round(c.before, 3),
                "after": round(c.after, 3),
                "sd": round(c.sd, 3),
                "unit": c.unit,
                "chance": float(f"{c.chance:.3g}"),
                "real": c.real,
                "helped": c.helped,
            }
            for pack, happenings in compared.changes.items()
            for _, changes in happenings
            for c in changes
        ],
        "swap": [
            {
                "verdict": r.verdict,
                "confidence": round(r.confidence, 3),
                "summary": r.sentence,
                "record_next": r.record_next,
            }
            for _, r in compared.swaps
        ],
        "sharing": None
        if shared is None
        else {
            "share": [round(float(v), 4) for v in shared.share],
            "way_mohm": [round(float(v), 3) for v in shared.way_mohm],
            "way_sd_mohm": [round(float(v), 3) for v in shared.way_sd_mohm],
            "unequal_packs": [p + 1 for p in shared.unequal],
            "guilty_pack": None if shared.guilty is None else shared.guilty + 1,
        },
    }


def _concerns(happening: Happening, pack: int) -> bool:
    return happening.pack in (None, pack)


def _until_others(
    happening: Happening, happenings: Sequence[Happening], pack: int
) -> tuple[float, float]:
    """From the happening before to the one after it: beyond them something else was changed as
    well.
    """
    times = [h.time_s for h in happenings if h is not happening and _concerns(h, pack)]
    return max((t for t in times if t < happening.time_s), default=-inf), min(
        (t for t in times if t > happening.time_s), default=inf
    )
