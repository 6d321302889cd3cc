"""Every reader of things from outside, with what it is fed and what its answer may never say.

A reader takes bytes or text that was spoilt, and gives what it understood. It may refuse with one
line (``NipperError``); what it accepts must be possible. Everything else is a find.
"""

import io
import json
import random
import sqlite3
import zipfile
from collections.abc import Callable, Mapping
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from nipper.core import rules
from nipper.core.cold.proof import parse_readings
from nipper.core.errors import NipperError
from nipper.core.link import points
from nipper.core.link.capture import listen, read_candump
from nipper.core.link.codec import Frame
from nipper.core.link.codec import decode as decode_frame
from nipper.core.link.profile import BUNDLED, bundled, load_file, read_dbc
from nipper.core.link.registers import decode, load_map, standin_map
from nipper.core.logs.mapping import load_mapping, mapping_file, plain_mapping
from nipper.core.logs.model import Log
from nipper.core.logs.propose import Options
from nipper.core.logs.reader import read_file
from nipper.core.logs.timeforms import DATELESS
from nipper.core.logs.typed import Reading, parse_cells, typed_log
from nipper.core.presets import new_setup
from nipper.core.quantities import UNITS, parse_quantity
from nipper.core.report.readback import parse_shown, values_of_csv
from nipper.core.report.typingsheet import TITLES, Menu, load_menu
from nipper.core.setup import Setup, dumps, load
from nipper.core.setup.pins import parse_pins
from nipper.core.simulate import scenario
from nipper.store import Bench
from tests.bench.spoil import spoil_bytes, spoil_document, spoil_text
from tests.builders import charge_log
from tests.core.journals import ALL
from tests.core.strangers import Stranger

YEARS = (datetime(1980, 1, 1, tzinfo=UTC).timestamp(), datetime(2100, 1, 2, tzinfo=UTC).timestamp())
SETUP = new_setup("lfp", 8, 100.0, name="Fuzzed")
SCENARIO: dict[str, object] = {
    "days": 3,
    "seed": 1,
    "cells": [{"cell": 3, "offset_pct": 1.0}],
    "events": [],
}
MOST = 2.0**32  # of any value: a field of 32 alarms is the largest
Chance = random.Random


@dataclass(frozen=True, slots=True)
class Reader:
    """One reader: ``feed`` makes an input of a seed in a folder, ``read`` reads it and says what
    is impossible in the answer (an empty list is right), ``weight`` of a thousand inputs.
    """

    feed: Callable[[Chance, Path], Any]
    read: Callable[[Any], list[str]]
    weight: int


def _written(folder: Path, name: str, data: bytes) -> Path:
    path = folder / name
    path.write_bytes(data)
    return path


# tables ---------------------------------------------------------------------------------------


def _table(chance: Chance, folder: Path) -> Path:
    case = chance.choice(ALL)
    data = case.data
    if case.file.endswith((".xlsx", ".ods", ".zip", ".gz", ".parquet", ".db", ".sqlite")):
        return _written(folder, case.file, spoil_bytes(chance, data, most=3))
    if len(data) > 40_000 and chance.random() < 0.8:
        data = data[: data.rfind(b"\n", 0, 12_000) + 1] or data
    return _written(folder, case.file, spoil_text(chance, data))


@cache
def _archives() -> list[Stranger]:
    """The strangers' tables that are archives inside: a workbook with a password is none."""
    named = [c for c in ALL if c.file.endswith((".xlsx", ".ods", ".zip"))]
    return [c for c in named if zipfile.is_zipfile(io.BytesIO(c.data))]


def _sheet(chance: Chance, folder: Path) -> Path:
    """A workbook or an archive that is whole as a container, and spoilt inside."""
    case = chance.choice(_archives())
    out = io.BytesIO()
    with (
        zipfile.ZipFile(io.BytesIO(case.data)) as old,
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new,
    ):
        for name in old.namelist():
            inner = old.read(name)
            spoilt = chance.random() < 0.4
            new.writestr(name, spoil_text(chance, inner) if spoilt else inner)
    return _written(folder, case.file, out.getvalue())


def _read_table(path: Path) -> list[str]:
    options = Options(zone="UTC", cells=8, capacity_ah=100.0)
    found = read_file(path, options)
    begins, told = found.log.time_s[0], [*found.reading.doubts, *found.reading.told]
    silent = begins < YEARS[0] and not told and found.reading.mapping.time_form not in DATELESS
    return wrong_in_log(found.log) + ["dates before 1980"] * bool(silent)


