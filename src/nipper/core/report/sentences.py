"""The one sentence a stage says about this pack, and what follows from its records."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, tzinfo
from typing import Any

import numpy as np

from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.logs.charges import ChargeReadings, readings
from nipper.core.logs.model import Log
from nipper.core.report.consequence import Consequence, Status, count
from nipper.core.setup import Setup

VERDICT_STATUS = {"healthy": Status.OK, "watch": Status.WATCH, "act": Status.ACT, "not_enough_data": Status.NONE}


def record_sentence(log: Log | None, setup: Setup, diagnosis: Diagnosis | None) -> tuple[Status, str]:
    """How many full charges, and how the deviation went."""
    if log is None or diagnosis is None:
        return Status.NONE, "no log yet"
    full = diagnosis.estimate.full
    if not full:
        return Status.NONE, f"no full charge in {log.days:.1f} days"
    first, last = (readings(log, setup, c).end.deviation_mv for c in (full[0], full[-1]))
    return Status.OK, f"{count(len(full), 'full charge')} · {first:.0f} → {last:.0f} mV"


def diagnose_sentence(diagnosis: Diagnosis | None) -> tuple[Status, str]:
    """The strongest finding in a few words."""
    if diagnosis is None:
        return Status.NONE, "nothing to judge yet"
    strong = [f for f in diagnosis.findings if f.confidence > 0.5]
    if not strong:
        return VERDICT_STATUS[diagnosis.verdict], "cells keep together" if diagnosis.verdict == "healthy" else "not enough recorded"
    return VERDICT_STATUS[diagnosis.verdict], strong[0].summary.rstrip(".").replace(" against the others", "")


def of_record(log: Log, setup: Setup, diagnosis: Diagnosis, zone: tzinfo = UTC) -> list[Consequence]:
    """What follows from the charges recorded."""
    known, out = diagnosis.estimate, []
    full = known.full
    short = [c for c in known.charges if c.ended_by == "short"]
    drift = known.drift
    if np.isfinite(drift.ah_per_day).any():
        worst = int(np.nanargmax(np.abs(drift.ah_per_day)))
        if abs(drift.ah_per_day[worst]) > 3 * drift.sd_ah_per_day[worst]:
            per_charge = 1e3 * drift.ah_per_day[worst] * drift.days / max(1, drift.time_s.size - 1)
            verb = "sinks" if per_charge < 0 else "rises"
            out.append(
                Consequence(
                    Status.ACT if diagnosis.verdict == "act" else Status.WATCH,
                    f"Cell {worst + 1} {verb} {abs(per_charge):.0f} mAh from charge to charge.",
                    f"{count(drift.time_s.size, 'full charge')} in {drift.days:.0f} days, the balancer's part taken out."
                    if drift.moved_known
                    else f"{count(drift.time_s.size, 'full charge')} in {drift.days:.0f} days.",
                    goto="diagnose",
                    label="Diagnose",
                )
            )
    if full:
        out.append(_top_against_rest(log, setup, readings(log, setup, full[-1]), zone))
    if short:
        days = ", ".join(_day(log.time_s[c.top], zone) for c in short[:4]) + (" …" if len(short) > 4 else "")
        out.append(
            Consequence(
                Status.OK,
                f"{count(len(short), 'charge')} did not reach the top and {'is' if len(short) == 1 else 'are'} not shown.",
                days,
                why="Below the knee the deviation says nothing about charge; showing it beside the others would mislead.",
            )
        )
    use = known.balancer
    if setup.balancer and use.days >= 3:
        lead = f"The balancer could run {60 * use.allowed_h / use.days:.0f} min a day."
        ran = f" It ran {use.ran_h:.1f} h in {use.days:.0f} days." if use.ran_h is not None else ""
        out.append(
            Consequence(
                Status.OK,
                lead,
                f"A cell stood above {setup.balancer.start_v:.2f} V for {use.above_start_h:.1f} h, {use.allowed_h:.1f} h of it in its phase.{ran}",
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
    """What follows from the judgement: findings above half, then what was considered, then what to record."""
    out = []
    for finding in diagnosis.findings:
        sure = f"confidence {finding.confidence:.0%}"
        if finding.confidence > 0.5:
            status = Status.ACT if finding.serious else Status.WATCH
            out.append(Consequence(status, finding.summary, finding.evidence[0] if finding.evidence else "", place=sure, why=finding.confirm))
        else:
            out.append(Consequence(Status.NONE, "Considered, too weak to name:", finding.summary, place=sure))
    out += _cost(diagnosis)
    if diagnosis.verdict == "healthy":
        out.insert(0, Consequence(Status.OK, "The cells keep together.", "No cell stands apart or drifts beyond what healthy ones do."))
    out += [Consequence(Status.NONE, "To tell more:", text) for text in diagnosis.advice]
    return out


def of_history(kept: Sequence[tuple[float, Mapping[str, Any]]], zone: tzinfo = UTC) -> list[Consequence]:
    """What the judgement before the present one was; nothing when there is none."""
    if len(kept) < 2:
        return []
    time_s, before = kept[-2]
    said = " ".join(f["summary"] for f in before["findings"]) or {"healthy": "The cells kept together."}.get(before["verdict"], "Not enough was recorded.")
    return [Consequence(Status.NONE, f"Before, on {_day(time_s, zone)}:", said, place="kept when the judgement changed")]


def _cost(diagnosis: Diagnosis) -> list[Consequence]:
    """What the imbalance takes away: the fullest cell ends the charge, the emptiest the discharge."""
    offset = diagnosis.estimate.drift.last_ah
    if not np.isfinite(offset).any():
        return []
    # when the fullest cell is full, each has this much less to give than a median one that is full: charge missing, or capacity
    lacks = np.nanmax(offset) - offset - np.nan_to_num(diagnosis.estimate.capacities.deficit_ah)
    high, low = int(np.nanargmax(offset)), int(np.nanargmax(lacks))
    lost_ah = float(lacks[low])
    return [
        Consequence(
            Status.OK,
            f"The imbalance costs up to {lost_ah:.1f} Ah now.",
            f"Cell {high + 1} is full first and ends the charge, cell {low + 1} is empty first and ends the discharge.",
            place="offsets at the last full charges",
            why="Usable charge is what fits between the fullest cell's top and the emptiest cell's bottom, if both limits are reached.",
        )
    ]


def _day(time_s: float, zone: tzinfo) -> str:
    moment = datetime.fromtimestamp(float(time_s), zone)
    return f"{moment.day} {moment:%b}"
