"""The walks with a meter for *this* bank: what each probe must read, and what each fault changes.

Priors are common practice: fuses, switches and trips before broken devices.
"""

from collections.abc import Callable, Mapping

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup
from nipper.core.sources.rates import most_a
from nipper.core.upkeep.meter import Fault, Probe, Reads, Walk

USUAL_PCT = 60.0  # charge at which the bank is taken to stand, unless its volts are known
LOOSE_V = 1.5  # a bad joint drops so much at a load: common practice
MAINS = (
    "Mains voltage: only for who is qualified and allowed to. Others look at lamps and breakers."
)
HOT = "Live parts, kiloamperes behind them: insulated probes, one hand, no rings."
SUN = "Hundreds of volts by day, and an arc that does not go out: never part a plug under load."


def walks(setup: Setup, pack_v: float | None = None) -> tuple[Walk, ...]:
    """All walks of a bank. ``pack_v``: its voltage now as far as it is known, V."""
    return tuple(make(_Bank(setup, pack_v)) for make in MAKERS)


class _Bank:
    """What the probes must read at this bank."""

    def __init__(self, setup: Setup, pack_v: float | None) -> None:
        chem = chemistry(setup.chemistry)
        p, charging = setup.protection, setup.charging
        self.setup = setup
        self.volts = pack_v or setup.cells * float(chem.curve.ocv(USUAL_PCT))
        self.about = 0.03 * self.volts
        self.low_v = setup.cells * (p.cell_under_voltage.trip_v - 0.05)
        self.off_v = setup.cells * ((p.power_off_v or chem.min_v) - 0.1)
        self.full_v = setup.cells * p.cell_over_voltage.release_v
        self.target_v = charging.absorption_v if charging else setup.cells * chem.max_v
        self.cut_c = setup.charge_cutoff.trip_c if setup.charge_cutoff else 0.0
        self.charge_a = max(5.0, 0.4 * most_a(setup, 20.0))
        solar = setup.solar
        module = solar.module if solar else None
        series = (solar.in_series if solar else None) or 1
        self.array_v = (module.voc_v * series) if module else 2.0 * self.volts

    def on(self) -> Reads:
        """The bank's own voltage."""
        return Reads(self.volts, self.about)

    def nothing(self) -> Reads:
        """Next to nothing; an open end may float a little."""
        return Reads(0.02 * self.volts, 0.05 * self.volts)

    def at(self, volts: float, share: float = 0.03) -> Reads:
        """About that voltage."""
        return Reads(volts, max(0.2, share * abs(volts)))


def _fault(
    id_: str, title: str, prior: float, cure: str, reads: Mapping[str, Reads] | None = None
) -> Fault:
    return Fault(id_, title, prior, cure, reads or {})


BLOCKED = "Look why: full, cold, hot, a counter of trips. It allows again by itself below release."


def _raised(b: _Bank) -> dict[str, Reads]:
    """Where nothing may flow in, a charger drives its output and the terminals up."""
    raised = b.at(max(b.target_v, b.volts) + 0.04 * b.volts, 0.03)
    return {"output": raised, "terminals": raised, "amps": Reads(0, 0.5)}


def _blocked(b: _Bank, prior: float) -> Fault:
    return _fault("blocked", "The BMS does not let it charge", prior, BLOCKED, _raised(b))


def _cold(b: _Bank, prior: float) -> Fault:
    reads = _raised(b) | {"cold": Reads(b.cut_c - 3, 2.5)}
    title = "Too cold: the BMS or charger waits for warmth"
    return _fault("cold", title, prior, "Warm the pack; never override it.", reads)


def _sensor(b: _Bank, prior: float) -> Fault:
    """As the cold itself, until the sensor is held against something that is known."""
    reads = _raised(b) | {"cold": Reads(b.cut_c - 3, 2.5), "ice": Reads(-9, 3)}
    return _fault("sensor", "Its sensor reads too cold: the cells are warm enough", prior,
                  "A new sensor or lead of the same kind, on the coldest cell; then prove the "
                  "cutoff again (Cold). Never bridge it.", reads)  # fmt: skip


