"""Modbus profiles as data: which registers hold which quantity, with scale factors, markers of what
is not implemented, and word order; SunSpec's chain of models is walked.
"""

import csv
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from nipper.core.documents import checked, parse_json, read_text
from nipper.core.errors import InputError
from nipper.core.link.quantities import BY_NAME

BUNDLED = ("sunspec-battery", "registers-simple")
SUNS = (0x5375, 0x6E53)  # "SunS": SunSpec information model
SUNS_AT = (40000, 0, 50000)
END_MODEL = 0xFFFF
MOST_MODELS = 200
WIDTH = {"uint16": 1, "int16": 1, "uint32": 2, "int32": 2}
ABSENT = {"uint16": 0xFFFF, "int16": 0x8000, "uint32": 0xFFFFFFFF, "int32": 0x80000000}
NO_SCALE = 0x8000
MOST_BYTES = 50_000_000


class Point(BaseModel):
    """Where a quantity stands: at an address, or so many registers into a SunSpec model. Its value
    is the number times ``factor``, times ten to the power that stands at ``scale_at``.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    quantity: str
    address: int = Field(ge=0, le=65535)
    type: Literal["uint16", "int16", "uint32", "int32"] = "uint16"
    factor: float = Field(default=1.0, gt=0, le=1e6)
    scale_at: int | None = Field(default=None, ge=0, le=65535)
    scale: int = Field(default=0, ge=-10, le=10)  # what a stand-in writes there
    model: int | None = Field(default=None, ge=1, le=65534)


class Registers(BaseModel):
    """The file as it is written."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    format: Literal["nipper-link-profile"] = "nipper-link-profile"
    version: Literal[1] = 1
    name: str = Field(max_length=100)
    title: str = Field(max_length=200)
    source: str = Field(max_length=1000)
    transport: Literal["rs485"]
    bit_rate: int = Field(default=9600, ge=300, le=1_000_000)
    current_positive: Literal["charging", "open"] = "charging"
    word_order: Literal["high first", "low first"] = "high first"
    points: tuple[Point, ...] = Field(strict=False, min_length=1, max_length=500)


@dataclass(frozen=True, slots=True)
class Told:
    """What registers say, and what is wrong with them."""

    values: Mapping[str, float]
    troubles: tuple[str, ...] = ()
    missing: tuple[str, ...] = field(default=())


def load_registers(name_or_file: str) -> Registers:
    """A Modbus profile that ships, by its name, or one's own, by its file.

    Raises
    ------
    InputError
        It cannot be used.
    """
    if name_or_file in BUNDLED:
        folder = resources.files("nipper.core.link").joinpath("data", "profiles")
        text = folder.joinpath(f"{name_or_file}.json").read_text("utf-8")
    else:
        text = read_text(Path(name_or_file))
    found = checked(Registers, parse_json(text, name_or_file), name_or_file)
    for i, point in enumerate(found.points):
        if point.quantity not in BY_NAME:
            expected = f"a quantity, one of {', '.join(BY_NAME)}"
            raise InputError(name_or_file, f"points.{i}.quantity", expected)
    return found


def models(registers: Mapping[int, int]) -> dict[int, int]:
    """The SunSpec models of a map by number, with the address each begins at; empty where there is
    none.
    """
    at = next((a for a in SUNS_AT if (registers.get(a), registers.get(a + 1)) == SUNS), None)
    out: dict[int, int] = {}
    if at is None:
        return out
    at += 2
    for _ in range(MOST_MODELS):
        number, length = registers.get(at), registers.get(at + 1)
        if number is None or length is None or number == END_MODEL:
            break
        out.setdefault(number, at)
        at += 2 + length
    return out


def tell(profile: Registers, registers: Mapping[int, int]) -> Told:
    """What the registers say; never raises, whatever is in them."""
    starts = models(registers)
    values: dict[str, float] = {}
    troubles: list[str] = []
    missing: list[str] = []
    for point in profile.points:
        known = BY_NAME[point.quantity]
        start = starts.get(point.model) if point.model else 0
        raw = None if start is None else _raw(profile, point, registers, start)
        scale = None if start is None else _scale(point, registers, start)
        if raw is None or scale is None:
            missing.append(known.title)
            continue
        if raw == ABSENT[point.type]:
            troubles.append(f"{known.title}: not available")
            continue
        value = _signed(raw, point.type) * point.factor * 10.0**scale
        if not known.least <= value <= known.most:
            troubles.append(f"{known.title}: {value:g} {known.unit} is out of range")
            continue
        values[point.quantity] = round(value, 6)
    return Told(values, tuple(troubles), tuple(missing))


