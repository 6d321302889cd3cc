"""A separate balancer: its own settings and protections, held against the BMS's."""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_COLD,
    AT_LEVEL,
    COMMON,
    Evidence,
    Rule,
    down,
    error,
    note,
    sheet_max_v,
    sheet_min_v,
    up,
    usual,
    warning,
)
from nipper.core.setup import Setup

PATH = "separate_balancer"


def window(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Its own high and low protection must agree with the BMS's."""
    separate, p = setup.separate_balancer, setup.protection
    if separate is None:
        return
    low, over = separate.low_v, p.cell_over_voltage
    if separate.kind == "active":
        yield from _without_stops(setup)
    bottom = max(sheet_min_v(setup), p.cell_under_voltage.trip_v)
    if low is not None and low < bottom - 1e-9:
        judge = error if low < sheet_min_v(setup) - 1e-9 else warning
        to = up(bottom)
        yield judge(
            (f"{PATH}.low_v", "protection.cell_under_voltage.trip_v"),
            f"The separate balancer works down to {low:.2f} V; the BMS cuts the load at "
            f"{p.cell_under_voltage.trip_v:.2f} V.",
            "It has wires of its own, so it goes on drawing on cells the BMS has already "
            "disconnected. Factory defaults of 2.2 V exist.",
            {f"{PATH}.low_v": to},
            f"Stop below {to:.2f} V",
        )
    top = (
        setup.charging.absorption_v / setup.cells
        if setup.charging
        else usual(setup, "absorption_v")
    )
    high, most = separate.high_v, min(over.trip_v, sheet_max_v(setup))
    if high is None:
        return
    if high > sheet_max_v(setup) + 1e-9:
        to = down(most)
        yield error(
            f"{PATH}.high_v",
            f"The separate balancer's high limit of {high:.2f} V lies above the "
            f"{sheet_max_v(setup):.2f} V of the cell's sheet.",
            "It must agree with the BMS: the two look at the same cells.",
            {f"{PATH}.high_v": to},
            f"{to:.2f} V",
        )
    elif high < top + 0.02:
        to = down(most)
        yield warning(
            (f"{PATH}.high_v", "charging.absorption_v"),
            f"The separate balancer stops above {high:.2f} V; the charger holds {top:.3f} "
            "V a cell.",
            "It switches itself off where it is needed, at the top.",
            {f"{PATH}.high_v": to},
            f"Stop above {to:.2f} V",
        )


def _without_stops(setup: Setup) -> Iterator[Finding]:
    """An active balancer without a low or a high stop of its own goes on when the BMS has
    opened.
    """
    separate = setup.separate_balancer
    if separate is None:
        return
    least = max(sheet_min_v(setup), setup.protection.cell_under_voltage.trip_v)
    most = min(sheet_max_v(setup), setup.protection.cell_over_voltage.trip_v)
    for name, value, word, to in (
        ("low_v", separate.low_v, "low", up(least)),
        ("high_v", separate.high_v, "high", down(most)),
    ):
        if value is None:
            yield warning(
                f"{PATH}.{name}",
                f"The separate balancer has no {word} limit that is known.",
                "It hangs on the cells by wires of its own: what the BMS disconnects it goes on "
                "emptying or filling. If it has no such limit, it must be switched off with the "
                "pack.",
                {f"{PATH}.{name}": to},
                f"{word.capitalize()} limit {to:.2f} V",
            )


def cold(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An active balancer charges the low cells, also in the cold."""
    separate, cutoff = setup.separate_balancer, setup.charge_cutoff
    if separate is None or separate.kind != "active" or not setup.plates:
        return
    least = max(0.0, cutoff.trip_c if cutoff else usual(setup, "charge_cold_trip_c"))
    if separate.low_c is not None and separate.low_c >= least - 1e-9:
        return
    judge, told = (
        (error, f"only below {separate.low_c:g} °C")
        if separate.low_c is not None and separate.low_c < 0.0
        else (warning, "at no temperature")
    )
    if separate.low_c is not None and separate.low_c >= 0.0:
        told = f"below {separate.low_c:g} °C, the BMS's charge below {least:g} °C"
    yield judge(
        (f"{PATH}.low_c", "protection.charge_under_temperature.trip_c"),
        f"The separate balancer stops {told}.",
        "What it moves into a low cell is a charge like any other: none below freezing. "
        "Factory defaults of −40 °C exist.",
        {f"{PATH}.low_c": least},
        f"Stop below {least:g} °C",
    )


def two(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Two balancers on one pack."""
    separate, own = setup.separate_balancer, setup.balancer
    if separate is None or own is None or not (separate.is_on and own.is_on):
        return
    share = min(separate.current_a, own.current_a) / max(separate.current_a, own.current_a)
    yield note(
        (f"{PATH}.current_a", "balancer.current_a"),
        f"Two balancers: {separate.current_a:g} A of its own, {own.current_a:g} A in the "
        f"BMS. The smaller adds {100 * share:.0f} %.",
        "They look at the same voltages while each disturbs them. Most builders switch "
        "the BMS's own off, or start it higher. Forecasts here run the stronger one.",
        {"balancer.switched": "off"},
        "BMS's own off",
    )


RULES = (
    Rule("separate-balancer-window", window, COMMON, stages=AT_LEVEL),
    Rule("separate-balancer-cold", cold, COMMON, stages=(*AT_LEVEL, *AT_COLD)),
    Rule("two-balancers", two, COMMON, stages=AT_LEVEL),
)
