"""What the rules yield: a judgement of the settings, with its place, its reason and, where there is
one, its cure.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class Severity(StrEnum):
    """How much a finding matters; the values are those of the headless contract."""

    ERROR = "error"  # unsafe or contradictory
    WARNING = "warning"  # will not do what was meant
    NOTE = "note"  # a choice on which practitioners differ, or a fact worth knowing

    @property
    def rank(self) -> int:
        """0 is the most serious."""
        return list(Severity).index(self)


@dataclass(frozen=True, slots=True)
class Finding:
    """One sentence about the settings.

    ``settings`` are JSON paths into the setup; ``suggestion`` maps such paths to values which,
    applied together, cure it. ``code``, ``source`` (where the rule's numbers come from) and
    ``stages`` (of the work, besides Protect, where all are seen together) are those of the rule
    that yields it.
    """

    severity: Severity
    settings: tuple[str, ...]
    message: str
    why: str
    suggestion: Mapping[str, object] = field(default_factory=dict[str, object])
    suggestion_label: str = ""
    code: str = ""
    source: str = ""
    stages: tuple[str, ...] = ()

    def to_json(self) -> dict[str, object]:
        """The form fixed by the headless contract (and a few fields more)."""
        return {
            "code": self.code,
            "severity": str(self.severity),
            "settings": list(self.settings),
            "message": self.message,
            "why": self.why,
            "suggestion": dict(self.suggestion),
            "source": self.source,
            "stages": list(self.stages),
        }
