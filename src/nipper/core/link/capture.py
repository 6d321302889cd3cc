"""Captures of a bus: candump text read line by line, decoded by a profile, and judged: how often
each message comes, what is stale, missing, strange or out of range.
"""

import math
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import islice, pairwise
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING

from nipper.core.errors import InputError
from nipper.core.link.codec import Frame, decode
from nipper.core.link.profile import Profile
from nipper.core.link.quantities import BY_NAME

if TYPE_CHECKING:
    import can

# (1436509052.249713) can0 123#1122AABB   as a log file has it
LOGGED = re.compile(
    r"^\s*\((?P<time>\d+\.?\d*)\)\s+\S+\s+(?P<id>[0-9A-Fa-f]{3,8})#(?P<data>(?:[0-9A-Fa-f]{2})*|R\d?)"
    r"(?:\s|$)"
)
# (1436509052.249713)  can0  123   [4]  11 22 AA BB   as it is shown, the time may be left out
SHOWN = re.compile(
    r"^\s*(?:\((?P<time>\d+\.?\d*)\)\s+)?\S+\s+(?P<id>[0-9A-Fa-f]{3,8})\s+\[(?P<len>\d)\]"
    r"(?P<data>(?:\s+[0-9A-Fa-f]{2})*)\s*(?:'.*)?$"
)
SIGN_OPEN = "which sign charging has this profile leaves open: hold it against the other end"
STALE = 3.0  # periods without a message before its values count as old: common practice
MOST_BYTES = 200_000_000
MOST_FRAMES = 2_000_000
READERS = (".asc", ".blf")
LEAST_ONES = 2


def read_candump(path: Path) -> list[Frame]:
    """The frames of a candump text, in order.

    Raises
    ------
    InputError
        The file cannot be read, is too large, or a line of it is no frame.
    """
    try:
        if path.stat().st_size > MOST_BYTES:
            raise InputError(str(path), "the file", f"at most {MOST_BYTES // 1_000_000} MB")
        text = path.read_text("utf-8", errors="replace")
    except OSError as error:
        raise InputError(
            str(path), "the file", f"a file that can be read ({error.strerror or error})"
        ) from None
    frames = list(parse_candump(text.splitlines(), str(path)))
    if not frames:
        raise InputError(str(path), "the file", "lines such as (1436509052.25) can0 123#1122AABB")
    return frames


def read_frames(path: Path) -> list[Frame]:
    """The frames of a capture: candump text, or ``.asc`` and ``.blf`` by python-can.

    Raises
    ------
    InputError
        It cannot be read, is too large, or holds no frame.
    """
    if path.suffix.lower() not in READERS:
        return read_candump(path)
    try:
        if path.stat().st_size > MOST_BYTES:
            raise InputError(str(path), "the file", f"at most {MOST_BYTES // 1_000_000} MB")
        frames = list(islice(_read(path), MOST_FRAMES + 1))
    except InputError:
        raise
    except Exception as error:  # a reader at strangers' bytes, whatever it raises
        first = " ".join(str(error).split())[:120] or type(error).__name__
        raise InputError(str(path), "the file", f"a capture ({first})") from None
    if not frames or len(frames) > MOST_FRAMES:
        raise InputError(str(path), "the file", f"1 to {MOST_FRAMES:,} frames")
    return frames


def _read(path: Path) -> Iterator[Frame]:
    """The file is opened here: a reader that refuses one leaves it open."""
    import can

    if path.suffix.lower() == ".blf":
        with path.open("rb") as binary:
            yield from (_frame(m) for m in can.BLFReader(binary) if _carries(m))
    else:
        with path.open(encoding="utf-8", errors="replace") as text:
            yield from (_frame(m) for m in can.ASCReader(text) if _carries(m))


def _carries(message: "can.Message") -> bool:
    plain = not (message.is_error_frame or message.is_remote_frame or message.is_fd)
    return plain and math.isfinite(message.timestamp)


