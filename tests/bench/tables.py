"""Tables put together by chance from the habits of many: read rightly, told, refused, or false?

``python -m tests.bench.tables 2000 [seed]`` writes so many tables, each with a truth, a language, a
form of time, units, a sign, a separator, an order of columns and things beside the point drawn at
random, reads each and counts. What counts against the reader is a value that is false **without a
word**; ``try_one(seed)`` makes one of them again.
"""

import io
import json
import random
import re
import sys
import tempfile
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import openpyxl

from nipper.core.errors import NipperError
from nipper.core.logs.model import Log
from nipper.core.logs.propose import Options
from nipper.core.logs.reader import read_file

SEED = 4711
ZONES = ("UTC", "Europe/Vienna", "America/New_York", "Australia/Sydney")
CURVES = {  # a few points of each chemistry's open-circuit voltage, of general knowledge
    "lfp": ((0, 2.9), (5, 3.15), (20, 3.26), (60, 3.30), (95, 3.34), (100, 3.45)),
    "nmc": ((0, 3.2), (20, 3.6), (50, 3.72), (80, 3.98), (100, 4.15)),
    "lto": ((0, 2.05), (20, 2.22), (80, 2.38), (100, 2.62)),
}

# by language: time, current, pack, cell, percentage, temperature, charge, discharge, least, most
WORDS = {
    "en": (
        ("Time", "timestamp", "Date/Time", "date", "DateTime", "logged at", "t", "Local time",
         "recorded_at", "created", "last_seen", "Sample time", "tstamp"),
        ("Current", "Battery current", "I", "Amps", "current", "I_bat", "pack_current", "A"),
        ("Voltage", "Pack voltage", "Total voltage", "V_bat", "pack_v", "Volts", "U", "V"),
        ("Cell {}", "cell_{:02d}", "C{}", "Cell{}", "cell voltage {}", "V{}", "Voltage cell {}",
         "VC{}", "cell{}Voltage", "Vcell_{}", "voltage_cell_{}", "cells.{}", "cellVoltages[{}]",
         "B{:02d}", "cell-{}", "Cell #{}", "Pack 1 Cell {}", "bms/cell/{}", "cell_v_{}", "cv{}",
         "Cell Voltage {:02d}", "S{}", "Batt cell {}", "cell {} volts", "Vc{:02d}"),
        ("SOC", "State of charge", "soc", "Charge level"),
        ("Temp {}", "T{}", "temperature_{}", "Temp sensor {}", "NTC{}"),
        ("Charge current", "Current in"), ("Discharge current", "Current out"),
        ("Min cell", "lowest cell"), ("Max cell", "highest cell"),
    ),
    "de": (
        ("Zeit", "Datum", "Zeitstempel", "Datum/Uhrzeit"),
        ("Strom", "Batteriestrom", "I"), ("Spannung", "Gesamtspannung", "Packspannung", "U"),
        ("Zelle {}", "Zelle{:02d}", "Z{}", "Zellspannung {}", "U{}"), ("SOC", "Ladezustand"),
        ("Temperatur {}", "Temp {}", "T{}"), ("Ladestrom",), ("Entladestrom",),
        ("Min. Zelle", "kleinste Zelle"), ("Max. Zelle", "größte Zelle"),
    ),
    "fr": (
        ("Heure", "Horodatage", "Date"), ("Courant", "Intensité"), ("Tension", "Tension pack"),
        ("Cellule {}", "Tension cellule {}", "cell{}"), ("État de charge", "SOC"),
        ("Température {}", "Temp. {}"), ("Courant de charge",), ("Courant de décharge",),
        ("Cellule min",), ("Cellule max",),
    ),
    "es": (
        ("Fecha", "Hora", "Fecha y hora"), ("Corriente",), ("Voltaje", "Tensión total"),
        ("Celda {}", "Voltaje celda {}"), ("Estado de carga", "SOC"), ("Temperatura {}",),
        ("Corriente de carga",), ("Corriente de descarga",), ("Celda mín.",), ("Celda máx.",),
    ),
    "nl": (
        ("Tijd", "Datum"), ("Stroom",), ("Spanning", "Accuspanning"), ("Cel {}", "Celspanning {}"),
        ("Laadtoestand", "SOC"), ("Temperatuur {}",), ("Laadstroom",), ("Ontlaadstroom",),
        ("Laagste cel",), ("Hoogste cel",),
    ),
    "it": (
        ("Data", "Ora", "Data e ora"), ("Corrente",), ("Tensione", "Tensione totale"),
        ("Cella {}", "Tensione cella {}"), ("Stato di carica", "SOC"), ("Temperatura {}",),
        ("Corrente di carica",), ("Corrente di scarica",), ("Cella min",), ("Cella max",),
    ),
    "pl": (
        ("Czas", "Data", "Data i godzina"), ("Prąd", "Prąd baterii"), ("Napięcie",),
        ("Ogniwo {}", "Napięcie ogniwa {}"), ("Stan naładowania", "SOC"), ("Temperatura {}",),
        ("Prąd ładowania",), ("Prąd rozładowania",), ("Min. ogniwo",), ("Maks. ogniwo",),
    ),
    "pt": (
        ("Data", "Hora", "Data/hora"), ("Corrente",), ("Tensão", "Tensão total"),
        ("Célula {}", "Tensão da célula {}"), ("Estado de carga", "SOC"), ("Temperatura {}",),
        ("Corrente de carga",), ("Corrente de descarga",), ("Célula mín.",), ("Célula máx.",),
    ),
}  # fmt: skip
FORMS = (
    "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%d.%m.%Y %H:%M:%S", "%d/%m/%Y %H:%M:%S",
    "%m/%d/%Y %I:%M:%S %p", "%m/%d/%Y %H:%M:%S", "%d.%m.%y %H:%M:%S", "%Y/%m/%d %H:%M:%S",
    "%d-%b-%Y %H:%M:%S", "%Y%m%d %H%M%S", "unix", "unix ms", "iso z", "apart", "elapsed",
)  # fmt: skip
MISSING = ("", "-", "NaN", "n/a", "null", "---")


