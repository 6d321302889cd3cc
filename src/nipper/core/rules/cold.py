"""Temperatures: nothing charges below freezing, every limit has its gap, and factory defaults are
looked at.
"""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_COLD,
    MEMORY,
    Evidence,
    Rule,
    error,
    note,
    usual,
    warning,
)
from nipper.core.setup import Setup, TemperatureLimit

FREEZING_C = 0.0
CHARGER_STOP_C = 5.0  # of an external sensor, with 1 K of hysteresis: common practice
MARGIN_C = 2.0  # sensor error and the distance between sensor and coldest cell: common practice
LOWEST_DISCHARGE_C = {"lfp": -20.0, "nmc": -20.0, "lto": -30.0}  # data sheets, from memory
LOWEST_CHARGE_C = -30.0  # of LTO: data sheets, from memory
# sheets end at 45 to 60 degC; those of 4.2 V cells at 45, from memory
HIGHEST_CHARGE_C = {"lfp": 60.0, "nmc": 50.0, "lto": 60.0}
HIGHEST_DISCHARGE_C, HIGHEST_MOSFET_C = 65.0, 100.0
FAR_K = 25.0  # between trip and release: common practice is 3 to 15
WARM_C = 20.0  # a cold cutoff above it stops most charges


def charge_cold(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Charging a graphite cell below 0 degC plates lithium."""
    limit = setup.protection.charge_under_temperature
    path = "protection.charge_under_temperature"
    to, back = usual(setup, "charge_cold_trip_c"), usual(setup, "charge_cold_release_c")
    if not setup.plates:
        yield from _titanate(setup, limit)
        return
    if limit is None and setup.charge_cutoff is not None:
        yield from _by_charger(setup, setup.charge_cutoff)
    elif limit is None:
        yield error(
            path,
            "Nothing stops the charge in the cold.",
            "Below 0 °C lithium plates on the anode: capacity is lost for good, and the "
            "plating can pierce the separator. If neither BMS nor "
            "charger can do it, an external sensor on the coldest cell must.",
            {path: {"trip_c": to, "release_c": back}},
        )
    elif limit.trip_c < FREEZING_C:
        yield error(
            f"{path}.trip_c",
            f"Charging stops only at {limit.trip_c:g} °C, below freezing.",
            "Below 0 °C lithium plates on the anode: capacity is lost for good, and the "
            "plating can pierce the separator. Factory defaults of −20 or −40 °C exist.",
            {f"{path}.trip_c": to, f"{path}.release_c": max(limit.release_c, back)},
        )
    elif limit.trip_c > WARM_C:
        yield warning(
            f"{path}.trip_c",
            f"Charging stops below {limit.trip_c:g} °C: a pack at room temperature is not charged.",
            "The cold cutoff and the hot one may have been exchanged.",
            {f"{path}.trip_c": to, f"{path}.release_c": back},
        )
    elif limit.trip_c < MARGIN_C:
        yield note(
            f"{path}.trip_c",
            f"Charging stops at {limit.trip_c:g} °C, {limit.trip_c:g} K above freezing.",
            "0 °C is the floor where the coldest cell is, not where the sensor is. Many "
            "stop at 2 to 5 °C.",
            {f"{path}.trip_c": to, f"{path}.release_c": max(limit.release_c, back)},
        )


def _titanate(setup: Setup, limit: TemperatureLimit | None) -> Iterator[Finding]:
    """A titanate anode does not plate, and still its sheet ends somewhere."""
    path = "protection.charge_under_temperature"
    to, back = usual(setup, "charge_cold_trip_c"), usual(setup, "charge_cold_release_c")
    if limit is not None and limit.trip_c >= LOWEST_CHARGE_C:
        return
    said = (
        f"Charging stops only at {limit.trip_c:g} °C"
        if limit
        else "Nothing stops the charge in the cold"
    )
    yield warning(
        f"{path}.trip_c" if limit else path,
        f"{said}; sheets of such cells usually end at {LOWEST_CHARGE_C:g} °C.",
        "Such a cell does not plate, but below its sheet the electrolyte hardly conducts and "
        "the voltage runs into its limit. Factory defaults of −40 °C mean: never looked at.",
        {path: {"trip_c": to, "release_c": back}},
    )


def _by_charger(setup: Setup, cutoff: TemperatureLimit) -> Iterator[Finding]:
    """The charger, or a relay, stands in for the BMS."""
    path = "charging.cold_stop_c"
    lowest = FREEZING_C if setup.plates else LOWEST_CHARGE_C
    warm = [c.cold_stop_c is not None and c.cold_stop_c >= lowest for c in setup.other_chargers]
    if not all(warm):
        names = " and ".join(
            c.name for c, w in zip(setup.other_chargers, warm, strict=True) if not w
        )
        limit = {
            "trip_c": usual(setup, "charge_cold_trip_c"),
            "release_c": usual(setup, "charge_cold_release_c"),
        }
        yield error(
            (path, "other_chargers"),
            f"In the cold only the main charger stops; the {names} charges on.",
            "Nothing charges below freezing, whatever it comes from. A cutoff of the BMS, or a "
            "relay that parts the pack from every source, covers all of them.",
            {"protection.charge_under_temperature": limit},
            f"BMS: stop at {limit['trip_c']:g} °C",
        )
    if cutoff.trip_c < MARGIN_C:
        yield error(
            path,
            f"The charger's own sensor stops the charge at {cutoff.trip_c:g} °C; the BMS "
            "has no cutoff.",
            "A sensor outside the cells lags behind them and sits where it was put: 5 °C "
            "is the common safe choice, 0 °C the floor.",
            {path: CHARGER_STOP_C, "charging.cold_resume_c": CHARGER_STOP_C + 1.0},
        )
    elif cutoff.release_c < cutoff.trip_c:  # one number for both is how simple relays are set
        yield error(
            "charging.cold_resume_c",
            f"The charger stops at {cutoff.trip_c:g} °C and resumes at "
            f"{cutoff.release_c:g} °C: it must resume above.",
            "Without a gap a relay chatters around the limit.",
            {"charging.cold_resume_c": cutoff.trip_c + 1.0},
            f"Resume at {cutoff.trip_c + 1.0:g} °C",
        )
    else:
        yield note(
            path,
            f"Only the charger's own sensor stops the charge in the cold, at {cutoff.trip_c:g} °C.",
            "Every source of charge needs it: the sun's charger, shore power, the "
            "alternator. The sensor goes on the coldest cell.",
        )


def _order(path: str, name: str, limit: TemperatureLimit | None, hot: bool) -> Iterator[Finding]:
    if limit is None:
        return
    apart = limit.trip_c - limit.release_c if hot else limit.release_c - limit.trip_c
    if 0.0 < apart <= FAR_K:
        return
    if apart > FAR_K:
        back = limit.trip_c + (-5.0 if hot else 3.0)
        yield warning(
            f"{path}.release_c",
            f"{name} trips at {limit.trip_c:g} °C and releases only at {limit.release_c:g} °C.",
            "After one trip the pack stays off for a season, and somebody will bridge it. Some "
            "kelvin are enough against chatter.",
            {f"{path}.release_c": back},
        )
        return
    to = limit.trip_c + (-5.0 if hot else 3.0)
    yield error(
        f"{path}.release_c",
        f"{name} trips at {limit.trip_c:g} °C and releases at {limit.release_c:g} °C: the "
        f"release must be {'below' if hot else 'above'} it.",
        "Without a gap the switch chatters around the limit.",
        {f"{path}.release_c": to},
    )


def releases(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Each temperature limit releases on the safe side of its trip."""
    p = setup.protection
    for key, name, limit, hot in (
        ("charge_over_temperature", "Charge over-temperature", p.charge_over_temperature, True),
        ("charge_under_temperature", "Charge under-temperature", p.charge_under_temperature, False),
        (
            "discharge_over_temperature",
            "Discharge over-temperature",
            p.discharge_over_temperature,
            True,
        ),
        (
            "discharge_under_temperature",
            "Discharge under-temperature",
            p.discharge_under_temperature,
            False,
        ),
        ("mosfet_over_temperature", "MOSFET over-temperature", p.mosfet_over_temperature, True),
    ):
        yield from _order(f"protection.{key}", name, limit, hot)


def discharge_cold(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A discharge cutoff far below the sheet is a factory default nobody looked at."""
    limit = setup.protection.discharge_under_temperature
    lowest = LOWEST_DISCHARGE_C[setup.chemistry]
    if limit is None or limit.trip_c >= lowest:
        return
    path = "protection.discharge_under_temperature"
    yield warning(
        f"{path}.trip_c",
        f"Discharging stops only at {limit.trip_c:g} °C; cell sheets usually end at {lowest:g} °C.",
        "Factory defaults such as −40 °C mean: never. Below the sheet's end the voltage "
        "collapses under load.",
        {f"{path}.trip_c": lowest, f"{path}.release_c": max(limit.release_c, lowest + 5.0)},
    )


def hot(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Cutoffs above what cells and switches stand."""
    p = setup.protection
    for key, name, limit, most, to in (
        (
            "charge_over_temperature",
            "Charging",
            p.charge_over_temperature,
            HIGHEST_CHARGE_C[setup.chemistry],
            usual(setup, "charge_hot_trip_c"),
        ),
        (
            "discharge_over_temperature",
            "Discharging",
            p.discharge_over_temperature,
            HIGHEST_DISCHARGE_C,
            usual(setup, "discharge_hot_trip_c"),
        ),
        (
            "mosfet_over_temperature",
            "The BMS's switches",
            p.mosfet_over_temperature,
            HIGHEST_MOSFET_C,
            90.0,
        ),
    ):
        if limit and limit.trip_c > most:
            yield error(
                f"protection.{key}.trip_c",
                f"{name} may go on up to {limit.trip_c:g} °C.",
                "Cells age fast above 45 °C and their sheets end at 55 to 60 °C; "
                "switches fail above some 100 °C.",
                {
                    f"protection.{key}.trip_c": to,
                    f"protection.{key}.release_c": min(limit.release_c, to - 5.0),
                },
            )


RULES = (
    Rule(
        "charging-below-freezing",
        charge_cold,
        "cell data sheets (0 °C), from memory; margin: common practice",
        stages=AT_COLD,
    ),
    Rule("temperature-release-order", releases, stages=AT_COLD),
    Rule("discharge-cutoff-too-cold", discharge_cold, MEMORY, stages=AT_COLD),
    Rule("temperature-cutoff-too-hot", hot, MEMORY, stages=AT_COLD),
)