def wrong_in_log(log: Log) -> list[str]:
    """What no log of a battery can say."""
    high = YEARS[1]
    wrong: list[str] = []

    def told(name: str, values: Any, least: float, most: float) -> None:
        kept = np.asarray(values, dtype=np.float64)
        kept = kept[~np.isnan(kept)]
        if kept.size and not (kept.min() >= least and kept.max() <= most):
            wrong.append(f"{name} from {kept.min():g} to {kept.max():g}")

    if not np.isfinite(log.time_s).all() or (np.diff(log.time_s) < 0).any():
        wrong.append("times that do not run")
    told("times", log.time_s, 0.0, high)
    told("current", log.current_a, -1e5, 1e5)
    told("pack", log.pack_v, -1.0, 2000.0)
    told("cells", log.cell_v, -1.0, 10.0)
    told("temperature", log.temp_c, -273.15, 1000.0)
    if log.soc_pct is not None:
        told("percentage", log.soc_pct, -1000.0, 1000.0)
    if log.rows and not np.isfinite(log.cell_v).any():
        wrong.append("a log without a readable cell")
    return wrong


# documents ------------------------------------------------------------------------------------


def _json_file(document: Callable[[Chance], object]) -> Callable[[Chance, Path], Path]:
    def feed(chance: Chance, folder: Path) -> Path:
        whole = document(chance)
        spoilt = spoil_document(chance, whole) if chance.random() < 0.7 else whole
        data = json.dumps(spoilt).encode()
        if chance.random() < 0.4:
            data = spoil_text(chance, data)
        return _written(folder, "it.json", data)

    return feed


@cache
def _setups() -> tuple[object, ...]:
    kept = json.loads((Path(__file__).parents[1] / "files" / "contract.setup.json").read_text())
    return (*(json.loads(dumps(new_setup(c, 8, 100.0))) for c in ("lfp", "nmc", "lto")), kept)


def _read_setup(path: Path) -> list[str]:
    setup = load(path)
    if hash(path.read_bytes()) % 40 == 0:  # all the rules on it: a hundred times as long
        findings = rules.check(setup)
        return [f"{f.code} says {w}" for f in findings for w in ("nan", "inf") if _says(f, w)]
    return [] if load_again(setup) == setup else ["it reads back as another"]


def _says(finding: rules.Finding, word: str) -> bool:
    return word in finding.message.replace("−", " ").lower().split()


def load_again(setup: Setup) -> Setup:
    """The same setup, written and read."""
    return Setup.model_validate_json(setup.model_dump_json(exclude_none=True))


@cache
def _text_of(kind: str, name: str) -> str:
    folder = resources.files("nipper.core.link").joinpath("data")
    return (folder / kind / name if kind else folder / name).read_text("utf-8")


def _profile(chance: Chance) -> object:
    return json.loads(_text_of("profiles", f"{chance.choice(BUNDLED)}.json"))


def _menu(_: Chance) -> object:
    items = [{"path": p, "label": f"Line {i}"} for i, p in enumerate(list(TITLES)[:12])]
    return {"format": "nipper-menu", "version": 1, "name": "Menu", "items": items}


def _mapping(_: Chance) -> object:
    names = ["time", "current_a", "pack_v", *(f"cell_{i}_v" for i in range(1, 9))]
    found = plain_mapping(names)
    assert found is not None
    return json.loads(mapping_file(found))


def _loaded(load_it: Callable[[Path], object]) -> Callable[[Path], list[str]]:
    def read(path: Path) -> list[str]:
        load_it(path)
        return []

    return read


def _read_map(path: Path) -> list[str]:
    registers = load_map(path)
    raw = {r.address: (r.address * 7919) & 0xFFFF for r in registers.registers}
    return _impossible(decode(raw, registers))


def _impossible(values: Mapping[str, object]) -> list[str]:
    numbers = {k: v for k, v in values.items() if isinstance(v, int | float)}
    return [f"{k} is {v}" for k, v in numbers.items() if not abs(v) <= MOST]


# link -----------------------------------------------------------------------------------------


def _dbc(chance: Chance, _: Path) -> str:
    name = chance.choice([p.name for p in _dbc_files()])
    return spoil_text(chance, _text_of("profiles", name).encode()).decode("utf-8", "replace")


@cache
def _dbc_files() -> tuple[Any, ...]:
    folder = resources.files("nipper.core.link").joinpath("data", "profiles")
    return tuple(p for p in folder.iterdir() if p.name.endswith(".dbc"))


def _read_dbc(text: str) -> list[str]:
    read_dbc(text, "it.dbc")
    return []


