"""The stages that work, in the order of the work."""

from nipper.app.stage import Stage
from nipper.app.stages import (
    build,
    charge,
    cold,
    diagnose,
    keep,
    level,
    link,
    protect,
    record,
    rehearse,
)

STAGES: tuple[Stage, ...] = (
    build.STAGE,
    protect.STAGE,
    level.STAGE,
    charge.STAGE,
    cold.STAGE,
    link.STAGE,
    rehearse.STAGE,
    record.STAGE,
    diagnose.STAGE,
    keep.STAGE,
)
BY_ID = {stage.id: stage for stage in STAGES}
