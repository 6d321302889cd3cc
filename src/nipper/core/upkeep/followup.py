"""Whether a remedy helped: judged by itself once enough has been recorded after it."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from nipper.core.upkeep.kept import findings

DAY_S = 86400.0
WAIT_DAYS, WAIT_CHARGES = 14.0, 10  # two weeks or ten full charges: common practice
LEAST_CHARGES = 3  # and never fewer full charges than tell anything at all: common practice


class Outcome(StrEnum):
    """How a case stands after something was done."""

    SOLVED = "solved"
    NOT_SOLVED = "not solved"
    NOT_YET = "not to be told yet"
    GONE = "no longer seen, though nothing was noted as done"


@dataclass(frozen=True, slots=True)
class Case:
    """A finding, what was done about it, and how it stands."""

    cause: str
    cells: tuple[int, ...]
    summary: str
    opened_s: float
    done_s: float | None
    done: str
    outcome: Outcome
    days_after: float
    charges_after: int


def cases(
    diagnoses: Sequence[tuple[float, dict[str, Any]]],
    events: Sequence[tuple[float, str]],
    present: Sequence[tuple[str, tuple[int, ...]]],
    full_s: Sequence[float],
    last_s: float,
    judged: bool = True,
) -> list[Case]:
    """Every finding ever kept of a pack, the latest first.

    Parameters
    ----------
    diagnoses : kept ones, oldest first: time and document
    events : what was done to the pack: time and words
    present : causes and cells that stand out now
    full_s : when the full charges were
    last_s : to when the log reaches
    judged : whether the log tells enough to be judged at all; what it cannot show is not gone
    """
    first: dict[tuple[str, tuple[int, ...]], tuple[float, str]] = {}
    for at, document in diagnoses:
        for key, summary in findings(document).items():
            first.setdefault(key, (at, summary))
    still = set(present)
    out = [
        _case(key, opened, summary, events, key in still, full_s if judged else (), last_s)
        for key, (opened, summary) in first.items()
    ]
    return sorted(out, key=lambda case: -case.opened_s)


def _case(
    key: tuple[str, tuple[int, ...]],
    opened_s: float,
    summary: str,
    events: Sequence[tuple[float, str]],
    still: bool,
    full_s: Sequence[float],
    last_s: float,
) -> Case:
    cause, cells = key
    done = max(((at, words) for at, words in events if at <= last_s), default=None)
    done_s = done[0] if done else None
    days = (last_s - done_s) / DAY_S if done_s is not None else 0.0
    charges = sum(at > done_s for at in full_s) if done_s is not None else 0
    enough = (days >= WAIT_DAYS and charges >= LEAST_CHARGES) or charges >= WAIT_CHARGES
    outcome = Outcome.NOT_YET
    if not still and done_s is None and len(full_s) >= LEAST_CHARGES:
        outcome = Outcome.GONE
    elif enough and done_s is not None:
        outcome = Outcome.NOT_SOLVED if still else Outcome.SOLVED
    return Case(cause, cells, summary, opened_s, done_s, done[1] if done else "", outcome, days,
                charges)  # fmt: skip
