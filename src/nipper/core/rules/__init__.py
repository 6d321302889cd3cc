"""The rules: each takes the settings (and what the logs say) and yields findings.

The list can be read; nothing registers itself.
"""

from collections.abc import Iterable
from dataclasses import replace
from itertools import chain

from nipper.core.findings import Finding, Severity
from nipper.core.rules import (
    alarms,
    build,
    charge,
    cold,
    currents,
    devices,
    habits,
    level,
    link,
    protect,
    scale,
    sources,
)
from nipper.core.rules.base import Evidence, Rule
from nipper.core.rules.guard import guarded
from nipper.core.setup import Setup

__all__ = ["RULES", "Evidence", "Rule", "check", "to_json", "verdict"]

MODULES = (
    protect,
    scale,
    habits,
    alarms,
    currents,
    cold,
    charge,
    sources,
    level,
    devices,
    build,
    link,
)  # in the order of the work
RULES: tuple[Rule, ...] = tuple(chain.from_iterable(module.RULES for module in MODULES))


def check(setup: Setup, evidence: Evidence | None = None) -> list[Finding]:
    """All findings on a setup, most serious first; in the order of the work within a severity."""
    evidence = evidence or Evidence()
    found = [
        replace(guarded(setup, f), code=rule.code, source=rule.source, stages=rule.stages)
        for rule in RULES
        for f in rule.judge(setup, evidence)
    ]
    return sorted(found, key=lambda f: f.severity.rank)


def verdict(findings: Iterable[Finding]) -> str:
    """``ok``, ``review`` (warnings) or ``fix`` (errors)."""
    worst = min((f.severity.rank for f in findings), default=Severity.NOTE.rank)
    return {0: "fix", 1: "review"}.get(worst, "ok")


def to_json(findings: list[Finding]) -> dict[str, object]:
    """The document of ``nipper check``."""
    return {
        "format": "nipper-check",
        "version": 1,
        "verdict": verdict(findings),
        "findings": [f.to_json() for f in findings],
    }
