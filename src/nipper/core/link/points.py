"""Modbus profiles as data: which registers hold which quantity, with scale factors, markers of what
is not implemented, and word order; SunSpec's chain of models is walked.
"""

import csv
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from nipper.core.documents import checked, parse_json, read_text
from nipper.core.errors import InputError
from nipper.core.link.quantities import BY_NAME

BUNDLED = ("sunspec-battery", "sunspec-module", "registers-simple")
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


class CellBlock(BaseModel):
    """Where the voltages of single cells stand: from ``address`` on, every ``stride`` registers, so
    many as ``count_at`` says; left out, up to the first that is marked as absent.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    address: int = Field(ge=0, le=65535)
    stride: int = Field(default=1, ge=1, le=64)
    most: int = Field(default=32, ge=1, le=200)
    count_at: int | None = Field(default=None, ge=0, le=65535)
    factor: float = Field(default=0.001, gt=0, le=1e3)
    scale_at: int | None = Field(default=None, ge=0, le=65535)
    model: int | None = Field(default=None, ge=1, le=65534)

    def point(self, index: int) -> Point:
        """The register of a cell, from 0."""
        return Point(
            quantity="highest_cell_v",
            address=min(65535, self.address + index * self.stride),
            factor=self.factor,
            scale_at=self.scale_at,
            model=self.model,
        )


class LogColumn(BaseModel):
    """A column of a log in registers: so many registers into each row."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    quantity: Literal["time_s", "pack_v", "current_a", "soc_pct", "temperature_c"]
    at: int = Field(ge=0, le=124)
    type: Literal["uint16", "int16", "uint32", "int32"] = "uint16"
    factor: float = Field(default=1.0, gt=0, le=1e6)


class LogBlock(BaseModel):
    """A log kept in registers: a count of rows, then row after row, oldest first; the cells stand
    at the end of each.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    count_at: int = Field(ge=0, le=65535)
    first: int = Field(ge=0, le=65535)
    width: int = Field(ge=3, le=125)
    columns: tuple[LogColumn, ...] = Field(strict=False, min_length=1, max_length=20)
    cells_at: int = Field(ge=0, le=124)
    cell_factor: float = Field(default=0.001, gt=0, le=1e3)

    @property
    def most(self) -> int:
        """Rows that have room in the registers there are."""
        return (0x10000 - self.first) // self.width


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
    cells: CellBlock | None = None
    log: LogBlock | None = None

    @property
    def quantities(self) -> list[str]:
        """What the battery tells through it."""
        return [p.quantity for p in self.points]


@dataclass(frozen=True, slots=True)
class Told:
    """What registers say, and what is wrong with them."""

    values: Mapping[str, float]
    troubles: tuple[str, ...] = ()
    missing: tuple[str, ...] = field(default=())
    cells: tuple[float, ...] = ()


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
    return Told(values, tuple(troubles), tuple(missing), _cells(profile, registers, starts))


def _cells(
    profile: Registers, registers: Mapping[int, int], starts: Mapping[int, int]
) -> tuple[float, ...]:
    """The voltages of the cells, V; NaN for one that cannot be; none where they are not told."""
    block = profile.cells
    if block is None:
        return ()
    start = starts.get(block.model) if block.model else 0
    if start is None:
        return ()
    known = BY_NAME["highest_cell_v"]
    count = block.most if block.count_at is None else registers.get(start + block.count_at, 0)
    out: list[float] = []
    for i in range(min(count, block.most)):
        point = block.point(i)
        raw, scale = (
            _raw(profile, point, registers, start),
            _scale(point, registers, start),
        )
        if raw is None or scale is None or (raw == ABSENT[point.type] and block.count_at is None):
            break
        value = round(raw * point.factor * 10.0**scale, 6)
        out.append(value if known.least <= value <= known.most else float("nan"))
    return tuple(out) if any(map(math.isfinite, out)) else ()


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


def wanted(profile: Registers) -> list[int]:
    """The addresses that a plain map has to be asked for; those of SunSpec's chain are found by
    walking it.
    """
    out = {p.address + i for p in profile.points if not p.model for i in range(WIDTH[p.type])}
    out |= {p.scale_at for p in profile.points if not p.model and p.scale_at is not None}
    block = profile.cells
    if block is not None and not block.model:
        out |= {block.point(i).address for i in range(block.most)}
        out |= {a for a in (block.count_at, block.scale_at) if a is not None}
    return sorted(out)


def write(
    profile: Registers, values: Mapping[str, float], cells: Sequence[float] = ()
) -> dict[int, int]:
    """The registers that tell these quantities; what is not known is marked as absent."""
    starts, end = _starts(profile, len(cells))
    out: dict[int, int] = {}
    for number, start in starts.items():
        length = _length(profile, number, len(cells))
        out |= dict.fromkeys(range(start + 2, start + 2 + length), ABSENT["uint16"])
        out |= {start: number, start + 1: length}
    if starts:
        out |= {SUNS_AT[0]: SUNS[0], SUNS_AT[0] + 1: SUNS[1], end: END_MODEL, end + 1: 0}
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
    return out | _cell_registers(profile, cells, starts)


def _cell_registers(
    profile: Registers, cells: Sequence[float], starts: Mapping[int, int]
) -> dict[int, int]:
    """Those that hold single cells; what is not read is marked as absent."""
    block = profile.cells
    if block is None or (block.model and not cells):
        return {}
    start = starts[block.model] if block.model else 0
    out = {} if block.count_at is None else {start + block.count_at: min(len(cells), block.most)}
    if block.scale_at is not None:
        out[start + block.scale_at] = CELL_SCALE & 0xFFFF
    factor = block.factor if block.scale_at is None else block.factor * 10.0**CELL_SCALE
    for i in range(min(len(cells), block.most) if block.model else block.most):
        known = i < len(cells) and math.isfinite(cells[i])
        raw = round(cells[i] / factor) & 0xFFFF if known else ABSENT["uint16"]
        out[start + block.point(i).address] = raw
    return out


MODEL_LENGTH = 62  # registers after the head, of model 802
CELL_SCALE = -3  # of cells whose power of ten is told beside them, as a stand-in writes it


def _length(profile: Registers, number: int, cells: int) -> int:
    """Registers after the head of a model; one that repeats for each cell is as long as they
    are many.
    """
    block = profile.cells
    if block is None or block.model != number:
        return MODEL_LENGTH
    return block.address - 2 + block.stride * max(cells, 1)


def _starts(profile: Registers, cells: int) -> tuple[dict[int, int], int]:
    """Where each model begins, one behind the other, and where they end."""
    at, out = SUNS_AT[0] + 2, dict[int, int]()
    for number in sorted({p.model for p in profile.points if p.model}):
        out[number] = at
        at += 2 + _length(profile, number, cells)
    return out, at


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