def _frame(message: "can.Message") -> Frame:
    data = bytes(message.data)
    return Frame(message.arbitration_id, data, message.is_extended_id, message.timestamp)


def parse_candump(lines: Iterable[str], file: str) -> Iterator[Frame]:
    """Frames line by line; empty lines and those that begin with ``#`` or ``;`` are passed over."""
    for number, line in enumerate(lines, 1):
        if not line.strip() or line.lstrip()[0] in "#;":
            continue
        found = LOGGED.match(line) or SHOWN.match(line)
        if found is None:
            raise InputError(
                file, f"line {number}", "a frame such as (1436509052.25) can0 123#1122"
            )
        if found["data"].startswith("R"):
            continue  # a request carries nothing
        data = bytes.fromhex(found["data"].replace(" ", "").strip())
        shown_length = found.groupdict().get("len")
        if len(data) > 8 or (shown_length is not None and int(shown_length) != len(data)):
            raise InputError(file, f"line {number}", "as many bytes as it says, at most 8")
        extended = len(found["id"]) > 3
        identifier = int(found["id"], 16)
        if identifier > (0x1FFFFFFF if extended else 0x7FF):
            raise InputError(file, f"line {number}", "an identifier of 11 or 29 bits")
        yield Frame(identifier, data, extended, float(found["time"] or 0.0))


def to_candump(frames: Iterable[Frame], channel: str = "can0") -> str:
    """Frames as a candump log, which many tools read."""
    lines = (
        f"({f.time_s:.6f}) {channel} {f.id:0{8 if f.extended else 3}X}#{f.data.hex().upper()}"
        for f in frames
    )
    return "\n".join(lines) + "\n"


@dataclass(slots=True)
class Heard:
    """One message on the bus: how many came, how often, what the newest said."""

    id: int
    extended: bool
    message: str
    count: int = 0
    period_ms: float | None = None
    expected_ms: int | None = None
    last_s: float = 0.0
    data: bytes = b""
    values: dict[str, float] = field(default_factory=dict[str, float])
    troubles: dict[str, int] = field(default_factory=dict[str, int])
    alive: list[float] = field(default_factory=list[float])

    @property
    def frozen(self) -> bool:
        """A counter that ought to go on and stands: the BMS hangs, and its values are old."""
        return len(self.alive) > LEAST_ONES and len(set(self.alive[-8:])) == 1


@dataclass(frozen=True, slots=True)
class Bus:
    """What was heard of a bus, and what is amiss: in words, worst first."""

    heard: tuple[Heard, ...]
    values: dict[str, float]
    missing: tuple[str, ...]  # messages of the profile that never came
    stale: tuple[str, ...]
    silent: tuple[str, ...]  # quantities a closed loop needs and nobody tells
    unknown: tuple[int, ...]  # identifiers the profile does not know
    doubts: tuple[str, ...]
    load_pct: float | None


def listen(profile: Profile, frames: Sequence[Frame], until_s: float | None = None) -> Bus:
    """Judge what was heard.

    Parameters
    ----------
    until_s : the moment at which it is judged; left out: that of the last frame
    """
    heard: dict[tuple[int, bool], Heard] = {}
    times: dict[tuple[int, bool], list[float]] = {}
    for frame in frames:
        key = (frame.id, frame.extended)
        found = decode(profile, frame)
        one = heard.setdefault(key, Heard(*key, found.message))
        one.count += 1
        one.last_s, one.data = frame.time_s, frame.data
        one.values |= found.values
        for trouble in found.troubles:
            one.troubles[trouble] = one.troubles.get(trouble, 0) + 1
        if "alive" in found.values:
            one.alive.append(found.values["alive"])
        times.setdefault(key, []).append(frame.time_s)
    for key, one in heard.items():
        steps = [b - a for a, b in pairwise(times[key]) if b > a]
        one.period_ms = 1e3 * median(steps) if steps else None
        told = profile.told.get(one.message)
        one.expected_ms = told.period_ms if told else None
    end_s = until_s if until_s is not None else max((f.time_s for f in frames), default=0.0)
    return _judged(profile, list(heard.values()), frames, end_s)


