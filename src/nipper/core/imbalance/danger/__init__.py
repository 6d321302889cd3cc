"""What comes before every judgement: cells that were driven beyond what they bear, and went on.

All other steps leave such readings out, for no charge can be told by them. But a cell that is
ruined and one whose lead is broken read alike: until a meter has told which, it is the cell.
"""

from collections.abc import Sequence

from nipper.core.imbalance.danger.amps import beyond_amps
from nipper.core.imbalance.danger.measured import disproved
from nipper.core.imbalance.danger.model import STOPS_ALL, Danger
from nipper.core.imbalance.danger.volts import beyond_volts
from nipper.core.imbalance.danger.warmth import charged_cold, too_hot
from nipper.core.logs.looked import NOTHING, Looked, without_sensors
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

__all__ = ["Danger", "dangers", "holding"]


def dangers(log: Log, setup: Setup, looked: Looked = NOTHING) -> tuple[Danger, ...]:
    """What puts the pack, or those beside it, in danger, the worst first; of a log with all its
    readings, and what was measured since.
    """
    if not log.rows:
        return ()
    log, left = disproved(without_sensors(log, looked), setup, looked)
    found = list(left) + [
        danger
        for looks in (beyond_volts, too_hot, charged_cold, beyond_amps)
        for danger in looks(log, setup)
    ]
    return tuple(sorted(found, key=lambda danger: danger.rank))


def holding(found: Sequence[Danger], same_kind: bool) -> tuple[Danger, ...]:
    """Those that hold although the log cannot be right as it stands: they need no current; and only
    heat where the cells may be of another kind than the settings say.
    """
    kinds = STOPS_ALL if same_kind else ("too_hot",)
    return tuple(danger for danger in found if danger.kind in kinds)
