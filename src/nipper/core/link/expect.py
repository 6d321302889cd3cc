"""What both displays must show when battery and inverter agree, and what a value that does not
fit says about its cause.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from nipper.core.chemistry import chemistry
from nipper.core.link.quantities import BY_NAME
from nipper.core.setup import Setup
from nipper.core.sources.openloop import low_cut_v
from nipper.core.wiring.chain import Chain, chain, title

VOLTS_SHARE, PERCENT = 0.005, 2.0  # display against display: common practice
AMPS_SHARE, AMPS = 0.02, 1.0
ALIKE = 0.03  # of a factor, to be recognised


@dataclass(frozen=True, slots=True)
class Expected:
    """One line of the verification: a quantity, what it must be, and how near. ``value`` is None
    where it must only be the same at both ends.
    """

    quantity: str
    value: float | None
    within: float
    why: str

    @property
    def title(self) -> str:
        """In words."""
        return BY_NAME[self.quantity].title

    @property
    def unit(self) -> str:
        """Its unit."""
        return BY_NAME[self.quantity].unit


def absorption_v(setup: Setup) -> float:
    """What a battery of these settings asks to be charged to, V of the bank."""
    if setup.charging:
        return setup.charging.absorption_v
    return setup.cells * chemistry(setup.chemistry).usual["absorption_v"].value


def expected(setup: Setup) -> list[Expected]:
    """All lines, in the order in which one reads a display."""
    charge, discharge = chain(setup, "charge"), chain(setup, "discharge")
    packs = setup.packs_in_parallel
    each = f"{packs} × {setup.capacity_ah:g} Ah" if packs > 1 and not setup.packs else "the bank's"
    volts = absorption_v(setup)
    return [
        Expected("packs_online", float(packs), 0.0, "every pack that is switched on"),
        Expected("cells_in_series", float(setup.cells), 0.0, "another count is another voltage"),
        Expected("capacity_ah", setup.bank_ah, 0.02 * setup.bank_ah, each),
        Expected("charge_voltage_limit_v", volts, VOLTS_SHARE * volts, "the charger's target"),
        *_limit("charge_current_limit_a", charge),
        *_limit("discharge_current_limit_a", discharge),
        Expected("pack_v", None, VOLTS_SHARE * volts, "the same at both ends, within 0.5 %"),
        Expected("soc_pct", None, PERCENT, "the same at both ends, within 2 %"),
        Expected("current_a", None, AMPS, "charging is positive: watch the sign"),
        Expected("temperature_c", None, 2.0, "the same at both ends"),
        Expected("alarms", 0.0, 0.0, "none; in the first cycles some are usual"),
    ]


def _limit(quantity: str, side: Chain) -> list[Expected]:
    if side.limit_a is None:
        return []
    near = max(AMPS, AMPS_SHARE * side.limit_a)
    return [Expected(quantity, side.limit_a, near, f"the least of the way: {title(side.weakest)}")]


@dataclass(frozen=True, slots=True)
class Judged:
    """A value that was read against what it must be."""

    expected: Expected
    battery: float | None
    inverter: float | None
    fits: bool | None  # None: nothing was read
    cause: str


def judge(
    setup: Setup, battery: Mapping[str, float], inverter: Mapping[str, float]
) -> list[Judged]:
    """Hold readings of both displays against what they must show, line by line."""
    return [
        _judged(setup, line, battery.get(line.quantity), inverter.get(line.quantity))
        for line in expected(setup)
    ]


def _judged(setup: Setup, line: Expected, battery: float | None, inverter: float | None) -> Judged:
    if battery is None and inverter is None:
        return Judged(line, battery, inverter, None, "")
    if line.value is None:
        if battery is None or inverter is None:
            return Judged(line, battery, inverter, None, "read it at the other end too")
        pairs = [(inverter, battery)]
    else:
        pairs = [(inverter, line.value), (battery, _of_battery(setup, line))]
    for shown, wanted in pairs:
        if shown is not None and wanted is not None and abs(shown - wanted) > _within(line, wanted):
            cause = likeliest(setup, line.quantity, shown, wanted)
            return Judged(line, battery, inverter, False, cause)
    return Judged(line, battery, inverter, True, "")


def _of_battery(setup: Setup, line: Expected) -> float | None:
    """What the battery's own display must show: it knows nothing of the inverter's limits."""
    for side in ("charge", "discharge"):
        if line.quantity == f"{side}_current_limit_a":
            return battery_limit_a(setup, side)
    return line.value


def _within(line: Expected, wanted: float) -> float:
    limit = line.quantity.endswith("_current_limit_a")
    return max(line.within, AMPS_SHARE * wanted if limit else 0.0) + 1e-9


def likeliest(setup: Setup, quantity: str, shown: float, wanted: float) -> str:
    """The likeliest cause of a value that is not the expected one."""
    for cause in CAUSES.get(quantity, ()):
        found = cause(setup, shown, wanted)
        if found:
            return found
    return _of_scale(shown, wanted) or "read both ends again at the same moment"


Cause = Callable[[Setup, float, float], str]


def _near(value: float, wanted: float) -> bool:
    return abs(value - wanted) <= ALIKE * abs(wanted) + 1e-9


def _of_scale(shown: float, wanted: float) -> str:
    """A factor of ten is a wrong scale: another version of the protocol."""
    for factor in (10.0, 100.0, 1000.0, 0.1, 0.01, 0.001):
        if wanted and _near(shown, factor * wanted):
            return f"{factor:g} times too much: another protocol or version at one end"
    return ""


def _packs(setup: Setup, shown: float, _: float) -> str:
    gone = round(setup.packs_in_parallel - shown)
    if gone <= 0:
        return "two packs share an address, or one is counted twice"
    which = "one is" if gone == 1 else f"{gone} are"
    return f"{which} not heard: switched off, tripped, a doubled address, or its cable"


def _of_one(setup: Setup, shown: float, wanted: float) -> str:
    """A whole bank's value of which only some packs are counted, or which is counted twice."""
    packs = setup.packs_in_parallel
    for online in range(1, packs):
        if _near(shown, wanted * online / packs):
            only = "one pack's" if online == 1 else f"that of {online} packs"
            return (
                f"this is {only}: the others are not heard, or this end shows one and adds by "
                "itself"
            )
    if packs > 1 and _near(shown, wanted * packs):
        return "both ends multiply by the packs: tell one of them that it gets the sum"
    return ""


