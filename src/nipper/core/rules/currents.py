"""Current against time: BMS, fuse, leads, cells and loads held against each other."""

from collections.abc import Iterator, Mapping

from nipper.core.findings import Finding
from nipper.core.rules.base import COMMON, MEMORY, Evidence, Rule, down, error, note, up, warning
from nipper.core.setup import Setup, put
from nipper.core.wiring.currents import (
    battery_w_to_a,
    bms_opens_after_s,
    fuse_first,
    lead_first,
    short_circuit_a,
)
from nipper.core.wiring.fuse import KIND_WORDS, RATED_A, melts_after_s
from nipper.core.wiring.lead import LEADS, carries_a

OVER, SHORT = "protection.discharge_over_current", "protection.short_circuit"
DELAYS_S = (10.0, 5.0, 3.0, 2.0, 1.0)
CLOSE = 0.9  # loads stay this far under a trip: common practice
RECOVERY_S = 30.0
GATES = f"{KIND_WORDS['gG']}; the fuse's own sheet decides"


def _kw(watts: float) -> str:
    return f"{watts / 1e3:.1f} kW"


def missing(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A BMS without an over-current limit leaves everything to the fuse."""
    p, amps = (
        setup.protection,
        down(0.5 * setup.capacity_ah, 1.0) or down(0.5 * setup.capacity_ah, 0.1),
    )
    least = min(
        v
        for v in (
            amps,
            setup.cell.max_discharge_a and setup.cell.max_discharge_a * setup.cells_in_parallel,
            setup.wiring and setup.wiring.fuse_a,
        )
        if v
    )
    for path, limit, word, values in (
        (
            OVER,
            p.discharge_over_current,
            "a discharge over-current",
            {"trip_a": least, "delay_s": 10.0, "release_s": 60.0},
        ),
        (
            "protection.charge_over_current",
            p.charge_over_current,
            "a charge over-current",
            {"trip_a": amps, "delay_s": 10.0, "release_s": 60.0},
        ),
        (
            SHORT,
            p.short_circuit,
            "a short circuit",
            {
                "trip_a": up(
                    3.0 * (p.discharge_over_current.trip_a if p.discharge_over_current else least),
                    10.0,
                )
            },
        ),
    ):
        if limit is None:
            why = "If it has no such limit, cells, leads and switches are protected by the fuse alone; if it has one, enter it."
            yield warning(
                path,
                f"Nothing in the BMS is known to stop {word}.",
                why,
                {path: values},
                f"Trip at {values['trip_a']:g} A",
            )


def fuse_before_bms(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """On an overload the BMS should open first: a fuse does not come back by itself."""
    between, wiring, over = fuse_first(setup), setup.wiring, setup.protection.discharge_over_current
    if (
        between is None
        or wiring is None
        or not wiring.fuse_a
        or over is None
        or wiring.fuse_a < over.trip_a
    ):
        return  # a fuse below the trip is told by a rule of its own
    delays = [{f"{OVER}.delay_s": s} for s in DELAYS_S if s < over.delay_s]
    short = (
        [{f"{SHORT}.trip_a": down(between[0], 10.0)}]
        if setup.protection.short_circuit and down(between[0], 10.0) >= 1.5 * over.trip_a
        else []
    )
    carries = carries_a(wiring.cable_mm2) if wiring.cable_mm2 else 0.0
    larger = [{"wiring.fuse_a": float(f)} for f in RATED_A if wiring.fuse_a < f <= carries]
    fix = next((c for c in [*delays, *short, *larger] if fuse_first(put(setup, c)) is None), None)
    sure = fuse_first(setup, surely=True)
    first, last = sure or between
    yield (warning if sure else note)(
        ("wiring.fuse_a", f"{OVER}.delay_s"),
        f"From {first:.0f} to {last:.0f} A the {wiring.fuse_a:g} A fuse {'melts' if sure else 'may melt'} before the BMS opens after {over.delay_s:g} s.",
        "A trip comes back by itself, a fuse does not. Shorten the delay, let the fast trip begin lower, or take a larger fuse if the leads carry it.",
        fix or {},
        _label(fix),
    )


def _label(fix: Mapping[str, object] | None) -> str:
    for path, value in (fix or {}).items():
        what = {"delay_s": "Delay {:g} s", "trip_a": "Trip at {:g} A", "fuse_a": "Fuse of {:g} A"}[
            path.rpartition(".")[2]
        ]
        return what.format(value)
    return ""


def lead_before_fuse(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The lead must outlive the fuse at every current."""
    at = lead_first(setup)
    if at is None or setup.wiring is None or not setup.wiring.fuse_a or not setup.wiring.cable_mm2:
        return
    sizes = [
        {"wiring.cable_mm2": float(size)}
        for size, carries, _ in LEADS
        if size > setup.wiring.cable_mm2 and carries >= setup.wiring.fuse_a
    ]
    smaller = {
        "wiring.fuse_a": float(
            next(
                (f for f in reversed(RATED_A) if f <= carries_a(setup.wiring.cable_mm2)), RATED_A[0]
            )
        )
    }
    fix = next((c for c in [*sizes, smaller] if lead_first(put(setup, c)) is None), smaller)
    size = fix.get("wiring.cable_mm2")
    yield error(
        ("wiring.cable_mm2", "wiring.fuse_a"),
        f"From {at:.0f} A on, {setup.wiring.cable_mm2:g} mm² are ruined before the {setup.wiring.fuse_a:g} A fuse is sure to have melted.",
        "The insulation is gone at 160 °C; what touches it then burns. Local rules decide about size and place.",
        fix,
        f"Lead of {size:g} mm²" if size else f"Fuse of {fix['wiring.fuse_a']:g} A",
    )


def inrush(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A pump or compressor starting must trip neither BMS nor fuse."""
    usage, p, wiring = setup.usage, setup.protection, setup.wiring
    if usage is None or not usage.inrush_w or not usage.inrush_s:
        return
    amps, lasts = battery_w_to_a(setup, usage.inrush_w), usage.inrush_s
    if bms_opens_after_s(setup, amps) < lasts:
        fast = p.short_circuit is not None and amps > p.short_circuit.trip_a
        changes = (
            {f"{SHORT}.trip_a": up(1.2 * amps, 10.0)}
            if fast
            else {f"{OVER}.delay_s": up(2.0 * lasts, 1.0)}
        )
        tried = put(setup, changes)
        fits = (
            bms_opens_after_s(tried, amps) >= lasts
            and fuse_first(tried) is None
            and up(2.0 * lasts, 1.0) <= 30.0
            and 1.2 * amps < 0.5 * short_circuit_a(setup)
        )
        fix: dict[str, object] = (
            dict(changes) if fits else {"usage.inrush_w": _starts_w(setup, lasts)}
        )
        yield warning(
            ("usage.inrush_w", f"{SHORT}.trip_a" if fast else f"{OVER}.delay_s"),
            f"The heaviest start, {_kw(usage.inrush_w)} for {lasts:g} s, is {amps:.0f} A from each pack: the BMS opens after {bms_opens_after_s(setup, amps):g} s.",
            "Motors draw several times their current for a second. A longer delay or a higher fast trip lets it through where cells, fuse and the "
            "BMS's own sheet allow; else a soft start, or more packs.",
            fix,
            _label(changes)
            if fits
            else f"Starts of at most {_kw(float(str(fix['usage.inrush_w'])))}",
        )
    if wiring and wiring.fuse_a and melts_after_s(amps, wiring.fuse_a, wiring.fuse_kind)[0] < lasts:
        carries = carries_a(wiring.cable_mm2) if wiring.cable_mm2 else 0.0
        to = next(
            (
                float(f)
                for f in RATED_A
                if f <= carries and melts_after_s(amps, f, wiring.fuse_kind)[0] > lasts
            ),
            None,
        )
        yield warning(
            ("usage.inrush_w", "wiring.fuse_a"),
            f"The heaviest start, {amps:.0f} A for {lasts:g} s from each pack, may melt the {wiring.fuse_a:g} A fuse.",
            "A fuse that was often near to melting opens one day at its ordinary load.",
            {"wiring.fuse_a": to} if to else {"usage.inrush_w": _starts_w(setup, lasts)},
            f"Fuse of {to:g} A" if to else "A smaller start",
        )


def _starts_w(setup: Setup, lasts: float) -> float:
    """The heaviest start that trips nothing, W."""
    watts, wiring = (
        setup.usage.inrush_w if setup.usage and setup.usage.inrush_w else 0.0,
        setup.wiring,
    )
    while watts > 1.0:
        watts *= 0.95
        amps = battery_w_to_a(setup, watts)
        if bms_opens_after_s(setup, amps) >= lasts and not (
            wiring
            and wiring.fuse_a
            and melts_after_s(amps, wiring.fuse_a, wiring.fuse_kind)[0] < lasts
        ):
            break
    return max(1.0, down(watts, 100.0) or down(watts, 1.0))


def load(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What runs for long must stay under the packs' trips, fuses and leads."""
    usage, over, wiring = setup.usage, setup.protection.discharge_over_current, setup.wiring
    if usage is None or not usage.continuous_w or over is None:
        return
    amps, packs = battery_w_to_a(setup, usage.continuous_w), setup.packs_in_parallel
    if amps > over.trip_a:
        cells_a = setup.cell.max_discharge_a
        ceilings = [
            cells_a * setup.cells_in_parallel if cells_a else None,
            0.8 * wiring.fuse_a if wiring and wiring.fuse_a else None,
        ]
        to = up(amps / CLOSE, 1.0)
        raised = all(to <= c for c in ceilings if c is not None)
        watts = down(usage.continuous_w * CLOSE * over.trip_a / amps, 100.0) or down(
            usage.continuous_w * CLOSE * over.trip_a / amps, 1.0
        )
        yield warning(
            ("usage.continuous_w", f"{OVER}.trip_a"),
            f"Loads of {_kw(usage.continuous_w)} draw {amps:.0f} A from each pack; the BMS trips at {over.trip_a:g} A.",
            "Reckoned at the low alarm, where the current is highest, with 92 % of the inverter. The trip may be raised only as far as cells, fuse and leads carry.",
            {f"{OVER}.trip_a": to} if raised else {"usage.continuous_w": watts},
            f"Trip at {to:g} A" if raised else f"Loads of at most {_kw(watts)}",
        )
    elif packs > 1 and (left_a := amps * packs / (packs - 1)) > over.trip_a:
        yield note(
            ("usage.continuous_w", "packs_in_parallel"),
            f"If one of {packs} packs leaves, loads of {_kw(usage.continuous_w)} draw {left_a:.0f} A from each other one: they trip at {over.trip_a:g} A.",
            "One cell at its limit then ends the evening for the whole house.",
        )


def breaking(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A fuse must be able to break what the bank drives into a short."""
    wiring = setup.wiring
    if wiring is None or not wiring.fuse_a:
        return
    short_ka = short_circuit_a(setup) / 1e3
    if wiring.fuse_breaks_ka is None:
        yield note(
            "wiring.fuse_breaks_ka",
            f"A short at the terminals is fed with about {short_ka:.1f} kA: the fuse must break that at the pack's full voltage.",
            "Car and plate fuses often break 1 to 2 kA at 32 V: at 48 V the arc goes on burning. Rest voltage over the resistance of cells, leads and joints.",
        )
    elif wiring.fuse_breaks_ka < short_ka:
        to = up(short_ka, 1.0)
        yield error(
            "wiring.fuse_breaks_ka",
            f"The fuse breaks {wiring.fuse_breaks_ka:g} kA; a short at the terminals is fed with about {short_ka:.1f} kA.",
            "It melts, and the arc goes on burning inside it.",
            {"wiring.fuse_breaks_ka": to},
            f"A fuse that breaks {to:g} kA",
        )


def pulse(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What the BMS lets through for its delay must be within the cells' pulse."""
    cell, over, short = (
        setup.cell,
        setup.protection.discharge_over_current,
        setup.protection.short_circuit,
    )
    if not cell.pulse_discharge_a or not cell.pulse_s or over is None or short is None:
        return
    pulse_a = cell.pulse_discharge_a * setup.cells_in_parallel
    changes: dict[str, object] = {}
    if over.delay_s > cell.pulse_s:
        changes[f"{OVER}.delay_s"] = max(1.0, down(cell.pulse_s, 1.0))
    if short.trip_a > pulse_a and down(pulse_a, 1.0) > over.trip_a:
        changes[f"{SHORT}.trip_a"] = down(pulse_a, 1.0)
    if not changes or (over.delay_s <= 1.0 and short.trip_a <= pulse_a):
        return
    yield warning(
        ("cell.pulse_discharge_a", f"{OVER}.delay_s", f"{SHORT}.trip_a"),
        f"Up to {short.trip_a:g} A may flow for {over.delay_s:g} s; the cells stand {pulse_a:g} A for {cell.pulse_s:g} s.",
        "Between the two trips the current flows for the whole delay. The cell's sheet overrides everything.",
        changes,
        "Within the pulse",
    )


def main_path(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Limits of packs add up, but only as far as the wiring goes."""
    wiring, over, packs = (
        setup.wiring,
        setup.protection.discharge_over_current,
        setup.packs_in_parallel,
    )
    if wiring is None or not wiring.main_fuse_a:
        return
    most_a = carries_a(wiring.main_cable_mm2) if wiring.main_cable_mm2 else wiring.main_fuse_a
    if wiring.main_fuse_a > most_a + 1e-9:
        size = next((float(s) for s, a, _ in LEADS if a >= wiring.main_fuse_a), None)
        fuse = float(next((f for f in reversed(RATED_A) if f <= most_a), RATED_A[0]))
        yield error(
            ("wiring.main_fuse_a", "wiring.main_cable_mm2"),
            f"The main fuse of {wiring.main_fuse_a:g} A lets more through than the main lead's {wiring.main_cable_mm2:g} mm² carry ({most_a:.0f} A).",
            "In an overload the lead burns before the fuse opens. Local rules decide.",
            {"wiring.main_cable_mm2": size} if size else {"wiring.main_fuse_a": fuse},
            f"Main lead of {size:g} mm²" if size else f"Main fuse of {fuse:g} A",
        )
    amps = (
        battery_w_to_a(setup, setup.usage.continuous_w) * packs
        if setup.usage and setup.usage.continuous_w
        else None
    )
    if amps and amps > wiring.main_fuse_a and setup.usage and setup.usage.continuous_w:
        watts = max(1.0, down(0.8 * setup.usage.continuous_w * wiring.main_fuse_a / amps, 100.0))
        yield warning(
            ("wiring.main_fuse_a", "usage.continuous_w"),
            f"Loads of {_kw(setup.usage.continuous_w)} draw {amps:.0f} A through the {wiring.main_fuse_a:g} A main fuse.",
            "It melts sooner or later: fuses are chosen at 1.25 times what flows for long.",
            {"usage.continuous_w": watts},
            f"Loads of at most {_kw(watts)}",
        )
    elif over and packs * over.trip_a > wiring.main_fuse_a:
        yield note(
            ("wiring.main_fuse_a", f"{OVER}.trip_a"),
            f"{packs} packs allow {packs * over.trip_a:g} A, the main fuse {wiring.main_fuse_a:g} A: it is the weak link, and protects as long as loads stay under it.",
            "Limits of packs in parallel add up, but only as far as fuse, leads, busbar and switch go.",
        )


def recovery(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A short circuit that is tried again at once."""
    limit = setup.protection.short_circuit
    if limit is None or limit.release_s >= RECOVERY_S:
        return
    yield warning(
        f"{SHORT}.release_s",
        f"After a short circuit the BMS tries again within {limit.release_s:g} s.",
        "Each try burns contacts and switches. Find the cause before it is switched on; many builders let it be done by hand.",
        {f"{SHORT}.release_s": 60.0},
        "Recover after 60 s",
    )


RULES = (
    Rule("current-limit-missing", missing, COMMON),
    Rule("fuse-before-bms", fuse_before_bms, GATES),
    Rule(
        "lead-ruined-before-fuse",
        lead_before_fuse,
        "IEC 60364-4-43 and IEC 60269-1, from memory; local code decides",
    ),
    Rule("inrush", inrush, "loads as entered; " + GATES),
    Rule("load-beyond-trip", load, "loads as entered"),
    Rule("fuse-breaking-capacity", breaking, "arithmetic; breaking capacities from memory"),
    Rule("pulse-beyond-cell", pulse, "the cell's sheet"),
    Rule("main-fuse", main_path, "ISO 10133, from memory; local code decides"),
    Rule("short-circuit-recovery", recovery, MEMORY),
)