def _raw(profile: Registers, point: Point, registers: Mapping[int, int], start: int) -> int | None:
    words = [registers.get(start + point.address + i) for i in range(WIDTH[point.type])]
    if any(w is None or not 0 <= w <= 0xFFFF for w in words):
        return None
    if profile.word_order == "low first":
        words.reverse()
    out = 0
    for word in words:
        out = out << 16 | (word or 0)
    return out


def _scale(point: Point, registers: Mapping[int, int], start: int) -> int | None:
    if point.scale_at is None:
        return 0
    raw = registers.get(start + point.scale_at)
    if raw is None or raw == NO_SCALE:
        return None
    scale = _signed(raw, "int16")
    return scale if -10 <= scale <= 10 else None  # as SunSpec bounds it


def _signed(raw: int, kind: str) -> int:
    bits = 16 * WIDTH[kind]
    return raw - (1 << bits) if kind.startswith("int") and raw >= 1 << (bits - 1) else raw


def write(profile: Registers, values: Mapping[str, float]) -> dict[int, int]:
    """The registers that tell these quantities; what is not known is marked as absent."""
    starts = _starts(profile)
    out: dict[int, int] = {}
    for number, start in starts.items():
        out |= {start: number, start + 1: MODEL_LENGTH}
    if starts:
        out |= {SUNS_AT[0]: SUNS[0], SUNS_AT[0] + 1: SUNS[1]}
        last = max(starts.values()) + 2 + MODEL_LENGTH
        out |= {last: END_MODEL, last + 1: 0}
    for point in profile.points:
        start = starts.get(point.model, 0) if point.model else 0
        raw = ABSENT[point.type]
        if point.quantity in values:
            number = values[point.quantity] / point.factor / 10.0**point.scale
            raw = round(number) & ((1 << 16 * WIDTH[point.type]) - 1)
        words = [raw >> 16, raw & 0xFFFF] if WIDTH[point.type] == 2 else [raw]
        if profile.word_order == "low first":
            words.reverse()
        out |= {start + point.address + i: word for i, word in enumerate(words)}
        if point.scale_at is not None:
            out[start + point.scale_at] = point.scale & 0xFFFF
    return out


MODEL_LENGTH = 62  # registers after the head, of model 802


def _starts(profile: Registers) -> dict[int, int]:
    numbers = sorted({p.model for p in profile.points if p.model})
    return {n: SUNS_AT[0] + 2 + i * (2 + MODEL_LENGTH) for i, n in enumerate(numbers)}


def read_table(path: Path) -> dict[int, int]:
    """Registers of a capture: a CSV table with ``address`` and ``value`` (decimal, or hexadecimal
    with 0x); the newest of an address counts.

    Raises
    ------
    InputError
        The file is no such table.
    """
    if path.exists() and path.stat().st_size > MOST_BYTES:
        raise InputError(str(path), "the file", f"at most {MOST_BYTES // 1_000_000} MB")
    return parse_table(read_text(path).splitlines(), str(path))


def parse_table(lines: Iterable[str], file: str) -> dict[int, int]:
    """The same from lines."""
    rows = csv.DictReader(lines)
    names = [n.strip().lower() for n in rows.fieldnames or []]
    if "address" not in names or "value" not in names:
        raise InputError(file, "the header", "the columns address and value")
    rows.fieldnames = names
    out: dict[int, int] = {}
    for number, row in enumerate(rows, 2):
        address, value = (_word(row.get(name), file, number) for name in ("address", "value"))
        out[address] = value
    if not out:
        raise InputError(file, "the table", "a row for each register")
    return out


def _word(text: str | None, file: str, number: int) -> int:
    try:
        word = int((text or "").strip(), 0)
    except ValueError:
        word = -1
    if not 0 <= word <= 0xFFFF:
        raise InputError(
            file, f"line {number}", "registers from 0 to 65535, such as 40000 or 0x9C40"
        )
    return word
