"""What comes before every judgement: cells that were driven beyond what they bear, and went on.

All other steps leave such readings out, for no charge can be told by them. But a cell that is
ruined and one whose lead is broken read alike: until a meter has told which, it is the cell.
"""

from nipper.core.imbalance.danger.amps import beyond_amps
from nipper.core.imbalance.danger.model import Danger
from nipper.core.imbalance.danger.volts import beyond_volts
from nipper.core.imbalance.danger.warmth import charged_cold, too_hot
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

__all__ = ["Danger", "dangers"]


def dangers(log: Log, setup: Setup) -> tuple[Danger, ...]:
    """What puts the pack, or those beside it, in danger, the worst first; of a log with all its
    readings.
    """
    if not log.rows:
        return ()
    found = [
        danger
        for looks in (beyond_volts, too_hot, charged_cold, beyond_amps)
        for danger in looks(log, setup)
    ]
    return tuple(sorted(found, key=lambda danger: danger.rank))
