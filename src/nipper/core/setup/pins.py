"""What the pins of a socket carry, as it is typed: ``4 can_h, 5 can_l, 8 ground``."""

import re

SIGNALS = ("can_h", "can_l", "d1_b", "d0_a", "ground", "power", "other")
# how people and manuals call them
ALSO = {
    "canh": "can_h", "can-h": "can_h", "can+": "can_h", "h": "can_h",
    "canl": "can_l", "can-l": "can_l", "can-": "can_l", "l": "can_l",
    "b": "d1_b", "485b": "d1_b", "rs485b": "d1_b", "d1": "d1_b",
    "a": "d0_a", "485a": "d0_a", "rs485a": "d0_a", "d0": "d0_a",
    "gnd": "ground", "can_gnd": "ground", "common": "ground", "0v": "ground",
    "vcc": "power", "v+": "power", "5v": "power", "12v": "power", "24v": "power",
}  # fmt: skip
ONE = re.compile(r"^(\d{1,2})\s*[:=]?\s*([A-Za-z0-9_+-]{1,12})$")
MOST_PINS = 25


def parse_pins(text: str) -> dict[int, str]:
    """The pins by number and what each carries.

    Raises
    ------
    ValueError
        What was typed is no list of pins: says which part.
    """
    out: dict[int, str] = {}
    for part in re.split(r"[,;\n]+", text):
        if not part.strip():
            continue
        found = ONE.match(part.strip())
        word = found[2].lower() if found else ""
        signal = ALSO.get(word, word)
        if found is None or signal not in SIGNALS:
            raise ValueError(f"pins such as 4 can_h, 5 can_l, 8 ground ({part.strip()[:30]!r})")
        pin = int(found[1])
        if not 1 <= pin <= MOST_PINS:
            raise ValueError(f"pins from 1 to {MOST_PINS}")
        if pin in out:
            raise ValueError(f"each pin once, {pin} is given twice")
        out[pin] = signal
    if not out:
        raise ValueError("pins such as 4 can_h, 5 can_l, 8 ground")
    return out