ICE = Probe(
    "ice", "the BMS's own sensor, five minutes in stirred ice water: what it shows", "°C", 15
)
IN_ICE = Reads(0, 0.8)


def _full(b: _Bank, prior: float) -> Fault:
    full = b.at(b.full_v, 0.015)
    reads = {"output": full, "terminals": full, "stack": full, "amps": Reads(0, 0.5)}
    return _fault("full", "Nothing is wrong: the bank is full", prior, "Let it rest.", reads)


def _no_discharge(b: _Bank) -> Walk:
    none, on = b.nothing(), b.on()
    after = ("terminals", "fuse", "main_fuse", "switch", "lugs", "load")

    def dead_from(place: str, **more: Reads) -> dict[str, Reads]:
        return dict.fromkeys(after[after.index(place) :], none) | more

    drop = Reads(LOOSE_V, 0.5)
    return Walk(
        "no-discharge", "The inverter or loads get nothing",
        (
            Probe("stack", "across all cells: first cell's minus, last cell's plus", "V", 3, HOT),
            Probe("terminals", "across the pack's own terminals, behind the BMS", "V", 2, HOT),
            Probe("fuse", "pack's minus to behind the pack's fuse", "V", 2, HOT),
            Probe("main_fuse", "bank's minus to behind the main fuse", "V", 2, HOT),
            Probe("switch", "bank's minus to behind the battery switch", "V", 2, HOT),
            Probe("lugs", "across the inverter's own lugs, nothing running", "V", 3, HOT),
            Probe("load", "across the inverter's lugs while a load starts", "V", 4, HOT),
            Probe("minus", "bank's minus to the inverter's minus lug", "V", 2, HOT),
        ),
        (
            _fault("empty", "A cell is empty: under-voltage trip", 0.2,
                   "Charge with little current; find the emptiest cell first (Diagnose).",
                   dead_from("terminals", stack=b.at(b.low_v, 0.02))),
            _fault("bms", "The BMS has opened (over-current, short circuit, switched off)", 0.22,
                   "Take the loads off, find the cause, then reset it.", dead_from("terminals")),
            _fault("pack-fuse", "The pack's fuse is open", 0.12,
                   "Find what blew it before a new one of the same kind goes in.",
                   dead_from("fuse")),
            _fault("main-fuse", "The main fuse is open", 0.1,
                   "Find what blew it before a new one of the same kind goes in.",
                   dead_from("main_fuse")),
            _fault("switch", "The battery switch is open or burnt", 0.1,
                   "Close it; if it stays dead, replace it with one for the current.",
                   dead_from("switch")),
            _fault("plus", "The plus lead to the inverter is open", 0.05,
                   "Follow it: crimp, lug, bolt.", {"lugs": none, "load": none}),
            _fault("minus", "The minus lead is open", 0.05, "Follow it: crimp, lug, bolt, shunt.",
                   {"lugs": none, "load": none, "minus": b.at(b.volts, 0.1)}),
            _fault("joint", "A joint drops under load", 0.08,
                   "Go along the way with the load on: the joint that shows the drop is the one.",
                   {"load": b.at(b.volts - 6 * LOOSE_V, 0.05), "minus": drop}),
            _fault("inverter", "The inverter itself, or its low cut set above this voltage", 0.08,
                   "Its display and its low cut and restart; then its maker."),
        ),
        {"stack": on, "terminals": on, "fuse": on, "main_fuse": on, "switch": on, "lugs": on,
         "load": b.at(b.volts - 0.02 * b.volts, 0.03), "minus": Reads(0.02, 0.08)},
    )  # fmt: skip


