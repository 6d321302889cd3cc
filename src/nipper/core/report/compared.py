"""What comparing tells: before and after what was done, swap tests, packs side by side."""

from collections.abc import Sequence
from datetime import UTC, tzinfo

from nipper.core.imbalance.compare import Change, Compared, Happening
from nipper.core.report.consequence import Consequence, Status, count, day

MOST_UNCHANGED = 6  # notes after which nothing changed; a bench of years has hundreds


def of_compared(
    compared: Compared, pack: int, names: Sequence[str], zone: tzinfo = UTC
) -> list[Consequence]:
    """What events did, what swaps tell, and how packs in parallel share.

    Parameters
    ----------
    pack : the one shown, as in ``compared``
    names : of all packs, in the order of their logs
    """
    out = _of_changes(compared.changes.get(pack, ()), zone)
    for happening, result in compared.swaps:
        place = (
            f"confidence {result.confidence:.0%}"
            if result.verdict != "undecided"
            else result.record_next
        )
        status = Status.NONE if result.verdict == "undecided" else Status.OK
        out.append(
            Consequence(
                status,
                f"Swap test, “{happening.note}” on {day(happening.time_s, zone)}:",
                result.sentence,
                place=place,
            )
        )
    return out + _shares(compared, names)


def _of_changes(
    happenings: Sequence[tuple[Happening, Sequence[Change]]], zone: tzinfo
) -> list[Consequence]:
    """What came of each: all that changed something, of the others the newest."""
    unchanged = [h for h, changes in happenings if not any(c.real for c in changes)]
    older = set(unchanged[:-MOST_UNCHANGED])
    out = [
        told
        for happening, changes in happenings
        if happening not in older
        for told in _since(happening, changes, zone)
    ]
    if older:
        lead = f"{count(len(older), 'older note')}:"
        text = "nothing changed beyond chance, or too little is recorded to tell."
        out.append(Consequence(Status.NONE, lead, text))
    return out


def _since(happening: Happening, changes: Sequence[Change], zone: tzinfo) -> list[Consequence]:
    since = f"Since “{happening.note}” on {day(happening.time_s, zone)}:"
    real = [c for c in changes if c.real]
    if real:
        return [
            Consequence(
                Status.OK if c.helped else Status.WATCH,
                since,
                _change(c),
                place=f"chance alone: {_odds(c.chance)}",
            )
            for c in real[:2]
        ]
    if changes:
        text, place = "nothing changed beyond chance.", _change(changes[0])
    else:
        text = "too little is recorded on one side to tell."
        place = "four full charges over five days on each side"
    return [Consequence(Status.NONE, since, text, place=place)]


def _change(change: Change) -> str:
    what = {
        "resistance": f"resistance of cell {change.cell}",
        "drift": f"drift of cell {change.cell}",
        "spread": "growth of the spread",
        "herd_resistance": "resistance of the usual cell with its joint",
    }[change.quantity]
    digits = 2 if "resistance" in change.quantity else 0
    herd = change.quantity == "herd_resistance"
    sign = "" if herd else "+"
    mended = (
        "mended: "
        if not herd and change.helped and abs(change.after) < 0.3 * abs(change.before)
        else ""
    )
    text = (
        f"{mended}{what} {change.before:{sign}.{digits}f} → {change.after:{sign}.{digits}f} "
        f"{change.unit} (± {change.sd:.{digits}f})."
    )
    return text.replace("-", "−")


def _odds(chance: float) -> str:
    return "less than 1 in 1000" if chance < 1e-3 else f"1 in {1.0 / chance:.0f}"


def _shares(compared: Compared, names: Sequence[str]) -> list[Consequence]:
    shared = compared.shared
    if shared is None:
        # changes has an entry for each pack that has a log of its own cells
        if len(compared.changes) >= len(names):
            return []
        return [
            Consequence(
                Status.NONE,
                "To tell more:",
                "How the packs share the current, and whose way to the bus is bad, takes a log of "
                "each of them, of the same days.",
            )
        ]
    carried = ", ".join(
        f"{name} {share:.0%}" for name, share in zip(names, shared.share, strict=False)
    )
    guilty = shared.guilty
    if not shared.unequal and guilty is None:
        return [
            Consequence(
                Status.OK,
                "The packs share alike.",
                f"{carried} of the whole current.",
                place=f"{shared.rows} moments of strong current",
            )
        ]
    if guilty is None:
        text = (
            "Their ways to the bus are alike: the cells themselves differ, in resistance, "
            "capacity or charge."
        )
        return [
            Consequence(
                Status.WATCH,
                f"The packs do not share alike: {carried}.",
                text,
                place=f"{shared.rows} moments of strong current",
            )
        ]
    extra = float(shared.way_mohm[guilty]) * shared.share.size / max(1, shared.share.size - 1)
    return [
        Consequence(
            Status.WATCH,
            f"The way from {names[guilty]} to the bus has {extra:.1f} mΩ more than the others'.",
            f"{carried}. Measure millivolts along its leads, fuse, switch and joints at "
            f"50 A: {50 * extra:.0f} mV too many are to be found.",
            place=f"pack voltages against current, {shared.rows} moments",
            why="All packs meet at one bus. What a pack's own voltage is higher while "
            "charging, and lower while discharging, is lost on its way there.",
        )
    ]
