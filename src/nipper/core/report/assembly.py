"""Putting a pack together, in words: the faults of sense leads, what joining does, capacity tests,
and the order of the first power.
"""

from collections.abc import Mapping, Sequence

from nipper.core.assembly.capacity import CapacityPlan, CapacityResult
from nipper.core.assembly.firstbalance import FirstBalance
from nipper.core.assembly.joining import FOR_A_MOMENT, Joining
from nipper.core.assembly.notes import BuildNotes
from nipper.core.assembly.taps import INPUT_V, Fault, TapFault, TapTest
from nipper.core.chemistry import chemistry
from nipper.core.report.build import SHORT_CAUTION
from nipper.core.report.consequence import Status
from nipper.core.report.steps import Step
from nipper.core.setup import Setup, pack_names

# sense leads


def tap_words(fault: TapFault, setup: Setup) -> str:
    """A fault of the sense leads in words, with what to do."""
    lead = fault.leads[0] if fault.leads else 0
    at = fault.at[0] if fault.at else 0
    last = setup.cells
    return {
        Fault.OPEN: f"Lead {lead} reads nothing: it is open, or sits at minus. Follow it.",
        Fault.SWAPPED: (
            f"Leads {lead} and {fault.leads[1]} are swapped."
            if len(fault.leads) == 2
            else f"Lead {lead} sits at tap {at}."
        ),
        Fault.SKIPPED: f"From lead {lead} on all sit one cell too far: a tap before it is left "
        "out.",
        Fault.TWICE: f"Lead {lead} sits where lead {at} belongs: two leads on one tap, or a bar "
        f"across cell {lead}.",
        Fault.REVERSED_ORDER: "The whole row is turned round: lead 1 is at the top of the string.",
        Fault.REVERSED_CELL: f"Cell {lead} stands the wrong way round in the string: take it out "
        "before anything is connected.",
        Fault.PROBES: (
            f"Lead {lead} reads below minus: the probes were turned for it, or it is on another "
            "pack."
            if lead
            else "All readings are negative: the probes are turned, or minus is not lead 0."
        ),
        Fault.BETWEEN: f"Lead {lead} reads between two taps: a bad contact, or a cell before it "
        "that is not like the others.",
        Fault.UNLIKE_CELL: f"Cell {lead} stands apart from the others: charge it to their voltage "
        "before it goes on.",
        Fault.OUTSIDE: "The cells rest outside their sheet: connect and charge nothing before it "
        "is known why; the maker's sheet decides whether they may be used again.",
        Fault.TERMINALS: f"Lead {last} and the pack's terminals do not agree: lead 0 or {last} is "
        f"not at the end of the string, or it has not {last} cells.",
    }[fault.kind]


def tap_verdict(found: TapTest) -> tuple[Status, str]:
    """Whether the plug may go in."""
    if not found.read:
        return Status.NONE, "Nothing read yet: the plug stays out."
    if any(f.kind != Fault.UNLIKE_CELL for f in found.faults):
        most = f" {found.most_v:.1f} V would stand across one input." if (
            found.most_v and found.most_v > INPUT_V) else ""  # fmt: skip
        return Status.ACT, f"Leave the plug out.{most}"
    if not found.complete:
        return Status.WATCH, f"{found.read} of {found.wanted} leads read: the plug stays out."
    if found.faults:
        return Status.WATCH, "The leads are in order; a cell is not like the others."
    return Status.OK, "All leads are in order."


def unused_words(cells: int, channels: int) -> str:
    """What becomes of the positions of a larger BMS that this string does not use."""
    if channels <= cells:
        return ""
    first = cells + 1
    span = f"position {first}" if channels == first else f"positions {first} to {channels}"
    return (
        f"{span[0].upper()}{span[1:]} of a BMS for {channels} cells: left empty, or tied to the "
        f"top (tap {cells}). Its manual says which; the wrong one reads as a missing cell."
    )


# joining

WIDE_PCT = 15.0  # from here a voltage does not tell the charge