def _own_limit(side: str) -> Cause:
    def cause(setup: Setup, shown: float, _: float) -> str:
        link = setup.link
        own = getattr(link, f"inverter_max_{side}_a") if link else None
        if own is not None and _near(shown, own):
            return "this is the inverter's own limit: the battery's is not taken over"
        return "cold, heat or a full battery lowers it: look at the battery's alarms"

    return cause


def _series(setup: Setup, shown: float, _: float) -> str:
    return f"the inverter counts {shown:g} cells, the battery has {setup.cells}: choose its type"


def _target(setup: Setup, shown: float, _: float) -> str:
    n, trip = setup.cells, setup.protection.cell_over_voltage.trip_v
    if abs(shown / n - trip) <= 0.01:
        return "the battery's trip, not its target: with this every charge ends in a trip"
    for other in (n - 1, n + 1):
        if abs(shown / other - absorption_v(setup) / n) <= 0.01:
            return f"a target for {other} cells, the battery has {n}"
    if _of_scale(shown, absorption_v(setup)):
        return ""
    if shown / n > trip:
        return "above the battery's trip: with this every charge ends in one; do not charge"
    return "the inverter's own voltage is in force: user-defined, or the battery's is not taken"


def _sign(_: Setup, shown: float, wanted: float) -> str:
    return "the sign is the other way round at one end" if _near(shown, -wanted) else ""


def _percent(_: Setup, shown: float, __: float) -> str:
    if shown > 100.0 or 10.0 <= shown <= 60.0:
        return (
            "near a voltage it is one: the inverter hears nothing and shows volts. Else the "
            "inverter counts by itself: tell it to take the battery's"
        )
    return "the inverter counts by itself: tell it to take the battery's"


CAUSES: dict[str, Sequence[Cause]] = {
    "packs_online": (_packs,),
    "cells_in_series": (_series,),
    "capacity_ah": (_of_one,),
    "charge_voltage_limit_v": (_target,),
    "charge_current_limit_a": (_of_one, _own_limit("charge")),
    "discharge_current_limit_a": (_of_one, _own_limit("discharge")),
    "current_a": (_sign, _of_one),
    "soc_pct": (_percent,),
}


def told_values(setup: Setup) -> dict[str, float]:
    """What the battery tells at rest, half full: the first frames of a bus."""
    curve = chemistry(setup.chemistry).curve
    cell_v = float(curve.ocv(50.0))
    p = setup.protection
    values = {
        "charge_voltage_limit_v": absorption_v(setup),
        "discharge_voltage_limit_v": low_cut_v(setup),
        "soc_pct": 50.0,
        "soh_pct": 100.0,
        "pack_v": round(cell_v * setup.cells, 2),
        "current_a": 0.0,
        "temperature_c": 20.0,
        "capacity_ah": setup.bank_ah,
        "packs_online": float(setup.packs_in_parallel),
        "cells_in_series": float(setup.cells),
        "highest_cell_v": round(cell_v, 3),
        "lowest_cell_v": round(cell_v, 3),
        "alarms": 0.0,
        "charge_allowed": float(cell_v < p.cell_over_voltage.trip_v),
        "discharge_allowed": float(cell_v > p.cell_under_voltage.trip_v),
    }
    for side in ("charge", "discharge"):
        limit_a = battery_limit_a(setup, side)
        if limit_a is not None:
            values[f"{side}_current_limit_a"] = limit_a
    return values


def battery_limit_a(setup: Setup, side: str) -> float | None:
    """What the battery itself allows, A of the bank: its way without the inverter."""
    link = setup.link
    bare = setup.model_copy(
        update={"link": link.model_copy(update={f"inverter_max_{side}_a": None}) if link else None}
    )
    return chain(bare, "charge" if side == "charge" else "discharge").limit_a
