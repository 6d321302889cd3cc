"""Cells that read what no such cell bears, or more or less than their sheet allows."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.causes_base import names
from nipper.core.imbalance.danger.model import Danger, Spell, jumped, reaching, spell, together
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

LEAST_S = 60.0  # in all
JUMP_V = 0.5  # away and back in one row: no cell does that
RUIN_V = 0.1  # above the sheet's highest, where a sheet allows more than is usual
MOST_MORE_V, LEAST_SHARE = 0.3, 0.75  # what a sheet may allow beyond its kind (from memory)
# beyond the sheet by so much: what a trip lets through, and what a meter is off (from memory)
ABOVE_V, BELOW_V = 0.05, 0.1
SOUND_V = 0.3  # so near the others the pack's voltage speaks for a sound cell (from memory)
LOOKED_AT = 500  # rows, in which the pack's voltage is asked
READING = (
    "If the meter shows another voltage, the sense lead or the BMS is at fault: then no limit "
    "guards this cell until that is mended."
)


@dataclass(frozen=True, slots=True)
class _Side:
    """Upwards (1) or downwards (-1), and what is passed there, V: the sheet, and what ruins."""

    way: int
    sheet_v: float
    ruin_v: float
    kind: str  # the cells' title


@dataclass(frozen=True, slots=True)
class _Seen:
    """Cells (indices) beyond a bound, the worst reading of any, V, and for how long."""

    cells: tuple[int, ...]
    worst_v: float
    spell: Spell
    rows: NDArray[np.intp]  # of the first of them


def sheet_v(setup: Setup) -> tuple[float, float]:
    """The lowest and highest voltage by the cell's sheet, or by its kind where the settings hold
    none, or a slip.
    """
    chem, sheet = chemistry(setup.chemistry), setup.cell
    low_v, high_v = sheet.min_v or chem.min_v, sheet.max_v or chem.max_v
    low_v = max(LEAST_SHARE * chem.bears_v[0], min(low_v, chem.min_v + 2 * MOST_MORE_V))
    high_v = min(max(high_v, chem.max_v - MOST_MORE_V), chem.max_v + MOST_MORE_V)
    return low_v, high_v


def bears_v(setup: Setup) -> tuple[float, float]:
    """Between which voltages such cells are unharmed: the chemistry's, or the sheet's where that
    allows more.
    """
    low_v, high_v = sheet_v(setup)
    ruin_low_v, ruin_high_v = chemistry(setup.chemistry).bears_v
    return min(ruin_low_v, low_v), max(ruin_high_v, high_v + RUIN_V)


def beyond_volts(log: Log, setup: Setup) -> Iterator[Danger]:
    """At most one danger on either side for cells that may be ruined, and one for others that are
    beyond their sheet.
    """
    kind, sheet, ruin = chemistry(setup.chemistry).title, sheet_v(setup), bears_v(setup)
    for side in (_Side(-1, sheet[0], ruin[0], kind), _Side(1, sheet[1], ruin[1], kind)):
        bound_v = side.sheet_v + (ABOVE_V if side.way > 0 else -BELOW_V)
        nearer_v = side.way * min(side.way * bound_v, side.way * side.ruin_v)
        cells = reaching(log.cell_v, side.way, nearer_v)
        ruined = _seen(log, cells, side.way, side.ruin_v)
        if ruined:
            yield _ruined(log, side, ruined)
        others = [i for i in cells if not ruined or i not in ruined.cells]
        beyond = _seen(log, others, side.way, bound_v)
        if beyond:
            yield _beyond_sheet(setup, side, beyond)


def _seen(log: Log, cells: Sequence[int], way: int, bound_v: float) -> _Seen | None:
    """Those of the cells that were beyond a bound for long enough."""
    rows_of = {i: _rows(log.cell_v[:, i], way, bound_v) for i in cells}
    spells = {i: s for i, rows in rows_of.items() if (s := spell(log, rows, LEAST_S))}
    if not spells:
        return None
    worst_v = max(float(np.max(way * log.cell_v[rows_of[i], i])) for i in spells)
    first = next(iter(spells))
    return _Seen(tuple(spells), way * worst_v, together(list(spells.values())), rows_of[first])


def _rows(own_v: NDArray[np.floating], way: int, bound_v: float) -> NDArray[np.intp]:
    """Rows in which a cell is beyond a bound, and did not only jump there for one."""
    read = np.flatnonzero(np.isfinite(own_v))
    values = own_v[read]
    return read[(way * values > way * bound_v) & ~jumped(values, JUMP_V)]


def _ruined(log: Log, side: _Side, seen: _Seen) -> Danger:
    kind, first = ("high_cell", _too_high) if side.way > 0 else ("low_cell", _too_low)
    summary = f"{names(list(seen.cells))} read {seen.worst_v:.2f} V: stop charging, and measure."
    actions = (*first(side, seen.spell.words), READING, *_pack_says(log, seen))
    return _danger(kind, seen, side.ruin_v, summary, actions)


def _danger(
    kind: str, seen: _Seen, bound_v: float, summary: str, actions: tuple[str, ...]
) -> Danger:
    return Danger(kind, seen.cells, seen.worst_v, bound_v, "V", seen.spell, summary, actions)


def _too_high(side: _Side, when: str) -> tuple[str, str]:
    return (
        f"Above {side.ruin_v:.1f} V {when}. Stop charging first, then measure with a meter at the "
        "cell's own terminals.",
        "If the meter agrees, let nothing charge and nobody stay beside it: a cell of "
        f"{side.kind} above {side.ruin_v:.1f} V may vent and burn. Where it is warm, swollen or "
        "smells, leave it and call for help. Whether and how it may be brought down, and used "
        "again, its maker says.",
    )


def _too_low(side: _Side, when: str) -> tuple[str, str]:
    return (
        f"Below {side.ruin_v:.1f} V {when}. Stop charging first, then measure with a meter at the "
        "cell's own terminals.",
        "If the meter agrees, never charge it again, whatever it comes back to: a cell of "
        f"{side.kind} below {side.ruin_v:.1f} V is harmed inside, and may short and burn once it "
        "is charged. Its maker's sheet says what is to be done with it.",
    )


def _pack_says(log: Log, seen: _Seen) -> tuple[str, ...]:
    """What the pack's voltage leaves for a single cell, where that is as much as the others have:
    no proof, but worth knowing.
    """
    cell, *more = seen.cells
    if more:
        return ()
    rows = seen.rows[:: max(1, seen.rows.size // LOOKED_AT)]
    others_v = np.delete(log.cell_v[rows], cell, axis=1).astype(float)
    left_v = float(nanmedian((log.pack_v[rows] - others_v.sum(axis=1))[:, None])[0])
    sound_v = float(nanmedian(others_v.reshape(-1, 1))[0])
    off_v = abs(float(np.median(log.cell_v[rows, cell])) - sound_v)
    if not (abs(left_v - sound_v) < SOUND_V and off_v > 2 * SOUND_V):
        return ()
    return (
        f"The pack's own voltage leaves {left_v:.2f} V for it, which speaks for a wrong reading; "
        "the meter decides.",
    )


def _beyond_sheet(setup: Setup, side: _Side, seen: _Seen) -> Danger:
    who, when, sheet = names(list(seen.cells)), seen.spell.words, f"{side.sheet_v:.2f}"
    if side.way > 0:
        kind, typed = "above_sheet", setup.cell.max_v
        summary = f"{who} rose to {seen.worst_v:.2f} V, above the sheet's {sheet} V."
        actions = (
            f"Above the sheet {when}. {_trip(side, setup)}",
            "Until it does, lower the charger's target so far that this cell stays below it, and "
            "level the pack.",
        )
    else:
        kind, typed = "below_sheet", setup.cell.min_v
        summary = f"{who} fell to {seen.worst_v:.2f} V, below the sheet's {sheet} V."
        actions = (
            f"Below the sheet {when}. {_trip(side, setup)}",
            "Charge it back at no more than its sheet gives for a cell so low, with someone beside "
            "it, and look for lost capacity and for self-discharge afterwards.",
        )
    return _danger(kind, seen, side.sheet_v, summary, actions + _usual(sheet, typed))


def _trip(side: _Side, setup: Setup) -> str:
    """What the trip was to do."""
    limits = setup.protection
    trip_v = (limits.cell_over_voltage if side.way > 0 else limits.cell_under_voltage).trip_v
    if side.way * trip_v > side.way * side.sheet_v:
        return f"The trip of {trip_v:g} V lies beyond it: set it within the sheet, in Protect."
    return (
        f"The trip of {trip_v:g} V did not end it: is it in the BMS as it stands here? Type it in "
        "again, and see it act, before the pack is used further."
    )


def _usual(sheet_v: str, typed: float | None) -> tuple[str, ...]:
    """That the settings hold no sheet's voltage, where they do not."""
    if typed is not None:
        return ()
    return (
        f"Such cells usually allow {sheet_v} V; where their sheet says else, type it in Build.",
    )
