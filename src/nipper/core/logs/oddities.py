"""What looks odd in a log before it is imported: said in words, with the place, so that the user
can judge.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.logs.guess import other_chemistry
from nipper.core.logs.model import GAP_FLOOR_S, Log
from nipper.core.logs.signs import current_sign
from nipper.core.setup import Setup

MARGIN_V = 0.25  # beyond a chemistry's window, before a reading is odd


@dataclass(frozen=True, slots=True)
class Oddity:
    """One remark; ``weight`` says whether it puts the meaning in doubt or is only worth knowing."""

    kind: Literal[
        "sign",
        "temps",
        "range",
        "backwards",
        "repeated",
        "gaps",
        "cells",
        "pack",
        "current",
        "unread",
        "unreadable",
    ]
    weight: Literal["doubt", "remark"]
    text: str


def oddities(
    log: Log, setup: Setup | None = None, raw_time_s: np.ndarray | None = None
) -> list[Oddity]:
    """Look a log over.

    Parameters
    ----------
    log : as read
    setup : the pack's, to judge the count, the range and the kind of the cells
    raw_time_s : the times as they stood in the file, before sorting: float64[rows of the file]
    """
    found: list[Oddity] = []
    if setup and log.cells != setup.cells:
        text = f"The log has {log.cells} cells, the setup {setup.cells}."
        found.append(Oddity("cells", "doubt", text))
    found += _times(log, raw_time_s)
    found += _current(log)
    found += _voltages(log, setup)
    return found


def _of_other_cells(log: Log, setup: Setup) -> str:
    """That the cells read as those of another chemistry, or as none; empty where they do not."""
    said = chemistry(setup.chemistry)
    other = other_chemistry(log, setup.chemistry, setup.capacity_ah)
    low, high = np.nanmin(log.cell_v), np.nanmax(log.cell_v)
    read = f"Cells read from {low:.3f} to {high:.3f} V"
    if other:
        return f"{read}, most of the time as {chemistry(other).title} cells do, not {said.title}."
    if low < said.min_v - MARGIN_V or high > said.max_v + MARGIN_V:
        return f"{read}: not the range of {said.title} cells."
    return ""


def _times(log: Log, raw: np.ndarray | None) -> list[Oddity]:
    found: list[Oddity] = []
    if raw is not None and raw.size > 1:
        steps = np.diff(raw)
        if np.any(steps < 0):
            row = int(np.argmax(steps < 0)) + 2
            found.append(
                Oddity(
                    "backwards",
                    "remark",
                    f"Time runs backwards {np.sum(steps < 0)} ×, first at row {row}; rows "
                    "are put in order.",
                )
            )
        repeated = raw.size - log.rows - log.unreadable
        if repeated:
            found.append(
                Oddity(
                    "repeated",
                    "remark",
                    f"{repeated} rows repeat a moment already there; each moment is kept once.",
                )
            )
    steps = np.diff(log.time_s)
    gaps = steps > max(GAP_FLOOR_S, 5.0 * log.interval_s)
    if gaps.any():
        longest = steps[gaps].max() / 3600.0
        found.append(
            Oddity(
                "gaps",
                "remark",
                f"{gaps.sum()} gaps, the longest {longest:.1f} h; no charge is counted "
                "across them.",
            )
        )
    return found


def _current(log: Log) -> list[Oddity]:
    if not np.isfinite(log.current_a).any():
        return [
            Oddity(
                "current",
                "doubt",
                "There is no current: charges can be found, but not converted or judged "
                "by their taper.",
            )
        ]
    if current_sign(log.current_a, log.mean_cell_v) < 0:
        return [
            Oddity(
                "sign",
                "doubt",
                "The voltage falls when this current rises: it looks as if discharge "
                "were counted positive.",
            )
        ]
    return []


def _voltages(log: Log, setup: Setup | None) -> list[Oddity]:
    found: list[Oddity] = []
    if log.unreadable:
        text = f"{log.unreadable} rows without a readable cell were left out."
        found.append(Oddity("unreadable", "remark", text))
    unread = ~np.isfinite(log.cell_v)
    if unread.any():
        cell = int(np.argmax(unread.sum(axis=0))) + 1
        found.append(
            Oddity(
                "unread",
                "remark",
                f"{unread.sum()} cell readings are missing or impossible, most of them of "
                f"cell {cell}.",
            )
        )
    if setup and (text := _of_other_cells(log, setup)):
        found.append(Oddity("range", "doubt", text))
    with np.errstate(invalid="ignore"):
        off = np.nanmedian(log.pack_v - log.mean_cell_v * log.cells)
    if np.isfinite(off) and abs(off) > 0.02 * float(np.nanmedian(log.pack_v)):
        found.append(
            Oddity("pack", "remark", f"The pack reads {off:+.2f} V against the sum of its cells.")
        )
    return found


def of_temperatures(left_out: Sequence[str]) -> list[Oddity]:
    """Temperatures whose names say that they are of no cell."""
    if not left_out:
        return []
    names = ", ".join(left_out[:3]) + (" …" if len(left_out) > 3 else "")
    text = f"By name not of cells, and left out of cold and resistance: {names}."
    return [Oddity("temps", "remark", text)]