def joining_words(found: Joining, names: Sequence[str]) -> tuple[Status, str]:
    """Whether packs may be joined as they rest, and what flows."""
    if found.outside:
        who = " and ".join(names[i] for i in found.outside)
        return Status.ACT, (
            f"{who} rests outside the cells' sheet: do not join. Find out why first; the maker's "
            "sheet decides whether it may be charged again at all."
        )
    flows = f"{found.first_a:.0f} A flow at the first moment"
    if found.limit is None or found.allowed_v is None:
        return Status.WATCH, f"{flows}. No trip, fuse, lead or sheet is known that would limit it."
    limit = found.limit
    against = f"the {limit.what} of {names[limit.pack]} at {limit.amps:.0f} A"
    if not found.fine:
        return Status.ACT, (
            f"Do not join yet: {flows}, against {against}. Bring them within "
            f"{1e3 * found.allowed_v:.0f} mV of each other, each charged full alone."
        )
    return Status.OK, (
        f"{flows}, under half of {against}; up to {1e3 * found.allowed_v:.0f} mV apart would be."
    )


def agree_words(found: Joining) -> str:
    """How long they go on exchanging."""
    if found.astray:
        return (
            "A counter says what the volts of its pack rule out: it has lost its reference. Charge "
            "that pack full first."
        )
    doubt = max(high - low for low, high in found.soc_pct)
    if doubt > WIDE_PCT and not found.counted:
        return (
            f"Volts leave {doubt:.0f} % of their charge open: how much moves afterwards, and for "
            "how long, cannot be told from them. Charge each full first."
        )
    if found.hours is None:
        return f"After two days {found.moved_ah:.0f} Ah have moved and they still exchange."
    if found.moved_ah < 0.1 and found.counted:
        return "By their counters next to nothing moves afterwards."
    if found.moved_ah < 0.1:
        return "Next to nothing moves afterwards."
    return f"{found.moved_ah:.1f} Ah move within {found.hours:.1f} h until they agree."


def soc_words(soc: tuple[float, float]) -> str:
    """What a rest voltage says of the charge."""
    low, high = soc
    if high - low > WIDE_PCT:
        return f"{low:.0f} to {high:.0f} %: volts cannot tell here"
    return f"about {(low + high) / 2:.0f} %"


JOINING_STEPS = (
    "Charge each pack full alone, by the same charger and to the same voltage, and let each rest "
    "an hour.",
    "Read each at its own terminals with one meter. On the flat of the curve equal volts do not "
    "mean equal charge: full is where they tell.",
    "Join the minus leads, then the plus leads by way of a fuse or breaker; not by a bare lug that "
    f"sparks. The limit kept here is {FOR_A_MOMENT:.0%} of the smallest trip, fuse, lead or sheet.",
    "Watch each pack's current for an hour: it falls towards nothing.",
    "An older pack keeps less and resists more: it is full and empty first. Watch the first three "
    "full cycles, each pack's cells apart.",
)


# capacity


def capacity_words(result: CapacityResult) -> str:
    """A capacity test in a line."""
    least = "" if result.complete else "at least "
    by = f", ended by cell {result.cell}" if result.cell else ""
    at = f" at {result.end_v:.3f} V" if result.end_v and result.cell else ""
    rate = f" at {result.amps:.0f} A" if result.amps else ""
    cold = f", {result.temp_c:.0f} °C" if result.temp_c is not None else ""
    return f"{least}{result.ah:.1f} Ah ({result.share_pct:.0f} % of the label){rate}{by}{at}{cold}"


def plan_words(found: CapacityPlan, setup: Setup) -> str:
    """How a capacity test of this pack goes."""
    return (
        f"Charge the pack full and let it rest an hour. Then {found.amps:g} A without a break for "
        f"about {found.hours:.1f} h ({found.kwh:.1f} kWh: plan where it goes) until the first cell "
        f"is at {found.end_v:.2f} V, {found.pack_end_v:.1f} V for the pack if all were alike; stay "
        "with it, record a row a minute or faster, and charge again at once. Warm cells: below "
        f"15 °C less comes out. {setup.capacity_ah:g} Ah is the label."
    )


def since_words(tests: Sequence[tuple[float, CapacityResult]]) -> str:
    """The last test against the one before it."""
    whole = [t for t in tests if t[1].complete]
    if len(whole) < 2:
        return ""
    (before_s, before), (last_s, last) = whole[-2:]
    years = (last_s - before_s) / (365.25 * 86400.0)
    change = 100.0 * (last.ah - before.ah) / before.ah
    a_year = f", {change / years:+.1f} % a year" if years > 0.25 else ""
    text = f"{change:+.1f} % since the test before{a_year}"
    if last.cell and last.cell == before.cell:
        text += f"; cell {last.cell} ended both"
    unlike = before.temp_c is not None and last.temp_c is not None
    if unlike and abs((before.temp_c or 0.0) - (last.temp_c or 0.0)) > 8.0:
        text += "; the temperatures differ: about a percent for every two or three degrees"
    return text.replace("-", "−")


