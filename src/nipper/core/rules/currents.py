"""Current against time: BMS, fuse, leads, cells and loads held against each other."""

from collections.abc import Iterator, Mapping

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    COMMON,
    MEMORY,
    Evidence,
    Rule,
    amps_down,
    down,
    error,
    note,
    up,
    warning,
)
from nipper.core.rules.guard import REACHED, safe, within
from nipper.core.setup import Setup, put
from nipper.core.wiring.currents import battery_w_to_a, bms_opens_after_s, fuse_first, lead_first
from nipper.core.wiring.fuse import KIND_WORDS, RATED_A, melts_after_s
from nipper.core.wiring.lead import pack_lead, sizes_of
from nipper.core.wiring.short import behind_leads_a

OVER, SHORT = "protection.discharge_over_current", "protection.short_circuit"
CHARGE_OVER = "protection.charge_over_current"
DELAYS_S = (10.0, 5.0, 3.0, 2.0, 1.0)
CLOSE = 0.9  # loads stay this far under a trip: common practice
RECOVERY_S = 30.0
GATES = f"{KIND_WORDS['gG']}; the fuse's own sheet decides"


def _kw(watts: float) -> str:
    return f"{watts / 1e3:.1f} kW"


def short_trip_a(setup: Setup, over_a: float) -> float | None:
    """A short-circuit trip that fits: three times the over-current's, within pulse, fuse and what a
    short drives.

    None where nothing above the over-current trip fits.
    """
    fuse_a = setup.wiring.fuse_a if setup.wiring else None
    limits = (
        setup.sheet_pulse_a,
        2.0 * fuse_a if fuse_a else None,
        REACHED * behind_leads_a(setup),
    )
    trip_a = amps_down(min(3.0 * over_a, *(v for v in limits if v)))
    return trip_a if trip_a > over_a else None


