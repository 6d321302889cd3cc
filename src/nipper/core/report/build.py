"""The bank as built, in words: the sentence on the rail, and what follows."""

from collections.abc import Sequence

from nipper.core.chemistry import chemistry
from nipper.core.report.consequence import Consequence, Status
from nipper.core.setup import Setup, pack_names, pack_setups
from nipper.core.wiring.chain import Chain, chain, title
from nipper.core.wiring.currents import DISCHARGE, long_a
from nipper.core.wiring.drops import drops, sag_v
from nipper.core.wiring.sharing import shares
from nipper.core.wiring.short import short_circuit_a

TITLES = {"lfp": "LFP", "nmc": "4.2 V lithium-ion", "lto": "LTO"}
STRONG_SAG = 0.03  # of the bank's voltage, at what flows for long: common practice
SHORT_CAUTION = (
    "A short at these terminals is kiloamperes: fuse first, insulated tools, no rings, eyes "
    "protected. The cell's and the BMS's sheets, and local code, decide over all that stands here."
)


def bank_kwh(setup: Setup) -> float:
    """Energy of the whole bank at its nominal voltage, kWh."""
    return 1e-3 * setup.bank_ah * setup.cells * chemistry(setup.chemistry).nominal_v


def window_v(setup: Setup) -> tuple[float, float]:
    """Between which voltages the bank works: by its pack limits, else by cells' trips, V."""
    p = setup.protection
    low = p.pack_under_voltage.trip_v if p.pack_under_voltage else None
    high = p.pack_over_voltage.trip_v if p.pack_over_voltage else None
    cells = setup.cells
    return (
        low or cells * p.cell_under_voltage.trip_v,
        high or cells * p.cell_over_voltage.trip_v,
    )


def shelf_days(setup: Setup) -> float | None:
    """Days until the standby draw alone empties a full pack; None where it is not known."""
    watts = setup.wiring.standby_w if setup.wiring else None
    if not watts:
        return None
    kwh = bank_kwh(setup) / setup.packs_in_parallel
    return 1e3 * kwh / (24.0 * watts)


def heading(setup: Setup) -> str:
    """What the stage is headed with."""
    kind = TITLES[setup.chemistry]
    packs = setup.packs_in_parallel
    each = f"{setup.cells} × {setup.capacity_ah:g} Ah {kind}"
    ah = [p.capacity_ah for p in pack_setups(setup)]
    if len(set(ah)) > 1:
        each = f"{setup.cells} {kind} cells, {' + '.join(f'{a:g}' for a in ah)} Ah"
    count = f", {packs} packs" if packs > 1 else ""
    return f"{each}{count} · {bank_kwh(setup):.1f} kWh"


def build_sentence(setup: Setup) -> tuple[Status, str]:
    """How the bank is built, for the rail."""
    found = chain(setup, "discharge")
    weak = ""
    if found.limit_a is not None:
        weak = f" · {title(found.weakest)} is the weak link at {found.limit_a:.0f} A"
    wiring = setup.wiring
    known = wiring is not None and bool(wiring.fuse_a) and bool(wiring.cable_mm2)
    return (Status.NONE if known else Status.WATCH), heading(setup) + weak


def of_build(setup: Setup, amps: float, measured: Sequence[float] | None) -> list[Consequence]:
    """What follows of how the bank is built, at a current of all packs together."""
    low, high = window_v(setup)
    out = [
        Consequence(
            Status.NONE,
            f"{bank_kwh(setup):.1f} kWh, {low:.1f} to {high:.1f} V:",
            f"a short where the leads meet is about {short_circuit_a(setup) / 1e3:.1f} kA.",
            place="nominal voltage; ohmic resistance of cells and leads",
            why=SHORT_CAUTION,
        )
    ]
    if amps:
        out.append(_of_sag(setup, amps, chain(setup, "discharge")))
    out += _of_shares(setup, measured)
    days = shelf_days(setup)
    if days is not None:
        out.append(
            Consequence(
                Status.NONE,
                f"Left alone, a full pack lasts {days:.0f} days",
                "on its BMS's standby draw. Charge at least monthly in storage.",
                place="standby draw as entered",
            )
        )
    return out


def _of_sag(setup: Setup, amps: float, found: Chain) -> Consequence:
    sag, parts = sag_v(setup, amps), drops(setup, amps, found)
    share = sag / (setup.cells * chemistry(setup.chemistry).nominal_v)
    hottest = max((d for d in parts if d.part != "cells"), key=lambda d: d.heat_w, default=None)
    heat = f" {title(hottest.part)} takes {hottest.heat_w:.0f} W." if hottest else ""
    return Consequence(
        Status.WATCH if share > STRONG_SAG and long_a(setup)[1] != DISCHARGE else Status.NONE,
        f"At {amps:.0f} A the voltage falls by {sag:.2f} V ({100 * share:.1f} %).",
        heat.strip(),
        place="cells, joints, leads and fuses as entered, copper at 20 °C",
    )


def _of_shares(setup: Setup, measured: Sequence[float] | None) -> list[Consequence]:
    names = pack_names(setup)
    if len(names) < 2:
        return []
    expected = [ohm for ohm, _ in shares(pack_setups(setup))]
    text = ", ".join(f"{n} {100 * s:.0f} %" for n, s in zip(names, expected, strict=True))
    if measured is None:
        return [Consequence(Status.NONE, "Shares of the current:", f"{text}.",
                            place="resistor network of packs and leads")]  # fmt: skip
    really = ", ".join(f"{100 * s:.0f} %" for s in measured)
    apart = max(abs(a - b) for a, b in zip(expected, measured, strict=True))
    status = Status.WATCH if apart > 0.1 else Status.OK
    more = ""
    if status is Status.WATCH:
        lazy = min(range(len(names)), key=lambda i: measured[i] - expected[i])
        more = f" {names[lazy]} carries less than it should: measure the drops over its leads."
    return [
        Consequence(status, "Shares of the current:",
                    f"expected {text}; by the logs {really}.{more}",
                    place="resistor network; currents of all logs together")
    ]  # fmt: skip
