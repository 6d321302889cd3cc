"""The cable between two sockets: which pin goes to which, what a straight cable would do, which
pins must not meet, and what the meter should find.

Sockets are data: pins by number and what they carry. Which pins a device uses its own manual says;
the ones that ship are those of published standards.
"""

from collections.abc import Mapping
from dataclasses import dataclass

CAN, RS485 = ("can_h", "can_l"), ("d1_b", "d0_a")
GROUND = "ground"
SIGNALS = {
    "can_h": "CAN high", "can_l": "CAN low", "d1_b": "RS-485 B (D1)", "d0_a": "RS-485 A (D0)",
    "ground": "ground", "power": "supply", "other": "another signal",
}  # fmt: skip
T568B = ("white/orange", "orange", "white/green", "blue", "white/blue", "green", "white/brown",
         "brown")  # fmt: skip
T568A = ("white/green", "green", "white/orange", "blue", "white/blue", "orange", "white/brown",
         "brown")  # fmt: skip
PAIRS = ({1, 2}, {3, 6}, {4, 5}, {7, 8})  # twisted pairs of an RJ-45 cable: TIA-568
RJ45 = "rj45"


@dataclass(frozen=True, slots=True)
class Socket:
    """A socket: what each pin carries. ``kind`` rj45 has eight pins and wire colours."""

    title: str
    pins: Mapping[int, str]
    kind: str = RJ45
    source: str = ""

    def pin_of(self, signal: str) -> int | None:
        """The first pin that carries a signal."""
        return next((pin for pin, what in sorted(self.pins.items()) if what == signal), None)


STANDARD = {
    "can": Socket("RJ-45 by CiA 303-1", {1: "can_h", 2: "can_l", 3: "ground", 7: "ground"},
                  source="CiA 303-1, from memory"),
    "rs485": Socket("RJ-45 by the Modbus serial line", {4: "d1_b", 5: "d0_a", 8: "ground"},
                    source="Modbus over serial line V1.02, from memory"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Wire:
    """One wire of the cable to make. ``colour`` is that of T568B at the battery's end, "" where
    the plug has none.
    """

    battery: int
    signal: str
    inverter: int
    colour: str

    def to_json(self) -> dict[str, object]:
        """As the headless contract has it."""
        found: dict[str, object] = {
            "battery": self.battery, "signal": self.signal, "inverter": self.inverter,
        }  # fmt: skip
        return found | ({"colour": self.colour} if self.colour else {})


@dataclass(frozen=True, slots=True)
class Cable:
    """The cable to make. ``straight`` is what a straight one would do: right, wrong, or dead
    (nothing reaches the other end).
    """

    wires: tuple[Wire, ...]
    straight: str
    why: str
    never_meet: tuple[tuple[int, int], ...]
    notes: tuple[str, ...]
    meter: tuple[str, ...]


def cable(battery: Socket, inverter: Socket, transport: str) -> Cable:
    """The cable between a battery's and an inverter's socket, for ``can`` or ``rs485``."""
    pair = CAN if transport == "can" else RS485
    wires = tuple(_wires(battery, inverter, (*pair, GROUND)))
    straight, why = _straight(battery, inverter, pair)
    return Cable(
        wires,
        straight,
        why,
        tuple(_never(battery, inverter)),
        tuple(_notes(battery, inverter, pair, wires)),
        tuple(_meter(wires, transport)),
    )


def _wires(battery: Socket, inverter: Socket, signals: tuple[str, ...]) -> list[Wire]:
    out: list[Wire] = []
    for signal in signals:
        here, there = battery.pin_of(signal), inverter.pin_of(signal)
        if here is not None and there is not None:
            colour = T568B[here - 1] if battery.kind == RJ45 and 1 <= here <= len(T568B) else ""
            out.append(Wire(here, signal, there, colour))
    return out


def _straight(battery: Socket, inverter: Socket, pair: tuple[str, ...]) -> tuple[str, str]:
    """What pin to the same pin would do."""
    if battery.kind != inverter.kind:
        return "wrong", "the plugs are not alike"
    clash = next(
        (
            (pin, what, inverter.pins[pin])
            for pin, what in sorted(battery.pins.items())
            if pin in inverter.pins and inverter.pins[pin] != what
        ),
        None,
    )
    if clash:
        pin, here, there = clash
        return "wrong", f"pin {pin}: {SIGNALS[here]} would meet {SIGNALS[there]}"
    joined = [s for s in pair if battery.pin_of(s) and battery.pin_of(s) == inverter.pin_of(s)]
    if len(joined) == len(pair):
        return "right", "both use the same pins"
    return "dead", "the pins of one end are empty at the other: nothing is heard"


def _never(battery: Socket, inverter: Socket) -> list[tuple[int, int]]:
    """Pins of the battery and of the inverter that must not be joined: a supply with anything but
    itself, and the two lines of a pair with each other.
    """
    swapped = {("can_h", "can_l"), ("can_l", "can_h"), ("d1_b", "d0_a"), ("d0_a", "d1_b")}
    out: list[tuple[int, int]] = []
    for here, what in sorted(battery.pins.items()):
        for there, other in sorted(inverter.pins.items()):
            supply = "power" in (what, other) and what != other
            if supply or (what, other) in swapped:
                out.append((here, there))
    return out


def _notes(
    battery: Socket, inverter: Socket, pair: tuple[str, ...], wires: tuple[Wire, ...]
) -> list[str]:
    out: list[str] = []
    have = {w.signal for w in wires}
    for signal in pair:
        if signal not in have:
            end = "battery" if battery.pin_of(signal) is None else "inverter"
            out.append(f"no pin of the {end}'s socket is said to carry {SIGNALS[signal]}")
    if GROUND not in have:
        out.append("no ground is joined: over some metres, or with chargers on, the link may fail")
    for title, socket in (("battery", battery), ("inverter", inverter)):
        pins = {pin for s in pair if (pin := socket.pin_of(s)) is not None}
        if socket.kind == RJ45 and len(pins) == len(pair) and pins not in PAIRS:
            out.append(f"the {title}'s two lines are not on one twisted pair: keep the cable short")
    return out


def _meter(wires: tuple[Wire, ...], transport: str) -> list[str]:
    """What to measure: all but the last on the cable alone, by the pins of its plugs."""
    out = [
        f"battery {w.battery} to inverter {w.inverter} ({SIGNALS[w.signal]}): under 1 Ω"
        for w in wires
    ]
    pins = [w.battery for w in wires]
    out += [f"battery {a} to battery {b}: open" for i, a in enumerate(pins) for b in pins[i + 1 :]]
    lines = "CAN high and low" if transport == "can" else "A and B"
    return [*out, f"between {lines}, plugged in at both ends, power off: 60 Ω"]
