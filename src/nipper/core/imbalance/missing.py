"""What a log does not tell, and what to record so that it would.

Where nothing is found, this is how far that can be trusted.
"""

import numpy as np

from nipper.core.imbalance.capacity import EITHER_AT_STEP
from nipper.core.imbalance.causes_base import has, names
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.lag import told_late
from nipper.core.imbalance.losing import TELLS_PCT_MONTH, unseen_mah_per_day, worth_mah_per_day
from nipper.core.imbalance.offsets import OPEN_PCT
from nipper.core.imbalance.unread import unread
from nipper.core.imbalance.weak import WEAK_PCT, perhaps_weak, unseen_capacity_pct
from nipper.core.logs.model import Floats, Log
from nipper.core.logs.resets import longest_leap_years
from nipper.core.setup import Setup

# of capacity: healthy packs that were levelled once stay within 1 %, never levelled ones do not
# (common practice)
APART_SHARE = 0.02
LIKELY_SHARE = 0.016  # of capacity: below it an offset is that of a healthy pack
ROOM_V = 0.02  # to the trip, at the top of a usual charge: common practice
QUARTER_PCT = 25.0
HALF_PCT = 50.0  # a log that would not show a cell with half of its capacity shows none


def doubtful(known: Estimate, setup: Setup) -> bool:
    """Whether a pack without a finding is no healthy one all the same."""
    apart = _surely_apart_ah(known) > APART_SHARE * setup.capacity_ah
    either = known.capacities.either(known.drift.last_ah, setup.capacity_ah)
    ended = _ended_by_a_cell(known) or _near_its_trip(known, setup)
    open_ = perhaps_far(known, setup) or _likely_off(known, setup)
    return ended or apart or bool(either or open_)


def perhaps_far(known: Estimate, setup: Setup) -> list[int]:
    """Cells that are surely off to one side, and perhaps by more than any level pack's: they stay
    on the flat while the others are full, or the others while they are.
    """
    low, high = known.drift.last_range_ah
    far_ah = OPEN_PCT / 100.0 * setup.capacity_ah
    with np.errstate(invalid="ignore"):
        far = (high < 0.0) & (low < -far_ah) | (low > 0.0) & (high > far_ah)
    return [int(i) for i in np.flatnonzero(far)]


def _likely_off(known: Estimate, setup: Setup) -> list[int]:
    """Cells that are surely off to one side, and likelier than not by more than level ones: a
    coarse meter leaves open how far.
    """
    offset_ah, (low, high) = known.drift.last_ah, known.drift.last_range_ah
    with np.errstate(invalid="ignore"):
        sided = (low > 0.0) | (high < 0.0)
        likely = sided & (np.abs(offset_ah) > LIKELY_SHARE * setup.capacity_ah)
    return [int(i) for i in np.flatnonzero(likely)]


def _ended_by_a_cell(known: Estimate) -> bool:
    """Whether a cell's trip ended most of the last full charges: whatever the cause, that is no
    health.
    """
    last = known.full[-3:]
    return 2 * sum(c.ended_by == "trip" for c in last) > len(last)


def _near_its_trip(known: Estimate, setup: Setup) -> bool:
    """Whether the highest cell comes so near its trip at the target one lives at that the next
    colder day or stronger sun ends the charge.
    """
    return known.end.highest_v >= setup.protection.cell_over_voltage.trip_v - ROOM_V


def _surely_apart_ah(known: Estimate) -> float:
    """How far fullest and emptiest cell stand apart beyond doubt, Ah: also where so many cells are
    off that none stands out from the median.
    """
    low, high = known.drift.last_range_ah
    if not np.isfinite(low).any():
        return 0.0
    return float(np.nanmax(low) - np.nanmin(high))


def hides_leaks(known: Estimate) -> bool:
    """Whether a balancer that is not recorded may have made good a leak that is worth knowing."""
    worth = known.balancer.hidden_pct_month > TELLS_PCT_MONTH
    return worth and bool(np.isfinite(known.drift.last_ah).any())


def untold(known: Estimate) -> bool:
    """Whether no full charge tells how full any cell is: then nothing was seen."""
    return not np.isfinite(known.drift.last_ah).any()


def tells_little(known: Estimate, setup: Setup) -> bool:
    """Whether neither a loss nor a cell that holds a quarter less would have shown: level at the
    top alone is no health.
    """
    return not known.drift.tells and unseen_capacity_pct(known, setup) > QUARTER_PCT


