"""The one sentence a stage says about this pack, and what follows from its records."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, tzinfo
from typing import Any

import numpy as np

from nipper.core.forecast.limits import trip_forecast
from nipper.core.imbalance.causes import OPEN_TIMES
from nipper.core.imbalance.causes_base import names
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.imbalance.missing import hides_leaks
from nipper.core.logs.model import Log
from nipper.core.logs.moments import ChargeReadings, readings
from nipper.core.report.consequence import Consequence, Status, count
from nipper.core.report.consequence import day as _day
from nipper.core.report.danger import alarm_words, of_dangers, past_words
from nipper.core.report.proof import read_from
from nipper.core.setup import Setup
from nipper.core.upkeep.kept import findings

VERDICT_STATUS = {
    "healthy": Status.OK,
    "watch": Status.WATCH,
    "act": Status.ACT,
    "not_enough_data": Status.NONE,
}


def record_sentence(
    log: Log | None, setup: Setup, diagnosis: Diagnosis | None
) -> tuple[Status, str]:
    """How many full charges, and how the deviation went."""
    if log is None or diagnosis is None:
        return Status.NONE, "no log yet"
    if diagnosis.alarm:
        return Status.ACT, alarm_words(diagnosis)
    if diagnosis.unfit:
        return Status.ACT, OTHER_CELLS
    full = diagnosis.estimate.full
    if not full:
        return Status.NONE, f"no full charge in {log.days:.1f} days"
    first, last = (readings(log, setup, c).end.deviation_mv for c in (full[0], full[-1]))
    return Status.OK, f"{count(len(full), 'full charge')} · {first:.0f} → {last:.0f} mV"


# a judgement without a finding that stands out, by its verdict
NAMED = {
    "healthy": "The cells keep together",
    "watch": "The cells are not level, and no single cause stands out",
    "not_enough_data": "Not enough recorded to judge",
}
LITTLE = "What was seen so far names no fault, and rules none out."
OTHER_CELLS = "log and settings do not fit"
CANNOT_BOTH = "The log and the settings cannot both be right"
IN_SHORT = {
    "healthy": "cells keep together",
    "watch": "not level, no single cause",
    "not_enough_data": "not enough recorded",
}
BEFORE = {
    "healthy": "The cells kept together.",
    "watch": "The cells were not level, and no single cause stood out.",
    "act": "Something was to be done.",
    "not_enough_data": "Not enough was recorded.",
}


FAR_DAYS = 180
WIDE_MV = 80.0  # at the top: not a fault by itself near full, but nobody calls it together


def named(diagnosis: Diagnosis) -> str:
    """A judgement without a finding that stands out; millivolts are not kept quiet."""
    if diagnosis.alarm:
        return alarm_words(diagnosis)
    if diagnosis.unfit:
        return CANNOT_BOTH
    if perhaps := diagnosis.perhaps:
        return f"Perhaps: {perhaps.summary.rstrip('.')}"
    if past := past_words(diagnosis):
        return past
    wide_mv = diagnosis.estimate.end.deviation_mv
    if diagnosis.verdict == "healthy" and wide_mv >= WIDE_MV:
        return f"{wide_mv:.0f} mV at the top, but no cell stands apart in charge beyond doubt"
    if diagnosis.verdict == "healthy" and hides_leaks(diagnosis.estimate):
        return "The cells keep together; what the balancer makes good is not seen"
    if _partly_judged(diagnosis):
        return f"{names(list(diagnosis.unread))}: not read; nothing is found of the others"
    return NAMED[diagnosis.verdict]


def _partly_judged(diagnosis: Diagnosis) -> bool:
    """Whether nothing was found of those cells that were read, and some were not."""
    some = bool(diagnosis.unread and diagnosis.estimate.full)
    return some and diagnosis.verdict == "not_enough_data"


def diagnose_sentence(diagnosis: Diagnosis | None) -> tuple[Status, str]:
    """The strongest finding in a few words."""
    if diagnosis is None:
        return Status.NONE, "nothing to judge yet"
    if diagnosis.alarm:
        return Status.ACT, alarm_words(diagnosis)
    if diagnosis.unfit:
        return Status.ACT, OTHER_CELLS
    strong = [f for f in diagnosis.findings if f.confidence > 0.5]
    if diagnosis.perhaps or (past_words(diagnosis) and not strong):
        return VERDICT_STATUS[diagnosis.verdict], named(diagnosis)
    if not strong:
        well = diagnosis.verdict == "healthy"
        wide = well and diagnosis.estimate.end.deviation_mv >= WIDE_MV
        short = f"{diagnosis.estimate.end.deviation_mv:.0f} mV at the top, no cell stands apart"
        if _partly_judged(diagnosis):
            return Status.NONE, f"{names(list(diagnosis.unread))}: not read"
        if well and not wide and hides_leaks(diagnosis.estimate):
            return Status.OK, "cells keep together, as far as is seen"
        return VERDICT_STATUS[diagnosis.verdict], short if wide else IN_SHORT[diagnosis.verdict]
    return VERDICT_STATUS[diagnosis.verdict], strong[0].summary.rstrip(".").replace(
        " against the others", ""
    )


def _unfit(diagnosis: Diagnosis) -> list[Consequence]:
    (text,) = diagnosis.advice
    unfit = Consequence(Status.ACT, f"{CANNOT_BOTH}.", text, settings=("chemistry", "capacity_ah"))
    return [*of_dangers(diagnosis), unfit]


def of_record(
    log: Log, setup: Setup, diagnosis: Diagnosis, zone: tzinfo = UTC
) -> list[Consequence]:
    """What follows from the charges recorded."""
    if diagnosis.unfit:
        return _unfit(diagnosis)
    known = diagnosis.estimate
    out = of_dangers(diagnosis)
    full = known.full
    short = [c for c in known.charges if c.ended_by == "short"]
    drift = known.drift
    if np.isfinite(drift.ah_per_day).any():
        worst = int(np.nanargmax(np.abs(drift.ah_per_day)))
        if abs(drift.ah_per_day[worst]) > 3 * drift.sd_ah_per_day[worst]:
            number = drift.line_s.size
            per_charge = 1e3 * drift.ah_per_day[worst] * drift.days / max(1, number - 1)
            basis = f"{read_from(drift)} in {drift.days:.0f} days"
            verb = "sinks" if per_charge < 0 else "rises"
            out.append(
                Consequence(
                    Status.ACT if diagnosis.verdict == "act" else Status.WATCH,
                    f"Cell {worst + 1} {verb} {abs(per_charge):.0f} mAh from charge to charge.",
                    f"{basis}, the balancer's part taken out."
                    if drift.moved_known
                    else f"{basis}.",
                    goto="diagnose",
                    label="Diagnose",
                )
            )
    if full:
        out.append(_top_against_rest(log, setup, readings(log, setup, full[-1]), zone))
    if short:
        days = ", ".join(_day(log.time_s[c.top], zone) for c in short[:4]) + (
            " …" if len(short) > 4 else ""
        )
        out.append(
            Consequence(
                Status.OK,
                f"{count(len(short), 'charge')} did not reach the top and "
                f"{'is' if len(short) == 1 else 'are'} not shown.",
                days,
                why="Below the knee the deviation says nothing about charge; showing it "
                "beside the others would mislead.",
            )
        )
    use = known.balancer
    if setup.leveller and use.days >= 3:
        lead = f"The balancer could run {60 * use.allowed_h / use.days:.0f} min a day."
        ran = f" It ran {use.ran_h:.1f} h in {use.days:.0f} days." if use.ran_h is not None else ""
        out.append(
            Consequence(
                Status.OK,
                lead,
                f"A cell stood above {setup.leveller.start_v:.2f} V for "
                f"{use.above_start_h:.1f} h, {use.allowed_h:.1f} h of it in its "
                f"phase.{ran}",
                place="hours above the start voltage, from the log",
            )
        )
    out += [Consequence(Status.NONE, "To tell more:", text) for text in diagnosis.advice]
    return out


def _top_against_rest(log: Log, setup: Setup, read: ChargeReadings, zone: tzinfo) -> Consequence:
    end = read.end
    text = f"Read at {end.mean_v:.3f} V a cell, {end.current_a:.1f} A"
    text += f", {end.temp_c:.0f} °C." if np.isfinite(end.temp_c) else "."
    if read.rest:
        text += f" At rest it is {read.rest.deviation_mv:.0f} mV."
    return Consequence(
        Status.OK,
        f"{end.deviation_mv:.0f} mV at the top are {end.deviation_pct:.1f} % of charge.",
        text,
        place=f"charge of {_day(end.time_s, zone)}",
        why="The curve is steep there: the same millivolts at 3.30 V would be many per cent.",
    )


def of_diagnosis(diagnosis: Diagnosis) -> list[Consequence]:
    """What follows from the judgement: findings above half, then what was considered, then what to
    record.
    """
    if diagnosis.unfit:
        return _unfit(diagnosis)
    out: list[Consequence] = []
    for finding in diagnosis.findings:
        sure = f"confidence {finding.confidence:.0%}"
        if finding.confidence > 0.5:
            status = Status.ACT if finding.serious else Status.WATCH
            out.append(
                Consequence(
                    status,
                    finding.summary,
                    finding.evidence[0] if finding.evidence else "",
                    place=sure,
                    why=finding.confirm,
                )
            )
        else:
            out.append(
                Consequence(
                    Status.NONE, "Considered, too weak to name:", finding.summary, place=sure
                )
            )
    if diagnosis.verdict == "not_enough_data":
        out.insert(0, Consequence(Status.NONE, f"{named(diagnosis)}.", LITTLE))
    else:
        out += _cost(diagnosis)
    if diagnosis.verdict == "healthy":
        out.insert(
            0,
            Consequence(
                Status.OK,
                f"{named(diagnosis)}.",
                "No cell stands apart or drifts beyond what healthy ones do.",
            ),
        )
    out += [Consequence(Status.NONE, "To tell more:", text) for text in diagnosis.advice]
    return [*of_dangers(diagnosis), *out]


def of_history(
    kept: Sequence[tuple[float, Mapping[str, Any]]], zone: tzinfo = UTC
) -> list[Consequence]:
    """What the judgement before the present one was; nothing when there is none."""
    if len(kept) < 2:
        return []
    time_s, before = kept[-2]
    said = " ".join(findings(before).values()) or BEFORE.get(str(before.get("verdict")), "")
    if not said:
        return []
    return [
        Consequence(
            Status.NONE,
            f"Before, on {_day(time_s, zone)}:",
            said,
            place="kept when the judgement changed",
        )
    ]


def of_overruled(diagnosis: Diagnosis) -> list[Consequence]:
    """What was considered and why it lost."""
    return [
        Consequence(
            Status.NONE,
            "Considered, and explained better:",
            lost.summary,
            place=f"by this: {better.summary.rstrip('.')}",
        )
        for lost, better in diagnosis.overruled
        if lost.confidence > 0.3
    ]


def of_trip(diagnosis: Diagnosis, setup: Setup, zone: tzinfo = UTC) -> list[Consequence]:
    """By when the pack trips at the present drift; nothing when it does not, or no cell drifts
    beyond doubt.
    """
    found = trip_forecast(diagnosis.now, setup)
    if found is None:
        return []
    trips_s = float(diagnosis.estimate.drift.time_s[-1]) + 86400.0 * found.days
    far = found.days > FAR_DAYS  # a day of next year is not to be taken for this year's
    day = _dated(trips_s, zone) if far else _day(trips_s, zone)
    lead = f"At the present drift cell {found.cell} trips about {day}."
    text = (
        f"In {count(found.days, 'day')} after the last full charge: cell {found.cause_cell} "
        "falls behind and the charger pushes the others up."
    )
    why = "The charger holds the sum of the cells: what one lacks, the others show too much."
    status = Status.WATCH if found.days > 60 else Status.ACT
    return [
        Consequence(
            status,
            lead,
            text,
            place="present target, trip and drift",
            why=why,
            goto="level",
            label="Look at Level",
        )
    ]


def _cost(diagnosis: Diagnosis) -> list[Consequence]:
    """What the imbalance takes away: the fullest cell ends the charge, the emptiest the
    discharge.
    """
    offset = diagnosis.now.drift.last_ah
    if not np.isfinite(offset).any():
        return []
    # when the fullest cell is full, each has this much less to give than a median one that is full:
    # charge missing, or capacity, or one of them and not known which
    held = diagnosis.estimate.capacities
    charge = np.where(np.isfinite(offset), offset, held.behind_ah)
    lacks = np.nanmax(offset) - charge - np.nan_to_num(held.deficit_ah)
    high, low = int(np.nanargmax(offset)), int(np.nanargmax(lacks))
    lost_ah = float(lacks[low])
    far, near = (float(end[low]) for end in diagnosis.now.drift.last_range_ah)
    least_ah, most_ah = (lost_ah + np.nan_to_num(offset[low] - end) for end in (near, far))
    open_ = bool(far < OPEN_TIMES * near < 0.0)
    return [
        Consequence(
            Status.NONE if open_ else Status.OK,
            f"The imbalance costs {least_ah:.1f} to {most_ah:.0f} Ah now."
            if open_
            else f"The imbalance costs up to {lost_ah:.1f} Ah now.",
            f"Cell {high + 1} is full first and ends the charge, cell {low + 1} is empty "
            "first and ends the discharge.",
            place="offsets at the last full charges"
            + (", and what was moved since" if diagnosis.moved else ""),
            why="Usable charge is what fits between the fullest cell's top and the emptiest "
            "cell's bottom, if both limits are reached.",
        )
    ]


def _dated(time_s: float, zone: tzinfo) -> str:
    return f"{_day(time_s, zone)} {datetime.fromtimestamp(float(time_s), zone).year}"
