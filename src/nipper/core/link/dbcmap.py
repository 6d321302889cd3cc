"""A maker's own DBC made usable: which signal tells which quantity, proposed by unit and name, what
is still missing, and the profile file that says so.
"""

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from nipper.core.documents import checked, read_text
from nipper.core.errors import InputError
from nipper.core.files import write_whole
from nipper.core.link.profile import Profile, ProfileFile, load_profile, read_dbc
from nipper.core.link.quantities import BY_NAME, NEEDED, QUANTITIES

if TYPE_CHECKING:
    from cantools.database.can import Message

FLOAT_MOST = 1_000_000  # of a signal that is a floating point number: no bound of its own
MOST_SIGNALS = 600  # that anybody would go through by hand
USUAL_MS = 1000  # a message whose period the file does not tell: common practice
Key = tuple[str, str]  # message, signal

# units as they are written, by what Nipper calls them
UNITS = {
    "V": {"v", "volt", "volts"}, "A": {"a", "amp", "amps", "ampere"}, "%": {"%", "percent", "pct"},
    "°C": {"°c", "degc", "c", "deg c", "celsius"}, "Ah": {"ah", "amperehour"}, "": {"", "-", "bit"},
}  # fmt: skip
# the words of a signal's name that speak for a quantity; all groups must be met. From memory: what
# such names usually are, in no product's own spelling
CHARGE, DISCHARGE = r"(?<!dis)(?<!dis_)(?:charge|charging|chg|ccl|cvl)", r"(?:dis_?ch|dcl|dvl)"
LIMIT = r"(?:lim|max|ccl|dcl|cvl|dvl|request|req|target|setpoint|allowed|permitted)"
SPEAKS: dict[str, tuple[str, ...]] = {
    "charge_voltage_limit_v": (CHARGE, LIMIT),
    "discharge_voltage_limit_v": (DISCHARGE, LIMIT + r"|(?:min|cut)"),
    "charge_current_limit_a": (CHARGE, LIMIT),
    "discharge_current_limit_a": (DISCHARGE, LIMIT),
    "soc_pct": (r"(?:soc|state_?of_?charge)",),
    "soh_pct": (r"(?:soh|state_?of_?health)",),
    "highest_cell_v": (r"cell", r"(?:max|high)"),
    "lowest_cell_v": (r"cell", r"(?:min|low)"),
    "pack_v": (r"(?:^|_)(?:pack|batt(?:ery)?|bank|total|bus|dc)?_?(?:volt|voltage|v)(?:$|_)",),
    "current_a": (r"(?:^|_)(?:pack|batt(?:ery)?|bank|total|bus|dc)?_?(?:curr|current|i)(?:$|_)",),
    "temperature_c": (r"temp",),
    "capacity_ah": (r"^(?!.*(?:remain|left|resid)).*cap",),
    "packs_online": (r"(?:pack|module|batter)", r"(?:count|number|num|online|parallel)"),
    "cells_in_series": (r"cell", r"(?:count|number|num|series)"),
    "alarms": (r"(?:alarm|protection|fault|error)",),
    "charge_allowed": (CHARGE, r"(?:enable|allow|permit)"),
    "discharge_allowed": (DISCHARGE, r"(?:enable|allow|permit)"),
    "alive": (r"(?:alive|counter|heartbeat|rolling)",),
}


@dataclass(frozen=True, slots=True)
class SignalOf:
    """A signal of a DBC: where it stands, its unit, between which values it can be, and the
    quantity it seems to tell ("": none).
    """

    key: Key
    identifier: int
    unit: str
    low: float
    high: float
    proposed: str
    comment: str = ""


@dataclass(frozen=True, slots=True)
class Mapped:
    """What was decided: signals by quantity, and how the profile is to be read."""

    name: str
    bit_rate: int
    chosen: Mapping[Key, str]
    limits_of: Literal["bank", "pack"] = "bank"
    current_positive: Literal["charging", "open"] = "charging"


