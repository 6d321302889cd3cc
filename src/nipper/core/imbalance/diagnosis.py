"""The judgement: what is wrong with which cell, how much, how sure, why, and what to do.

The estimates are made once (``estimate``), each cause looks at them by itself (``causes``,
``electrical``), and here they are weighed.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes import weigh
from nipper.core.imbalance.causes_base import Cause
from nipper.core.imbalance.counted import counted_share, told_scale
from nipper.core.imbalance.danger import Danger, dangers, holding
from nipper.core.imbalance.estimate import Estimate, estimate
from nipper.core.imbalance.few import ADVICE, of_the_ends
from nipper.core.imbalance.missing import doubtful, likely, missing, tells_little, untold
from nipper.core.imbalance.moved import Since
from nipper.core.imbalance.unfit import unfit
from nipper.core.imbalance.unread import readings_only, told_unread, unread
from nipper.core.logs.charges import Charge
from nipper.core.logs.ends import ends_only
from nipper.core.logs.guess import other_chemistry
from nipper.core.logs.looked import NOTHING, Looked, without_sensors
from nipper.core.logs.model import Log
from nipper.core.logs.moments import readings
from nipper.core.setup import Setup

Floats = NDArray[np.floating]


# an unsure finding is no health: from so much on, of what would have to be acted on from less
PERHAPS, PERHAPS_SERIOUS = 0.2, 0.05


@dataclass(frozen=True, eq=False, slots=True)
class Diagnosis:
    """Everything the log tells, judged."""

    calm: str  # the verdict of what was found, whatever danger there is
    findings: tuple[Cause, ...]
    estimate: Estimate
    advice: tuple[str, ...]  # what to record when there is not enough
    overruled: tuple[
        tuple[Cause, Cause], ...
    ] = ()  # what was considered, and the better explanation it gave way to
    unread: tuple[int, ...] = ()  # cells (indices) of which too little was read to judge them
    unfit: bool = False  # the log is not of the cells that the settings speak of
    dangers: tuple[Danger, ...] = ()  # before all else: cells that read what none bears
    moved: Since | None = None  # by hand, since the log told how the cells stand

    @property
    def verdict(self) -> str:
        """One of healthy, watch, act, not_enough_data."""
        if self.alarm:
            return "act"
        if self.unfit or self.calm in ("act", "watch"):
            return self.calm
        return "watch" if any(danger.grave for danger in self.dangers) else self.calm

    @property
    def strays(self) -> list[int]:
        """Cells named by a finding, strongest first, each once."""
        return list(dict.fromkeys(cell for finding in self.findings for cell in finding.cells))

    @property
    def alarm(self) -> Danger | None:
        """The worst danger of these days: it is told before all findings."""
        return next((danger for danger in self.dangers if danger.pressing), None)

    @property
    def urgent(self) -> tuple[str, ...]:
        """What the dangers of these days ask for, first things first."""
        return tuple(text for d in self.dangers if d.pressing for text in d.actions)

    @property
    def stopped(self) -> bool:
        """Whether a danger forbids all that the findings would have done."""
        return any(danger.stops_all for danger in self.dangers)

    @property
    def now(self) -> Estimate:
        """The estimate with the cells as they stand since charge was moved by hand."""
        told = self.estimate
        return replace(told, drift=self.moved.now(told.drift)) if self.moved else told

    def asks(self, finding: Cause) -> tuple[str, ...]:
        """What is to be done about a finding now: nothing while a danger forbids it, and no charge
        is moved twice.
        """
        if self.stopped:
            return ()
        moved = self.moved
        done = {m.sentence for m in finding.moves if moved and moved.is_done(m.cell)}
        if moved is None or not done:
            return finding.actions
        return (moved.sentence, *(text for text in finding.actions if text not in done))

    @property
    def perhaps(self) -> Cause | None:
        """The likeliest of the findings that are too weak to name, where none is named."""
        return None if _named(self.findings) else _perhaps(self.findings)


def diagnose(
    log: Log,
    setup: Setup,
    tick: Callable[[float], None] = lambda _share: None,
    looked: Looked = NOTHING,
) -> Diagnosis:
    """Judge one pack's log.

    Parameters
    ----------
    log : of one pack, with as many cells as the setup
    setup : as typed into the BMS
    tick : called with the fraction done; what it raises ends the work
    looked : what was measured where the log speaks of danger
    """
    log = without_sensors(log, looked)
    ends, beyond = ends_only(log), dangers(log, setup, looked)
    log, left_out = readings_only(log, setup)
    known = estimate(log, setup, tick)
    counted = counted_share(log, setup, known)
    told = unfit(known, log, setup, counted)
    if told:
        # no number of it may be used elsewhere: estimated is what no rows tell
        nothing = estimate(log.select(slice(0, 0)), setup)
        beyond = _holding(beyond, log, setup)
        return Diagnosis("not_enough_data", (), nothing, (told,), unfit=True, dangers=beyond)
    causes, lost = weigh(known, setup, of_the_ends if ends else list)
    causes = of_the_ends(causes) if ends else causes  # those told anew for some of their cells
    unseen = unread(log, known.full)
    scale = told_scale(log, known, setup, counted)
    advice = told_unread(log, unseen, left_out) + scale + missing(known, log, setup)
    advice = [ADVICE, *advice] if ends else advice
    strong = _named(causes)
    advice += [] if strong else likely(known, setup)
    if strong:
        calm = "act" if any(c.serious for c in strong) else "watch"
    elif not known.full or log.cells < 2 or unseen:
        calm = "not_enough_data"
    elif _perhaps(causes) or scale or doubtful(known, setup):
        calm = "watch"
    else:
        little = ends or untold(known) or tells_little(known, setup)
        calm = "not_enough_data" if little else "healthy"
    return Diagnosis(
        calm,
        tuple(causes),
        known,
        tuple(advice),
        tuple(lost),
        tuple(unseen),
        dangers=beyond,
    )


def look_again(judged: Diagnosis, log: Log, setup: Setup, looked: Looked) -> Diagnosis:
    """The same judgement, with the dangers as they are told now: by other settings, or after
    something was measured; of the log it was made of.
    """
    beyond = dangers(log, setup, looked)
    return replace(judged, dangers=_holding(beyond, log, setup) if judged.unfit else beyond)


def _holding(beyond: Sequence[Danger], log: Log, setup: Setup) -> tuple[Danger, ...]:
    kind = other_chemistry(log, setup.chemistry, setup.capacity_ah)
    return holding(beyond, same_kind=kind is None)


def _named(causes: Sequence[Cause]) -> list[Cause]:
    return [c for c in causes if c.confidence > 0.5]


def _perhaps(causes: Sequence[Cause]) -> Cause | None:
    open_ = (c for c in causes if not c.mended)
    likely = (c for c in open_ if c.confidence > (PERHAPS_SERIOUS if c.serious else PERHAPS))
    return next(likely, None)


def to_json(diagnosis: Diagnosis, log: Log, setup: Setup) -> dict[str, object]:
    """The document fixed by the headless contract, and a few fields more."""
    known = diagnosis.estimate
    return {
        "format": "nipper-diagnosis",
        "version": 1,
        "verdict": diagnosis.verdict,
        "dangers": [danger.to_json() for danger in diagnosis.dangers],
        "findings": [c.to_json() for c in diagnosis.findings],
        "cells": _cells_json(known, setup),
        "charges": [_charge_json(log, setup, c) for c in known.charges if c.ended_by != "top-up"],
        "record_next": list(diagnosis.advice),
        "considered": [
            {"cause": c.cause, "cells": list(c.cells), "explained_by": b.cause}
            for c, b in diagnosis.overruled
        ],
    }


def _cells_json(known: Estimate, setup: Setup) -> list[dict[str, object]]:
    offset_pct = 100.0 * known.drift.last_ah / setup.capacity_ah
    drift = 1e3 * known.drift.ah_per_day
    resistance = 1e3 * known.to_25_c * (known.resistances.herd_ohm + known.resistances.excess_ohm)
    capacity = setup.capacity_ah + known.capacities.deficit_ah
    bias = 1e3 * known.signals.bias_v
    return [
        {
            "cell": i + 1,
            "soc_offset_pct": _number(offset_pct[i], 3),
            "soc_offset_sd_pct": _number(100.0 * known.drift.last_sd_ah[i] / setup.capacity_ah, 3),
            "capacity_ah": _number(capacity[i], 2),
            "resistance_mohm": _number(resistance[i], 4),
            "drift_mah_per_day": _number(drift[i], 2),
            "drift_sd_mah_per_day": _number(1e3 * known.drift.error_ah_per_day[i], 2),
            "bias_mv": _number(bias[i], 2),
        }
        for i in range(setup.cells)
    ]


def _charge_json(log: Log, setup: Setup, charge: Charge) -> dict[str, object]:
    read = readings(log, setup, charge)
    return {
        "start": iso(log.time_s[charge.start]),
        "end": iso(log.time_s[charge.top]),
        "full": charge.full,
        "top_pack_v": round(charge.level_v * log.cells, 2),
        "deviation_top_mv": round(read.end.deviation_mv, 1),
        "deviation_rest_mv": _number(read.rest.deviation_mv, 1) if read.rest else None,
        "highest_cell": read.end.highest,
        "lowest_cell": read.end.lowest,
        "charged_ah": round(charge.charged_ah, 2),
        "ended_by": charge.ended_by,
        "deviation_top_pct": round(read.end.deviation_pct, 3),
        "current_top_a": _number(read.end.current_a, 1),
    }


def iso(time_s: float) -> str:
    """Unix seconds as ISO 8601 in UTC."""
    return datetime.fromtimestamp(float(time_s), UTC).isoformat(timespec="seconds")


def _number(value: float, digits: int) -> float | None:
    return round(float(value), digits) if np.isfinite(value) else None