def _no_pv(b: _Bank) -> Walk:
    none, on = b.nothing(), b.on()
    sun = b.at(b.array_v, 0.12)
    return Walk(
        "no-pv", "The sun does not charge",
        (
            Probe("array", "across the strings at their isolator, by day, isolator open", "V", 4,
                  SUN),
            Probe("input", "across the controller's PV input, isolator closed", "V", 3, SUN),
            Probe("output", "across the controller's battery terminals", "V", 2, HOT),
            Probe("terminals", "across the pack's own terminals", "V", 2, HOT),
            Probe("stack", "across all cells, before the BMS", "V", 3, HOT),
            Probe("amps", "clamp on the controller's plus lead", "A", 2),
            Probe("cold", "the BMS's own coldest sensor", "°C", 1),
            ICE,
        ),
        (
            _full(b, 0.18),
            _fault("shade", "Shade, snow, night, or dirt", 0.15, "Wait, clean, look at noon.",
                   {"array": b.at(0.45 * b.array_v, 0.3), "input": b.at(0.45 * b.array_v, 0.3),
                    "amps": Reads(0, 1)}),
            _fault("isolator", "The PV isolator, breaker or its fuse is open", 0.13,
                   "Close it; a fuse by one of its kind, at night.",
                   {"input": none, "amps": Reads(0, 0.5)}),
            _fault("reversed", "The string is reversed", 0.05,
                   "At night, isolator open: turn the plugs. A controller may be damaged.",
                   {"array": b.at(-b.array_v, 0.12), "input": b.at(-0.05 * b.array_v, 1.0),
                    "amps": Reads(0, 0.5)}),
            _fault("fuse", "The fuse or breaker between controller and battery is open", 0.13,
                   "PV off first, then the fuse; find what blew it.",
                   {"output": none, "amps": Reads(0, 0.5)}),
            _blocked(b, 0.12),
            _cold(b, 0.08),
            _sensor(b, 0.03),
            _fault("profile", "The controller's target is below the bank's voltage", 0.07,
                   "Its profile: absorption and float for this bank (Charge, Open loop).",
                   {"amps": Reads(0, 0.5)}),
            _fault("string-out", "One of the strings is out", 0.05,
                   "Clamp each string at noon: the one without current; its plugs and fuse.",
                   {"amps": Reads(0.4 * b.charge_a, 0.12 * b.charge_a)}),
        ),
        {"array": sun, "input": b.at(0.85 * b.array_v, 0.12), "output": on, "terminals": on,
         "stack": on, "amps": Reads(b.charge_a, 0.35 * b.charge_a), "cold": Reads(16, 5.5),
         "ice": IN_ICE},
    )  # fmt: skip


def _no_shore(b: _Bank) -> Walk:
    none, on = b.nothing(), b.on()
    target = b.at(b.target_v, 0.02)
    return Walk(
        "no-shore", "Shore power or the generator does not charge",
        (
            Probe("lamp", "another load at the same socket works: 1, does not: 0", "", 2, MAINS),
            Probe("alone", "across the charger's output, its battery leads off", "V", 6, HOT),
            Probe("output", "across the charger's output, leads on", "V", 2, HOT),
            Probe("terminals", "across the pack's own terminals", "V", 2, HOT),
            Probe("stack", "across all cells, before the BMS", "V", 3, HOT),
            Probe("amps", "clamp on the charger's plus lead", "A", 2),
            Probe("cold", "the BMS's own coldest sensor", "°C", 1),
            ICE,
        ),
        (
            _fault("mains", "No mains: breaker, ground-fault outlet, cord", 0.2,
                   "Breakers and outlets; mains is for a licensed electrician.",
                   {"lamp": Reads(0, 0.1), "alone": none, "amps": Reads(0, 0.5)}),
            _fault("charger", "The charger gives nothing", 0.12,
                   "Its own fuse, fan and switch; some need a battery's voltage before they begin.",
                   {"alone": none, "amps": Reads(0, 0.5)}),
            _fault("fuse", "The fuse between charger and battery is open", 0.14,
                   "Find what blew it; one of its kind.",
                   {"output": target, "amps": Reads(0, 0.5)}),
            _full(b, 0.14),
            _blocked(b, 0.14),
            _cold(b, 0.08),
            _sensor(b, 0.03),
            _fault("profile", "The charger's profile is not for this bank", 0.12,
                   "A lithium profile with this bank's voltages; no temperature compensation.",
                   {"alone": b.at(0.9 * b.volts, 0.03), "amps": Reads(0, 0.5)}),
        ),
        {"lamp": Reads(1, 0.1), "alone": target, "output": on, "terminals": on, "stack": on,
         "amps": Reads(b.charge_a, 0.5 * b.charge_a), "cold": Reads(16, 5.5),
         "ice": IN_ICE},
    )  # fmt: skip


