"""A BMS's settings as Modbus registers: the map is an open file (``nipper-registers``), a value is
a whole number with factor and offset.

The map that ships is that of the stand-in BMS and of no product; one's own is written after the BMS
maker's register list.
"""

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from importlib import resources
from pathlib import Path
from typing import Literal, Protocol, get_args

from pydantic import BaseModel, ConfigDict, Field

from nipper.core.documents import checked, parse_json, read_text
from nipper.core.errors import InputError, NipperError
from nipper.core.setup import Balancer, Setup, get, is_path

NOT_SET = 0xFFFF  # a register that holds no setting
# registers in one request; the standard allows 125 (Modbus Application Protocol V1.1b3, 6.3)
MOST_AT_ONCE = 100
_WORDS: dict[str, tuple[str, ...]] = {
    "chemistry": get_args(Setup.model_fields["chemistry"].annotation),
    "balancer.kind": get_args(Balancer.model_fields["kind"].annotation),
    "balancer.when": get_args(Balancer.model_fields["when"].annotation),
    "balancer.switched": ("on", "off"),
    "balancer.in_over_voltage": ("stops", "goes_on"),
}
WORDS = _WORDS | {
    path.replace("balancer", "separate_balancer"): words
    for path, words in _WORDS.items()
    if path.startswith("balancer")
}


class LinkError(NipperError):
    """A device that does not answer, or answers with something else."""


class Registers(Protocol):
    """A device one can read registers of."""

    def read(self, address: int, count: int) -> list[int]:
        """Holding registers from an address on, each 0 to 65535; :class:`LinkError` when it does
        not answer.
        """
        ...

    def write(self, address: int, values: Sequence[int]) -> None:
        """Set holding registers from an address on."""
        ...

    def close(self) -> None:
        """Let go of it."""
        ...


class Register(BaseModel):
    """Where a setting stands: register = round(value x factor + offset), or the word's place in
    ``words``.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    path: str = Field(max_length=200)
    address: int = Field(ge=0, le=65535)
    factor: float = Field(default=1.0, gt=0)
    offset: float = 0.0
    signed: bool = False
    words: tuple[str, ...] = Field(default=(), strict=False, max_length=100)


class RegisterMap(BaseModel):
    """All registers of a BMS that hold settings."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    format: Literal["nipper-registers"] = "nipper-registers"
    version: Literal[1] = 1
    name: str = Field(default="stand-in BMS", max_length=200)
    registers: tuple[Register, ...] = Field(strict=False, min_length=1, max_length=1000)


def standin_map() -> RegisterMap:
    """The map of the stand-in BMS."""
    text = (
        resources.files("nipper.core.link").joinpath("data", "standin-bms.json").read_text("utf-8")
    )
    return parse_map(json.loads(text), "standin-bms.json")


def load_map(path: str | Path) -> RegisterMap:
    """Read a map file; :class:`InputError` names the place of what is wrong."""
    return parse_map(parse_json(read_text(path), str(path)), str(path))


def parse_map(document: object, file: str = "registers") -> RegisterMap:
    """Check a map document."""
    found = checked(RegisterMap, document, file)
    for i, register in enumerate(found.registers):
        if not is_path(register.path):
            raise InputError(
                file, f"registers.{i}.path", f"the path of a setting, {register.path!r} is none"
            )
    return found


def encode(setup: Setup, registers: RegisterMap) -> dict[int, int]:
    """The registers of a BMS that holds these settings, by address; what is left out is NOT_SET.

    Raises
    ------
    LinkError
        A value that has no place in its register.
    """
    return {r.address: _raw(get(setup, r.path), r) for r in registers.registers}


def _raw(value: object, register: Register) -> int:
    if value is None:
        return NOT_SET
    words = register.words or WORDS.get(register.path, ())
    if words:
        return words.index(str(value))
    assert isinstance(value, int | float)
    raw = round(value * register.factor + register.offset)
    low, high = (-32768, 32767) if register.signed else (0, NOT_SET - 1)
    if not low <= raw <= high:
        raise LinkError(
            f"{register.path}: expected a value that fits its register, found {value:g}"
        )
    return raw & 0xFFFF


def decode(raw: Mapping[int, int], registers: RegisterMap) -> dict[str, object]:
    """Values by path of registers that were read; None where a register holds no setting."""
    return {r.path: _value(raw[r.address], r) for r in registers.registers if r.address in raw}


def _value(raw: int, register: Register) -> object:
    if raw == NOT_SET and not register.signed:
        return None
    words = register.words or WORDS.get(register.path, ())
    if words:
        if raw >= len(words):
            raise LinkError(
                f"{register.path}: expected {' or '.join(words)} (0 to {len(words) - 1}), "
                f"found {raw} in register {register.address}"
            )
        return words[raw]
    number = raw - 0x10000 if register.signed and raw > 0x7FFF else raw
    value = round((number - register.offset) / register.factor, 6)
    return int(value) if register.path == "cells_in_series" else value


def read_settings(
    device: Registers, registers: RegisterMap, tick: Callable[[float], None] = lambda _share: None
) -> dict[str, object]:
    """Read every register of the map, in as few requests as the standard allows, and give the
    values by path.
    """
    raw: dict[int, int] = {}
    runs = list(blocks(sorted({r.address for r in registers.registers})))
    for i, (first, count) in enumerate(runs):
        raw |= dict(zip(range(first, first + count), device.read(first, count), strict=True))
        tick((i + 1) / len(runs))
    return decode(raw, registers)


def write_settings(
    device: Registers, setup: Setup, registers: RegisterMap, paths: Sequence[str]
) -> dict[str, object]:
    """Write these settings, each by itself, and read all back: what the device then holds.

    Raises
    ------
    LinkError
        It does not take one, or takes another value than was written; what was written before
        stays, and is told.
    """
    of_path = {r.path: r for r in registers.registers}
    unknown = [path for path in paths if path not in of_path]
    if unknown:
        raise LinkError(f"expected settings of {registers.name}: it has no {', '.join(unknown)}")
    raw = {path: _raw(get(setup, path), of_path[path]) for path in paths}  # all fit, or none goes
    done: list[str] = []
    for path, value in raw.items():
        address = of_path[path].address
        try:
            device.write(address, [value])
            held = device.read(address, 1)[0]
        except LinkError as error:
            raise LinkError(f"{error}; {_written(done)}") from None
        if held != value:
            expected = f"{path}: expected {value} in register {address}, the device holds {held}"
            raise LinkError(f"{expected}; {_written(done)}")
        done.append(path)
    return read_settings(device, registers)


def _written(paths: Sequence[str]) -> str:
    return f"written before: {', '.join(paths)}" if paths else "nothing was written"


def blocks(addresses: list[int]) -> Iterator[tuple[int, int]]:
    """Runs of neighbouring addresses: registers between them that are not on the map are never
    asked for.
    """
    first = last = addresses[0]
    for address in addresses[1:]:
        if address != last + 1 or address - first >= MOST_AT_ONCE:
            yield first, last - first + 1
            first = address
        last = address
    yield first, last - first + 1