def _can_profile(chance: Chance) -> str:
    return chance.choice(BUNDLED)


def _capture(chance: Chance, folder: Path) -> tuple[str, Path]:
    lines = [
        f"({1.7e9 + i * 0.1:.6f}) can0 {chance.choice((0x351, 0x355, 0x356, 0x35A)):03X}#"
        f"{chance.randbytes(8).hex().upper()}"
        for i in range(30)
    ]
    data = spoil_text(chance, "\n".join(lines).encode())
    return _can_profile(chance), _written(folder, "it.log", data)


def _read_capture(it: tuple[str, Path]) -> list[str]:
    profile = bundled(it[0])
    return _impossible(listen(profile, read_candump(it[1])).values)


def _frames(chance: Chance, _: Path) -> tuple[str, list[Frame]]:
    name = _can_profile(chance)
    known = [message.frame_id for message in bundled(name).by_id.values()]
    frames = [
        Frame(
            chance.choice(known) if chance.random() < 0.8 else chance.getrandbits(29),
            chance.randbytes(chance.choice((8, 8, 8, chance.randrange(9)))),
            chance.random() < 0.5,
            float(i),
        )
        for i in range(20)
    ]
    return name, frames


def _read_frames(it: tuple[str, list[Frame]]) -> list[str]:
    profile = bundled(it[0])
    return [w for frame in it[1] for w in _impossible(decode_frame(profile, frame).values)]


def _registers(chance: Chance, _: Path) -> tuple[str, dict[int, int]]:
    name = chance.choice(points.BUNDLED)
    profile = points.load_registers(name)
    raw = points.write(profile, {})
    spoilt = {a: chance.choice((v, v, chance.randrange(0x10000))) for a, v in raw.items()}
    return name, spoilt


def _read_registers(it: tuple[str, dict[int, int]]) -> list[str]:
    return _impossible(points.tell(points.load_registers(it[0]), it[1]).values)


def _register_table(chance: Chance, folder: Path) -> Path:
    rows = ["address,value"] + [f"{40000 + i},{chance.randrange(65536)}" for i in range(20)]
    return _written(folder, "it.csv", spoil_text(chance, "\n".join(rows).encode()))


def _read_back(chance: Chance, _: Path) -> dict[int, int]:
    return {r.address: chance.randrange(0x10000) for r in standin_map().registers}


# what is typed ----------------------------------------------------------------------------------

TYPED = ("0.2C", "3.45*16", "55.2/16", "3450 mV", "14 F", "1.5 h", "−5 °C", "1e3", "3,45", "0x10")


def _typed(chance: Chance, _: Path) -> tuple[str, str]:
    text = spoil_text(chance, chance.choice(TYPED).encode()).decode("utf-8", "replace")
    return text, chance.choice(list(UNITS))


def _read_typed(it: tuple[str, str]) -> list[str]:
    value = parse_quantity(it[0], it[1])
    return [] if abs(value) < 1e13 else [f"{it[0]!r} is {value}"]


def _shown(chance: Chance, folder: Path) -> tuple[str, str]:
    return chance.choice(list(TITLES)), _typed(chance, folder)[0]


def _read_shown(it: tuple[str, str]) -> list[str]:
    return _impossible({it[0]: parse_shown(*it)})


def _typed_cells(chance: Chance, _: Path) -> str:
    whole = " ".join(f"{chance.uniform(3.2, 3.6):.3f}" for _ in range(8))
    numbered = "1: 3.412  8=3,455"
    return spoil_text(chance, chance.choice((whole, numbered)).encode()).decode("utf-8", "replace")


def _read_cells(text: str) -> list[str]:
    parse_cells(text, 8)
    return wrong_in_log(typed_log(Reading(1.7e9, text), 8))


def _lines(chance: Chance, _: Path) -> str:
    text = "\n".join(f"{i} {10 - i} {20 - i}" for i in range(8)).encode()
    return spoil_text(chance, text).decode("utf-8", "replace")


def _read_lines(text: str) -> list[str]:
    return ["not finite"] * (not all(np.isfinite(part).all() for part in parse_readings(text)))


def _pins(chance: Chance, _: Path) -> str:
    text = b"1: CAN-H\n2: CAN-L\n3: GND\n7: A 8: B"
    return spoil_text(chance, text).decode("utf-8", "replace")


def _read_pins(text: str) -> list[str]:
    try:
        parse_pins(text)
    except ValueError as error:  # what a model's validator raises, told by the model
        raise NipperError(str(error)) from None
    return []