def _no_dc(b: _Bank) -> Walk:
    none, on = b.nothing(), b.on()
    start = Reads(14.2, 0.4)
    return Walk(
        "no-dc", "The engine's DC charger does not charge",
        (
            Probe("starter", "across the starter battery, engine running", "V", 3),
            Probe("input", "across the DC charger's input, engine running", "V", 3),
            Probe("enable", "the DC charger's enable wire to its minus", "V", 2),
            Probe("output", "across the DC charger's output", "V", 2, HOT),
            Probe("terminals", "across the pack's own terminals", "V", 2, HOT),
            Probe("amps", "clamp on its output lead", "A", 2),
            Probe("cold", "the BMS's own coldest sensor", "°C", 1),
            ICE,
        ),
        (
            _fault("alternator", "The alternator gives nothing", 0.15, "Belt, fuse, regulator.",
                   {"starter": Reads(12.5, 0.3), "input": Reads(12.4, 0.4),
                    "amps": Reads(0, 0.5)}),
            _fault("input-fuse", "The fuse at the starter battery is open", 0.2,
                   "Find what blew it; one of its kind.",
                   {"input": Reads(0.2, 0.4), "amps": Reads(0, 0.5)}),
            _fault("thin", "The lead drops too much: too thin, or a bad joint", 0.15,
                   "Measure the drop along plus and minus at full current.",
                   {"input": Reads(12.0, 0.5), "amps": Reads(0.4 * b.charge_a, 0.2 * b.charge_a)}),
            _fault("enable", "It is not told that the engine runs", 0.2,
                   "The enable wire: its fuse and where it is taken from.",
                   {"enable": Reads(0.1, 0.5), "amps": Reads(0, 0.5)}),
            _fault("output-fuse", "The fuse at the house battery is open", 0.12,
                   "Find what blew it; one of its kind.",
                   {"output": none, "amps": Reads(0, 0.5)}),
            _blocked(b, 0.1),
            _cold(b, 0.07),
            _sensor(b, 0.02),
        ),
        {"starter": start, "input": Reads(13.9, 0.5), "enable": Reads(13.8, 0.9), "output": on,
         "terminals": on,
         "amps": Reads(b.charge_a, 0.5 * b.charge_a), "cold": Reads(16, 5.5),
         "ice": IN_ICE},
    )  # fmt: skip


def _one_missing(b: _Bank) -> Walk:
    none, on = b.nothing(), b.on()
    share = Reads(b.charge_a, 0.4 * b.charge_a)
    return Walk(
        "one-missing", "One pack is missing",
        (
            Probe("amps", "clamp on the missing pack's lead, loads running", "A", 2),
            Probe("stack", "across all cells of that pack, before its BMS", "V", 3, HOT),
            Probe("terminals", "across that pack's own terminals, its lead off", "V", 4, HOT),
            Probe("fuse", "that pack's minus to behind its fuse, its lead off", "V", 3, HOT),
            Probe("across", "from the pack's plus terminal to the bar", "V", 2, HOT),
            Probe("shown", "packs that the inverter or host shows, of all: 1 all, 0 fewer", "", 1),
        ),
        (
            _fault("link", "It carries its share, and only is not seen", 0.25,
                   "Its address, switches and cable (Link).", {"amps": share, "across": Reads(0.02,
                   0.05)}),
            _fault("empty", "A cell of it is empty: under-voltage trip", 0.15,
                   "Charge it alone with little current, then join it again (Build, Joining).",
                   {"stack": b.at(b.low_v, 0.02), "terminals": none, "fuse": none}),
            _fault("high", "A cell of it is at its trip: it left the charge", 0.15,
                   "Level it at the top; lower the charger's target meanwhile.",
                   {"stack": b.at(b.full_v + 0.03 * b.volts, 0.012), "terminals": none,
                    "fuse": none}),
            _fault("bms", "Its BMS is off or has opened", 0.2,
                   "Find the cause, reset it, and join it by its rest voltage.",
                   {"terminals": none, "fuse": none}),
            _fault("fuse", "Its fuse is open", 0.15, "Find what blew it; one of its kind.",
                   {"fuse": none}),
            _fault("lead", "Its lead or connector is open", 0.1, "Follow it; crimp and contact.",
                   {"across": b.at(0.08 * b.volts, 0.6)}),
        ),
        {"amps": Reads(0, 0.4), "stack": on, "terminals": on, "fuse": on,
         "across": b.at(0.03 * b.volts, 0.5), "shown": Reads(0, 0.1)},
    )  # fmt: skip


