"""The stages that work, in the order of the work."""

from collections.abc import Callable
from importlib import import_module
from pkgutil import iter_modules

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


def load_ahead(tick: Callable[[float], None]) -> None:
    """Import what the views and the pages beside them are made of, plots and the talk with devices
    above all, off the window's thread: no first look waits for it. A bench that closes stops it.
    """
    packages = ("shell", *(f"stages.{stage.id}" for stage in STAGES))
    for i, package in enumerate(packages):
        place = f"nipper.app.{package}"
        for module in iter_modules(import_module(place).__path__):
            tick(i / len(packages))
            import_module(f"{place}.{module.name}")
    import_module("nipper.core.report.watch")
