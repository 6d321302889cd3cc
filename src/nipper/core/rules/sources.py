"""What charges: other chargers, lead-acid features, rates by temperature, PV strings."""

from collections.abc import Iterator
from itertools import pairwise

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_BOTH,
    AT_CHARGE,
    COMMON,
    Evidence,
    Rule,
    amps_down,
    down,
    error,
    note,
    sheet_max_v,
    usual,
    warning,
)
from nipper.core.rules.build import charge_total_a
from nipper.core.rules.charge import HARMFUL_FLOAT_V, MOST_RATE, WARM_C, deviation_v
from nipper.core.setup import ExtraCharger, Setup
from nipper.core.sources import solar
from nipper.core.sources.rates import (
    charger_rate,
    hot_end_c,
    rate_at,
    rates,
    usual_rate_at,
    usual_rates,
)

TWICE = 2.0  # of the table's rate: from here on it is no choice any more (common practice)
COOL_C = 10.0  # below it cells take less: common practice
# of capacity: above it the pack is not full when absorption ends; 0.02 to 0.05 usual, common
# practice
EARLY_TAIL = 0.1
COLD_C, MILD_C = 5.0, 25.0


def beyond_sheet(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """No target above the cell's sheet; often it was made for another number of cells."""
    charging, n, top = setup.charging, setup.cells, sheet_max_v(setup)
    if charging is None:
        return
    for name in ("absorption_v", "float_v", "equalise_v"):
        value = getattr(charging, name)
        if value is None or value / n <= top + 1e-9:
            continue
        to = down(n * min(usual(setup, name), top - 0.05), 0.1)
        fits = round(value / usual(setup, name))
        yield error(
            f"charging.{name}",
            f"{name[:-2].capitalize()} {value:.2f} V is {value / n:.2f} V a cell, above "
            f"the {top:.2f} V of its sheet.",
            f"The value would fit {fits} cells; this pack has {n}."
            if fits != n
            else "The cell's sheet overrides everything.",
            {f"charging.{name}": to},
            f"{name[:-2].capitalize()} {to:.1f} V",
        )


def others(setup: Setup, evidence: Evidence) -> Iterator[Finding]:
    """Chargers with different targets do not fight, but each must stay under the trips, in float as
    well.
    """
    n, trip = setup.cells, setup.protection.cell_over_voltage.trip_v
    pack = setup.protection.pack_over_voltage
    room = min(
        trip - deviation_v(evidence),
        sheet_max_v(setup),
        pack.trip_v / n - 0.005 if pack else 99.0,
    )
    for i, charger in enumerate(setup.other_chargers):
        to = min(down(n * usual(setup, "absorption_v"), 0.1), down(n * (room - 0.02), 0.1))
        rest = down(n * usual(setup, "float_v"), 0.1)
        if charger.absorption_v / n >= room:
            lower: dict[str, object] = {
                "absorption_v": to,
                "float_v": min(charger.float_v, rest, to) if charger.float_v else None,
            }
            yield error(
                (f"other_chargers.{i}.absorption_v", "protection.cell_over_voltage.trip_v"),
                f"The {charger.name} charges to {charger.absorption_v:.2f} V, "
                f"{charger.absorption_v / n:.3f} V a cell: with the deviation that is at "
                "the trip or beyond.",
                "Of two chargers the lower one stops first and the higher goes on: the highest "
                "target is the one that counts.",
                {"other_chargers": _with(setup, i, lower)},
                f"Charge to {to:.1f} V",
            )
            continue
        if not charger.float_v:
            continue
        per_cell = charger.float_v / n
        wrong = charger.float_v > charger.absorption_v or per_cell >= room
        if wrong or per_cell > HARMFUL_FLOAT_V[setup.chemistry] + 1e-9:
            low_v = min(rest, charger.absorption_v)
            yield (error if wrong else warning)(
                (f"other_chargers.{i}.float_v", f"other_chargers.{i}.absorption_v"),
                f"The {charger.name} floats at {charger.float_v:.2f} V, {per_cell:.3f} V a cell, "
                "for as long as it is on.",
                "Above its own absorption it goes on charging; near the trip the highest cell "
                "gets there in time. Held full and high, cells age.",
                {"other_chargers": _with(setup, i, {"float_v": low_v})},
                f"Float at {low_v:.1f} V",
            )


def _with(setup: Setup, index: int, changes: dict[str, object]) -> list[dict[str, object]]:
    """The other chargers as they stand in a file, one of them changed."""
    made = [
        ExtraCharger.model_copy(c, update=changes if i == index else {})
        for i, c in enumerate(setup.other_chargers)
    ]
    return [c.model_dump(exclude_none=True) for c in made]


def together(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Currents of all chargers add up."""
    limit, packs = setup.protection.charge_over_current, setup.packs_in_parallel
    if not setup.other_chargers:
        return
    usual_a = max(MOST_RATE, rate_at(setup, WARM_C)) * setup.capacity_ah
    bounds = (limit.trip_a if limit else None, setup.sheet_charge_a, usual_a)
    most, total = packs * min(v for v in bounds if v), charge_total_a(setup)
    if total <= most + 1e-9:
        return
    to, label = _within_together(setup, most)
    yield warning(
        ("charging.max_charge_a", "other_chargers"),
        f"All chargers together give {total:g} A; the bank should get no more than {most:g} A.",
        "Each for itself may be within the limits, and on a sunny noon with the generator on "
        "they trip the BMS. A master that shares its limit would do too.",
        to,
        label,
    )


def _within_together(setup: Setup, most_a: float) -> tuple[dict[str, object], str]:
    """All chargers scaled down alike, so that together they stay within."""
    share = 0.9 * most_a / charge_total_a(setup)
    lower = [
        c.model_copy(update={"max_charge_a": amps_down(share * c.max_charge_a)})
        for c in setup.other_chargers
    ]
    changes: dict[str, object] = {
        "other_chargers": [c.model_dump(exclude_none=True) for c in lower]
    }
    if setup.charging and setup.charging.max_charge_a:
        changes["charging.max_charge_a"] = amps_down(share * setup.charging.max_charge_a)
    return changes, "Within the limits together"


def compensation(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Temperature compensation belongs to lead-acid."""
    charging, n = setup.charging, setup.cells
    if charging is None or not charging.compensation_mv_per_k:
        return
    cold_v = charging.absorption_v + 1e-3 * charging.compensation_mv_per_k * (COLD_C - MILD_C)
    judge = (
        error
        if cold_v / n > min(setup.protection.cell_over_voltage.trip_v, sheet_max_v(setup)) - 0.02
        else warning
    )
    yield judge(
        "charging.compensation_mv_per_k",
        f"Temperature compensation of {charging.compensation_mv_per_k:g} mV/K moves the "
        f"target to {cold_v:.2f} V at {COLD_C:g} °C, {cold_v / n:.3f} V a cell.",
        "A lead-acid feature. Lithium cells have one target at every temperature; in the "
        "cold this one runs into the trips, in the heat it leaves them unfilled.",
        {"charging.compensation_mv_per_k": None},
        "Off",
    )


def tail(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A tail current so large that absorption ends before the cells are level."""
    charging, bank_ah = setup.charging, setup.bank_ah
    if charging is None or not charging.tail_a or charging.tail_a <= EARLY_TAIL * bank_ah:
        return
    to = down(0.02 * bank_ah, 0.1) or 0.1
    yield warning(
        "charging.tail_a",
        f"Absorption ends as soon as the current falls to {charging.tail_a:g} A, "
        f"{charging.tail_a / bank_ah:.2f}C.",
        "At that current the pack is not full and the balancer has hardly begun. 0.02C "
        "to 0.05C are usual.",
        {"charging.tail_a": to},
    )


def table(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The table of rates: in order, nothing below freezing, nothing above the sheet, little in the
    cold.
    """
    charging = setup.charging
    if charging is None or not charging.rates:
        return
    steps = charging.rates
    usual_table = [s.model_dump() for s in usual_rates(setup)]
    if any(b.from_c <= a.from_c for a, b in pairwise(steps)):
        least = {s.from_c: min(o.c_rate for o in steps if o.from_c == s.from_c) for s in steps}
        ordered: list[dict[str, object]] = [
            {"from_c": c, "c_rate": rate} for c, rate in sorted(least.items())
        ]
        yield error(
            "charging.rates",
            "The steps of the rate table do not rise in temperature.",
            "A charger reads them from the coldest up. Of two steps at one temperature "
            "the lower counts.",
            {"charging.rates": ordered},
            "In order",
        )
        return
    freezing = [s for s in steps if s.from_c < 0.0 and s.c_rate > 0.0]
    if setup.plates and freezing:
        yield error(
            "charging.rates",
            f"The rate table charges with {freezing[0].c_rate:g}C from "
            f"{freezing[0].from_c:g} °C on, below "
            "freezing.",
            "Below 0 °C lithium plates on the anode. Only a cell whose sheet allows it may be "
            "charged there, and far more slowly.",
            {"charging.rates": usual_table},
            "The usual table",
        )
    elif fast := _too_fast(setup):
        at_c, rate, allowed = fast
        yield warning(
            "charging.rates",
            f"The rate table allows {rate:g}C at {at_c:g} °C; {allowed:g}C is usual there.",
            "The colder, and the hotter, the less a cell takes without plating or ageing. Only "
            "the cell's sheet allows more.",
            {"charging.rates": _slower(setup)},
            "Not above the usual table",
        )
    most = setup.sheet_charge_a / setup.capacity_ah if setup.sheet_charge_a else None
    if most and any(s.c_rate > most + 1e-9 for s in steps):
        to = down(most) or down(most, 1e-4)
        yield error(
            ("charging.rates", "cell.max_charge_a"),
            f"The rate table goes up to {max(s.c_rate for s in steps):g}C; the cell's sheet ends "
            f"at {most:.2f}C.",
            "The cell's sheet overrides everything.",
            {"charging.rates": [{"from_c": s.from_c, "c_rate": min(s.c_rate, to)} for s in steps]},
            f"At most {to:g}C",
        )


def _too_fast(setup: Setup) -> tuple[float, float, float] | None:
    """The first temperature at which the own table allows at least TWICE the usual one in the
    cold.
    """
    places = sorted({s.from_c for s in (*rates(setup)[0], *usual_rates(setup))})
    for at_c in (c for c in places if c < COOL_C):
        rate, allowed = rate_at(setup, at_c), usual_rate_at(setup, at_c)
        if rate >= TWICE * allowed - 1e-9 and rate > 0.0 and setup.plates:
            return at_c, rate, allowed
    return None


def _slower(setup: Setup) -> list[dict[str, float]]:
    """The own table, nowhere above the usual one."""
    places = sorted({s.from_c for s in (*rates(setup)[0], *usual_rates(setup))})
    lower = [
        {"from_c": c, "c_rate": min(rate_at(setup, c), usual_rate_at(setup, c))} for c in places
    ]
    return lower[-12:]


def in_the_cold(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The charger knows one current; the cells stand less in the cold."""
    cutoff, c_rate = setup.charge_cutoff, charger_rate(setup)
    if c_rate is None or cutoff is None or not setup.plates:
        return
    at_c = max(cutoff.trip_c, 0.0)  # it charges on down to the trip
    if at_c >= hot_end_c(setup):  # the window of temperature is crossed: another rule's matter
        return
    allowed = rate_at(setup, at_c)
    if c_rate <= allowed + 1e-9:
        return
    steps, source = rates(setup)
    back = next((s.from_c for s in steps if s.c_rate >= c_rate), None)
    until = f"to {back:g} °C" if back is not None else "at every temperature"
    closed = setup.link is not None and setup.link.mode == "closed"
    much = c_rate >= TWICE * allowed - 1e-9 and not closed
    to = amps_down(max(allowed, 0.05) * setup.bank_ah)
    yield (warning if much else note)(
        ("charging.max_charge_a", "charging.rates"),
        f"{c_rate:.2f}C down to {at_c:g} °C is more than the {allowed:g}C of the rate "
        f"table {until}.",
        "Plating begins before freezing when the current is high. A closed loop can step the "
        "current down; a plain charger cannot: then warm the pack, or charge slowly in winter "
        f"({source}).",
        {"charging.max_charge_a": to} if much else {},
    )


def strings(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The PV strings as set: what destroys the input, what works badly, what is a choice."""
    pv, here = setup.solar, solar.as_set(setup)
    if pv is None or here is None:
        return
    best = next((a for a in solar.arrangements(setup) if not a.forbidden), None)
    better = (
        best
        if best is not None and best.in_series != pv.in_series and best.rank < here.rank
        else None
    )
    fix: dict[str, object] = {"solar.in_series": better.in_series} if better else {}
    label = f"{better.title[0].upper()}{better.title[1:]}" if better else ""
    if pv.in_series > pv.modules:
        yield error(
            ("solar.in_series", "solar.modules"),
            f"{pv.in_series} in series, but there are {pv.modules} modules.",
            "Every string has the same number of modules.",
            {"solar.in_series": best.in_series if best else 1},
            label or "1 in series",
        )
        return
    for flaw in here.forbidden:
        yield error(
            ("solar.in_series", "solar.tracker.max_v"),
            f"{here.title.capitalize()}: {flaw.text}.",
            "Voltage rises in the cold, and the morning's first light gives nearly all "
            "of it. An input is destroyed at once, and no guarantee covers it.",
            fix,
            label,
        )
    tracker = pv.tracker
    bright_a = solar.CONTINUOUS * here.short_a
    if tracker.max_short_a and here.short_a <= tracker.max_short_a < bright_a:
        yield warning(
            ("solar.tracker.max_short_a", "solar.module.isc_a"),
            f"{here.title.capitalize()}: {here.short_a:.1f} A in short circuit, {bright_a:.1f} A "
            f"in the brightest sun; the input stands {tracker.max_short_a:g} A.",
            "Snow, clouds' edges and clear cold days give more than the standard sun: 1.25 "
            "times is reckoned with.",
            fix,
            label,
        )
    works = [d for d in here.doubts if d.kind not in solar.CHOICES]
    for flaw in works:
        yield (warning if better else note)(
            ("solar.in_series", "solar.tracker.from_v"),
            f"{here.title.capitalize()}: {flaw.text}.",
            "A fan that howls and a power that swings are signs of a wrong string, not "
            "of the weather.",
            fix,
            label,
        )
    if here.in_parallel >= 3:
        fed_a = solar.back_feed_a(pv, here.in_parallel)
        yield note(
            ("solar.in_series", "solar.module.isc_a"),
            f"{here.in_parallel} strings in parallel: a faulted one is fed with "
            f"{fed_a:.0f} A by the others.",
            "If that is more than the series fuse on the module's sheet, each string "
            "needs a fuse of its own, made for direct current.",
        )
    for flaw in (d for d in here.doubts if d.kind in solar.CHOICES):
        why = "More modules than the input takes give more on dull days; noon is cut off. A choice."
        yield note(
            ("solar.modules", "solar.tracker.max_a"),
            f"{here.title.capitalize()}: {flaw.text}.",
            why,
        )


RULES = (
    Rule(
        "target-beyond-sheet",
        beyond_sheet,
        "the cell's sheet; else usual windows, from memory of data sheets",
        stages=AT_BOTH,
    ),
    Rule(
        "other-charger-against-trip",
        others,
        "measured deviation where there is a log",
        stages=AT_CHARGE,
    ),
    Rule("chargers-together", together, "arithmetic; rates: common practice", stages=AT_CHARGE),
    Rule("temperature-compensation", compensation, COMMON, stages=AT_CHARGE),
    Rule("tail-current", tail, COMMON, stages=AT_CHARGE),
    Rule("rate-table", table, COMMON, stages=AT_CHARGE),
    Rule("rate-in-the-cold", in_the_cold, COMMON, stages=AT_CHARGE),
    Rule(
        "pv-string",
        strings,
        "the sheets as entered; NEC 690.7 and 690.8, from memory; local code decides",
        stages=AT_CHARGE,
    ),
)