def _percentage(b: _Bank) -> Walk:
    return Walk(
        "percentage", "The percentage is wrong",
        (
            Probe("amps_off", "BMS's current less the clamp's, at some load, of it", "%", 4),
            Probe("idle", "BMS's current less the clamp's, with nothing running", "A", 3),
            Probe("days", "days since it last was full and held", "days", 2),
            Probe("label", "capacity typed into the BMS, of the label", "%", 2),
            Probe("jump", "it falls to nothing under a heavy load and recovers: 1, else 0", "", 2),
        ),
        (
            _fault("reference", "It has not been full for long: the counter drifted", 0.35,
                   "A full charge, held: it sets itself to 100 %.", {"days": Reads(60, 35)}),
            _fault("gain", "Its current is read wrong", 0.15,
                   "Calibrate the current against a trusted clamp, and note by how much.",
                   {"amps_off": Reads(9, 4)}),
            _fault("idle", "Small currents are not counted", 0.15,
                   "Zero its current with nothing connected; a full charge more often.",
                   {"idle": Reads(0.8, 0.4), "days": Reads(12, 8)}),
            _fault("capacity", "The capacity in the BMS is not the pack's", 0.15,
                   "Type the measured capacity (Build, Capacity).", {"label": Reads(70, 15)}),
            _fault("low-cell", "A low cell or a joint ends the counting early", 0.2,
                   "Diagnose: a weak cell, or a joint that drops.", {"jump": Reads(1, 0.1)}),
        ),
        {"amps_off": Reads(0, 2), "idle": Reads(0, 0.15),
         "days": Reads(6, 6), "label": Reads(100, 4), "jump": Reads(0, 0.1)},
    )  # fmt: skip


def _bms_off(b: _Bank) -> Walk:
    none, on = b.nothing(), b.on()
    return Walk(
        "bms-off", "The BMS is dark",
        (
            Probe("stack", "across all cells: first cell's minus, last cell's plus", "V", 3, HOT),
            Probe("terminals", "across the pack's own terminals", "V", 2, HOT),
            Probe("plug", "across the ends of the sense plug, pulled out", "V", 6,
                  "Pull it straight; put it back only after the lead test (Build)."),
            Probe("cold", "the pack's own temperature, by hand or meter", "°C", 2),
            Probe("wakes", "a charger of the right voltage at the terminals wakes it: 1, else 0",
                  "", 5, HOT),
        ),
        (
            _fault("low", "It turned itself off: the pack is empty", 0.3,
                   "A small charger of the right voltage wakes it; below the sheet's limit the "
                   "maker decides.", {"stack": b.at(b.off_v, 0.05)}),
            _fault("asleep", "It is asleep, or switched off", 0.25, "Its button, its app, a load."),
            _fault("plug", "The sense plug is out, or its end leads are open", 0.15,
                   "The lead test (Build, Sense leads), then the plug.",
                   {"plug": none, "wakes": Reads(0, 0.1)}),
            _fault("cold", "Too cold: it has shut off and waits", 0.15,
                   "Warm the pack, then wake it. Nothing charges below freezing.",
                   {"cold": Reads(-15, 7), "wakes": Reads(0, 0.1)}),
            _fault("dead", "The BMS is broken", 0.15, "Its maker; the pack stays off meanwhile.",
                   {"wakes": Reads(0, 0.1)}),
        ),
        {"stack": on, "terminals": none, "plug": on, "cold": Reads(16, 5.5),
         "wakes": Reads(1, 0.1)},
    )  # fmt: skip


MAKERS: tuple[Callable[[_Bank], Walk], ...] = (
    _no_discharge,
    _no_pv,
    _no_shore,
    _no_dc,
    _one_missing,
    _percentage,
    _bms_off,
)
