"""A consequence and how it stands: what the rules say, as What follows shows it.

Light, because the window's first paint needs it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, tzinfo
from enum import StrEnum

from nipper.core.findings import Finding, Severity


class Status(StrEnum):
    """How things stand: told by shape, word and colour."""

    OK = "ok"
    WATCH = "watch"
    ACT = "act"
    NONE = "none"  # nothing known yet


@dataclass(frozen=True, slots=True)
class Consequence:
    """One entry of What follows: a bold beginning, the rest, where it comes from, why, and an
    action by name.
    """

    status: Status
    lead: str
    text: str = ""
    place: str = ""
    why: str = ""
    settings: tuple[str, ...] = ()
    suggestion: tuple[tuple[str, object], ...] = field(
        default=(), hash=False
    )  # may hold whole limits and lists
    label: str = ""
    goto: str = ""  # a stage


SEVERITY_STATUS = {
    Severity.ERROR: Status.ACT,
    Severity.WARNING: Status.WATCH,
    Severity.NOTE: Status.OK,
}


def of_finding(finding: Finding) -> Consequence:
    """A rule's finding as a consequence: its first sentence leads."""
    lead, dot, rest = finding.message.partition(". ")
    return Consequence(
        status=SEVERITY_STATUS[finding.severity],
        lead=lead + (dot and "."),
        text=rest,
        place=finding.source,
        why=finding.why,
        settings=finding.settings,
        suggestion=tuple(finding.suggestion.items()),
        label=finding.suggestion_label,
    )


def protect_sentence(findings: Sequence[Finding]) -> tuple[Status, str]:
    """How the limits stand."""
    errors = sum(f.severity is Severity.ERROR for f in findings)
    doubts = sum(f.severity is Severity.WARNING for f in findings)
    if errors:
        return Status.ACT, count(errors, "contradiction") + (
            f", {count(doubts, 'doubt')}" if doubts else ""
        )
    if doubts:
        return Status.WATCH, count(doubts, "doubt")
    return Status.OK, "limits hold together"


def count(number: int, noun: str) -> str:
    """``1 doubt``, ``2 doubts``."""
    return f"{number} {noun}{'' if number == 1 else 's'}"


def day(time_s: float, zone: tzinfo) -> str:
    """``3 Jun``, of a moment in Unix s."""
    moment = datetime.fromtimestamp(float(time_s), zone)
    return f"{moment.day} {moment:%b}"
