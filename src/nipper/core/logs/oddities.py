"""What looks odd in a log before it is imported: said in words, with the place, so that the user
can judge.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from nipper.core.chemistry import Chemistry
from nipper.core.logs.flow import current_sign
from nipper.core.logs.model import GAP_FLOOR_S, Log


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
    log: Log,
    chemistry: Chemistry | None = None,
    cells: int | None = None,
    raw_time_s: np.ndarray | None = None,
) -> list[Oddity]:
    """Look a log over.

    Parameters
    ----------
    log : as read
    chemistry : the pack's, to judge the range of the cells
    cells : how many the setup has
    raw_time_s : the times as they stood in the file, before sorting: float64[rows of the file]
    """
    found: list[Oddity] = []
    if cells and log.cells != cells:
        found.append(Oddity("cells", "doubt", f"The log has {log.cells} cells, the setup {cells}."))
    found += _times(log, raw_time_s)
    found += _current(log)
    found += _voltages(log, chemistry)
    return found


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


def _voltages(log: Log, chemistry: Chemistry | None) -> list[Oddity]:
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
    if chemistry:
        margin = 0.25
        low, high = np.nanmin(log.cell_v), np.nanmax(log.cell_v)
        if low < chemistry.min_v - margin or high > chemistry.max_v + margin:
            found.append(
                Oddity(
                    "range",
                    "doubt",
                    f"Cells read from {low:.3f} to {high:.3f} V: not the range of "
                    f"{chemistry.title} cells.",
                )
            )
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