@dataclass
class Table:
    """A text, its truth, and what may fairly be asked of a reader."""

    data: bytes
    log: Log
    options: dict[str, object]
    habits: list[str] = field(default_factory=list)
    shift: bool = False  # the times may be right but for a constant
    file: str = "log.csv"


def world(rng: np.random.Generator) -> Log:
    """A pack of some chemistry, charged and discharged as it comes."""
    curve = np.array(CURVES[str(rng.choice(list(CURVES), p=(0.6, 0.3, 0.1)))])
    cells, rows = int(rng.choice((4, 7, 8, 13, 14, 16, 20, 24))), int(rng.integers(150, 900))
    every = float(rng.choice((5, 10, 30, 60, 300)))
    ah = float(rng.choice((20, 50, 100, 280))) * max(every / 30.0, 0.3)
    amps = np.zeros(rows)
    at = int(rng.integers(2, 20))
    toward = 1.0
    while at < rows:
        length = int(rng.integers(15, rows // 3 + 16))
        size = rng.uniform(0.05, 0.4) * ah
        amps[at : at + length] = toward * size
        toward = -toward if rng.random() < 0.8 else toward
        at += length + int(rng.integers(0, 40))
    soc = np.zeros(rows)
    now = float(rng.uniform(30, 80))
    for row in range(rows):
        now += 100.0 * amps[row] * every / 3600.0 / ah
        if not 2.0 < now < 99.0:
            amps[row:] = np.where(np.sign(amps[row:]) == np.sign(amps[row]), 0.0, amps[row:])
        now = min(max(now, 1.0), 99.5)
        soc[row] = now
    amps += np.where(amps != 0, rng.normal(0, 0.01 * ah, rows), 0.0)
    ohm = 0.15 / ah
    cell_soc = np.clip(soc[:, None] + rng.normal(0, 1.0, cells), 0, 100)
    volts = np.interp(cell_soc, curve[:, 0], curve[:, 1])
    volts = volts + amps[:, None] * ohm * rng.uniform(0.9, 1.2, cells)
    volts = np.round(volts + rng.normal(0, 5e-4, volts.shape), 3).astype(np.float32)
    begun = datetime(2026, int(rng.integers(1, 13)), int(rng.integers(1, 29)), 5, tzinfo=UTC)
    sensors = int(rng.integers(0, 4))
    warm = 18 + np.cumsum(rng.normal(0, 0.05, (rows, sensors)), axis=0) if sensors else None
    return Log(
        time_s=begun.timestamp() + every * np.arange(rows),
        current_a=np.round(amps, 1),
        pack_v=np.round(volts.sum(axis=1).astype(float), 2),
        cell_v=volts,
        soc_pct=np.round(soc).astype(np.float32),
        temp_c=None if warm is None else np.round(warm, 1).astype(np.float32),
    )


class Writer:
    """One table of one colleague."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self.log = world(np.random.default_rng(seed))
        self.columns: list[tuple[list[str], list[Callable[[int], str]]]] = []
        self.habits: list[str] = []
        self.options: dict[str, object] = {}
        self.mark = self.chance.choice((".", ".", ","))
        self.sep = self.chance.choice(
            (";", "\t", "|") if self.mark == "," else (",", ",", ";", "\t")
        )
        language = self.chance.choice(list(WORDS)) if self.chance.random() < 0.6 else "en"
        self.words = WORDS[language]
        self.unit = self.chance.choice(("", " ({})", " [{}]", "_{}", "/{}", " in {}"))
        self.shift = False
        self.behind = self.chance.random() < 0.06  # units stand behind the values
        self.unit_row = not self.unit and self.chance.random() < 0.3
        forms = ("text", "long", "change", "lines", "workbook")
        self.form = self.chance.choices(forms, (80, 6, 5, 5, 4))[0]
        self.habits += [self.form] + ["units behind"] * self.behind
        self.habits += [language, f"sep {self.sep!r}", f"mark {self.mark}", f"unit {self.unit!r}"]

    def word(self, role: int) -> str:
        return self.chance.choice(self.words[role])

    def named(self, word: str, unit: str) -> str:
        return word + self.unit.format(unit) if self.unit else word

    def num(self, value: float, digits: int, unit: str = "") -> str:
        if not np.isfinite(value):
            return self.chance.choice(MISSING)
        if self.behind and unit:
            return f"{value + 0.0:.{digits}f} {unit}".replace(".", self.mark)
        return f"{value + 0.0:.{digits}f}".replace(".", self.mark)

    def add(self, heads: list[str], fields: list[Callable[[int], str]]) -> None:
        self.columns.append((heads, fields))

    # columns ------------------------------------------------------------------------------------

    def time(self) -> None:
        form = self.chance.choice(FORMS)
        self.habits.append(f"time {form}")
        zone: tzinfo = UTC
        if form not in ("unix", "unix ms", "iso z"):
            name = self.chance.choice(ZONES)
            zone, self.options["zone"] = ZoneInfo(name), name
        at = self.log.time_s

        if form == "apart":
            names = self.chance.choice((("Date", "Time"), ("Datum", "Zeit"), ("day", "clock")))
            day = self.chance.choice(("%Y-%m-%d", "%d.%m.%Y", "%d-%m-%Y"))

            def part(i: int, how: str) -> str:
                return datetime.fromtimestamp(at[i], zone).strftime(how)

            self.add(list(names), [lambda i: part(i, day), lambda i: part(i, "%H:%M:%S")])
            return
        self.shift = form == "elapsed"

        def text(i: int) -> str:
            if form == "elapsed":
                return f"{at[i] - at[0]:.0f}"
            if form == "unix":
                return f"{at[i]:.0f}"
            if form == "unix ms":
                return f"{at[i] * 1e3:.0f}"
            when = datetime.fromtimestamp(at[i], zone)
            return when.strftime("%Y-%m-%dT%H:%M:%SZ" if form == "iso z" else form)

        self.add(["Elapsed (s)" if self.shift else self.word(0)], [text])

    def current(self) -> None:
        way = self.chance.choice(("plus", "plus", "minus", "apart", "word", "mA"))
        amps = self.log.current_a
        self.habits.append(f"current {way}")
        if way == "apart":
            names = [self.named(self.word(6), "A"), self.named(self.word(7), "A")]
            self.add(
                names,
                [lambda i: self.num(max(amps[i], 0), 1), lambda i: self.num(max(-amps[i], 0.0), 1)],
            )
        elif way == "word":
            states = {1: "charging", -1: "discharging", 0: "idle"}
            self.add(
                [self.named(self.word(1), "A"), "Status"],
                [lambda i: self.num(abs(amps[i]), 1), lambda i: states[int(np.sign(amps[i]))]],
            )
        elif way == "mA":
            self.add([f"{self.word(1)} (mA)"], [lambda i: self.num(1000 * amps[i], 0)])
        else:
            sign = -1.0 if way == "minus" else 1.0
            self.add([self.named(self.word(1), "A")], [lambda i: self.num(sign * amps[i], 1, "A")])

    def pack(self) -> None:
        volts = self.log.pack_v
        self.add([self.named(self.word(2), "V")], [lambda i: self.num(volts[i], 2, "V")])

    def cells(self) -> None:
        milli = self.milli = self.chance.random() < 0.3
        first = 0 if self.chance.random() < 0.1 else 1
        word, unit = self.word(3), "mV" if milli else "V"
        holes = self.form != "change" and self.chance.random() < 0.15
        self.habits.append(f"cells {word} {unit} from {first}" + " holes" * holes)
        count = range(self.log.cells)
        cell_v = self.log.cell_v

        def field_of(cell: int) -> Callable[[int], str]:
            def text(i: int) -> str:
                if holes and self.chance.random() < 0.01:
                    return self.num(np.nan, 0)
                value = float(cell_v[i, cell])
                return self.num(1000 * value, 0, "mV") if milli else self.num(value, 3, "V")

            return text

        heads = [self.named(word.format(c + first), unit) for c in count]
        fields = [field_of(c) for c in count]
        if self.chance.random() < 0.1:
            heads, fields = heads[::-1], fields[::-1]
            self.habits.append("last cell first")
        self.add(heads, fields)

    def soc(self) -> None:
        soc = self.log.soc_pct
        assert soc is not None
        self.add([self.named(self.word(4), "%")], [lambda i: self.num(float(soc[i]), 0, "%")])

    def temps(self) -> None:
        temp = self.log.temp_c
        if temp is None:
            return
        word = self.word(5)
        heads = [self.named(word.format(k + 1), "°C") for k in range(temp.shape[1])]
        made = [lambda i, k=k: self.num(float(temp[i, k]), 1, "°C") for k in range(temp.shape[1])]
        self.add(heads, made)

    def beside(self) -> None:
        """Things that are no reading of these, as logs are full of."""
        log, chance = self.log, self.chance
        low, high = log.cell_v.min(axis=1), log.cell_v.max(axis=1)
        tops = [self.named(self.word(8), "V"), self.named(self.word(9), "V")]
        power = log.pack_v * log.current_a
        ah = np.cumsum(log.current_a) * float(np.diff(log.time_s[:2])[0]) / 3600.0
        some: list[tuple[list[str], list[Callable[[int], str]]]] = [
            (tops, [lambda i: self.num(low[i], 3), lambda i: self.num(high[i], 3)]),
            (["Delta (mV)"], [lambda i: self.num(1000 * float(high[i] - low[i]), 0)]),
            (["Power (W)"], [lambda i: self.num(power[i], 0)]),
            (["Remaining Ah"], [lambda i: self.num(120 + ah[i], 1)]),
            (["Cycles"], [lambda i: "37"]),
            (["Charge limit (A)"], [lambda i: self.num(100, 0)]),
            (["Max charge voltage (V)"], [lambda i: self.num(3.6 * log.cells, 1)]),
            (["Alarms"], [lambda i: "0x0000"]),
            (["Firmware"], [lambda i: "v2.11"]),
            (["No."], [lambda i: str(i + 1)]),
            (["Uptime (s)"], [lambda i: str(84211 + int(log.time_s[i] - log.time_s[0]))]),
            (["MOS temp (°C)"], [lambda i: self.num(31.0 + abs(log.current_a[i]) / 40, 1)]),
            (["SOH (%)"], [lambda i: "99"]),
            (["Charge MOS", "Discharge MOS"], [lambda i: "ON", lambda i: "ON"]),
            (["Mean cell (V)"], [lambda i: self.num(float(log.cell_v[i].mean()), 3)]),
            (["Lowest cell no.", "Highest cell no."],
             [lambda i: str(int(log.cell_v[i].argmin()) + 1),
              lambda i: str(int(log.cell_v[i].argmax()) + 1)]),
            (["Balance current (A)"], [lambda i: self.num(0.06 * (i % 3 == 0), 2)]),
            (["Charger current (A)"], [lambda i: self.num(max(log.current_a[i], 0) + 2, 1)]),
            (["Inverter current (A)"], [lambda i: self.num(max(-log.current_a[i], 0) + 1, 1)]),
            (["Grid voltage (V)"], [lambda i: self.num(229 + i % 5, 0)]),
            (["Nominal capacity (Ah)"], [lambda i: "280"]),
            (["Target voltage (V)"], [lambda i: self.num(3.45 * log.cells, 1)]),
            (["Charge current limit (A)"], [lambda i: self.num(60 + (i // 50) % 3, 0)]),
            (["Humidity (%)"], [lambda i: self.num(51 + i % 4, 0)]),
            (["Ambient temp (°C)"], [lambda i: self.num(21.5, 1)]),
            (["Charge cycles", "Days since full"], [lambda i: "112", lambda i: "3"]),
            (["Balancing"], [lambda i: "OFF"]),
            ([f"Cell {c + 1} resistance (mohm)" for c in range(log.cells)],
             [lambda i, c=c: self.num(0.2 + c / 100, 2) for c in range(log.cells)]),
            ([f"Balance {c + 1}" for c in range(log.cells)], [lambda i: "0"] * log.cells),
            (["DC bus voltage (V)"], [lambda i: self.num(log.pack_v[i] - 0.1, 2)]),
            (["Solar (W)", "Load (W)"], [lambda i: self.num(max(power[i], 0) + 80, 0),
                                         lambda i: self.num(max(-power[i], 0) + 80, 0)]),
        ]  # fmt: skip
        for heads, fields in chance.sample(some, chance.choice((0, 0, 1, 2, 4, 7))):
            self.habits.append("beside: " + heads[0])
            self.add(heads, fields)

    # the whole ----------------------------------------------------------------------------------

    def table(self) -> Table:
        chance, log = self.chance, self.log
        self.time()
        self.time_heads = list(self.columns[0][0])
        has_current = chance.random() < 0.93
        has_pack = chance.random() < 0.8
        has_soc = chance.random() < 0.6
        for there, make in (
            (has_current, self.current), (has_pack, self.pack), (has_soc, self.soc),
            (True, self.cells), (True, self.temps), (True, self.beside),
        ):  # fmt: skip
            if there:
                make()
        self._shuffled()
        heads = [head for some, _ in self.columns for head in some]
        fields = [one for _, some in self.columns for one in some]
        rows = [[one(i) for one in fields] for i in range(log.rows)]
        if self.form == "change":
            rows = _on_change(rows, {heads.index(h) for h in self.time_heads})
        if chance.random() < 0.15 and not self.shift:
            rows.reverse()
            self.habits.append("newest first")
        truth = Log(
            time_s=log.time_s,
            cell_v=log.cell_v,
            current_a=log.current_a if has_current else None,
            pack_v=log.pack_v if has_pack else None,
            soc_pct=log.soc_pct if has_soc else None,
            temp_c=log.temp_c,
        )
        file, data = self._written(heads, rows)
        self.habits += [file, f"{log.cells} cells"]
        return Table(data, truth, self.options, self.habits, self.shift, file)

    def _shuffled(self) -> None:
        if self.chance.random() < 0.5:
            rest = self.columns[1:]
            self.chance.shuffle(rest)
            self.columns[1:] = rest
        if self.chance.random() < 0.1:
            self.columns.append(self.columns.pop(0))
            self.habits.append("time last")

    def _written(self, heads: list[str], rows: list[list[str]]) -> tuple[str, bytes]:
        form = self.form
        if form == "lines":
            made = [json.dumps(dict(zip(heads, row, strict=True))) for row in rows]
            return "log.jsonl", "\n".join(made).encode()
        if form == "workbook":
            return "log.xlsx", self._workbook(heads, rows)
        if form == "long" and len(self.columns[0][0]) == 1 and "time last" not in self.habits:
            rows = [
                [row[0], head, v]
                for row in rows
                for head, v in zip(heads[1:], row[1:], strict=True)
            ]
            heads = [heads[0], self.chance.choice(("name", "sensor", "key")), "value"]
        elif self.unit_row:
            rows = [self._units_of(heads), *rows]
            self.habits.append("a row of units")
        return "log.csv", self._text(heads, rows)

    def _units_of(self, heads: list[str]) -> list[str]:
        """The units in a row of their own, where the heading names none."""
        kinds = {2: "V", 1: "A", 4: "%", 6: "A", 7: "A", 8: "V", 9: "V"}
        out = []
        for head in heads:
            role = next((r for r in kinds if head in self.words[r]), None)
            cells = re.sub(r"\d+", "", head) in {re.sub(r"\{.*\}", "", w) for w in self.words[3]}
            warm = re.sub(r"\d+", "", head) in {re.sub(r"\{.*\}", "", w) for w in self.words[5]}
            cell = ("mV" if self.milli else "V") if cells else ""
            out.append(kinds[role] if role is not None else cell or ("°C" if warm else ""))
        return out

    def _text(self, heads: list[str], rows: list[list[str]]) -> bytes:
        chance = self.chance
        quote = '"' if chance.random() < 0.15 else ""
        lines = [self.sep.join(f"{quote}{v}{quote}" for v in row) for row in [heads, *rows]]
        if chance.random() < 0.1:
            lines[:0] = ["Exported on 2026-11-02", "Device: shed", ""][: chance.randint(1, 3)]
            self.habits.append("preamble")
        if chance.random() < 0.06:
            lines[60:60] = [lines[len(lines) - len(rows) - 1]]
            self.habits.append("heading again")
        end = "\r\n" if chance.random() < 0.3 else "\n"
        text = end.join(lines) + end
        code = chance.choice(("utf-8", "utf-8", "utf-8-sig", "cp1252", "utf-16"))
        code = "cp1250" if code == "cp1252" and self.words is WORDS["pl"] else code
        self.habits.append(code)
        return text.encode(code)

    def _workbook(self, heads: list[str], rows: list[list[str]]) -> bytes:
        book = openpyxl.Workbook()
        sheet = book.active
        assert sheet is not None
        for row in [heads, *rows]:
            sheet.append([_as_typed(v) for v in row])
        out = io.BytesIO()
        book.save(out)
        return out.getvalue()


def _as_typed(text: str) -> float | str:
    try:
        return float(text)
    except ValueError:
        return text


def _on_change(rows: list[list[str]], always: set[int]) -> list[list[str]]:
    """Only what is not as in the row before."""
    out, before = [], [""] * len(rows[0])
    for row in rows:
        both = enumerate(zip(row, before, strict=True))
        out.append([v if v != b or k in always else "" for k, (v, b) in both])
        before = row
    return out


def wrong_in(read: Log, truth: Log, any_start: bool = False) -> list[str]:
    """What of a log is false, or silently left out."""
    if read.rows != truth.rows or read.cells != truth.cells:
        return [f"{read.rows} rows of {truth.rows}, {read.cells} cells of {truth.cells}"]
    out = []
    shift = read.time_s[0] - truth.time_s[0] if any_start else 0.0
    if np.abs(read.time_s - truth.time_s - shift).max() > 1.0:
        out.append("time")
    seen = np.isfinite(read.cell_v)
    if np.abs(read.cell_v - truth.cell_v)[seen].max() > 1e-3 or seen.mean() < 0.97:
        out.append("cells")
    for name, ours, theirs, atol in (
        ("current", read.current_a, truth.current_a, 0.07),
        ("pack", read.pack_v, truth.pack_v, 0.02),
        ("percentage", read.soc_pct, truth.soc_pct, 0.6),
        ("temperatures", read.temp_c, truth.temp_c, 0.06),
    ):
        if theirs is None:
            if ours is not None and ours.size and name != "pack":
                out.append(f"{name} out of nothing")
        elif ours is None:
            out.append(f"{name} left out")
        elif ours.shape != theirs.shape or not np.nanmax(np.abs(ours - theirs)) <= atol:
            out.append(name)
    return out


def try_one(seed: int, folder: Path) -> tuple[str, str]:
    """``right``, ``told``, ``refused`` or ``false``, and why."""
    table = Writer(seed).table()
    path = folder / f"{seed} {table.file}"
    path.write_bytes(table.data)
    try:
        found = read_file(path, Options(**table.options))  # pyright: ignore[reportArgumentType]
    except NipperError as error:
        return "refused", str(error)
    wrong = wrong_in(found.log, table.log, table.shift)
    told = " ".join(map(str, found.reading.doubts))
    path.unlink()
    if "there is no current" in told and table.log.current_a is None:
        wrong = [w for w in wrong if not w.startswith("current")]
    if not wrong:
        return ("right", "") if not told else ("right, doubted", told)
    return ("told" if told else "false"), f"{wrong} {told} {table.habits}"


def main(count: int, seed: int = SEED) -> int:
    """Try so many; how many were false in silence."""
    seen: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as name:
        for one in range(seed, seed + count):
            kind, why = try_one(one, Path(name))
            seen[kind] += 1
            if kind != "right":
                print(one, kind, why[:400])
    print(dict(seen))
    return seen["false"]


if __name__ == "__main__":
    sys.exit(main(*(int(text) for text in sys.argv[1:])))
