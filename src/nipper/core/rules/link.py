"""Battery and inverter: the link's settings against the pack's limits."""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import COMMON, Evidence, Rule, error, note, warning
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
        f"When the link is lost the inverter goes on for {link.loss_timeout_s:g} s with the last limits.",
        "10 s is usual. Choose knowingly whether it then stops or falls back on its own voltages, and pull the plug to see.",
        {"link.loss_timeout_s": 10.0},
        "Time-out 10 s",
    )


def inverter_current(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An open-loop inverter that charges or draws more than the packs' trips allow."""
    link, p, packs = setup.link, setup.protection, setup.packs_in_parallel
    if link is None:
        return
    for path, most, limit, word in (
        (
            "link.inverter_max_charge_a",
            link.inverter_max_charge_a,
            p.charge_over_current,
            "charge with",
        ),
        (
            "link.inverter_max_discharge_a",
            link.inverter_max_discharge_a,
            p.discharge_over_current,
            "draw",
        ),
    ):
        if most is None or limit is None or most <= limit.trip_a * packs:
            continue
        text = f"The inverter may {word} {most:g} A; {packs} pack{'s' if packs > 1 else ''} trip at {limit.trip_a * packs:g} A."
        to = float(int(0.9 * limit.trip_a * packs))
        if link.mode == "open":
            yield warning(
                path,
                text,
                "Without the BMS's limits it does not know and runs into the trip.",
                {path: to},
                f"At most {to:g} A",
            )
        else:
            yield note(
                path,
                text,
                "The closed loop lowers it; if the link is lost, only this number is left.",
                {path: to},
                f"At most {to:g} A",
            )


RULES = (
    Rule("closed-loop-without-transport", transport, "arithmetic"),
    Rule("link-time-out", time_out, COMMON),
    Rule("inverter-current-against-trips", inverter_current, COMMON),
)
