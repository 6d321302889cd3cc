"""The document of ``nipper link``: everything about the link that can be computed from a setup."""

from nipper.core.errors import InputError
from nipper.core.link.cable import STANDARD, Cable, Socket, cable
from nipper.core.link.codec import encode
from nipper.core.link.expect import expected, told_values
from nipper.core.link.points import load_registers, write
from nipper.core.link.profile import load_file, load_profile
from nipper.core.link.quantities import BY_NAME
from nipper.core.link.switches import addresses, ends, is_rate, longest_m
from nipper.core.setup import Setup
from nipper.core.setup.pins import parse_pins
from nipper.core.sources.openloop import sheet
from nipper.core.wiring.chain import Chain, chain

USUAL_PROFILE, USUAL_REGISTERS = "limits-can", "registers-simple"
TERMINATED_OHM = 60


def link_cable(setup: Setup) -> tuple[Cable, bool]:
    """The cable, and whether a socket of it was not said and the standard's was taken."""
    link = setup.link
    transport = "rs485" if link and link.transport == "rs485" else "can"
    standard = STANDARD[transport]
    texts = (link.battery_pins, link.inverter_pins) if link else (None, None)
    sockets = [Socket("as typed", parse_pins(t)) if t else standard for t in texts]
    return cable(sockets[0], sockets[1], transport), not all(texts)


def to_json(setup: Setup) -> dict[str, object]:
    """The whole document. A profile that cannot be used is told among the doubts, and then no
    frames are shown.
    """
    return {
        "format": "nipper-link",
        "version": 1,
        "chain": _chains(setup),
        "addresses": [a.to_json() for a in addresses(setup)],
        "cable": _cable(setup),
        "termination": {"ends": list(ends(setup)), "meter_ohm": TERMINATED_OHM},
        "open_loop": [line.to_json() for line in sheet(setup)],
        "expect": _expect(setup),
        "frames": _frames(setup),
        "registers": _registers(setup),
        "doubts": doubts(setup),
    }


def _chains(setup: Setup) -> dict[str, object]:
    charge, discharge = chain(setup, "charge"), chain(setup, "discharge")
    out: dict[str, object] = {}
    for name, side in (("charge", charge), ("discharge", discharge)):
        out |= _side(name, side)
    out["one_pack_off"] = {
        "charge_limit_a": _amps(charge.one_off_a),
        "discharge_limit_a": _amps(discharge.one_off_a),
    }
    return out


def _side(name: str, side: Chain) -> dict[str, object]:
    return {
        name: [part.to_json() for part in side.parts],
        f"{name}_limit_a": _amps(side.limit_a),
        f"{name}_weakest": side.weakest or None,
    }


def _amps(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def _cable(setup: Setup) -> dict[str, object]:
    found, assumed = link_cable(setup)
    why = "a socket is not said: nobody knows what a straight cable does" if assumed else found.why
    return {
        "wires": [w.to_json() for w in found.wires],
        "straight": "unknown" if assumed else found.straight,
        "why": why,
        "never_meet": [list(pair) for pair in found.never_meet],
        "notes": list(found.notes),
        "meter": list(found.meter),  # on the cable alone, the last with both ends plugged in
        "assumed": assumed,
    }


def _expect(setup: Setup) -> dict[str, float]:
    named = {"charge_voltage_limit_v": "charge_voltage_v"}
    named |= {f"{side}_current_limit_a": f"{side}_limit_a" for side in ("charge", "discharge")}
    out: dict[str, float] = {}
    for line in expected(setup):
        if line.value is not None:
            whole = line.quantity in ("packs_online", "cells_in_series", "alarms")
            name = named.get(line.quantity, line.quantity)
            out[name] = int(line.value) if whole else round(line.value, 3)
    return out


def _frames(setup: Setup) -> list[dict[str, object]]:
    link = setup.link
    if link and link.transport == "rs485":
        return []  # registers are asked for, nothing is sent by itself
    try:
        profile = load_profile((link.profile if link else None) or USUAL_PROFILE)
    except InputError:
        return []  # told among the doubts
    return [
        {
            "id": sent.frame.id,
            "extended": sent.frame.extended,
            "message": sent.message,
            "data_hex": sent.frame.data.hex().upper(),
            "period_ms": sent.period_ms,
            "meaning": dict(sent.meaning),
        }
        for sent in encode(profile, told_values(setup))
    ]


def _registers(setup: Setup) -> list[dict[str, int]]:
    """What a battery of these settings holds in its registers, at rest and half full."""
    link = setup.link
    if link is None or link.transport != "rs485":
        return []
    try:
        profile = load_registers(link.profile or USUAL_REGISTERS)
    except InputError:
        return []  # told among the doubts
    held = write(profile, told_values(setup))
    return [{"address": address, "value": held[address]} for address in sorted(held)]


def _of_profile(setup: Setup) -> list[str]:
    link = setup.link
    if link is None:
        return []
    if link.transport == "rs485":
        load_registers(link.profile or USUAL_REGISTERS)
        return []
    profile = load_file(link.profile or USUAL_PROFILE)
    out = [f"the profile does not carry {BY_NAME[q].title}" for q in profile.missing]
    if link.bit_rate and link.bit_rate != profile.bit_rate:
        out.append(f"the profile talks at {profile.bit_rate} bit/s, {link.bit_rate} is set")
    return out


def doubts(setup: Setup) -> list[str]:
    """What the setup leaves open, or what cannot be as it is said."""
    link = setup.link
    if link is None or link.transport == "none":
        return ["no way to talk is chosen: the inverter runs on the open-loop values"]
    out: list[str] = []
    try:
        out += _of_profile(setup)
    except InputError as error:
        out.append(f"the profile cannot be used: {error.expected} is expected")
    if link_cable(setup)[1]:
        out.append(
            "the pins of a socket are not said: the standard's are taken; both manuals decide"
        )
    rate = link.bit_rate
    if rate and not is_rate(link.transport, rate):
        out.append(f"{rate} bit/s: no such bus has that rate")
    most_m = longest_m(link.transport, rate) if rate else None
    if link.bus_length_m and most_m and link.bus_length_m > most_m:
        out.append(f"{link.bus_length_m:g} m are too long for {rate} bit/s: at most {most_m:g} m")
    return out
