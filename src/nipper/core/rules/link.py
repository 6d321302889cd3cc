"""Battery and inverter: the link's settings against the pack's limits."""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.link.protocols import offers
from nipper.core.link.switches import is_rate, longest_m, rates
from nipper.core.rules.base import AT_LINK, COMMON, Evidence, Rule, amps_down, error, note, warning
from nipper.core.rules.guard import within
from nipper.core.setup import Setup


def transport(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A closed loop needs a way to talk."""
    link = setup.link
    if link is None or link.mode != "closed" or link.transport != "none":
        return
    yield error(
        ("link.mode", "link.transport"),
        "The inverter waits for the BMS's limits, but there is no transport.",
        "It then runs on its fallback or stops after its time-out.",
        {"link.mode": "open"},
        "Open loop",
    )


def time_out(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """How long the inverter goes on with old limits when the link is lost."""
    link = setup.link
    if (
        link is None
        or link.mode != "closed"
        or link.loss_timeout_s is None
        or link.loss_timeout_s <= 60
    ):
        return
    yield warning(
        "link.loss_timeout_s",
        f"When the link is lost the inverter goes on for {link.loss_timeout_s:g} s with "
        "the last limits.",
        "10 s is usual. Choose knowingly whether it then stops or falls back on its own "
        "voltages, and pull the plug to see.",
        {"link.loss_timeout_s": 10.0},
    )


def inverter_current(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An open-loop inverter that charges or draws more than the packs' trips, fuses and leads
    allow.
    """
    link, p, packs = setup.link, setup.protection, setup.packs_in_parallel
    if link is None:
        return
    for side, most, limit, word in (
        ("charge", link.inverter_max_charge_a, p.charge_over_current, "charge with"),
        ("discharge", link.inverter_max_discharge_a, p.discharge_over_current, "draw"),
    ):
        bounds = (limit.trip_a if limit else None, *within(setup, side))
        known = [v for v in bounds if v]
        if most is None or not known or most <= min(known) * packs + 1e-9:
            continue
        what = "trip at" if limit and limit.trip_a == min(known) else "carry"
        path = f"link.inverter_max_{side}_a"
        text = (
            f"The inverter may {word} {most:g} A; {packs} pack{'s' if packs > 1 else ''} {what} "
            f"{min(known) * packs:g} A."
        )
        to = amps_down(0.9 * min(known) * packs)
        closed = link.mode == "closed" and (link.on_loss == "stop" or what == "trip at")
        why = (
            "The closed loop lowers it; if the link is lost, only this number is left."
            if closed
            else "Without the BMS's limits it does not know, and runs into the weakest part "
            "of the path."
        )
        yield (note if closed else warning)(path, text, why, {path: to}, f"At most {to:g} A")


def bit_rate(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A bus has one of a few rates; another one is a slip."""
    link = setup.link
    if link is None or link.transport == "none" or link.bit_rate is None:
        return
    if is_rate(link.transport, link.bit_rate):
        return
    usual = USUAL_RATE[link.transport]
    shown = ", ".join(str(r) for r in rates(link.transport))
    bus = "CAN" if link.transport == "can" else "RS-485"
    yield error(
        "link.bit_rate",
        f"No {bus} bus has {link.bit_rate} bit/s.",
        f"It is one of {shown} bit/s, the same at both ends.",
        {"link.bit_rate": usual},
        f"{usual} bit/s",
    )


def bus_length(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The faster a bus, the shorter it must be."""
    link = setup.link
    if link is None or link.transport == "none" or not link.bit_rate or not link.bus_length_m:
        return
    most_m = longest_m(link.transport, link.bit_rate)
    if most_m is None or link.bus_length_m <= most_m:
        return
    slower = [r for r in rates(link.transport) if (longest_m(link.transport, r) or 0.0) >= most_m]
    fits = [r for r in slower if (longest_m(link.transport, r) or 0.0) >= link.bus_length_m]
    yield warning(
        ("link.bus_length_m", "link.bit_rate"),
        f"{link.bus_length_m:g} m are too long for {link.bit_rate} bit/s: at most {most_m:g} m.",
        "It works on the bench and fails on some days. Where both ends can, choose a slower rate.",
        {"link.bit_rate": fits[0]} if fits else {},
        f"{fits[0]} bit/s" if fits else "",
    )


def protocols(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Both ends must be set to one protocol that both offer."""
    link = setup.link
    if link is None or link.mode != "closed":
        return
    found = offers(setup)
    if not found.known or found.both:
        return
    yield error(
        ("link.battery_protocols", "link.inverter_protocols"),
        "Battery and inverter offer no protocol in common.",
        f"The battery offers {', '.join(found.battery_only)}; the inverter "
        f"{', '.join(found.inverter_only)}. The same one may "
        "stand under another name: ask either maker. Until then the bank runs open loop.",
        {"link.mode": "open"},
        "Open loop",
    )


def by_percentage(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Control by percentage: alarm above the cut, the start again above it too."""
    link = setup.link
    if link is None or link.low_cut_pct is None:
        return
    cut = link.low_cut_pct
    for name, pct, word in (
        ("low_alarm_pct", link.low_alarm_pct, "warns"),
        ("low_restart_pct", link.low_restart_pct, "starts again"),
        ("charge_start_pct", link.charge_start_pct, "charges again"),
    ):
        if pct is None or pct > cut:
            continue
        to = min(100.0, cut + APART_PCT)
        path = f"link.{name}"
        yield error(
            (path, "link.low_cut_pct"),
            f"The inverter {word} at {pct:g} %, and cuts off at {cut:g} %: it must be above.",
            "Else it comes too late, or the inverter switches to and fro.",
            {path: to},
            f"{to:g} %",
        )


APART_PCT = 5.0  # between alarm, cut and start again: common practice
USUAL_RATE = {"can": 500_000, "rs485": 9600}  # common practice

RULES = (
    Rule("closed-loop-without-transport", transport, "arithmetic", stages=AT_LINK),
    Rule("link-time-out", time_out, COMMON, stages=AT_LINK),
    Rule("inverter-current-against-trips", inverter_current, COMMON, stages=AT_LINK),
    Rule(
        "no-such-bit-rate",
        bit_rate,
        "CiA 301 and common practice of RS-485, from memory",
        stages=AT_LINK,
    ),
    Rule("no-common-protocol", protocols, "arithmetic", stages=AT_LINK),
    Rule("percentage-control-order", by_percentage, COMMON, stages=AT_LINK),
    Rule("bus-too-long", bus_length, "CiA 303-1 and TIA-485-A, from memory", stages=AT_LINK),
)
