"""A cell taken out or added: the pack's voltages are still those of the other count.

They are all scaled together, in one change that can be looked at first; cell limits stay.
"""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import AT_BOTH, Evidence, Rule, chem, error
from nipper.core.setup import Setup, get

LIMITS = tuple(
    f"protection.{name}.{part}"
    for name in ("pack_over_voltage", "pack_under_voltage")
    for part in ("alarm_v", "trip_v", "release_v")
)
CHARGER = ("absorption_v", "float_v", "equalise_v")
INVERTER = ("link.low_alarm_v", "link.low_cut_v", "link.low_restart_v")
LEAST = 3  # voltages that must agree before one speaks of another count
NEAR_V = 0.15  # of a pack's trip to its cells', a cell
MOST_APART = 4  # cells between the counts: more is another pack, not a cell taken out


def pack_voltages(setup: Setup) -> dict[str, float]:
    """Every voltage of the whole pack that is set, by path."""
    chargers = [f"charging.{name}" for name in CHARGER]
    others = range(len(setup.other_chargers))
    chargers += [f"other_chargers.{i}.{name}" for i in others for name in CHARGER[:2]]
    found = {path: get(setup, path) for path in (*LIMITS, *chargers, *INVERTER)}
    return {path: value for path, value in found.items() if value}


def rescaled(setup: Setup, was: int) -> dict[str, object]:
    """The pack's voltages for the cells it has now, where they were meant for ``was`` cells."""
    share = setup.cells / was
    return {path: round(value * share, 1) for path, value in pack_voltages(setup).items()}


def meant_for(setup: Setup) -> int | None:
    """The count of cells that the pack's voltages are meant for, where it is another one.

    By the charger's target against the chemistry's usual one; all of them must lie within the
    cells' window by that count, and the target must lie outside of what charges by the own.
    """
    volts, chemistry = pack_voltages(setup), chem(setup)
    target_v = volts.get("charging.absorption_v")
    if target_v is None or len(volts) < LEAST:
        return None
    usual_v = chemistry.usual["absorption_v"].value
    here_v = target_v / setup.cells
    if chemistry.knee_v - 0.1 <= here_v <= setup.protection.cell_over_voltage.trip_v:
        return None
    near = range(max(1, setup.cells - MOST_APART), setup.cells + MOST_APART + 1)
    counts = [n for n in near if n != setup.cells and _fits(setup, volts, n)]
    return min(counts, key=lambda n: abs(target_v / n - usual_v), default=None)


def _fits(setup: Setup, volts: dict[str, float], count: int) -> bool:
    """Whether all voltages are sensible ones of that many cells."""
    chemistry = chem(setup)
    low, high = chemistry.min_v - 0.05, chemistry.max_v + 0.05
    target_v = volts["charging.absorption_v"] / count
    within = all(low <= v / count <= high for v in volts.values())
    return within and chemistry.knee_v <= target_v <= chemistry.max_v and _limits_say(setup, count)


def _limits_say(setup: Setup, count: int) -> bool:
    """Whether the pack's own trips are those of that many cells: a target alone that is too high
    or too low is just that.
    """
    p = setup.protection
    pairs = (
        (p.pack_over_voltage, p.cell_over_voltage),
        (p.pack_under_voltage, p.cell_under_voltage),
    )
    known = [(pack.trip_v, cell.trip_v) for pack, cell in pairs if pack is not None]
    return bool(known) and all(
        abs(pack_v / count - cell_v) < min(NEAR_V, abs(pack_v / setup.cells - cell_v))
        for pack_v, cell_v in known
    )


def other_count(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A cell was taken out or added, and the pack's voltages are still those of the other count."""
    was = meant_for(setup)
    if was is None:
        return
    now, volts = setup.cells, pack_voltages(setup)
    yield error(
        ("cells_in_series", *volts),
        f"The pack's voltages are those of {was} cells; it has {now}.",
        f"The charger's target is {volts['charging.absorption_v'] / now:.2f} V a cell. All "
        f"{len(volts)} are scaled together; look at each, and tell inverter and chargers the same. "
        "Older logs stay in the bench, of an earlier build: say in Packs and logs which cell left, "
        "and they are read on without it.",
        rescaled(setup, was),
        f"Rescale all pack voltages to {now} cells",
    )


RULES = (Rule("voltages-of-another-count", other_count, "arithmetic", stages=AT_BOTH),)
