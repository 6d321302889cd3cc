"""The diagnosis on paper: what is wrong, how sure that is, what is done, what it was read from."""

from collections.abc import Iterable, Sequence
from datetime import datetime, tzinfo
from html import escape

import numpy as np

from nipper.core.imbalance.causes_base import Cause
from nipper.core.imbalance.danger import Danger
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.imbalance.remedies import CAUTION
from nipper.core.logs.model import Log
from nipper.core.logs.moments import Reading, readings
from nipper.core.quantities import with_minus
from nipper.core.report.build import TITLES
from nipper.core.report.consequence import count
from nipper.core.report.keep import SURE, dated
from nipper.core.report.sentences import named
from nipper.core.setup import Setup

HEAD = ("moment", "day", "pack", "current", "apart", "highest", "lowest")


def diagnosis_html(diagnosis: Diagnosis, log: Log, setup: Setup, name: str, when: datetime) -> str:
    """A page for printing; it says nothing that the log and the settings do not.

    Parameters
    ----------
    log : what was judged
    name : of the pack
    when : with its time zone, in which all days are told
    """
    zone = when.tzinfo
    assert zone
    strong = [f for f in diagnosis.findings if f.confidence > SURE]
    weak = [f for f in diagnosis.findings if f.confidence <= SURE]
    found = "".join(_danger(danger) for danger in diagnosis.dangers)
    found += "".join(_finding(f, diagnosis.asks(f), diagnosis.stopped) for f in strong)
    found = found or f"<p>{escape(named(diagnosis))}</p>"
    return (
        f"<h2>{escape(name)}: diagnosis of {dated(when.timestamp(), zone)}</h2>"
        f"<p>{escape(_basis(diagnosis, log, setup, zone))}</p>{found}"
        f"{_listed('Seen, but not sure', (_weak(f) for f in weak))}"
        f"{_listed('Considered, and what explains it better', _lost(diagnosis))}"
        f"{_readings(diagnosis, log, setup, zone)}"
        f"{_listed('To tell more', diagnosis.advice)}"
        f"<p><b>{escape(CAUTION)}</b></p>"
    )


def _basis(diagnosis: Diagnosis, log: Log, setup: Setup, zone: tzinfo) -> str:
    full = len(diagnosis.estimate.full)
    kind = f"{setup.cells} cells of {setup.capacity_ah:g} Ah ({TITLES[setup.chemistry]})"
    span = f"{dated(float(log.time_s[0]), zone)} to {dated(float(log.time_s[-1]), zone)}"
    return f"{kind}. A log of {span}, {log.rows} rows, {count(full, 'full charge')}."


def _finding(cause: Cause, asks: Sequence[str], stopped: bool) -> str:
    """A finding; of what to do about it nothing, while a danger forbids it."""
    size = f"{cause.value:.3g} {cause.unit} ({cause.low:.3g} to {cause.high:.3g})"
    facts = f"{cause.quantity}: {size}; confidence {cause.confidence:.0%}"
    confirm = f"<p>To be sure: {_text(cause.confirm)}</p>" if cause.confirm else ""
    return (
        f"<h3>{_text(cause.summary)}</h3><p>{_text(facts)}</p>"
        f"{_listed('What it is seen by', cause.evidence)}"
        f"{'' if stopped else _listed('What to do', asks) + confirm}"
    )


def _danger(danger: Danger) -> str:
    return (
        f"<h3>{_text(danger.summary)}</h3>{_listed('What to do before all else', danger.actions)}"
    )


def _weak(cause: Cause) -> str:
    return f"{cause.summary} Confidence {cause.confidence:.0%}."


def _lost(diagnosis: Diagnosis) -> Iterable[str]:
    for lost, better in diagnosis.overruled:
        yield f"{lost.summary} {better.summary}"


def _text(text: str) -> str:
    return escape(with_minus(text))


def _listed(title: str, lines: Iterable[str]) -> str:
    items = "".join(f"<li>{_text(line)}</li>" for line in lines)
    return f"<p><b>{title}</b></p><ul>{items}</ul>" if items else ""


def _readings(diagnosis: Diagnosis, log: Log, setup: Setup, zone: tzinfo) -> str:
    """The first and the last full charge, as a builder reads them."""
    full = diagnosis.estimate.full
    if not full:
        return ""
    rows = ""
    for charge in full if len(full) == 1 else (full[0], full[-1]):
        told = readings(log, setup, charge)
        for moment, read in (
            ("absorption begins", told.begin),
            ("30 minutes later", told.half_hour),
            ("at the end", told.end),
            ("at rest", told.rest),
        ):
            rows += _row(moment, read, zone) if read is not None else ""
    head = "".join(f"<th align='left'>{title}</th>" for title in HEAD)
    return f"<h3>Readings</h3><table cellpadding='3' width='100%'><tr>{head}</tr>{rows}</table>"


def _row(moment: str, read: Reading, zone: tzinfo) -> str:
    cells = (
        moment,
        dated(read.time_s, zone),
        f"{read.pack_v:.2f} V",
        f"{read.current_a:.1f} A" if np.isfinite(read.current_a) else "not read",
        f"{read.deviation_mv:.0f} mV, {read.deviation_pct:.1f} % of charge",
        f"{read.highest}: {read.cell_v[read.highest - 1]:.3f} V",
        f"{read.lowest}: {read.cell_v[read.lowest - 1]:.3f} V",
    )
    return "<tr>" + "".join(f"<td>{_text(c)}</td>" for c in cells) + "</tr>"
