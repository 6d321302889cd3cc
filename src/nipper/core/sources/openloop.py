"""The values for an inverter or charger that nobody talks to: its "user-defined" page, from the
setup. Its own manual decides what each is called.
"""

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup
from nipper.core.sources.rates import most_a
from nipper.core.wiring.lead import main_lead, pack_lead

CLOSE_TO_TRIP = 0.9  # currents stay this far under the BMS's trips: common practice
UNDER_FUSE = 0.8  # for long, of the fuse's rating: common practice, 1 / 1.25
USUAL_C = 20.0


@dataclass(frozen=True, slots=True)
class Value:
    """One line of the sheet."""

    name: str
    text: str
    why: str


def charge_a(setup: Setup) -> float:
    """The most the whole bank should be charged with, A: the least of charger, trips, fuses, leads,
    cells, rates.
    """
    charging, limit = setup.charging, setup.protection.charge_over_current
    own = charging.max_charge_a if charging else None
    trip = CLOSE_TO_TRIP * limit.trip_a * setup.packs_in_parallel if limit else None
    most = (most_a(setup, USUAL_C), own, trip, *_wires_a(setup))
    return min(v for v in most if v)


def discharge_a(setup: Setup) -> float | None:
    """The most that should be drawn from the whole bank, A; None where nothing limits it."""
    packs, limit = setup.packs_in_parallel, setup.protection.discharge_over_current
    trip = CLOSE_TO_TRIP * limit.trip_a * packs if limit else None
    cells = setup.sheet_discharge_a * packs if setup.sheet_discharge_a else None
    return min((v for v in (trip, cells, *_wires_a(setup)) if v), default=None)


def _wires_a(setup: Setup) -> tuple[float | None, ...]:
    """What fuses and leads carry for long, A for the whole bank: each pack's times the packs, and
    the main ones.
    """
    wiring, packs = setup.wiring, setup.packs_in_parallel
    if wiring is None:
        return ()
    own, main = pack_lead(wiring), main_lead(wiring)
    return (
        UNDER_FUSE * wiring.fuse_a * packs if wiring.fuse_a else None,
        own.carries_a * packs if own else None,
        UNDER_FUSE * wiring.main_fuse_a if wiring.main_fuse_a else None,
        main.carries_a if main else None,
    )


def low_cut_v(setup: Setup) -> float:
    """Where the inverter should stop, V of the pack: above every trip of the BMS, so that the load
    is shed
    before a pack leaves."""
    low, pack = setup.protection.cell_under_voltage, setup.protection.pack_under_voltage
    own = setup.link.low_cut_v if setup.link else None
    if own:
        return own
    wanted = setup.cells * max(low.alarm_v or 0.0, low.trip_v + 0.1)
    above_pack = pack.trip_v + 0.05 * setup.cells if pack else 0.0
    return round(max(wanted, above_pack), 1)


def low_restart_v(setup: Setup) -> float:
    """Where it may start again: at the BMS's releases, and well above its own cut."""
    low, pack = setup.protection.cell_under_voltage, setup.protection.pack_under_voltage
    own = setup.link.low_restart_v if setup.link else None
    released = max(setup.cells * low.release_v, pack.release_v if pack else 0.0)
    return own or round(max(released, low_cut_v(setup) + 0.1 * setup.cells), 1)


def _float(float_v: float | None, cells: int) -> Value:
    return (
        Value("float", f"{float_v:.2f} V", f"{float_v / cells:.3f} V a cell")
        if float_v
        else Value("float", "off", "the charger stops")
    )


def sheet(setup: Setup) -> list[Value]:
    """All lines, in the order in which such pages ask for them."""
    chem, charging, packs = chemistry(setup.chemistry), setup.charging, setup.packs_in_parallel
    n = setup.cells
    out = [
        Value(
            "battery type", "user-defined", "a type called lithium often waits for a BMS that talks"
        ),
        Value(
            "capacity",
            f"{setup.capacity_ah * packs:g} Ah",
            f"{packs} × {setup.capacity_ah:g} Ah; read it back: entry that accelerates overshoots",
        ),
        Value(
            "nominal voltage", f"{n * chem.nominal_v:.1f} V", f"{n} cells of {chem.nominal_v:g} V"
        ),
    ]
    if charging:
        out += [
            Value(
                "absorption",
                f"{charging.absorption_v:.2f} V",
                f"{charging.absorption_v / n:.3f} V a cell",
            ),
            Value("absorption time", f"{charging.absorption_min:g} min", "fixed, not adaptive"),
            _float(charging.float_v, n),
        ]
        if charging.tail_a is not None:
            out.append(
                Value("tail current", f"{charging.tail_a:g} A", "absorption ends early at this")
            )
        again = (
            f"{charging.equalise_v:.2f} V every {charging.equalise_every_days:g} days"
            if charging.equalise_v and charging.equalise_every_days
            else "off"
        )
        out.append(
            Value(
                "equalise",
                again,
                "a levelling charge, not the lead-acid one"
                if again != "off"
                else "a lead-acid feature",
            )
        )
    out += [
        Value("temperature compensation", "0 mV/K", "a lead-acid feature"),
        Value(
            "charge current",
            f"{charge_a(setup):.0f} A",
            "of the whole bank: least of charger, trips, fuses, leads, cells and rate table",
        ),
    ]
    if (most := discharge_a(setup)) is not None:
        out.append(
            Value(
                "discharge current",
                f"{most:.0f} A",
                "of the whole bank: least of trips, fuses, leads and cells",
            )
        )
    cut = low_cut_v(setup)
    out += [
        Value("low-voltage alarm", f"{cut + 0.05 * n:.1f} V", f"{cut / n + 0.05:.2f} V a cell"),
        Value(
            "low-voltage cut",
            f"{cut:.1f} V",
            f"{cut / n:.2f} V a cell, before the BMS trips",
        ),
        Value(
            "starts again at",
            f"{low_restart_v(setup):.1f} V",
            f"{low_restart_v(setup) / n:.2f} V a cell",
        ),
    ]
    if packs > 1:
        out.append(
            Value(
                "with one pack gone",
                f"{charge_a(setup) * (packs - 1) / packs:.0f} A",
                "lower the charge current to this by hand until it is back",
            )
        )
    return out


def to_csv(lines: Sequence[Value]) -> str:
    """The sheet as CSV (UTF-8, comma, header)."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["setting", "value", "note"])
    writer.writerows([line.name, line.text, line.why] for line in lines)
    return out.getvalue()


def to_html(lines: Sequence[Value], title: str) -> str:
    """The sheet as a page for printing."""
    rows = "".join(
        f"<tr><td>{escape(v.name)}</td><td "
        f"align='right'><b>{escape(v.text)}</b></td><td>{escape(v.why)}</td></tr>"
        for v in lines
    )
    return (
        f"<h2>{escape(title)}</h2><table cellpadding='5' width='100%'>{rows}</table><p>The "
        "inverter's own manual decides. Everything off before wiring.</p>"
    )