def missing(known: Estimate, log: Log, setup: Setup) -> list[str]:
    """What to record next, so that more can be said."""
    out = [_charges(known, log, setup), _leaks(known, setup), _made_good(known, setup)]
    out += [_far(known, setup), _either(known, setup), _fuller(known, setup)]
    out += [_capacity(known, log, setup)]
    out += told_late(known.lag_rows, log.interval_s)
    if log.averaged_s:
        out.append(
            f"The rows of this log are more than are held at once: means of {log.averaged_s:.0f} s "
            "are judged, and what lasts shorter is blurred. A bench keeps every row."
        )
    if years := longest_leap_years(log.time_s):
        out.append(
            f"The times of this log leap over {years:.1f} years: was the BMS's clock reset? What "
            "the cells did before and after is judged, what they did in between is not."
        )
    if not np.isfinite(log.current_a).any():
        out.append("Record the current as well: without it charge cannot be counted.")
    if not np.isfinite(known.resistances.herd_ohm):
        out.append(
            "Record a load switched on and off a dozen times, a row every 10 s: until "
            "then resistance cannot be told."
        )
    return [text for text in out if text]


def _charges(known: Estimate, log: Log, setup: Setup) -> str:
    """The charge that would tell most."""
    if log.cells < 2:
        return "One cell has no others to be held against: only a capacity test judges it."
    if not known.full:
        volts = setup.charging.absorption_v if setup.charging else None
        level = f"{volts:.1f} V" if volts else "the absorption voltage"
        if known.drift.place == "step":
            return (
                f"Record one full charge held at {level} for an hour, a row every 10 s to 1 min: "
                "until then cells are judged where charges pass the step of the plateau alone."
            )
        return (
            f"Record one full charge held at {level} for an hour, a row every 10 s to 1 "
            "min: until then no cell can be judged."
        )
    if _ended_by_a_cell(known):
        cells = [cell - 1 for cell in sorted(known.end.highest)]
        ends = has(cells, "ends", "end") if cells else "One cell ends"
        return (
            f"{ends} the charge by its trip before the others are full. Lower the "
            "charger's target until it no longer trips, hold it there for some hours, and record "
            "that charge."
        )
    if _near_its_trip(known, setup):
        left_mv = 1e3 * (setup.protection.cell_over_voltage.trip_v - known.end.highest_v)
        return (
            f"The highest cell comes within {max(0.0, left_mv):.0f} mV of its trip at the end of "
            "charge: lower the charger's target until the cells are nearer to each other."
        )
    if untold(known) and unread(log, known.full):
        return ""  # it is told which cell was not read: that comes first
    if untold(known):
        return (
            "None of the full charges of this log tells how full a cell is: readings are missing "
            "at their ends, or all stood where the curve is flat. Record one held for an hour at "
            "the charger's target, a row every 10 s to 1 min."
        )
    apart_ah = _surely_apart_ah(known)
    if apart_ah > APART_SHARE * setup.capacity_ah:
        return (
            f"Fullest and emptiest cell stand at least {apart_ah:.1f} Ah apart: level the pack at "
            "the top, then record full charges for two weeks to see whether it stays level."
        )
    if not known.drift.tells:
        return (
            "Record four full charges over at least a week: until then drift cannot be "
            "told from a standing offset."
        )
    return ""


def _leaks(known: Estimate, setup: Setup) -> str:
    """How small a leak would not have shown."""
    unseen = unseen_mah_per_day(known, setup)
    if unseen is None or unseen <= worth_mah_per_day(setup):
        return ""
    return (
        f"In {known.drift.days:.0f} days of this log a cell that loses less than"
        f" {unseen:.0f} mAh a day does not stand out: some weeks more tell smaller leaks."
    )


def _made_good(known: Estimate, setup: Setup) -> str:
    """How large a leak the balancer may have hidden."""
    if not hides_leaks(known):
        return ""
    hidden = 10.0 * known.balancer.hidden_pct_month / 30.4 * setup.capacity_ah
    if known.balancer.ran_h is not None:
        return (
            "Hours at the top are missing in this log, and what was balanced in them with them: a"
            f" cell that loses up to {hidden:.0f} mAh a day, and is kept level by the balancer,"
            " would not show. Record without gaps."
        )
    return (
        "The log does not say which cells were balanced: a cell that loses up to"
        f" {hidden:.0f} mAh a day, and is kept level by the balancer, would not show. Record the"
        " balancing, or leave the pack disconnected at rest for two weeks and charge it again."
    )


