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
    joined,
    level,
    link,
    protect,
    recount,
    scale,
    sources,
)
from nipper.core.rules.base import Evidence, Rule
from nipper.core.rules.guard import guarded
from nipper.core.rules.unlike import BANK_RULES, check_packs, for_pack
from nipper.core.setup import Setup

__all__ = ["ALL_RULES", "RULES", "Evidence", "Rule", "check", "for_pack", "to_json", "verdict"]

MODULES = (
    protect,
    recount,
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
    joined,
    link,
)  # in the order of the work
RULES: tuple[Rule, ...] = tuple(chain.from_iterable(module.RULES for module in MODULES))

ALL_RULES = RULES + BANK_RULES


def check(
    setup: Setup, evidence: Evidence | None = None, shown: int | None = None
) -> list[Finding]:
    """All findings on a setup, most serious first; in the order of the work within a severity.

    Of unlike packs each is judged by its own settings; ``evidence`` is of the one ``shown``.
    """
    evidence = evidence or Evidence()
    if not setup.packs:
        return _by_severity(_judged(setup, evidence, RULES))
    found = check_packs(setup, evidence, shown, lambda s, e: _judged(s, e, RULES))
    return _by_severity([*found, *_judged(setup, evidence, BANK_RULES, guard=False)])


def _judged(
    setup: Setup, evidence: Evidence, rules: tuple[Rule, ...], guard: bool = True
) -> list[Finding]:
    return [
        replace(
            guarded(setup, f) if guard else f,
            code=rule.code,
            source=rule.source,
            stages=rule.stages,
        )
        for rule in rules
        for f in rule.judge(setup, evidence)
    ]


def _by_severity(found: list[Finding]) -> list[Finding]:
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