def signals(dbc: str, file: str) -> list[SignalOf]:
    """All signals of a DBC in the order of the file, each quantity proposed once.

    Raises
    ------
    InputError
        The text is no DBC, or has more signals than can be gone through.
    """
    taken: set[str] = set()
    out: list[SignalOf] = []
    messages = read_dbc(dbc, file).messages
    if sum(len(m.signals) for m in messages) > MOST_SIGNALS:
        expected = f"at most {MOST_SIGNALS} signals: keep the messages the battery sends"
        raise InputError(file, "the DBC file", expected)
    for message in messages:
        for one in _of_message(message):
            proposed = next((q for q in _could_be(one) if q not in taken), "")
            taken.add(proposed)
            out.append(replace(one, proposed=proposed))
    return out


def _of_message(message: "Message") -> list[SignalOf]:
    out: list[SignalOf] = []
    for s in message.signals:
        scale, offset = float(s.scale), float(s.offset)
        least, most = (0, (1 << s.length) - 1)
        if s.is_signed:
            least, most = -(1 << (s.length - 1)), (1 << (s.length - 1)) - 1
        if s.is_float:
            least, most = -FLOAT_MOST, FLOAT_MOST
        ends = (least * scale + offset, most * scale + offset)
        comment = " ".join((s.comment or "").split())[:200]
        key = (message.name, s.name)
        out.append(SignalOf(key, message.frame_id, s.unit or "", min(ends), max(ends), "", comment))
    return out


def _could_be(one: SignalOf) -> list[str]:
    """The quantities a signal may tell, by unit and by name; more words met come first."""
    name = _words(one.key[1])
    fits = [
        q.name
        for q in QUANTITIES
        if one.unit.strip().lower() in UNITS.get(q.unit, set())
        and all(re.search(group, name) for group in SPEAKS[q.name])
    ]
    return sorted(fits, key=lambda q: -len(SPEAKS[q]))


def _words(name: str) -> str:
    """``MaxChargeCurrent`` and ``MAX_CHARGE_CURRENT`` as max_charge_current."""
    parted = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", "_", name)
    return re.sub(r"[\W_]+", "_", parted).lower()


def doubts(found: Sequence[SignalOf], chosen: Mapping[Key, str]) -> list[str]:
    """What speaks against a mapping, in words; empty where nothing does."""
    out: list[str] = []
    by_key = {one.key: one for one in found}
    times: dict[str, int] = {}
    for key, quantity in chosen.items():
        one, known = by_key[key], BY_NAME[quantity]
        times[quantity] = times.get(quantity, 0) + 1
        if one.unit and one.unit.strip().lower() not in UNITS.get(known.unit, set()):
            out.append(f"{key[1]} is in {one.unit}; {known.title} is in {known.unit or 'numbers'}")
        if one.high < known.least or one.low > known.most:
            out.append(f"{key[1]} goes from {one.low:g} to {one.high:g}: no {known.title}")
    out += [f"{BY_NAME[q].title} is told twice" for q, n in times.items() if n > 1]
    return out


def missing(chosen: Mapping[Key, str]) -> list[str]:
    """What a closed loop needs and nothing tells yet, in words."""
    return [BY_NAME[q].title for q in NEEDED if q not in chosen.values()]


def save(mapped: Mapped, dbc: Path) -> Profile:
    """Write the profile beside its DBC, and load it as any other.

    Raises
    ------
    InputError
        The DBC cannot be read, or nothing was chosen that a profile could hold.
    """
    database = read_dbc(read_text(dbc), dbc.name)
    messages: list[dict[str, object]] = []
    for message in database.messages:
        told = {s: q for (name, s), q in mapped.chosen.items() if name == message.name}
        if told:
            period_ms = message.cycle_time or USUAL_MS
            messages.append({"name": message.name, "period_ms": period_ms, "signals": told})
    document = {
        "format": "nipper-link-profile", "version": 1, "name": mapped.name,
        "title": f"{dbc.stem}, mapped by hand", "source": f"{dbc.name}, mapped by hand",
        "transport": "can", "bit_rate": mapped.bit_rate, "dbc": dbc.name,
        "limits_of": mapped.limits_of, "current_positive": mapped.current_positive,
        "messages": messages,
    }  # fmt: skip
    checked(ProfileFile, document, mapped.name)
    path = dbc.with_name(f"{mapped.name}.json")
    if path.exists():
        raise InputError(str(path), "the name", "one that is not taken yet")
    write_whole(path, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
    try:
        return load_profile(str(path))
    except InputError:
        path.unlink()
        raise