def missing(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A BMS without an over-current limit leaves everything to the fuse."""
    p, times = setup.protection, {"delay_s": 10.0, "release_s": 60.0}
    usual_a = 0.5 * setup.capacity_ah
    made: dict[str, dict[str, float]] = {}
    for path, side in ((OVER, "discharge"), (CHARGE_OVER, "charge")):
        least = min(v for v in (usual_a, *within(setup, side)) if v)
        made[path] = {"trip_a": amps_down(least), **times}
    over_a = p.discharge_over_current.trip_a if p.discharge_over_current else made[OVER]["trip_a"]
    fast_a = short_trip_a(setup, over_a)
    made[SHORT] = {"trip_a": fast_a} if fast_a else {}
    for path, limit, word in (
        (OVER, p.discharge_over_current, "a discharge over-current"),
        (CHARGE_OVER, p.charge_over_current, "a charge over-current"),
        (SHORT, p.short_circuit, "a short circuit"),
    ):
        if limit is None:
            values = made[path]
            yield warning(
                path,
                f"Nothing in the BMS is known to stop {word}.",
                "If it has no such limit, cells, leads and switches are protected by the fuse "
                "alone; if it has one, enter it.",
                {path: values} if values else {},
            )


def fuse_before_bms(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """On an overload the BMS should open first: a fuse does not come back by itself."""
    wiring, over = setup.wiring, setup.protection.discharge_over_current
    between = fuse_first(setup)
    if between is None or wiring is None or not wiring.fuse_a or over is None:
        return
    if wiring.fuse_a < over.trip_a:
        return  # told by a rule of its own
    least = 2.0 * setup.usage.inrush_s if setup.usage and setup.usage.inrush_s else 1.0
    delays = [{f"{OVER}.delay_s": s} for s in DELAYS_S if least <= s < over.delay_s]
    fast = setup.protection.short_circuit
    short_a = down(between[0], 10.0)
    short = (
        [{f"{SHORT}.trip_a": short_a}]
        if fast and over.trip_a * 1.5 <= short_a < fast.trip_a
        else []
    )
    lead = pack_lead(wiring)
    carries = lead.protected_by_a(wiring.fuse_kind) if lead else 0.0
    larger = [{"wiring.fuse_a": float(f)} for f in RATED_A if wiring.fuse_a < f <= carries]
    fix = next((c for c in [*delays, *short, *larger] if fuse_first(put(setup, c)) is None), None)
    sure = fuse_first(setup, surely=True)
    first, last = sure or between
    word = "melts" if sure else "may melt"
    yield (warning if sure else note)(
        ("wiring.fuse_a", f"{OVER}.delay_s"),
        f"From {first:.0f} to {last:.0f} A the {wiring.fuse_a:g} A fuse {word} before the BMS "
        f"opens after {over.delay_s:g} s.",
        "A trip comes back by itself, a fuse does not. Shorten the delay, let the fast trip begin "
        "lower, or take a larger fuse if the leads carry it.",
        fix or {},
    )


def _label(fix: Mapping[str, object] | None) -> str:
    forms = {"delay_s": "Delay {:g} s", "trip_a": "Trip at {:g} A", "fuse_a": "Fuse of {:g} A"}
    for path, value in (fix or {}).items():
        return forms[path.rpartition(".")[2]].format(value)
    return ""


def lead_before_fuse(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The lead must outlive the fuse at every current."""
    at, wiring, lead = lead_first(setup), setup.wiring, pack_lead(setup.wiring)
    if at is None or wiring is None or not wiring.fuse_a or lead is None:
        return
    sizes = [
        {"wiring.cable_mm2": larger.mm2}
        for larger in sizes_of(lead)
        if larger.mm2 > lead.mm2 and larger.protected_by_a(wiring.fuse_kind) >= wiring.fuse_a
    ]
    smaller = {"wiring.fuse_a": _largest_fuse(lead.protected_by_a(wiring.fuse_kind))}
    fix = next((c for c in [*sizes, smaller] if lead_first(put(setup, c)) is None), smaller)
    yield error(
        ("wiring.cable_mm2", "wiring.fuse_a"),
        f"From {at:.0f} A on, {lead} are ruined before the {wiring.fuse_a:g} A "
        "fuse is sure to have melted.",
        "The insulation is gone at 160 °C; what touches it then burns. Local rules decide about "
        "size and place.",
        fix,
    )


def _largest_fuse(most_a: float) -> float:
    return float(next((f for f in reversed(RATED_A) if f <= most_a), RATED_A[0]))


def inrush(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A pump or compressor starting must trip neither BMS nor fuse."""
    usage, wiring = setup.usage, setup.wiring
    if usage is None or not usage.inrush_w or not usage.inrush_s:
        return
    amps, lasts = battery_w_to_a(setup, usage.inrush_w), usage.inrush_s
    if bms_opens_after_s(setup, amps) < lasts:
        yield from _start_trips(setup, amps, lasts)
    if wiring and wiring.fuse_a and melts_after_s(amps, wiring.fuse_a, wiring.fuse_kind)[0] < lasts:
        lead = pack_lead(wiring)
        carries = lead.protected_by_a(wiring.fuse_kind) if lead else 0.0
        holds = (f for f in RATED_A if melts_after_s(amps, f, wiring.fuse_kind)[0] > lasts)
        to = next((float(f) for f in holds if f <= carries), None)
        yield warning(
            ("usage.inrush_w", "wiring.fuse_a"),
            f"The heaviest start, {amps:.0f} A for {lasts:g} s from each pack, may melt the "
            f"{wiring.fuse_a:g} A fuse.",
            "A fuse that was often near to melting opens one day at its ordinary load.",
            {"wiring.fuse_a": to} if to else {"usage.inrush_w": _starts_w(setup, lasts)},
            f"Fuse of {to:g} A" if to else "A smaller start",
        )


def _start_trips(setup: Setup, amps: float, lasts: float) -> Iterator[Finding]:
    p, usage = setup.protection, setup.usage
    opens_s = bms_opens_after_s(setup, amps)
    fast = p.short_circuit is not None and amps > p.short_circuit.trip_a
    path = f"{SHORT}.trip_a" if fast else f"{OVER}.delay_s"
    changes = {path: up(1.2 * amps, 10.0) if fast else up(2.0 * lasts, 1.0)}
    fits = (
        2.0 * lasts <= 30.0
        and safe(setup, changes)
        and _lets_through(put(setup, changes), amps, lasts)
    )
    watts = _starts_w(setup, lasts)
    fix: dict[str, object] = dict(changes) if fits else {"usage.inrush_w": watts}
    yield warning(
        ("usage.inrush_w", path),
        f"The heaviest start, {_kw(usage.inrush_w or 0.0) if usage else ''} for {lasts:g} s, is "
        f"{amps:.0f} A from each pack: the BMS opens after {opens_s:g} s.",
        "Motors draw several times their current for a second. A longer delay or a higher fast "
        "trip lets it through where cells, fuse and the BMS's own sheet allow; else a soft "
        "start, or more packs.",
        fix,
        _label(changes) if fits else f"Starts of at most {_kw(watts)}",
    )


def _lets_through(setup: Setup, amps: float, lasts: float) -> bool:
    """Whether the BMS waits for the start to end, and neither fuse nor cells suffer by it."""
    return (
        bms_opens_after_s(setup, amps) >= lasts
        and fuse_first(setup) is None
        and not _beyond_pulse(setup)
    )


def _starts_w(setup: Setup, lasts: float) -> float:
    """The heaviest start that trips nothing, W."""
    watts = setup.usage.inrush_w if setup.usage and setup.usage.inrush_w else 0.0
    wiring = setup.wiring
    while watts > 1.0:
        watts *= 0.95
        amps = battery_w_to_a(setup, watts)
        fuse_a = wiring.fuse_a if wiring else None
        melts = (
            fuse_a and melts_after_s(amps, fuse_a, wiring.fuse_kind if wiring else "gG")[0] < lasts
        )
        if bms_opens_after_s(setup, amps) >= lasts and not melts:
            break
    return max(1.0, down(watts, 100.0) or down(watts, 1.0))


def load(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What runs for long must stay under the packs' trips, fuses and leads."""
    usage, over = setup.usage, setup.protection.discharge_over_current
    if usage is None or not usage.continuous_w or over is None:
        return
    amps, packs = battery_w_to_a(setup, usage.continuous_w), setup.packs_in_parallel
    if amps > over.trip_a:
        raised = {f"{OVER}.trip_a": up(amps / CLOSE, 1.0)}
        fuse_a = setup.wiring.fuse_a if setup.wiring else None
        fits = safe(setup, raised) and fuse_a is not None and amps <= 0.8 * fuse_a
        fits = fits and not _beyond_pulse(put(setup, raised))
        watts = usage.continuous_w * CLOSE * over.trip_a / amps
        watts = down(watts, 100.0) or down(watts, 1.0)
        yield warning(
            ("usage.continuous_w", f"{OVER}.trip_a"),
            f"Loads of {_kw(usage.continuous_w)} draw {amps:.0f} A from each pack; the BMS trips "
            f"at {over.trip_a:g} A.",
            "Reckoned at the low alarm, where the current is highest, with 92 % of the "
            "inverter. The trip may be raised only as far as cells, fuse and leads carry.",
            raised if fits else {"usage.continuous_w": watts},
            f"Trip at {raised[f'{OVER}.trip_a']:g} A" if fits else f"Loads of at most {_kw(watts)}",
        )
    elif packs > 1 and (left_a := amps * packs / (packs - 1)) > over.trip_a:
        yield note(
            ("usage.continuous_w", "packs_in_parallel"),
            f"If one of {packs} packs leaves, loads of {_kw(usage.continuous_w)} draw "
            f"{left_a:.0f} A from each other one: they trip at {over.trip_a:g} A.",
            "One cell at its limit then ends the evening for the whole house.",
        )


def _beyond_pulse(setup: Setup) -> bool:
    pulse_a, pulse_s = setup.sheet_pulse_a, setup.cell.pulse_s
    over, short = setup.protection.discharge_over_current, setup.protection.short_circuit
    if pulse_a is None or over is None:
        return False
    fast_a = short.trip_a if short else 0.0
    late = pulse_s is not None and over.delay_s > max(pulse_s, 1.0)
    return over.trip_a > pulse_a or fast_a > pulse_a or late


def pulse(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What the BMS lets through for its delay must be within the cells' pulse."""
    pulse_a, pulse_s = setup.sheet_pulse_a, setup.cell.pulse_s
    over, short = setup.protection.discharge_over_current, setup.protection.short_circuit
    if pulse_a is None or over is None or not _beyond_pulse(setup):
        return
    if over.trip_a > pulse_a:
        long_a = setup.sheet_discharge_a or pulse_a
        to = amps_down(min(pulse_a, long_a))
        yield error(
            (f"{OVER}.trip_a", "cell.pulse_discharge_a"),
            f"The discharge trip at {over.trip_a:g} A lies above the {pulse_a:g} A the cells "
            "stand even as a pulse.",
            "The cell's sheet overrides everything.",
            {f"{OVER}.trip_a": to},
        )
        return
    changes: dict[str, object] = {}
    if pulse_s is not None and over.delay_s > max(pulse_s, 1.0):
        changes[f"{OVER}.delay_s"] = max(1.0, down(pulse_s, 1.0))
    if short and short.trip_a > pulse_a:
        to = amps_down(pulse_a)
        if to > over.trip_a:
            changes[f"{SHORT}.trip_a"] = to
        else:  # no room between the two trips: the lower one goes down as well
            changes |= {f"{SHORT}.trip_a": to, f"{OVER}.trip_a": amps_down(to / 1.2)}
    through_a = short.trip_a if short else behind_leads_a(setup)
    lasts = f" for {pulse_s:g} s" if pulse_s else ""
    yield warning(
        ("cell.pulse_discharge_a", f"{OVER}.delay_s", f"{SHORT}.trip_a"),
        f"Up to {through_a:.0f} A may flow for {over.delay_s:g} s; the cells stand "
        f"{pulse_a:g} A{lasts}.",
        "Between the two trips the current flows for the whole delay. The cell's sheet overrides "
        "everything.",
        changes,
        "Within the pulse",
    )


def short_reached(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A short-circuit trip above what the pack can drive is never reached."""
    short, over = setup.protection.short_circuit, setup.protection.discharge_over_current
    drives_a = behind_leads_a(setup)
    if short is None or short.trip_a <= REACHED * drives_a:
        return
    to = short_trip_a(setup, over.trip_a if over else 0.5 * setup.capacity_ah)
    never = short.trip_a > drives_a
    yield (error if never else warning)(
        f"{SHORT}.trip_a",
        f"The short-circuit trip at {short.trip_a:g} A {'is' if never else 'may be'} never "
        f"reached: a short drives about {drives_a:.0f} A.",
        "Rest voltage over the resistance of cells, joints and leads; a poor contact or a cold "
        "pack drives less. Then only the delayed trip and the fuse are left.",
        {f"{SHORT}.trip_a": to} if to else {},
    )


def recovery(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A short circuit that is tried again at once."""
    limit = setup.protection.short_circuit
    if limit is None or limit.release_s >= RECOVERY_S:
        return
    yield warning(
        f"{SHORT}.release_s",
        f"After a short circuit the BMS tries again within {limit.release_s:g} s.",
        "Each try burns contacts and switches. Find the cause before it is switched on; many "
        "builders let it be done by hand.",
        {f"{SHORT}.release_s": 60.0},
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
    Rule("pulse-beyond-cell", pulse, "the cell's sheet"),
    Rule("short-circuit-not-reached", short_reached, "arithmetic; ohmic share from memory"),
    Rule("short-circuit-recovery", recovery, MEMORY),
)
