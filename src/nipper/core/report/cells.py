"""The list of cells in words: how it is typed, what stands out, which go together."""

from collections.abc import Sequence

from nipper.core.assembly.cells import CellEntry, Matching, kinds_made, strays
from nipper.core.errors import RangeError
from nipper.core.quantities import parse_quantity
from nipper.core.report.consequence import Status
from nipper.core.setup import Setup

COLUMNS = (
    ("label", "label"), ("made", "make and date"), ("capacity_ah", "capacity, Ah"),
    ("rest_v", "at rest, V"), ("resistance_mohm", "resistance, mΩ"),
)  # fmt: skip
UNITS = {"capacity_ah": "Ah", "rest_v": "V", "resistance_mohm": "mΩ"}
MOST = {"capacity_ah": 100_000.0, "rest_v": 100.0, "resistance_mohm": 10_000.0}
WORDS = {"capacity_ah": "capacity", "rest_v": "rest voltage", "resistance_mohm": "resistance"}
NAMED = 4  # strays that are told by name
WRONG = "✕"  # before what could not be read


def shown(cell: CellEntry) -> tuple[str, ...]:
    """A cell as a line of the table."""
    values = (getattr(cell, name) for name, _ in COLUMNS)
    return tuple(f"{v:g}" if isinstance(v, float) else str(v or "") for v in values)


def entry(words: Sequence[str]) -> tuple[CellEntry, dict[int, str]]:
    """A line of the table as a cell, and by column what could not be read of it."""
    values: dict[str, object] = {}
    wrong: dict[int, str] = {}
    for column, ((name, _), text) in enumerate(zip(COLUMNS, words, strict=True)):
        typed = text.removeprefix(WRONG).strip()
        if name not in UNITS:
            values[name] = typed[:100]
            continue
        if not typed:
            continue
        try:
            value = parse_quantity(typed, UNITS[name])
        except RangeError as error:
            wrong[column] = str(error)
            continue
        if 0 < value <= MOST[name]:
            values[name] = value
        else:
            wrong[column] = f"expected more than 0 and at most {MOST[name]:g} {UNITS[name]}"
    return CellEntry.model_validate(values), wrong


def judged(cells: Sequence[CellEntry]) -> tuple[Status, str]:
    """Whether the cells are alike."""
    known = [c for c in cells if c.capacity_ah or c.rest_v or c.resistance_mohm]
    made = kinds_made(cells)
    if len(known) < 3:
        return Status.NONE, "Three measured cells at least tell which stands out."
    found = strays(cells)
    mixed = (
        f"{len(made)} makes or ages: cells of one batch keep together. " if len(made) > 1 else ""
    )
    if not found:
        status = Status.WATCH if mixed else Status.OK
        return status, f"{mixed}{len(known)} cells, none stands out."
    told = [
        f"cell {s.cell} {WORDS[s.quantity]} {s.value:g} {s.unit} (median {s.median:g})"
        for s in found[:NAMED]
    ]
    more = f", and {len(found) - NAMED} more" if len(found) > NAMED else ""
    return Status.WATCH, f"{mixed}{'; '.join(told)}{more}."


def matched_words(found: Matching | None, setup: Setup, cells: Sequence[CellEntry]) -> str:
    """The groups in the order of the string."""
    places = setup.cells_in_series * setup.cells_in_parallel
    if found is None:
        measured = sum(c.capacity_ah is not None for c in cells)
        return f"{measured} of {places} capacities are known: all are needed to match."
    gain = found.pack_ah - found.as_they_lie_ah
    better = f", {gain:.2f} Ah more than as they lie" if gain > 0.005 else ""
    spare = f" Left over: {', '.join(map(str, found.spare))}." if found.spare else ""
    groups = ", ".join("+".join(map(str, g)) for g in found.groups)
    smallest = "group" if setup.cells_in_parallel > 1 else "cell"
    return (
        f"The smallest {smallest} holds {found.pack_ah:.2f} Ah{better}; they differ by "
        f"{found.spread_pct:.1f} %. From minus to plus, the strongest in the middle where it is "
        f"warmest (common practice): {groups}.{spare}"
    )
