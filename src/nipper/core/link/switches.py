"""Address switches, roles along the bus, termination, and how long a bus may be."""

from collections.abc import Sequence
from dataclasses import dataclass

from nipper.core.errors import RangeError
from nipper.core.setup import Setup, pack_names, pack_setups

SWITCHES = 4  # of most packs: common practice
MOST_SWITCHES = 8
# longest bus by bit rate, m: CiA 301 / 303-1, from memory
CAN_LENGTH_M = {
    1_000_000: 25, 800_000: 50, 500_000: 100, 250_000: 250, 125_000: 500, 50_000: 1000,
    20_000: 2500, 10_000: 5000,
}  # fmt: skip
RS485_RATES = (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)
RS485_BIT_M, RS485_LONGEST_M = 1e8, 1200  # rate times length: TIA-485-A guide, from memory


def positions(
    address: int, count: int = SWITCHES, on_is: int = 1, lowest_first: bool = True
) -> str:
    """The switches of an address, ``1`` is a switch that is ON; the first switch stands first.

    Parameters
    ----------
    on_is : what a switch that is ON counts, 1 or 0
    lowest_first : whether switch 1 is the lowest bit

    Raises
    ------
    ValueError
        The address does not fit so many switches.
    """
    if not 0 <= address < 1 << count:
        raise ValueError(f"{count} switches count from 0 to {(1 << count) - 1}")
    bits = [(address >> i) & 1 for i in range(count)]
    shown = [b if on_is else 1 - b for b in bits]
    return "".join(map(str, shown if lowest_first else shown[::-1]))


def address_of(switches: str, on_is: int = 1, lowest_first: bool = True) -> int:
    """The address that switches set; the other way round of :func:`positions`."""
    bits = [int(s) for s in (switches if lowest_first else switches[::-1])]
    return sum((b if on_is else 1 - b) << i for i, b in enumerate(bits))


UP, DOWN = frozenset("1uU↑^"), frozenset("0dD↓vV")
WORDS = {"up": "1", "on": "1", "down": "0", "off": "0"}


def seen(picture: str) -> str:
    """The switches as one sees them, typed as ``1010``, ``udud`` or ``up down up down``, as 1 for a
    switch that is ON.

    Raises
    ------
    RangeError
        Something else was typed, or no switch, or more than eight.
    """
    words = picture.replace(",", " ").split()
    letters = [WORDS.get(word.lower(), word) for word in words]
    letters = letters if len(letters) > 1 else list("".join(letters))
    if not 1 <= len(letters) <= MOST_SWITCHES or not set(letters) <= UP | DOWN:
        expected = f"1 to {MOST_SWITCHES} switches, 1 or u for ON, 0 or d for OFF"
        raise RangeError(f"expected {expected}, found {picture.strip()[:40]!r}")
    return "".join("1" if letter in UP else "0" for letter in letters)


@dataclass(frozen=True, slots=True)
class Address:
    """One pack on the bus. ``role``: host, pack, end (the last one), or single."""

    pack: str
    address: int
    role: str
    switches: str

    def to_json(self) -> dict[str, object]:
        """As the headless contract has it."""
        return {
            "pack": self.pack,
            "address": self.address,
            "role": self.role,
            "switches": self.switches,
        }


def addresses(setup: Setup) -> list[Address]:
    """Every pack with its address: as set, else counted on from the first one's."""
    link = setup.link
    count = link.switch_count if link else SWITCHES
    on_is = int(link.switch_on_means) if link else 1
    names, packs = pack_names(setup), pack_setups(setup)
    first = link.address if link and link.address is not None else 1
    hosts = [i for i, pack in enumerate(packs) if pack.link and pack.link.host]
    out: list[Address] = []
    for i, (name, pack) in enumerate(zip(names, packs, strict=True)):
        own = pack.link.address if pack.link and "link.address" in pack.own else None
        address = own if own is not None else first + i
        wide = max(count, address.bit_length())
        out.append(
            Address(name, address, _role(i, len(packs), hosts), positions(address, wide, on_is))
        )
    return out


def _role(index: int, count: int, hosts: Sequence[int]) -> str:
    if index in (hosts or [0]):
        return "host"
    return "end" if index == count - 1 else "pack"


def ends(setup: Setup) -> tuple[str, str]:
    """Between which two the bus runs, where the 120 ohm belong: inverter and last pack."""
    return "inverter", pack_names(setup)[-1]


@dataclass(frozen=True, slots=True)
class Ohms:
    """What the meter shows across the pair, power off, and what it means."""

    low: float
    high: float
    means: str


METER = (
    Ohms(0.0, 5.0, "the two lines touch each other"),
    Ohms(5.0, 34.0, "four or more resistors: take out all but the two at the ends"),
    Ohms(34.0, 48.0, "three resistors: one in the middle has to go"),
    Ohms(48.0, 75.0, "right: 120 Ω at both ends"),
    Ohms(75.0, 100.0, "two resistors and something in series: a poor contact or a long thin cable"),
    Ohms(100.0, 150.0, "only one end is terminated, or the cable is open in the middle"),
    Ohms(150.0, float("inf"), "no resistor is reached: none is fitted, or the cable is open"),
)


def means(ohm: float) -> str:
    """What a reading across the pair means; everything off, both ends plugged in."""
    return next(o.means for o in METER if o.low <= ohm < o.high) if ohm >= 0 else "no resistance"


def longest_m(transport: str, bit_rate: int) -> float | None:
    """How long the bus may be, m; None where no such rate is known."""
    if transport == "can":
        known = [m for rate, m in CAN_LENGTH_M.items() if rate >= bit_rate]
        return float(max(known)) if known else None  # between two rates the faster one's
    if bit_rate <= 0:
        return None
    return min(RS485_LONGEST_M, RS485_BIT_M / bit_rate)


def is_rate(transport: str, bit_rate: int) -> bool:
    """Whether such a bus has that rate."""
    return bit_rate in (CAN_LENGTH_M if transport == "can" else RS485_RATES)


def rates(transport: str) -> Sequence[int]:
    """The rates of such a bus, highest first."""
    return sorted(CAN_LENGTH_M if transport == "can" else RS485_RATES, reverse=True)