# first power


def first_balance_words(found: FirstBalance) -> str:
    """The first top balance in a few sentences."""
    return (
        f"All {found.all_ah:.0f} Ah side by side by {found.supply_a:g} A take "
        f"{found.all_h / 24:.1f} days from {found.delivered_pct:.0f} %. In series by the charger "
        f"to the first alarm ({found.series_h:.0f} h), then side by side, about "
        f"{found.after_series_h:.0f} h. Supply at {found.supply_v:.2f} V, set before it is "
        f"connected and read at the cells; full when the current has fallen to "
        f"{found.full_a:.1f} A."
    )


def steps(
    setup: Setup,
    notes: BuildNotes,
    taps: Sequence[TapTest],
    pages: Mapping[str, int],
    balance: FirstBalance,
) -> list[Step]:
    """The order of the first power of a new or changed bank; ``pages`` by their names."""
    wrong = [n for n, t in zip(pack_names(setup), taps, strict=True) if not t.safe]
    taps_text = f"Not yet: {', '.join(wrong)}." if wrong else "All in order."
    measured = Step(
        "taps", "Sense leads measured, plug out", taps_text, not wrong, False, pages.get("taps")
    )
    ticked = [
        Step(id_, name, text, id_ in notes.ticks, True, pages.get(page))
        for id_, name, text, page in _ticked(setup, balance)
    ]
    return [*ticked[:4], measured, *ticked[4:]]


def _ticked(setup: Setup, balance: FirstBalance) -> list[tuple[str, str, str, str]]:
    """Steps that only the user knows of: id, title, text, and the page where it is done."""
    several = setup.packs_in_parallel > 1
    polarity = ("one", "Polarity at the inverter's lugs", "Measured, before the switch closes.", "")
    joined = ("join", "Packs joined", "By their rest voltages, on the page Joining.", "joining")
    return [
        ("safety", "Everything off, and safe", SHORT_CAUTION, ""),
        (
            "cells",
            "Cells alike",
            "Same make, age and capacity; rest voltages within 10 mV of each other.",
            "cells",
        ),
        ("balance", "Cells level before the first use", first_balance_words(balance), ""),
        (
            "bars",
            "Bars clean, flat and tight",
            "By the cell's sheet; note the torque at the bar in the drawing.",
            "built",
        ),
        (
            "settings",
            "Limits typed and read back",
            f"Protect, then Typing sheet and Read back; {setup.cells} cells in the BMS and in the "
            "charger.",
            "",
        ),
        (
            "fuse",
            "Fuses in, the last one last",
            "Pack fuses and main fuse by the page Current; a lead is connected at the fuse's far "
            "end first.",
            "current",
        ),
        (
            "each",
            "Each pack alone",
            "Power each pack alone: cells, current and temperatures must be shown, and its "
            "switches must open.",
            "",
        ),
        joined if several else polarity,
        (
            "precharge",
            "The inverter's capacitors filled",
            "Through a resistor for some seconds, or by the BMS's own: else the first contact "
            "sparks or trips the short circuit.",
            "",
        ),
        ("entry", "Capacity and cells into the inverter", _inverter_entry(setup), ""),
        (
            "first",
            "The first charge watched",
            "A newly set charger may begin a full charge, and a generator, by itself. Alarms for "
            "capacity and cell difference are usual in the first two or three full cycles.",
            "",
        ),
        (
            "torque",
            "Bars and lugs tightened again",
            "After the first warm day or week; a warm one is found with a hand near it, not on it.",
            "built",
        ),
    ]


def _inverter_entry(setup: Setup) -> str:
    volts = setup.cells * chemistry(setup.chemistry).nominal_v
    return (
        f"{setup.bank_ah:g} Ah and {volts:.1f} V nominal ({setup.cells} cells). Fields that "
        "accelerate overshoot: read them back. Do not cut the power while it writes. With fewer "
        "cells than usual every voltage of the charger goes with the cells."
    )