def _judged(profile: Profile, heard: list[Heard], frames: Sequence[Frame], end_s: float) -> Bus:
    names = {one.message for one in heard}
    stale = tuple(one.message for one in heard if one.message and _is_stale(one, end_s))
    values: dict[str, float] = {}
    for one in heard:
        if one.message not in stale and not one.frozen:
            values |= one.values
    needed = [q for q in profile.quantities if q in BY_NAME]
    silent = tuple(BY_NAME[q].title for q in needed if q not in values and q != "alive")
    unknown = tuple(sorted(one.id for one in heard if not one.message))
    missing = tuple(m.name for m in profile.file.messages if m.name not in names)
    return Bus(
        tuple(sorted(heard, key=lambda one: (one.extended, one.id))),
        values,
        missing,
        stale,
        silent,
        unknown,
        tuple(_doubts(profile, heard, missing, stale)),
        load_pct(frames, profile.file.bit_rate),
    )


def _is_stale(one: Heard, end_s: float) -> bool:
    return bool(one.expected_ms) and end_s - one.last_s > STALE * (one.expected_ms or 0) / 1e3


def _doubts(
    profile: Profile, heard: list[Heard], missing: Sequence[str], stale: Sequence[str]
) -> Iterator[str]:
    known = [one for one in heard if one.message]
    if heard and not known:
        yield ("nothing on this bus is of this profile: another protocol is chosen at one end")
    elif missing:
        yield f"never came: {', '.join(missing)}"
    if stale:
        yield f"no longer comes: {', '.join(stale)}"
    if profile.file.current_positive == "open" and any("current_a" in one.values for one in known):
        yield SIGN_OPEN
    for one in heard:
        if one.frozen:
            yield f"{one.message}: its counter stands at {one.alive[-1]:g}, the BMS hangs"
        for trouble, times in one.troubles.items():
            yield f"{one.message}: {trouble}" + (f" ({times} times)" if times > 1 else "")
        off = one.period_ms and one.expected_ms and one.period_ms / one.expected_ms
        if off and not 0.5 <= off <= 2.0:
            yield (f"{one.message}: comes every {one.period_ms:.0f} ms, {one.expected_ms} expected")


def frame_bits(frame: Frame) -> int:
    """Bits of a frame on the wire without stuffing, with the pause after it: ISO 11898-1."""
    return (67 if frame.extended else 47) + 8 * len(frame.data)


STUFFED = 1.1  # frames of usual data are a tenth longer by stuffing; at most a fifth


def load_pct(frames: Sequence[Frame], bit_rate: int) -> float | None:
    """Share of the bus's time that is taken, %; None where the frames carry no times."""
    if len(frames) < LEAST_ONES:
        return None
    span_s = frames[-1].time_s - frames[0].time_s
    if span_s <= 0.0:
        return None
    return 100.0 * STUFFED * sum(frame_bits(f) for f in frames) / bit_rate / span_s


def to_json(bus: Bus, profile: Profile) -> dict[str, object]:
    """The document of ``nipper link --decode``."""
    return {
        "format": "nipper-link-capture",
        "version": 1,
        "profile": profile.file.name,
        "values": bus.values,
        "messages": [
            {
                "id": one.id,
                "extended": one.extended,
                "message": one.message or None,
                "count": one.count,
                "period_ms": None if one.period_ms is None else round(one.period_ms, 1),
                "expected_period_ms": one.expected_ms,
                "data_hex": one.data.hex().upper(),
                "meaning": one.values,
                "troubles": [{"what": t, "frames": n} for t, n in one.troubles.items()],
                "stale": one.message in bus.stale,
            }
            for one in bus.heard
        ],
        "stale": list(bus.stale),
        "missing": list(bus.missing),
        "not_told": list(bus.silent),
        "unknown_ids": list(bus.unknown),
        "bus_load_pct": None if bus.load_pct is None else round(bus.load_pct, 3),
        "doubts": list(bus.doubts),
    }