def _either(known: Estimate, setup: Setup) -> str:
    """Which cells hold less or stand lower, and it is not known which."""
    held = known.capacities
    cells = held.either(known.drift.last_ah, setup.capacity_ah)
    at_low = [i for i in cells if np.isfinite(held.low_offset_ah[i])]
    at_step = [i for i in cells if i not in at_low]
    out: list[str] = []
    if at_low:
        out.append(
            f"{names(at_low)} had {_less(held.low_offset_ah[at_low])} Ah less left than the others "
            "at the low end: less capacity, or less charge."
        )
    if at_step:
        out.append(
            f"{names(at_step)} had {_less(held.at_step_ah[at_step])} Ah less than the others where"
            " charges pass the step in the middle of the plateau: less capacity, or less charge."
        )
    if cells:
        out.append(
            "Which of the two it is shows once a charge fills all cells; until then feed nothing "
            "there."
        )
    return " ".join(out)


def _far(known: Estimate, setup: Setup) -> str:
    """How far cells may be off that no reading places."""
    cells = perhaps_far(known, setup)
    if not cells:
        return ""
    pct = 100.0 / setup.capacity_ah * np.abs(np.array(known.drift.last_range_ah)[:, cells])
    told = [
        f"{names(cells)} may be off by {pct.min():.1f} to {pct.max():.0f} %: how far is not seen "
        "on the flat of the curve. Move what is sure, charge until the pack has been held full for "
        "an hour, a row every minute or faster, and read again."
    ]
    told += [
        f"Cell {i + 1} does not rise over the knee as one that is read rightly would: before "
        "anything is moved, hold a trusted meter to its poles, at rest."
        for i in cells
        if known.knee and known.knee.doubted[i]
    ]
    return " ".join(told)


def likely(known: Estimate, setup: Setup) -> list[str]:
    """Which cells are likely off where none is named for it."""
    cells = sorted({*_likely_off(known, setup)} - {*perhaps_far(known, setup)})
    if not cells:
        return []
    pct = 100.0 / setup.capacity_ah * np.abs(np.array(known.drift.last_range_ah)[:, cells])
    return [
        f"{names(cells)} may be off by {pct.min():.1f} to {pct.max():.0f} %: the readings do not "
        "tell it closer. Measure at the poles at the end of a full charge, with steps of 1 mV, or "
        "record one held for an hour, a row every 10 s to 1 min."
    ]


def _fuller(known: Estimate, setup: Setup) -> str:
    """Which cells will be full first, of a log without a full charge."""
    at_step_ah = known.capacities.at_step_ah
    with np.errstate(invalid="ignore"):
        fuller = np.flatnonzero(at_step_ah > EITHER_AT_STEP * setup.capacity_ah)
    if known.full or not fuller.size:
        return ""
    cells = [int(i) for i in fuller]
    return (
        f"{names(cells)} had {_less(-at_step_ah[cells])} Ah more than the others where charges pass"
        " the step in the middle of the plateau, and will be full first: watch the cells, not the"
        " pack, as the first full charge comes to its end."
    )


def _less(behind_ah: Floats) -> str:
    """``3 to 5``, of charge against the others, Ah."""
    least, most = (f"{-end:.0f}" for end in (np.max(behind_ah), np.min(behind_ah)))
    return least if least == most else f"{least} to {most}"


def _capacity(known: Estimate, log: Log, setup: Setup) -> str:
    """How weak a cell would not have shown."""
    cells, weak_pct = perhaps_weak(known, setup)
    if cells:
        return (
            f"{names(cells)} may hold up to {weak_pct:.0f} % less than the others: record a "
            "discharge from full to the low end, at modest current and within the cell's sheet, a "
            "row every minute or faster."
        )
    unseen_pct = unseen_capacity_pct(known, setup)
    if not known.full or log.cells < 2 or unseen_pct <= WEAK_PCT:
        return ""
    if unseen_pct > HALF_PCT:
        return (
            "No discharge in this log goes low enough to show a weak cell: record one from full to "
            "the low end, at modest current and within the cell's sheet."
        )
    return (
        f"A cell that holds up to {unseen_pct:.0f} % less than the others would not show in this "
        "log: record a discharge from full to the low end, at modest current and within the "
        "cell's sheet."
    )
