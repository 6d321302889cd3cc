"""Frames to meaning and back, by a profile. Whatever arrives, a wrong value is never passed on: a
frame of the wrong length, an absent value and one out of range are told, not taken.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import isfinite
from typing import TYPE_CHECKING, cast

from nipper.core.link.profile import Profile
from nipper.core.link.quantities import BY_NAME

if TYPE_CHECKING:
    from cantools.database.can import Message, Signal


@dataclass(frozen=True, slots=True)
class Frame:
    """A CAN frame as it is on the wire; ``time_s`` where it is known."""

    id: int
    data: bytes
    extended: bool = False
    time_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Sent:
    """A frame to be sent, how often, and what it means."""

    frame: Frame
    message: str
    period_ms: int
    meaning: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Decoded:
    """What a frame says: the message's name ("" where the profile knows none of that identifier),
    the quantities it carries, and what is wrong with it.
    """

    message: str
    values: Mapping[str, float] = field(default_factory=dict[str, float])
    troubles: tuple[str, ...] = ()


def encode(profile: Profile, values: Mapping[str, float], counter: int = 0) -> list[Sent]:
    """The frames that tell these quantities; a message none of whose quantities is known is left
    out. Values are clipped to what a signal can hold.
    """
    out: list[Sent] = []
    values = _as_told(profile, values)
    for told in profile.file.messages:
        message = profile.database.get_message_by_name(told.name)
        meaning = {q: values[q] for q in told.signals.values() if q in values}
        if "alive" in told.signals.values():
            meaning["alive"] = float(counter)
        if not meaning:
            continue
        by_signal = {s: meaning[q] for s, q in told.signals.items() if q in meaning}
        raw = {s.name: _raw(s, by_signal.get(s.name), profile) for s in message.signals}
        raw |= {name: value for name, value in told.fixed.items() if name in raw}
        data = message.encode(raw, scaling=False, strict=False, padding=True)
        frame = Frame(message.frame_id, bytes(data), message.is_extended_frame)
        shown = {q: v for q, v in decode(profile, frame).values.items() if q in meaning}
        out.append(Sent(frame, told.name, told.period_ms, shown))
    return out


def _as_told(profile: Profile, values: Mapping[str, float]) -> Mapping[str, float]:
    """The bank's values as this profile tells them: its limits may be those of one pack, which
    the receiver multiplies.
    """
    if profile.file.limits_of == "bank":
        return values
    packs = max(1.0, values.get("packs_online", 1.0))
    return {q: v / packs if q in LIMITS else v for q, v in values.items()}


def _raw(signal: "Signal", value: float | None, profile: Profile) -> float:
    """The number on the wire: whole, but for a signal that is a floating point number itself."""
    if signal.is_float:
        return ((value or 0.0) - float(signal.offset)) / float(signal.scale)
    least, most = _range(signal)
    if value is None:
        absent = profile.file.absent == "all-ones" and not signal.is_signed
        return most if absent else min(max(0, least), most)
    scaled = round((value - float(signal.offset)) / float(signal.scale))
    wrapped = scaled % (most + 1) if signal.name.lower() in COUNTERS else scaled
    top = most - 1 if profile.file.absent == "all-ones" else most
    return min(max(wrapped, least), top)


LIMITS = ("charge_current_limit_a", "discharge_current_limit_a")
COUNTERS = ("alive", "counter")


def _range(signal: "Signal") -> tuple[int, int]:
    if signal.is_signed:
        return -(1 << (signal.length - 1)), (1 << (signal.length - 1)) - 1
    return 0, (1 << signal.length) - 1


def decode(profile: Profile, frame: Frame) -> Decoded:
    """What a frame says; never raises, whatever is in it."""
    message = profile.by_id.get((frame.id, frame.extended))
    if message is None:
        return Decoded("")
    if len(frame.data) != message.length:
        expected = f"{message.length} bytes expected, {len(frame.data)} came"
        return Decoded(message.name, {}, (expected,))
    told = profile.told.get(message.name)
    values: dict[str, float] = {}
    troubles: list[str] = []
    for name, raw in _raws(message, frame.data).items():
        quantity = told.signals.get(name) if told else None
        if quantity is None:
            continue
        signal = message.get_signal_by_name(name)
        value = raw * float(signal.scale) + float(signal.offset)
        trouble = _trouble(profile, signal, quantity, raw, value)
        if trouble:
            troubles.append(trouble)
        else:
            values[quantity] = round(value, 6)
    return Decoded(message.name, values, tuple(troubles))


def _raws(message: "Message", data: bytes) -> dict[str, float]:
    """The unscaled numbers of a frame, signals of the other branches of a multiplexer left out."""
    try:
        found = cast("dict[str, object]", message.decode(data, decode_choices=False, scaling=False))
    except Exception:  # a library at strangers' bytes, whatever it raises: no value is taken
        return {}
    return {
        name: value
        for name, value in found.items()
        if isinstance(value, int | float) and isfinite(value)
    }


def _trouble(profile: Profile, signal: "Signal", quantity: str, raw: float, value: float) -> str:
    known = BY_NAME[quantity]
    if profile.file.absent == "all-ones" and not signal.is_signed and not signal.is_float:
        ones = (1 << signal.length) - 1
        if raw >= ones - (1 if signal.length > 1 else 0) and signal.length > 1:
            return f"{known.title}: {'not available' if raw == ones else 'out of its range'}"
    if not known.least <= value <= known.most:
        return f"{known.title}: {value:g} {known.unit} is out of range"
    return ""
