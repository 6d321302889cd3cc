"""A typed reading in words."""

from nipper.core.forecast.reading import LEVEL_MV, Between, Target
from nipper.core.imbalance.snapshot import Snapshot
from nipper.core.report.consequence import Consequence, Status

ABOUT = {
    "single": "One cell stands apart",
    "block": "A block of neighbours stands apart: look at the electronics that feed from it, "
    "and at what was exchanged",
    "spread": "All cells are spread",
}


def heading(shot: Snapshot) -> str:
    """The deviation with the condition it was read under."""
    amps = "current not read" if shot.current_a != shot.current_a else f"{shot.current_a:+g} A"
    return f"{shot.deviation_mv:.0f} mV at {shot.mean_v:.3f} V, {amps}".replace("-", "−")


def says(shot: Snapshot, found: list[Target]) -> list[Consequence]:
    """What a reading says, most serious first."""
    out = [Consequence(Status.ACT, "This does not fit together:", f"{d}.") for d in shot.doubts]
    if shot.deviation_pct is not None:
        charge = f"{shot.deviation_pct:.1f} % of charge ({shot.low:.1f} to {shot.high:.1f} %)"
        hours = (
            f" The balancer needs {shot.level_hours:.0f} h of work for it."
            if shot.level_hours is not None
            else ""
        )
        out.append(
            Consequence(
                Status.NONE,
                f"Cell {shot.highest_cell} is fuller than cell {shot.lowest_cell}",
                f"by {charge}.{hours}",
            )
        )
    out += [_trip(found)] if found else []
    cells = ", ".join(str(c) for c in shot.outliers)
    out.append(
        Consequence(
            Status.NONE, f"{ABOUT[shot.pattern]}{f' (cell {cells})' if cells else ''}.", shot.tells
        )
    )
    return out


def _trip(found: list[Target]) -> Consequence:
    """The lowest target at which the highest cell trips."""
    trips = next((t for t in found if t.trips), None)
    if trips is None:
        top = found[-1]
        return Consequence(
            Status.OK,
            f"No cell trips up to {top.cell_target_v:.2f} V a cell:",
            f"cell {top.cell} comes to {top.highest_v:.2f} V there.",
        )
    return Consequence(
        Status.WATCH,
        f"Charged to {trips.cell_target_v:.2f} V a cell, cell {trips.cell} trips:",
        f"it comes to {trips.highest_v:.2f} V. Charge lower until it is level.",
    )


def since(found: Between) -> str:
    """Two readings of a pack, in a line."""
    return f"{_span(found.minutes)} after the reading before: {moved(found)}"


def moved(found: Between) -> str:
    """What became of the deviation between two readings."""
    apart = f"{found.before_mv:.0f} → {found.after_mv:.0f} mV"
    if not found.comparable:
        return f"{apart}, but at another voltage or current: not to be compared."
    if found.level_minutes is None:
        return f"{apart}: it does not shrink. What is the balancer allowed to do now?"
    if found.level_minutes == 0.0:
        return f"{apart}: level."
    return (
        f"{apart}. At this pace under {LEVEL_MV:.0f} mV in about {_span(found.level_minutes)};"
        " the last part goes slower."
    )


def _span(minutes: float) -> str:
    if minutes < 90.0:
        return f"{minutes:.0f} min"
    return f"{minutes / 60.0:.1f} h" if minutes < 2880.0 else f"{minutes / 1440.0:.0f} days"
