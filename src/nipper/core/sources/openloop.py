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
from nipper.core.sources.loads import INVERTER
from nipper.core.sources.rates import most_a
from nipper.core.wiring.lead import main_lead, pack_lead

CLOSE_TO_TRIP = 0.9  # currents stay this far under the BMS's trips: common practice
UNDER_FUSE = 0.8  # for long, of the fuse's rating: common practice, 1 / 1.25
USUAL_C = 20.0
MAINS_V = 230.0  # where nothing is said: IEC 60038's most usual one


@dataclass(frozen=True, slots=True)
class Value:
    """One line of the sheet: a number with its unit, or a word. ``of`` bank is what all packs
    carry together; ``each`` is then one battery's, where there are several: devices ask either.
    """

    name: str
    why: str
    number: float | None = None
    unit: str = ""
    of: str = ""
    each: float | None = None
    word: str = ""
    digits: int | None = None  # after the point; None: as many as it has

    @property
    def text(self) -> str:
        """As it is shown."""
        return self.word or self._shown(self.number)

    @property
    def each_text(self) -> str:
        """The same of one battery; "" where it does not differ."""
        return "" if self.each is None else self._shown(self.each)

    def _shown(self, number: float | None) -> str:
        if number is None:
            return ""
        digits = f"{number:g}" if self.digits is None else f"{number:.{self.digits}f}"
        return f"{digits} {self.unit}"

    def to_json(self) -> dict[str, object]:
        """As the headless contract has it."""
        found: dict[str, object] = {
            "name": self.name,
            "value": self.word or (None if self.number is None else round(self.number, 3)),
            "unit": self.unit or None,
            "of": self.of or "bank",
        }
        return found | ({} if self.each is None else {"each": round(self.each, 3)})


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


def sheet(setup: Setup) -> list[Value]:
    """All lines, in the order in which such pages ask for them."""
    return [*_bank(setup), *_charger(setup), *_currents(setup), *_low_end(setup)]


def _shared(setup: Setup, name: str, number: float, unit: str, why: str) -> Value:
    """A line of the whole bank of which each battery, where they are alike, has its part."""
    packs = setup.packs_in_parallel
    alike = abs(setup.bank_ah - packs * setup.capacity_ah) < 1e-6
    each = number / packs if packs > 1 and alike else None
    return Value(name, why, number, unit, "bank", each, digits=0 if unit == "A" else None)


def _volts(name: str, volts: float, cells: int, digits: int = 2, after: str = "") -> Value:
    each = f"{volts / cells:.{digits + 1 if digits > 1 else 2}f} V a cell{after}"
    return Value(name, each, volts, "V", "bank", digits=digits)


def _bank(setup: Setup) -> list[Value]:
    chem, n = chemistry(setup.chemistry), setup.cells
    ah = "read it back: entry that accelerates overshoots"
    return [
        Value(
            "battery type",
            "a type called lithium often waits for a BMS that talks",
            word="user-defined",
        ),
        _shared(setup, "capacity", setup.bank_ah, "Ah", ah),
        Value(
            "nominal voltage",
            f"{n} cells of {chem.nominal_v:g} V",
            n * chem.nominal_v,
            "V",
            "bank",
            digits=1,
        ),
    ]


def _charger(setup: Setup) -> list[Value]:
    charging, n = setup.charging, setup.cells
    if charging is None:
        return []
    out = [
        _volts("absorption", charging.absorption_v, n),
        Value("absorption time", "fixed, not adaptive", charging.absorption_min, "min", "bank"),
        _volts("float", charging.float_v, n)
        if charging.float_v
        else Value("float", "the charger stops", word="off"),
    ]
    if charging.tail_a is not None:
        why = "absorption ends early at this"
        out.append(_shared(setup, "tail current", charging.tail_a, "A", why))
    if charging.equalise_v and charging.equalise_every_days:
        every = f"every {charging.equalise_every_days:g} days; a levelling charge, not the "
        why = f"{every}lead-acid one"
        out.append(Value("equalise", why, charging.equalise_v, "V", "bank", digits=2))
    else:
        out.append(Value("equalise", "a lead-acid feature", word="off"))
    return [*out, Value("temperature compensation", "a lead-acid feature", 0.0, "mV/K", "bank")]


def _currents(setup: Setup) -> list[Value]:
    least = "least of charger, trips, fuses, leads, cells and rate table"
    out = [_shared(setup, "charge current", charge_a(setup), "A", least)]
    if (most := discharge_a(setup)) is not None:
        least = "least of trips, fuses, leads and cells"
        out.append(_shared(setup, "discharge current", most, "A", least))
    return [*out, *_on_the_ac_side(setup)]


def _on_the_ac_side(setup: Setup) -> list[Value]:
    """For devices that limit the current on the AC side: reckoned at the emptiest bank, where the
    same amperes of the mains are the most at the battery.
    """
    mains_v = (setup.link.mains_v if setup.link else None) or MAINS_V
    per_a = low_cut_v(setup) / mains_v
    at = f"of the mains at {mains_v:g} V, if it is set there; the bank nearly empty"
    out = [Value("charge current, AC side", at, charge_a(setup) * per_a, "A", "bank", digits=1)]
    if (most := discharge_a(setup)) is not None:
        given = most * per_a * INVERTER
        out.append(Value("discharge current, AC side", at, given, "A", "bank", digits=1))
    return out


def _low_end(setup: Setup) -> list[Value]:
    n, packs, cut = setup.cells, setup.packs_in_parallel, low_cut_v(setup)
    out = [
        _volts("low-voltage alarm", cut + 0.05 * n, n, 1),
        _volts("low-voltage cut", cut, n, 1, ", before the BMS trips"),
        _volts("starts again at", low_restart_v(setup), n, 1),
    ]
    if packs > 1:
        gone = charge_a(setup) * (packs - 1) / packs
        why = "lower the charge current to this by hand until it is back"
        out.append(Value("with one pack gone", why, gone, "A", "bank", digits=0))
    return out


def to_csv(lines: Sequence[Value]) -> str:
    """The sheet as CSV (UTF-8, comma, header)."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["setting", "value", "one battery", "note"])
    writer.writerows([line.name, line.text, line.each_text, line.why] for line in lines)
    return out.getvalue()


def to_html(lines: Sequence[Value], title: str) -> str:
    """The sheet as a page for printing."""
    heads = "<tr><td></td><td align='right'>whole bank</td><td>one battery</td><td></td></tr>"
    rows = heads + "".join(
        f"<tr><td>{escape(v.name)}</td><td "
        f"align='right'><b>{escape(v.text)}</b></td><td>{escape(v.each_text)}</td>"
        f"<td>{escape(v.why)}</td></tr>"
        for v in lines
    )
    return (
        f"<h2>{escape(title)}</h2><table cellpadding='5' width='100%'>{rows}</table><p>The "
        "inverter's own manual decides. Everything off before wiring.</p>"
    )
