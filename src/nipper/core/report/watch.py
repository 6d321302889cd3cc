"""A live watch in words."""

import math

from nipper.core.forecast.reading import between
from nipper.core.imbalance.snapshot import snapshot
from nipper.core.link.watch import COMPARED_S, Now, Sample, Watch, as_log
from nipper.core.report.reading import moved

NOT_TOLD = "–"
ONLY_ENDS = "This profile tells the highest and the lowest cell only: watched, but no log of cells."


def number(value: float, digits: int, unit: str) -> str:
    """A value as it is read from afar; a dash where it is not told."""
    if not math.isfinite(value):
        return NOT_TOLD
    return f"{round(value, digits) + 0.0:.{digits}f} {unit}".strip().replace("-", "−")


def large(now: Now | None) -> dict[str, str]:
    """The large numbers, by name."""
    if now is None:
        return dict.fromkeys(
            ("deviation", "highest", "lowest", "pack", "current", "charge", "absorption"), NOT_TOLD
        )
    sample = now.sample
    minutes = now.absorption_min
    return {
        "deviation": number(now.deviation_mv, 0, "mV"),
        "highest": number(sample.cells[now.highest - 1], 3, "V"),
        "lowest": number(sample.cells[now.lowest - 1], 3, "V"),
        "pack": number(sample.pack_v, 2, "V"),
        "current": number(sample.current_a, 1, "A"),
        "charge": number(sample.soc_pct, 0, "%"),
        "absorption": NOT_TOLD if minutes is None else f"{minutes:.0f} min",
    }


def names(now: Now | None, cells: int) -> dict[str, str]:
    """What stands under the large numbers."""
    named = now is not None and len(now.sample.cells) == cells
    return {
        "deviation": "between the highest and the lowest cell",
        "highest": f"highest: cell {now.highest}" if now and named else "highest cell",
        "lowest": f"lowest: cell {now.lowest}" if now and named else "lowest cell",
        "pack": "the pack",
        "current": "into the pack" if now and now.sample.current_a >= 0 else "out of the pack",
        "charge": "as the BMS counts",
        "absorption": "in absorption",
    }


def progress(watch: Watch) -> str:
    """What half an hour of absorption did, or how long until it can be told."""
    pair, now = watch.compared, watch.now
    if pair is not None:
        return _compared(watch, *pair)
    if now is None or now.absorption_min is None:
        return "Half an hour after the absorption begins, the deviation is compared by itself."
    if watch.settled is None:
        return "In absorption. Half an hour after the current fell, the deviation is compared."
    left = (COMPARED_S - (now.sample.time_s - watch.settled.time_s)) / 60.0
    return f"In absorption. The deviation is compared in {max(1.0, left):.0f} min."


def _compared(watch: Watch, first: Sample, later: Sample) -> str:
    if len(first.cells) != watch.setup.cells:
        apart = [1e3 * (max(s.cells) - min(s.cells)) for s in (first, later)]
        return f"Half an hour of absorption: {apart[0]:.0f} → {apart[1]:.0f} mV."
    shots = [snapshot(as_log([row]), watch.setup) for row in (first, later)]
    before, after = shots
    assert before and after  # a reading is only taken with two cells
    return f"Half an hour of absorption: {moved(between(before, after, watch.setup))}"
