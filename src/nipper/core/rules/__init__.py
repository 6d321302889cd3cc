"""The rules: each takes the settings (and what the logs say) and yields findings. The list can be read; nothing registers itself."""

from collections.abc import Iterable
from dataclasses import replace
from itertools import chain

from nipper.core.findings import Finding, Severity
from nipper.core.rules import alarms, build, charge, cold, level, link, protect
from nipper.core.rules.base import Evidence, Rule
from nipper.core.setup import Setup

__all__ = ["RULES", "Evidence", "Rule", "check", "to_json", "verdict"]

RULES: tuple[Rule, ...] = tuple(chain(protect.RULES, alarms.RULES, cold.RULES, charge.RULES, level.RULES, build.RULES, link.RULES))


def check(setup: Setup, evidence: Evidence | None = None) -> list[Finding]:
    """All findings on a setup, most serious first; in the order of the work within a severity."""
    evidence = evidence or Evidence()
    found = [replace(f, code=rule.code, source=rule.source) for rule in RULES for f in rule.judge(setup, evidence)]
    return sorted(found, key=lambda f: f.severity.rank)


def verdict(findings: Iterable[Finding]) -> str:
    """``ok``, ``review`` (warnings) or ``fix`` (errors)."""
    worst = min((f.severity.rank for f in findings), default=Severity.NOTE.rank)
    return {0: "fix", 1: "review"}.get(worst, "ok")


def to_json(findings: list[Finding]) -> dict[str, object]:
    """The document of ``nipper check``."""
    return {"format": "nipper-check", "version": 1, "verdict": verdict(findings), "findings": [f.to_json() for f in findings]}