def _values(chance: Chance, _: Path) -> str:
    lines = ["path;value", *(f"{p};{chance.uniform(0, 60):.2f}" for p in list(TITLES)[5:20])]
    return spoil_text(chance, "\n".join(lines).encode()).decode("utf-8", "replace")


def _read_values(text: str) -> list[str]:
    return _impossible(values_of_csv(text, Menu(name="None", items=[])))


# benches ----------------------------------------------------------------------------------------


@cache
def _whole_bench() -> bytes:
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "whole.nipper"
        bench = Bench.create(path, SETUP)
        bench.logs.add(1, charge_log(SETUP, np.zeros(8)), "a.csv")
        bench.history.add_event(1.7e9, "note", "something")
        bench.close()
        return path.read_bytes()


def _bench(chance: Chance, folder: Path) -> Path:
    for old in folder.glob("it.nipper*"):
        old.unlink()
    if chance.random() < 0.6:
        return _written(folder, "it.nipper", spoil_bytes(chance, _whole_bench(), most=6))
    path = _written(folder, "it.nipper", _whole_bench())
    with closing(sqlite3.connect(path)) as base, base:
        tables = [r[0] for r in base.execute("SELECT name FROM sqlite_master WHERE type='table'")]
        table = chance.choice([t for t in tables if not t.startswith("sqlite_")])
        columns = [r[1] for r in base.execute(f"PRAGMA table_info({table})")]
        values = (None, -1, 1e308, "", "{", "[]", "nan", b"\0\1", 2**62, "x" * 5000)
        with suppress(sqlite3.Error):
            base.execute(
                f"UPDATE {table} SET {chance.choice(columns)} = ?", (chance.choice(values),)
            )
    return path


def _read_bench(path: Path) -> list[str]:
    bench = Bench.open(path)
    try:
        wrong = [w for pack in (1, 2) if (log := bench.logs.load(pack)) for w in wrong_in_log(log)]
        bench.history.events()
        bench.history.revisions()
        return wrong
    finally:
        bench.close()


def _parquet(chance: Chance, folder: Path) -> Path:
    names = [chance.choice(("time", "cell 1", "U1", "", "²", "cell_99999999")) for _ in range(6)]
    columns: dict[str, Any] = {
        f"{name}{i if chance.random() < 0.7 else ''}": _strange_column(chance)
        for i, name in enumerate(names)
    }
    out = io.BytesIO()
    pl.DataFrame(columns, strict=False).write_parquet(out)
    return _written(folder, "it.parquet", out.getvalue())


def _strange_column(chance: Chance) -> list[Any]:
    kinds: tuple[Callable[[], Any], ...] = (
        lambda: chance.uniform(3.0, 3.6),
        lambda: None,
        lambda: float("nan"),
        lambda: float("inf"),
        lambda: chance.getrandbits(60),
        lambda: "2026-01-01T00:00:00",
    )
    kind = chance.choice(kinds)
    return [kind() for _ in range(12)]


READERS: Mapping[str, Reader] = {
    "table": Reader(_table, _read_table, 60),
    "sheet": Reader(_sheet, _read_table, 20),
    "parquet": Reader(_parquet, _read_table, 20),
    "bench": Reader(_bench, _read_bench, 30),
    "setup": Reader(_json_file(lambda c: c.choice(_setups())), _read_setup, 150),
    "scenario": Reader(_json_file(lambda _: SCENARIO), _loaded(scenario.load), 60),
    "menu": Reader(_json_file(_menu), _loaded(load_menu), 50),
    "mapping": Reader(_json_file(_mapping), _loaded(load_mapping), 50),
    "profile": Reader(_json_file(_profile), _loaded(lambda p: load_file(str(p))), 50),
    "map": Reader(
        _json_file(lambda _: json.loads(_text_of("", "standin-bms.json"))), _read_map, 50
    ),
    "dbc": Reader(_dbc, _read_dbc, 10),
    "capture": Reader(_capture, _read_capture, 40),
    "frames": Reader(_frames, _read_frames, 40),
    "registers": Reader(_registers, _read_registers, 40),
    "register table": Reader(_register_table, _loaded(points.read_table), 40),
    "read back": Reader(_read_back, lambda raw: _impossible(decode(raw, standin_map())), 40),
    "typed": Reader(_typed, _read_typed, 80),
    "shown": Reader(_shown, _read_shown, 50),
    "cells": Reader(_typed_cells, _read_cells, 40),
    "lines": Reader(_lines, _read_lines, 30),
    "pins": Reader(_pins, _read_pins, 20),
    "values": Reader(_values, _read_values, 30),
}
