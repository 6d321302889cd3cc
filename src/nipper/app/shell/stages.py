"""The stages that work, in the order of the work."""

from importlib import import_module

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


def load_views() -> None:
    """Import what the views are made of, plots above all, off the window's thread: the first look
    at a stage does not wait for it.
    """
    for stage in STAGES:
        import_module(f"nipper.app.stages.{stage.id}.view")
