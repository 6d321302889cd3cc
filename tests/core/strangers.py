"""Tables as strangers write them, each with the truth it was written from.

None follows a product's own format: names, units, forms of time and layouts are combined by hand
from what people do with exports, scripts, spreadsheets and home automation.
"""

import gzip
import html
import io
import json
import sqlite3
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import openpyxl
import polars as pl

from nipper.core.logs.model import Log

VIENNA = ZoneInfo("Europe/Vienna")
START = datetime(2026, 3, 3, 6, 0, tzinfo=UTC).timestamp()


def a_log(
    cells: int = 8,
    rows: int = 360,
    start: float = START,
    every: float = 60.0,
    seed: int = 1,
    volts: tuple[float, float] = (3.22, 3.40),
) -> Log:
    """A pack that is charged, rests and is discharged; coarse as a meter."""
    rng = np.random.default_rng(seed)
    time_s = start + every * np.arange(rows)
    amps = np.zeros(rows)
    third = rows // 3
    amps[5:third] = 31.4
    amps[third + 20 : 2 * third] = -47.2
    amps[2 * third + 20 :] = 18.6
    amps[rows // 6] = 0.0
    amps += np.where(amps != 0, rng.normal(0, 0.4, rows), 0.0)
    ah = np.cumsum(amps) / 60.0  # a larger pack where the rows are further apart
    soc = 60.0 + ah * 100.0 / 300.0
    spread = rng.normal(0, 0.004, cells)
    low, high = volts
    curve = low + (high - low) * soc / 100.0
    cell_v = curve[:, None] + spread + 0.0009 * amps[:, None] + rng.normal(0, 4e-4, (rows, cells))
    cell_v = np.round(cell_v, 3).astype(np.float32)
    top = cell_v.argmax(axis=1)
    balancing = np.zeros((rows, cells), bool)
    on = amps > 20
    balancing[np.flatnonzero(on), top[on]] = True
    return Log(
        time_s=time_s,
        current_a=np.round(amps, 1),
        pack_v=np.round(cell_v.sum(axis=1).astype(float), 2),
        cell_v=cell_v,
        temp_c=np.round(np.c_[17 + 0.01 * np.arange(rows), 18 + 0.01 * np.arange(rows)], 1),
        soc_pct=np.round(soc, 1).astype(np.float32),
        balancing=balancing,
    )


def utc(form: str) -> Callable[[float], str]:
    return lambda t: datetime.fromtimestamp(t, UTC).strftime(form)


def vienna(form: str) -> Callable[[float], str]:
    return lambda t: datetime.fromtimestamp(t, VIENNA).strftime(form)


def number(value: float, digits: int = 3, mark: str = ".", thousands: str = "") -> str:
    text = f"{value:,.{digits}f}" if thousands else f"{value:.{digits}f}"
    return text.replace(",", "\0").replace(".", mark).replace("\0", thousands)


Field = Callable[[Log, int], str]


@dataclass
class Sheet:
    """A table put together column by column."""

    log: Log
    heads: list[str] = field(default_factory=list)
    fields: list[Field] = field(default_factory=list)

    def add(self, head: str, value: Field) -> "Sheet":
        self.heads.append(head)
        self.fields.append(value)
        return self

    def time(self, head: str, form: Callable[[float], str]) -> "Sheet":
        return self.add(head, lambda log, i: form(log.time_s[i]))

    def amps(self, head: str, scale: float = 1.0, digits: int = 1, mark: str = ".") -> "Sheet":
        return self.add(head, lambda log, i: number(log.current_a[i] * scale, digits, mark))

    def pack(
        self, head: str, scale: float = 1.0, digits: int = 2, mark: str = ".", thousands: str = ""
    ) -> "Sheet":
        return self.add(head, lambda log, i: number(log.pack_v[i] * scale, digits, mark, thousands))

    def cells(
        self,
        head: str,
        scale: float = 1.0,
        digits: int = 3,
        mark: str = ".",
        first: int = 1,
        thousands: str = "",
        behind: str = "",
    ) -> "Sheet":
        for c in range(self.log.cells):
            self.add(
                head.format(c + first),
                lambda log, i, c=c: (
                    number(float(log.cell_v[i, c]) * scale, digits, mark, thousands) + behind
                ),
            )
        return self

    def temps(self, head: str, mark: str = ".", fahrenheit: bool = False) -> "Sheet":
        for k in range(2):
            self.add(
                head.format(k + 1),
                lambda log, i, k=k: number(
                    log.temp_c[i, k] * 1.8 + 32 if fahrenheit else log.temp_c[i, k], 1, mark
                ),
            )
        return self

    def soc(self, head: str, scale: float = 1.0, digits: int = 1, mark: str = ".") -> "Sheet":
        return self.add(head, lambda log, i: number(float(log.soc_pct[i]) * scale, digits, mark))

    def const(self, head: str, text: str) -> "Sheet":
        return self.add(head, lambda log, i: text)

    def without(self, head: str) -> "Sheet":
        at = self.heads.index(head)
        del self.heads[at], self.fields[at]
        return self

    def rows(self) -> list[list[str]]:
        return [[f(self.log, i) for f in self.fields] for i in range(self.log.rows)]

    def text(
        self,
        separator: str = ",",
        above: str = "",
        below: str = "",
        quote: bool = False,
        end: str = "\n",
        newest: bool = False,
    ) -> str:
        rows = self.rows()[::-1] if newest else self.rows()
        q = '"' if quote else ""
        lines = [separator.join(q + v + q for v in row) for row in [self.heads, *rows]]
        return above + end.join(lines) + end + below


def usual(log: Log, mark: str = ".") -> Sheet:
    return (
        Sheet(log)
        .time("Time", utc("%Y-%m-%dT%H:%M:%SZ"))
        .amps("Current (A)", mark=mark)
        .pack("Pack voltage (V)", mark=mark)
        .cells("Cell {} (V)", mark=mark)
    )


@dataclass(frozen=True)
class Stranger:
    """A file, what it was written from, and what must become of it.

    ``refused`` and ``doubt`` hold words that must be told; a table with neither is read rightly.
    """

    name: str
    data: bytes
    log: Log
    file: str = "log.csv"
    options: dict[str, Any] = field(default_factory=dict)
    refused: str = ""
    doubt: str = ""
    check: Sequence[str] = ("time", "cells", "current", "pack")
    time_atol: float = 0.6
    cell_atol: float = 6e-4
    amps_atol: float = 0.07
    shift: bool = False  # times are right but for a constant
    rows: int | None = None


ALL: list[Stranger] = []


def stranger(name: str, **how: Any) -> Callable[[Callable[[], Any]], Callable[[], Any]]:
    def keep(make: Callable[[], Any]) -> Callable[[], Any]:
        made = make()
        log, data = made[0], made[1]
        data = data.encode() if isinstance(data, str) else data
        ALL.append(Stranger(name, data, log, **how))
        return make

    return keep


LOG = a_log()
BIG = a_log(16, 300, seed=3)

# headings in eight languages

for language, heads, mark, sep in (
    ("english", ("Timestamp", "Battery current [A]", "Total voltage [V]", "Cell voltage {} [V]",
                 "State of charge [%]", "Temperature {} [°C]"), ".", ","),
    ("german", ("Zeitpunkt", "Strom [A]", "Gesamtspannung [V]", "Zellspannung {} [V]",
                "Ladezustand [%]", "Temperatur {} [°C]"), ",", ";"),
    ("french", ("Horodatage", "Courant (A)", "Tension totale (V)", "Tension cellule {} (V)",
                "État de charge (%)", "Température {} (°C)"), ",", ";"),
    ("spanish", ("Fecha y hora", "Corriente (A)", "Tensión total (V)", "Tensión celda {} (V)",
                 "Estado de carga (%)", "Temperatura {} (°C)"), ",", ";"),
    ("italian", ("Data e ora", "Corrente (A)", "Tensione totale (V)", "Tensione cella {} (V)",
                 "Stato di carica (%)", "Temperatura {} (°C)"), ",", ";"),
    ("polish", ("Czas", "Prąd (A)", "Napięcie pakietu (V)", "Napięcie ogniwa {} (V)",
                "Stan naładowania (%)", "Temperatura {} (°C)"), ",", ";"),
    ("portuguese", ("Data e hora", "Corrente (A)", "Tensão total (V)", "Tensão da célula {} (V)",
                    "Estado de carga (%)", "Temperatura {} (°C)"), ",", ";"),
    ("dutch", ("Tijdstip", "Stroom (A)", "Totale spanning (V)", "Celspanning {} (V)",
               "Laadtoestand (%)", "Temperatuur {} (°C)"), ",", ";"),
):  # fmt: skip
    sheet = (
        Sheet(LOG)
        .time(heads[0], vienna("%Y-%m-%d %H:%M:%S"))
        .amps(heads[1], mark=mark)
        .pack(heads[2], mark=mark)
        .cells(heads[3], mark=mark)
        .soc(heads[4], mark=mark)
        .temps(heads[5], mark=mark)
    )
    ALL.append(
        Stranger(
            f"headings in {language}",
            sheet.text(sep).encode(),
            LOG,
            options={"zone": "Europe/Vienna"},
            check=("time", "cells", "current", "pack", "soc", "temps"),
        )
    )

# times


def timed(head: str, form: Callable[[float], str], log: Log = LOG, sep: str = ",") -> str:
    return Sheet(log).time(head, form).amps("I").pack("U").cells("U{}").text(sep)


ALPINE = {"zone": "Europe/Vienna"}
TIMES = {
    "day first with points, years of two digits": ("Datum", vienna("%d.%m.%y %H:%M:%S"), ALPINE),
    "day first with slashes, over a month's end": (
        "Date", vienna("%d/%m/%Y %H:%M"), ALPINE),
    "month first, a 12-hour clock": ("Date", vienna("%m/%d/%Y %I:%M:%S %p"), ALPINE),
    "names of months": ("When", vienna("%d %b %Y %H:%M:%S"), ALPINE),
    "month by name first": ("When", vienna("%b %d, %Y %H:%M:%S"), ALPINE),
    "a weekday before it": ("When", vienna("%a, %d %b %Y %H:%M:%S"), ALPINE),
    "an offset behind the time": ("time", vienna("%d.%m.%Y %H:%M:%S %z"), {}),
    "a zone behind the time": ("time", vienna("%d.%m.%Y %H:%M:%S %Z"), {}),
    "a zone in the heading": ("Time (UTC)", utc("%d.%m.%Y %H:%M:%S"), {}),
    "a named zone in the heading": ("Time Europe/Vienna", vienna("%Y/%m/%d %H:%M"), {}),
    "an offset in the heading": ("Time [UTC+1]", vienna("%Y-%m-%d %H:%M:%S"), {}),
    "unix milliseconds": ("ts", lambda t: f"{t * 1e3:.0f}", {}),
    "unix microseconds": ("ts", lambda t: f"{t * 1e6:.0f}", {}),
    "unix seconds with parts": ("epoch", lambda t: f"{t:.3f}", {}),
    "spreadsheet day numbers": ("Date", lambda t: f"{t / 86400 + 25569:.8f}", {"zone": "UTC"}),
    "compact": ("stamp", utc("%Y%m%d%H%M%S"), {"zone": "UTC"}),
    "compact with a T": ("stamp", utc("%Y%m%dT%H%M%SZ"), {}),
    "ISO without seconds": ("time", utc("%Y-%m-%d %H:%M"), {"zone": "UTC"}),
    "ISO with a space before the offset": ("time", vienna("%Y-%m-%d %H:%M:%S %z"), {}),
    "a clock with points": ("ora", vienna("%d.%m.%Y %H.%M.%S"), ALPINE),
}  # fmt: skip
MONTH_END = a_log(start=datetime(2026, 3, 30, 21, 0, tzinfo=UTC).timestamp(), every=900)
for title, (head, form, options) in TIMES.items():
    log = MONTH_END if "month's end" in title else LOG
    ALL.append(
        Stranger(
            f"time: {title}",
            timed(head, form, log, ";").encode(),
            log,
            options=options,
            time_atol=60.0 if title == "%H:%M" else 0.6,
        )
    )

UNZONED = timed("Time", utc("%Y-%m-%d %H:%M:%S"))
ALL.append(Stranger("time: no zone anywhere is told", UNZONED.encode(), LOG, doubt="zone"))
ONE_DAY = timed("Date", utc("%d/%m/%Y %H:%M:%S"))
ALL.append(
    Stranger(
        "time: 03/03 can be told by neither",
        ONE_DAY.encode(),
        LOG,
        options={"zone": "UTC"},
        shift=True,
    )
)
FOURTH = a_log(start=datetime(2026, 4, 3, 6, 0, tzinfo=UTC).timestamp())
ALL.append(
    Stranger(
        "time: 03/04 within one day is doubted",
        timed("Date", utc("%d/%m/%Y %H:%M:%S"), FOURTH).encode(),
        FOURTH,
        options={"zone": "UTC"},
        doubt="day first",
        shift=True,
    )
)
ALL.append(
    Stranger(
        "time: 03/04 settled by the option",
        timed("Date", utc("%d/%m/%Y %H:%M:%S"), FOURTH).encode(),
        FOURTH,
        options={"zone": "UTC", "day_first": True},
    )
)
WEEK = a_log(rows=340, start=datetime(2026, 4, 2, 6, 0, tzinfo=UTC).timestamp(), every=1800.0)
ALL.append(
    Stranger(
        "time: 02/04 to 09/04 is told by the clock running on",
        timed("Date", utc("%d/%m/%Y %H:%M:%S"), WEEK).encode(),
        WEEK,
        options={"zone": "UTC"},
    )
)
ALL.append(
    Stranger(
        "time: the same month first",
        timed("Date", utc("%m/%d/%Y %H:%M:%S"), WEEK).encode(),
        WEEK,
        options={"zone": "UTC"},
    )
)
AUTUMN = a_log(rows=300, start=datetime(2026, 10, 24, 22, 30, tzinfo=UTC).timestamp())
ALL.append(
    Stranger(
        "time: both hours of autumn",
        timed("Zeit", vienna("%d.%m.%Y %H:%M:%S"), AUTUMN, ";").encode(),
        AUTUMN,
        options=ALPINE,
    )
)
ALL.append(
    Stranger(
        "time: both hours of autumn, newest first",
        Sheet(AUTUMN)
        .time("Zeit", vienna("%d.%m.%Y %H:%M:%S"))
        .amps("I")
        .pack("U")
        .cells("U{}")
        .text(";", newest=True)
        .encode(),
        AUTUMN,
        options=ALPINE,
    )
)
ALL.append(
    Stranger(
        "time: seconds since the start",
        timed("t [s]", lambda t: f"{t - START:.1f}").encode(),
        LOG,
        doubt="no dates",
        shift=True,
    )
)
ALL.append(
    Stranger(
        "time: h:mm:ss since the start",
        timed(
            "Elapsed",
            lambda t: (
                f"{int(t - START) // 3600}:{int(t - START) % 3600 // 60:02d}"
                f":{int(t - START) % 60:02d}"
            ),
        ).encode(),
        LOG,
        doubt="no dates",
        shift=True,
    )
)
NIGHT = a_log(start=START + 14 * 3600)
ALL.append(
    Stranger(
        "time: a clock without a date, over midnight",
        timed("Time", utc("%H:%M:%S"), NIGHT).encode(),
        NIGHT,
        doubt="no dates",
        shift=True,
    )
)
ALL.append(
    Stranger(
        "time: date and clock in two columns",
        Sheet(LOG)
        .time("Date", vienna("%d.%m.%Y"))
        .time("Time", vienna("%H:%M:%S"))
        .amps("Current A")
        .pack("Voltage V")
        .cells("Cell{} V")
        .text(";")
        .encode(),
        LOG,
        options=ALPINE,
    )
)
ALL.append(
    Stranger(
        "time: a decoy of the last full charge",
        Sheet(LOG)
        .const("Last full time", "2026-03-01 10:00:00")
        .time("Logged at", utc("%Y-%m-%d %H:%M:%S"))
        .amps("Current A")
        .pack("Voltage V")
        .cells("Cell{} V")
        .text()
        .encode(),
        LOG,
        options={"zone": "UTC"},
    )
)
ALL.append(
    Stranger(
        "time: local time beside Unix seconds",
        Sheet(LOG)
        .time("Local time", vienna("%Y-%m-%d %H:%M:%S"))
        .time("unix", lambda t: f"{t:.0f}")
        .amps("Current A")
        .pack("Voltage V")
        .cells("Cell{} V")
        .text()
        .encode(),
        LOG,
    )
)

# units and numbers


def zoned(log: Log = LOG) -> Sheet:
    return Sheet(log).time("time", utc("%Y-%m-%dT%H:%M:%SZ"))


UNITS = {
    "millivolts and milliamperes": zoned().amps("current_mA", 1e3, 0).pack("pack_mV", 1e3, 0)
    .cells("cell{}_mV", 1e3, 0).text(),
    "millivolts without a word": zoned().amps("current").pack("pack", 1e3, 0)
    .cells("cell{}", 1e3, 0).text(),
    "hundredths of a volt for the pack": zoned().amps("I (0.1A)", 10, 0)
    .pack("U (10mV)", 100, 0).cells("c{} (mV)", 1e3, 0).text(),
    "tenths of amperes by the heading": zoned().amps("Current x10 A", 10, 0)
    .pack("Voltage x100 V", 100, 0).cells("Cell {} x1000 V", 1e3, 0).text(),
    "units behind the values": Sheet(LOG).time("time", utc("%Y-%m-%dT%H:%M:%SZ"))
    .add("current", lambda g, i: f"{g.current_a[i]:.1f} A")
    .add("voltage", lambda g, i: f"{g.pack_v[i]:.2f} V").cells("cell {}", behind=" V").text(),
    "units in a row under the headings": zoned().amps("I", 1e3, 0).pack("U")
    .cells("Z{}", 1e3, 0).text(";").replace(
        "\n", "\n;mA;V" + ";mV" * 8 + "\n", 1),
    "two rows of headings": zoned().amps("I").pack("U").cells("{}").text(";").replace(
        "time;", ";Pack;;Cell voltages [V]" + ";" * 7 + "\ntime;", 1),
    "decimal commas in quotes": zoned().amps("Current", mark=",").pack("Pack", mark=",")
    .cells("Cell {}", mark=",").text(quote=True),
    "a point for thousands": zoned().amps("Strom [mA]", 1e3, 0).pack("Pack [mV]", 1e3, 0,
        thousands=".").cells("Zelle {} [mV]", 1e3, 0, thousands=".").text(";"),
    "a comma for thousands": zoned().amps("Current [A]").pack("Pack [mV]", 1e3, 0,
        thousands=",").cells("Cell {} [mV]", 1e3, 0, thousands=",").text(quote=True),
    "a space for thousands": zoned().amps("Courant [A]", mark=",").pack("Pack [mV]", 1e3, 0,
        thousands="\u202f").cells("Cellule {} [mV]", 1e3, 0, thousands=" ").text(";"),
    "a real minus sign": usual(LOG).text().replace(",-", ",−"),
    "cells counted from nought": zoned().amps("I").pack("U").cells("v{}", first=0).text(),
    "cells in tenths of a millivolt": zoned().amps("I").pack("U").cells("c{}", 1e4, 0).text(),
    "amperes without a unit, ten times": zoned().amps("Current", 10, 0).pack("Pack V")
    .cells("Cell {} V").soc("SOC").text(),
}  # fmt: skip
for title, text in UNITS.items():
    hints = {"capacity_ah": 300.0} if "ten times" in title else {}
    ALL.append(Stranger(f"units: {title}", text.encode(), LOG, options=hints))

# currents


def split(log: Log, i: int, way: int, digits: int = 1) -> str:
    amps = log.current_a[i] * way
    return f"{max(amps, 0.0):.{digits}f}"


def flowing(log: Log, i: int, names: tuple[str, str, str]) -> str:
    amps = log.current_a[i]
    return names[0] if amps > 0 else names[1] if amps < 0 else names[2]


def with_flow(*fields: tuple[str, Field], soc: bool = False, log: Log = LOG) -> Sheet:
    sheet = zoned(log)
    for head, value in fields:
        sheet.add(head, value)
    sheet.pack("Battery voltage V").cells("Cell {} V")
    return sheet.soc("SoC %") if soc else sheet


def unsigned(log: Log, i: int) -> str:
    return f"{abs(log.current_a[i]):.1f}"


FLOWS: dict[str, tuple[Sheet, dict[str, Any]]] = {
    "charge and discharge apart": (with_flow(
        ("Charge current A", lambda g, i: split(g, i, 1)),
        ("Discharge current A", lambda g, i: split(g, i, -1))), {}),
    "charge and discharge apart, in German": (with_flow(
        ("Laden A", lambda g, i: split(g, i, 1)),
        ("Entladen A", lambda g, i: split(g, i, -1))), {}),
    "discharge written as negative": (with_flow(
        ("I charge", lambda g, i: split(g, i, 1)),
        ("I discharge", lambda g, i: f"{min(g.current_a[i], 0.0):.1f}")), {}),
    "a direction in words": (with_flow(
        ("Current A", unsigned),
        ("Status", lambda g, i: flowing(g, i, ("Charging", "Discharging", "Idle")))), {}),
    "a direction in French": (with_flow(
        ("Courant A", unsigned),
        ("État", lambda g, i: flowing(g, i, ("charge", "décharge", "repos")))), {}),
    "a direction in numbers": (with_flow(
        ("Current A", unsigned),
        ("State", lambda g, i: flowing(g, i, ("2", "1", "0")))), {}),
    "discharge positive": (with_flow(
        ("Current A", lambda g, i: f"{-g.current_a[i]:.1f}")), {}),
    "discharge positive with a percentage": (with_flow(
        ("Current A", lambda g, i: f"{-g.current_a[i]:.1f}"), soc=True), {}),
    "limits and setpoints beside it": (with_flow(
        ("Max charge current A", lambda g, i: "100"),
        ("Charge current limit A", lambda g, i: "80"),
        ("Battery current A", lambda g, i: f"{g.current_a[i]:.1f}"),
        ("Requested current A", lambda g, i: "60")), {}),
    "the sun's and the load's current beside it": (with_flow(
        ("PV current A", lambda g, i: f"{max(0.0, 20 - abs(i - 180) / 9):.1f}"),
        ("Load current A", lambda g, i: f"{5 + i % 3:.1f}"),
        ("Battery current A", lambda g, i: f"{g.current_a[i]:.1f}")), {}),
    "power only": (with_flow(
        ("Battery power W", lambda g, i: f"{g.current_a[i] * g.pack_v[i]:.0f}")),
        {"doubt": "power"}),
    "no sign and no direction": (with_flow(
        ("Current A", unsigned), soc=True),
        {"doubt": "no sign", "check": ("time", "cells", "pack")}),
    "no current at all": (with_flow(), {"doubt": "no current", "check": ("time", "cells", "pack")}),
    "only the load's": (with_flow(
        ("Load current A", lambda g, i: f"{5 + i % 3:.1f}")),
        {"doubt": "something else", "check": ("time", "cells", "pack")}),
    "only the charging half": (with_flow(
        ("Charging current A", lambda g, i: split(g, i, 1))),
        {"doubt": "only the charging", "check": ("time", "cells", "pack")}),
    "an average beside it": (with_flow(
        ("Avg current A", lambda g, i: "3.0"),
        ("Current A", lambda g, i: f"{g.current_a[i]:.1f}")), {}),
}  # fmt: skip
for title, (sheet, how) in FLOWS.items():
    atol = 0.15 if title == "power only" else 0.07
    ALL.append(Stranger(f"current: {title}", sheet.text().encode(), LOG, amps_atol=atol, **how))
RESTING = a_log(rows=60)
RESTING = Log(
    RESTING.time_s,
    np.full(60, 0.3),
    RESTING.pack_v * 0 + 26.4,
    np.full((60, 8), 3.3, np.float32),
    RESTING.temp_c,
)
ALL.append(
    Stranger(
        "current: a sign nothing tells",
        usual(RESTING).text().encode(),
        RESTING,
        doubt="no sign",
        check=("time", "cells", "pack"),
    )
)

# decoys and what is missing

DECOYS = {
    "minimum, mean and maximum of the cells": zoned().add("Cell min V", lambda g, i:
        f"{g.cell_v[i].min():.3f}").add("Cell max V", lambda g, i: f"{g.cell_v[i].max():.3f}")
    .add("Cell avg V", lambda g, i: f"{g.cell_v[i].mean():.3f}").amps("Current A")
    .pack("Pack V").cells("Cell {} V").text(),
    "minimum and maximum of every cell": Sheet(LOG).time("time", utc("%Y-%m-%dT%H:%M:%SZ"))
    .amps("Current A").pack("Pack V").cells("Cell {} min V", 0.999).cells("Cell {} V")
    .cells("Cell {} max V", 1.001).text(),
    "limits that look like cells": zoned().const("OVP 1 V", "3.65").const("OVP 2 V", "3.60")
    .const("UVP 1 V", "2.5").const("UVP 2 V", "2.8").amps("Current A").pack("Pack V")
    .cells("Cell {} V").text(),
    "resistances of the cells": zoned().amps("Current A").pack("Pack V").cells("Cell {} V")
    .const("Cell 1 resistance", "1.2").const("Cell 2 resistance", "1.3").text(),
    "unused slots up to 24": zoned().amps("Current A").pack("Pack V").cells("Cell {} V").const(
        "Cell 9 V", "0.000").const("Cell 10 V", "0.000").const("Cell 11 V", "").text(),
    "unused slots with all bits set": zoned().amps("Current A").pack("Pack V")
    .cells("Cell {} mV", 1e3, 0).const("Cell 9 mV", "65535").const("Cell 10 mV", "65535").text(),
    "the sun's voltage": zoned().add("PV V", lambda g, i: f"{80 + i % 7}").amps("Current A")
    .pack("Battery V").cells("Cell {} V").text(),
}  # fmt: skip
for title, text in DECOYS.items():
    ALL.append(Stranger(f"decoys: {title}", text.encode(), LOG))


def with_holes(text: str, marker: str) -> str:
    lines = text.split("\n")
    for row in range(20, 300, 17):
        fields = lines[row].split(",")
        fields[5] = marker
        lines[row] = ",".join(fields)
    return "\n".join(lines)


for marker in ("", "-", "n/a", "NaN", "NULL", "--", "unavailable", "#N/A", "65.535", "0"):
    ALL.append(
        Stranger(
            f"missing values written as {marker!r}",
            with_holes(usual(LOG).text(), marker).encode(),
            LOG,
        )
    )

# layouts

LAYOUTS = {
    "remarks above": usual(LOG).text(
        above="Battery monitor export\nSerial: 00417\nOwner,boat shed\n\n"),
    "remarks above with as many separators": usual(LOG).text(
        ";", above="Report;;;;;;;;;;\nFrom;2026-03-03;;;;;;;;;\n"),
    "remarks with a hash": usual(LOG).text(above="# made by a script\n# cells in V\n"),
    "sums below": usual(LOG).text(
        below="Average,3.2,26.4" + ",3.3" * 8 + "\nTotal,,," + ",,,,,,,\n"),
    "the heading repeated every hundred rows": "\n".join(
        line if i % 100 or not i else line + "\n" + usual(LOG).text().split("\n")[0]
        for i, line in enumerate(usual(LOG).text().split("\n"))),
    "a separator at the end of each line": "\n".join(
        line + ";" if line else line for line in usual(LOG).text(";").split("\n")),
    "a separator at the end of the rows only": "\n".join(
        line + "," if line and i else line for i, line in enumerate(usual(LOG).text().split("\n"))),
    "tabs": usual(LOG).text("\t"),
    "bars": usual(LOG).text("|"),
    "spaces after the commas": usual(LOG).text(", "),
    "everything in quotes": usual(LOG).text(quote=True),
    "line ends of another system": usual(LOG).text(end="\r\n"),
    "newest first": usual(LOG).text(newest=True),
    "two names alike but for a space": zoned().amps("Current A").pack("Pack V").const(
        "Pack V ", "1").cells("Cell {} V").text(),
    "an index before the time": "," + "\n".join(
        line if i == 0 else (f"{i}," + line if line else line)
        for i, line in enumerate(usual(LOG).text().split("\n"))),
    "a heading over two lines": usual(LOG).text(quote=True).replace("Cell 1 (V)", "Cell 1\n(V)"),
}  # fmt: skip
for title, text in LAYOUTS.items():
    ALL.append(Stranger(f"layout: {title}", text.encode(), LOG))
CUT = usual(LOG).text()
ALL.append(Stranger("layout: the last row cut off", CUT[:-30].encode(), LOG, rows=LOG.rows - 1))
FIXED = "\n".join(
    "".join(f"{v:>12}" if i else f"{v:<22}" for i, v in enumerate(row))
    for row in [["time", "I", "U", *(f"c{i}" for i in range(1, 9))], *zoned().amps("I").pack("U")
                .cells("c{}").rows()]
)  # fmt: skip
ALL.append(Stranger("layout: set with spaces", FIXED.encode(), LOG, file="log.txt"))
SPACED = "\n".join(
    " ".join(row)
    for row in [["datetime", "I", "U", *(f"c{i}" for i in range(1, 9))],
                *Sheet(LOG).time("t", utc("%Y-%m-%d %H:%M:%S")).amps("I").pack("U").cells("c{}")
                .rows()]
)  # fmt: skip
ALL.append(
    Stranger(
        "layout: date and clock parted by the space between columns",
        SPACED.encode(),
        LOG,
        file="log.txt",
        options={"zone": "UTC"},
    )
)
NAMELESS = "\n".join(",".join(row) for row in usual(LOG).rows())
ALL.append(
    Stranger(
        "layout: no headings",
        NAMELESS.encode(),
        LOG,
        doubt="no headings",
        check=("time", "cells", "pack"),
    )
)
UNQUOTED = usual(LOG, mark=",").text(",")
ALL.append(
    Stranger("layout: decimal commas between commas", UNQUOTED.encode(), LOG, refused="decimal")
)

# shapes


def long_rows(log: Log) -> list[list[str]]:
    out = []
    for i in range(log.rows):
        stamp = utc("%Y-%m-%dT%H:%M:%SZ")(log.time_s[i])
        out.append([stamp, "battery current", f"{log.current_a[i]:.1f}", "A"])
        out.append([stamp, "battery voltage", f"{log.pack_v[i]:.2f}", "V"])
        for c in range(log.cells):
            out.append([stamp, f"cell {c + 1} voltage", f"{log.cell_v[i, c]:.3f}", "V"])
    return out


def lines(head: str, rows: list[list[str]], sep: str = ",") -> bytes:
    return "\n".join([head, *(sep.join(r) for r in rows)]).encode() + b"\n"


ALL.append(Stranger("shape: a row a reading", lines("time,name,value,unit", long_rows(LOG)), LOG))
ALL.append(
    Stranger(
        "shape: a row a reading without units",
        lines("time,sensor,value", [r[:3] for r in long_rows(LOG)]),
        LOG,
    )
)
ENTITY = [[f"sensor.{r[1].replace(' ', '_')}", r[2], r[0]] for r in long_rows(LOG)]
ALL.append(
    Stranger("shape: a history of entities", lines("entity_id,state,last_changed", ENTITY), LOG)
)


def scattered(log: Log) -> list[list[str]]:
    out = []
    for row in long_rows(log):
        stamp = datetime.fromisoformat(row[0]).timestamp()
        key = sum(map(ord, row[1])) % 23
        out.append([f"{stamp + key:.0f}", row[1], row[2]])
    return sorted(out, key=lambda r: float(r[0]))


ALL.append(
    Stranger(
        "shape: a history where each sensor has its own second",
        lines("unix,sensor,value", scattered(LOG)),
        LOG,
        check=("cells_mean",),
    )
)
CELLROWS = [
    [utc("%Y-%m-%dT%H:%M:%SZ")(LOG.time_s[i]), str(c + 1), f"{LOG.cell_v[i, c]:.3f}",
     f"{LOG.current_a[i]:.1f}"]
    for i in range(LOG.rows) for c in range(8)
]  # fmt: skip
ALL.append(
    Stranger(
        "shape: a row a cell",
        lines("time,cell,voltage_v,current_a", CELLROWS),
        LOG,
        check=("time", "cells", "current"),
    )
)
SPARSE = zoned().amps("Current A").pack("Pack V").cells("Cell {} V").rows()
for i, row in enumerate(SPARSE):
    for c in range(8):
        if i % 4 != c % 4:
            row[3 + c] = ""
ALL.append(
    Stranger(
        "shape: written on change",
        lines(",".join(zoned().amps("Current A").pack("Pack V").cells("Cell {} V").heads), SPARSE),
        LOG,
        check=("cells_mean",),
    )
)
LISTED = (
    zoned()
    .amps("Current A")
    .pack("Pack V")
    .add("cells", lambda g, i: '"[' + ", ".join(f"{v:.3f}" for v in g.cell_v[i]) + ']"')
)
ALL.append(Stranger("shape: the cells as a list in one column", LISTED.text().encode(), LOG))
LISTED_MV = (
    zoned()
    .amps("Current A")
    .pack("Pack V")
    .add("Cell voltages mV", lambda g, i: " ".join(f"{v * 1000:.0f}" for v in g.cell_v[i]))
)
ALL.append(
    Stranger("shape: the cells with spaces in one column", LISTED_MV.text(";").encode(), LOG)
)
OTHER = a_log(seed=9)
TWO = "\n".join(
    line for pair in zip(
        [",".join([*row, "A"]) for row in usual(LOG).rows()],
        [",".join([*row, "B"]) for row in usual(OTHER).rows()], strict=True) for line in pair
)  # fmt: skip
TWO = ",".join([*usual(LOG).heads, "Battery"]) + "\n" + TWO + "\n"
ALL.append(Stranger("packs: below each other, none chosen", TWO.encode(), LOG, refused="--pack"))
ALL.append(
    Stranger("packs: below each other, one chosen", TWO.encode(), OTHER, options={"pack": "B"})
)
BESIDE = Sheet(LOG).time("time", utc("%Y-%m-%dT%H:%M:%SZ"))
for pack_name, of in (("1", LOG), ("2", OTHER)):
    BESIDE.add(f"Pack {pack_name} current A", lambda g, i, of=of: f"{of.current_a[i]:.1f}")
    BESIDE.add(f"Pack {pack_name} voltage V", lambda g, i, of=of: f"{of.pack_v[i]:.2f}")
    for c in range(8):
        BESIDE.add(
            f"Pack {pack_name} cell {c + 1} V", lambda g, i, c=c, of=of: f"{of.cell_v[i, c]:.3f}"
        )
ALL.append(
    Stranger("packs: beside each other, none chosen", BESIDE.text().encode(), LOG, refused="--pack")
)
ALL.append(
    Stranger(
        "packs: beside each other, the second", BESIDE.text().encode(), OTHER, options={"pack": "2"}
    )
)
MODULES = zoned(BIG).amps("I").pack("Total V")
for c in range(16):
    MODULES.add(
        f"Module {c // 4 + 1} Cell {c % 4 + 1} V", lambda g, i, c=c: f"{g.cell_v[i, c]:.3f}"
    )
ALL.append(Stranger("packs: modules of one string", MODULES.text().encode(), BIG))
ALL.append(
    Stranger(
        "one cell alone",
        zoned(a_log(1)).amps("Current A").cells("Cell voltage V").text().encode(),
        a_log(1),
        check=("time", "cells", "current"),
    )
)

# balancing, percentage, temperature


def balanced(form: Callable[[np.ndarray], str]) -> str:
    return usual(LOG).add("Balancing", lambda g, i: form(g.balancing[i])).text(";")


BALANCING = {
    "as a list": lambda b: " ".join(str(c + 1) for c in np.flatnonzero(b)),
    "as a list with commas": lambda b: ",".join(str(c + 1) for c in np.flatnonzero(b)),
    "as bits": lambda b: str(sum(1 << int(c) for c in np.flatnonzero(b))),
    "as hexadecimal bits": lambda b: hex(sum(1 << int(c) for c in np.flatnonzero(b))),
    "as flags": lambda b: "".join("1" if x else "0" for x in b),
    "as flags, the last cell first": lambda b: "".join("1" if x else "0" for x in b[::-1]),
}
for title, form in BALANCING.items():
    ALL.append(
        Stranger(f"balancing {title}", balanced(form).encode(), LOG, check=("cells", "balancing"))
    )
FLAGGED = usual(LOG)
for c in range(8):
    FLAGGED.add(f"Balance {c + 1}", lambda g, i, c=c: str(int(g.balancing[i, c])))
ALL.append(
    Stranger(
        "balancing in a column a cell", FLAGGED.text().encode(), LOG, check=("cells", "balancing")
    )
)
MINOR = {
    "temperatures in °F": usual(LOG).temps("Temp {} (°F)", fahrenheit=True),
    "temperatures in °F without °": usual(LOG).temps("Temp {} F", fahrenheit=True),
    "temperatures in kelvin": usual(LOG)
    .add("T1 [K]", lambda g, i: f"{g.temp_c[i, 0] + 273.15:.2f}")
    .add("T2 [K]", lambda g, i: f"{g.temp_c[i, 1] + 273.15:.2f}"),
    "temperatures in tenths of kelvin": usual(LOG)
    .add("Temp 1", lambda g, i: f"{(g.temp_c[i, 0] + 273.15) * 10:.0f}")
    .add("Temp 2", lambda g, i: f"{(g.temp_c[i, 1] + 273.15) * 10:.0f}"),
}  # fmt: skip
for title, sheet in MINOR.items():
    ALL.append(Stranger(title, sheet.text().encode(), LOG, check=("cells", "temps")))
ALL.append(
    Stranger(
        "percentage as a fraction",
        usual(LOG).soc("SOC", 0.01, 3).text().encode(),
        LOG,
        check=("cells", "soc"),
    )
)
ALL.append(
    Stranger(
        "percentage with health beside it",
        usual(LOG).const("SOH %", "98").soc("SOC %").const("Min SOC limit %", "20").text().encode(),
        LOG,
        check=("cells", "soc"),
    )
)

# containers and character sets


def packed() -> None:
    text = usual(LOG).text()
    ALL.append(Stranger("packed: gzip", gzip.compress(text.encode()), LOG, file="log.csv.gz"))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("readme.txt", "These are my readings.\n")
        archive.writestr("data/log.csv", text)
    ALL.append(Stranger("packed: zip with a read-me", out.getvalue(), LOG, file="log.zip"))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for day in range(3):
            part = LOG.select(slice(day * 120, day * 120 + 120))
            archive.writestr(f"day{day}.csv", usual(part).text())
    ALL.append(Stranger("packed: zip with a file a day", out.getvalue(), LOG, file="log.zip"))
    german = (Sheet(LOG).time("Zeit (für UTC)", utc("%d.%m.%Y %H:%M:%S"))
              .amps("Strom", mark=",").pack("Spannung", mark=",").cells("Zelle {}", mark=",")
              .temps("Temperatur {} °C", mark=",").text(";"))  # fmt: skip
    for code in ("utf-16", "utf-16-le", "latin-1", "utf-8-sig", "cp1252"):
        ALL.append(
            Stranger(
                f"characters in {code}",
                german.encode(code),
                LOG,
                check=("time", "cells", "current", "temps"),
            )
        )


packed()


def sheets() -> None:
    rows = [usual(LOG).heads, *usual(LOG).rows()]

    def fill(sheet: Any, table: list[list[str]]) -> None:
        for row in table:
            sheet.append(
                [float(v) if v.replace(".", "", 1).lstrip("-").isdigit() else v for v in row]
            )

    book = openpyxl.Workbook()
    book.active.title = "Notes"
    book.active.append(["Boat shed"])
    fill(book.create_sheet("Data"), [["Readings of March"], [], *rows])
    out = io.BytesIO()
    book.save(out)
    ALL.append(
        Stranger("workbook: a title, a sheet of notes", out.getvalue(), LOG, file="log.xlsx")
    )
    book = openpyxl.Workbook()
    for i in range(3):
        sheet = book.active if i == 0 else book.create_sheet()
        sheet.title = f"Week {i + 1}"
        fill(sheet, [rows[0], *rows[1 + i * 120 : 121 + i * 120]])
    out = io.BytesIO()
    book.save(out)
    ALL.append(Stranger("workbook: a sheet a week", out.getvalue(), LOG, file="log.xlsx"))
    book = openpyxl.Workbook()
    book.active.append(rows[0])
    for row, t in zip(rows[1:], LOG.time_s, strict=True):
        moment = datetime.fromtimestamp(t, UTC).replace(tzinfo=None)
        book.active.append([moment, *map(float, row[1:])])
    out = io.BytesIO()
    book.save(out)
    ALL.append(
        Stranger(
            "workbook: real dates",
            out.getvalue(),
            LOG,
            file="log.xlsx",
            options={"zone": "UTC"},
            time_atol=1.0,
        )
    )
    book = openpyxl.Workbook()
    book.active.title = "A"
    fill(book.active, rows)
    fill(
        book.create_sheet("B"),
        [
            zoned(BIG).amps("I").pack("U").cells("c{}").heads,
            *zoned(BIG).amps("I").pack("U").cells("c{}").rows(),
        ],
    )
    out = io.BytesIO()
    book.save(out)
    ALL.append(
        Stranger(
            "workbook: two logs unlike", out.getvalue(), LOG, file="log.xlsx", refused="--table"
        )
    )
    ALL.append(
        Stranger(
            "workbook: two logs unlike, one chosen",
            out.getvalue(),
            BIG,
            file="log.xlsx",
            options={"part": "B"},
        )
    )


sheets()


def documents() -> None:
    flat = [dict(zip(usual(LOG).heads, row, strict=True)) for row in usual(LOG).rows()]
    nested = [
        {"ts": float(t), "battery": {"current": float(a), "voltage": float(v),
                                     "cells": [round(float(c), 3) for c in cells]}}
        for t, a, v, cells in zip(LOG.time_s, LOG.current_a, LOG.pack_v, LOG.cell_v, strict=True)
    ]  # fmt: skip
    ALL.append(
        Stranger("JSON lines", "\n".join(map(json.dumps, flat)).encode(), LOG, file="log.jsonl")
    )
    ALL.append(
        Stranger(
            "JSON lines with objects and lists",
            "\n".join(map(json.dumps, nested)).encode(),
            LOG,
            file="log.jsonl",
        )
    )
    ALL.append(
        Stranger(
            "JSON list inside an object",
            json.dumps({"device": "x", "data": nested}).encode(),
            LOG,
            file="log.json",
        )
    )
    columns = {h: [r[i] for r in usual(LOG).rows()] for i, h in enumerate(usual(LOG).heads)}
    ALL.append(Stranger("JSON by columns", json.dumps(columns).encode(), LOG, file="log.json"))
    frame = pl.DataFrame({
        "time": pl.Series((LOG.time_s * 1e6).astype(np.int64)).cast(pl.Datetime("us", "UTC")),
        "current": LOG.current_a, "pack_voltage": LOG.pack_v,
        **{f"cell_{i + 1}": LOG.cell_v[:, i].astype(float).round(3) for i in range(8)},
    })  # fmt: skip
    out = io.BytesIO()
    frame.write_parquet(out)
    ALL.append(Stranger("Parquet", out.getvalue(), LOG, file="log.parquet"))
    base = sqlite3.connect(":memory:")
    base.execute("CREATE TABLE settings (name TEXT, value TEXT)")
    base.execute("INSERT INTO settings VALUES ('owner', 'me')")
    names = ", ".join(f"cell{i} REAL" for i in range(1, 9))
    base.execute(f"CREATE TABLE readings (ts INTEGER, amps REAL, volts REAL, {names})")
    marks = ", ".join("?" * 11)
    base.executemany(
        f"INSERT INTO readings VALUES ({marks})",
        [(int(t), float(a), float(v), *(round(float(c), 3) for c in cells))
         for t, a, v, cells in zip(LOG.time_s, LOG.current_a, LOG.pack_v, LOG.cell_v, strict=True)],
    )  # fmt: skip
    base.commit()
    ALL.append(Stranger("SQLite", base.serialize(), LOG, file="log.db"))


documents()

# refusals that must say what is missing

REFUSED = {
    "no time": ("a,b,c,d,e\n" + "3.301,3.302,3.303,3.304,1\n" * 30, "time"),
    "no cells": (
        "time,current,voltage\n"
        + "\n".join(f"2026-03-03T06:{i:02d}:00Z,{i},26.4" for i in range(60))
        + "\n",
        "cell",
    ),
    "only text": ("Dear diary\nToday I looked at the battery.\nIt was fine.\n", "columns"),
    "words in the cells": (usual(LOG).text().replace(",3.2", ",low 3.2"), "number"),
}
for title, (text, word) in REFUSED.items():
    ALL.append(Stranger(f"refused: {title}", text.encode(), LOG, refused=word))


# a second set, written after the reader: habits it was not built around


def second() -> None:
    def keep(name: str, data: str | bytes, log: Log = LOG, **how: Any) -> None:
        raw = data.encode() if isinstance(data, str) else data
        ALL.append(Stranger(f"second: {name}", raw, log, **how))

    text = usual(LOG).text(";")
    keep("a line that names the separator", "sep=;\n" + text)
    letters = zoned().amps("Current A").pack("Pack V")
    for c in range(8):
        letters.add(f"Cell {'ABCDEFGH'[c]} V", lambda g, i, c=c: f"{g.cell_v[i, c]:.3f}")
    keep("cells named by letters", letters.text())
    backwards = zoned().amps("Current A").pack("Pack V")
    for c in reversed(range(8)):
        backwards.add(f"Cell {c + 1} V", lambda g, i, c=c: f"{g.cell_v[i, c]:.3f}")
    keep("the last cell first", backwards.text())
    lexical = zoned(BIG).amps("Current A").pack("Pack V")
    for c in sorted(range(16), key=lambda c: str(c + 1)):
        lexical.add(f"Cell {c + 1} V", lambda g, i, c=c: f"{g.cell_v[i, c]:.3f}")
    keep("cells in the order of letters", lexical.text(), BIG)
    deviation = zoned().amps("Current A").pack("Pack V")
    for c in range(8):
        deviation.add(f"Cell {c + 1} dev mV", lambda g, i, c=c: f"{1 + (i + c) % 5}")
    keep("deviations in millivolts for cells", deviation.text(), refused="cell")
    extremes = (
        zoned()
        .amps("Current A")
        .pack("Pack V")
        .add("Max cell V", lambda g, i: f"{g.cell_v[i].max():.3f}")
        .add("Min cell V", lambda g, i: f"{g.cell_v[i].min():.3f}")
    )
    keep("only the highest and the lowest cell", extremes.text(), refused="cell")
    both = zoned().amps("Current A").pack("Pack V").cells("Cell {} V").cells("Cell {} mV", 1e3, 0)
    keep("cells in volts and in millivolts", both.text())
    keep(
        "loud headings",
        zoned()
        .amps("CURRENT_MA", 1e3, 0)
        .pack("PACK_MV", 1e3, 0)
        .cells("CELL{:02d}MV", 1e3, 0)
        .text(),
    )
    lto = a_log(volts=(2.1, 2.5))
    keep("cells of lithium titanate", usual(lto).text(), lto)
    high = a_log(volts=(3.4, 4.1))
    keep(
        "cells of 4.2 V",
        zoned(high).amps("I mA", 1e3, 0).pack("U mV", 1e3, 0).cells("u{} mV", 1e3, 0).text(),
        high,
    )
    keep(
        "year first with two digits",
        timed("Date", utc("%y-%m-%d %H:%M:%S")),
        options={"zone": "UTC"},
    )
    dashed = timed("Date", utc("%m-%d-%Y %H:%M:%S"), WEEK)
    keep("month first with dashes", dashed, WEEK, options={"zone": "UTC"})
    reset = usual(LOG).text().split("\n")
    for i in range(200, 240):
        reset[i] = "2000-01-01" + reset[i][10:]
    keep("a clock that fell back to 2000", "\n".join(reset), doubt="began anew", check=("rows",))
    keep(
        "a percentage with its sign behind",
        usual(LOG).add("Battery level", lambda g, i: f"{g.soc_pct[i]:.1f} %").text(),
        check=("cells", "soc"),
    )
    keep(
        "a plus or minus in a column of its own",
        with_flow(
            ("Amps", unsigned), ("Direction", lambda g, i: flowing(g, i, ("+", "-", " ")))
        ).text(),
    )
    keep(
        "brackets for what flows out",
        with_flow(
            (
                "Current A",
                lambda g, i: (
                    f"({-g.current_a[i]:.1f})" if g.current_a[i] < 0 else f"{g.current_a[i]:.1f}"
                ),
            )
        ).text(),
    )
    keep(
        "a minus behind the number",
        with_flow(
            (
                "Current A",
                lambda g, i: (
                    f"{-g.current_a[i]:.1f}-" if g.current_a[i] < 0 else f"{g.current_a[i]:.1f}"
                ),
            )
        ).text(),
    )
    keep(
        "letters before the number",
        with_flow(
            (
                "Current",
                lambda g, i: f"{'C' if g.current_a[i] >= 0 else 'D'}{abs(g.current_a[i]):.1f}",
            )
        ).text(),
        doubt="no current",
        check=("time", "cells", "pack"),
    )
    ids = "\n".join(
        line
        for pair in zip(
            [",".join([*r, "0"]) for r in usual(LOG).rows()],
            [",".join([*r, "1"]) for r in usual(OTHER).rows()],
            strict=True,
        )
        for line in pair
    )
    keep(
        "packs by an address of nought and one",
        ",".join([*usual(LOG).heads, "addr"]) + "\n" + ids,
        refused="--pack",
    )
    keep(
        "packs one after the other",
        ",".join([*usual(LOG).heads, "Battery"])
        + "\n"
        + "\n".join(
            [",".join([*r, "Port"]) for r in usual(LOG).rows()]
            + [",".join([*r, "Starboard"]) for r in usual(OTHER).rows()]
        ),
        refused="--pack",
    )
    keep("packs named by words side by side", _port_and_starboard().text(), refused="--pack")
    keep(
        "the starboard pack of two side by side",
        _port_and_starboard().text(),
        OTHER,
        options={"pack": "Starboard"},
    )
    objects = [
        {
            "t": int(t),
            "i": float(a),
            "cells": [{"id": k + 1, "mv": round(1000 * float(v))} for k, v in enumerate(cells)],
        }
        for t, a, cells in zip(LOG.time_s, LOG.current_a, LOG.cell_v, strict=True)
    ]
    keep(
        "JSON with an object a cell",
        json.dumps(objects),
        file="log.json",
        check=("time", "cells", "current"),
    )
    named = [
        {
            "t": int(t),
            "i": float(a),
            "cells": {f"{k + 1}": round(float(v), 3) for k, v in enumerate(cells)},
        }
        for t, a, cells in zip(LOG.time_s, LOG.current_a, LOG.cell_v, strict=True)
    ]
    keep(
        "JSON with cells by their number",
        json.dumps(named),
        file="log.json",
        check=("time", "cells", "current"),
    )
    minutes = a_log(every=10.0)
    keep(
        "ten-second rows with minutes only",
        Sheet(minutes)
        .time("Time", utc("%Y-%m-%d %H:%M"))
        .amps("I A")
        .pack("U V")
        .cells("C{} V")
        .text(),
        minutes,
        options={"zone": "UTC"},
    )
    keep(
        "a comma in the seconds",
        Sheet(LOG)
        .time("Time", lambda t: utc("%d.%m.%Y %H:%M:%S")(t) + ",000")
        .amps("I A", mark=",")
        .pack("U V", mark=",")
        .cells("C{} V", mark=",")
        .text(";"),
        options={"zone": "UTC"},
    )
    keep("words among the numbers of a cell", usual(LOG).text().replace(",3.33", ",high", 3))
    keep(
        "the time last",
        usual(LOG).amps("x").text()
        if False
        else Sheet(LOG)
        .cells("Cell {} V")
        .pack("Pack V")
        .amps("Current A")
        .time("Read at", utc("%Y-%m-%dT%H:%M:%SZ"))
        .text(),
    )
    keep(
        "seconds that count within the day",
        Sheet(LOG)
        .time("Date", utc("%Y-%m-%d"))
        .time("Time", utc("%H:%M:%S"))
        .time("Seconds", lambda t: f"{t % 86400:.0f}")
        .amps("Current A")
        .pack("Pack V")
        .cells("Cell {} V")
        .text(),
        options={"zone": "UTC"},
    )
    thousand = (
        Sheet(LOG)
        .time("Zeit (UTC)", utc("%d.%m.%Y %H:%M:%S"))
        .add("Strom mA", lambda g, i: number(g.current_a[i] * 1e3, 0, thousands="."))
        .pack("Spannung mV", 1e3, 0, thousands=".")
        .cells("Zelle {} mV", 1e3, 0, thousands=".")
    )
    keep("points for thousands in milliamperes", thousand.text(";"))
    keep(
        "a state of health per cell beside",
        usual(LOG)
        .const("Cell 1 SOH", "99")
        .const("Cell 2 SOH", "98")
        .const("Cell 1 SOC", "3")
        .const("Cell 2 SOC", "4")
        .const("Cell 3 SOC", "4")
        .text(),
    )
    winter = usual(LOG)
    for c in range(8):
        winter.add(f"Sensor {c + 1}", lambda g, i, c=c: f"{2 + (i + c) % 3}")
    keep("sensors near freezing that look like volts", winter.text())
    empty = usual(LOG).add("Note", lambda g, i: "started" if i == 3 else "")
    keep("a column of notes", empty.text())
    keep("tabs and spaces around everything", usual(LOG).text(" \t "))
    keep("an XML file", "<log><row t='1' v='3.3'/></log>\n" * 40, refused="XML without")
    keep("an empty sheet of a table", "time;current\n", refused="rows below")
    keep(
        "zeros for cells throughout",
        zoned().amps("I A").pack("U V").cells("Cell {} V", 0.0).text(),
        refused="cell",
    )
    keep(
        "hours before the dates",
        Sheet(LOG)
        .time("Time", utc("%H:%M:%S %d/%m/%Y"))
        .amps("I A")
        .pack("U V")
        .cells("C{} V")
        .text(),
        options={"zone": "UTC"},
        shift=True,
    )


def _port_and_starboard() -> Sheet:
    sheet = zoned()
    for side, of in (("Port", LOG), ("Starboard", OTHER)):
        sheet.add(f"{side} current A", lambda g, i, of=of: f"{of.current_a[i]:.1f}")
        sheet.add(f"{side} voltage V", lambda g, i, of=of: f"{of.pack_v[i]:.2f}")
        for c in range(8):
            sheet.add(f"{side} cell {c + 1} V", lambda g, i, c=c, of=of: f"{of.cell_v[i, c]:.3f}")
    return sheet


second()


# found in a last reading


def last() -> None:
    heads = ["time", "current", *(f"cell{i}" for i in range(1, 9))]
    taken_off = [
        [utc("%Y-%m-%dT%H:%M:%SZ")(LOG.time_s[i]), f"{LOG.current_a[i]:.1f}"]
        + [f"{1000 * (float(v) - 2):.0f}" for v in LOG.cell_v[i]]
        for i in range(LOG.rows)
    ]
    ALL.append(
        Stranger(
            "last: counts above 2 V for cells",
            lines(",".join(heads), taken_off),
            LOG,
            doubt="no lithium cell works",
            check=("rows",),
        )
    )
    book = openpyxl.Workbook()
    for name, of in (("Fore", LOG), ("Aft", OTHER)):
        sheet = book.create_sheet(name)
        for row in [usual(of).heads, *usual(of).rows()]:
            sheet.append(row)
    book.remove(book["Sheet"])
    out = io.BytesIO()
    book.save(out)
    ALL.append(
        Stranger(
            "last: a sheet a pack, none chosen",
            out.getvalue(),
            LOG,
            file="log.xlsx",
            refused="--table",
        )
    )
    ALL.append(
        Stranger(
            "last: a sheet a pack, the second",
            out.getvalue(),
            OTHER,
            file="log.xlsx",
            options={"part": "Aft"},
        )
    )


last()


# what tables put together by chance (tests/bench/tables.py) brought to light


def _on_change(sheet: Sheet) -> bytes:
    """Blank where a value is as in the row before; the time stands in each."""
    rows, out, before = sheet.rows(), [], [""] * len(sheet.heads)
    for row in rows:
        out.append(
            [v if v != b or not k else "" for k, (v, b) in enumerate(zip(row, before, strict=True))]
        )
        before = row
    return lines(",".join(sheet.heads), out)


def by_chance() -> None:
    def keep(name: str, data: str | bytes, log: Log = LOG, **how: Any) -> None:
        coded = data.encode() if isinstance(data, str) else data
        ALL.append(Stranger(f"by chance: {name}", coded, log, **how))

    noon = a_log(start=datetime(2026, 6, 14, 9, 0, tzinfo=UTC).timestamp())
    keep(
        "compact with a space, over noon",
        timed("Ora", utc("%Y%m%d %H%M%S"), noon),
        noon,
        options={"zone": "UTC"},
    )
    for language, (into, out) in {
        "Dutch": ("Laadstroom (A)", "Ontlaadstroom (A)"),
        "German": ("Ladestrom", "Entladestrom"),
        "French": ("Courant de charge in A", "Courant de décharge in A"),
        "English": ("Current in [A]", "Current out [A]"),
    }.items():
        two = with_flow(
            (into, lambda g, i: split(g, i, 1)),
            (out, lambda g, i: split(g, i, -1)),
            ("Charger current (A)", lambda g, i: f"{max(g.current_a[i], 0) + 2:.1f}"),
        )
        keep(f"two currents in {language}", two.text())
    status = ("Status", lambda g, i: flowing(g, i, ("charging", "discharging", "idle")))
    balancer = ("Balance current (A)", lambda g, i: "0.06" if i % 3 else "0.00")
    keep(
        "the balancer's current beside it",
        with_flow(("Corrente", unsigned), status, balancer).text(),
    )
    keep('a unit after "in"', with_flow(("Battery current in A", unsigned), status).text())
    kilo = zoned().amps("Battery current (mA)", 1e3, 0).pack("Pack").cells("Cell {}")
    few = a_log()
    few.current_a[:] = np.where(few.current_a > 0, 30.0, np.where(few.current_a < 0, -45.0, 0.0))
    kilo.log = few
    keep("a few currents only, as if they named packs", kilo.text(), few)
    warm = a_log(4)
    warm.temp_c[:] = np.round(warm.cell_v.sum(axis=1, keepdims=True) + 0.1, 1)
    sheet = zoned(warm).amps("Amps").temps("T{}").cells("Cell{}")
    keep("four cells as many volts as degrees", sheet.text(), warm, check=("cells", "temps"))
    volts = zoned().amps("I").pack("U").cells("Cell {} V", 1e3, 0)
    keep("volts by the heading, millivolts by the numbers", volts.text(), doubt="fit no such unit")
    keep("written on change, whole rows", _on_change(usual(LOG)))
    directed = with_flow(("Current A", unsigned), status)
    keep("written on change, with a direction", _on_change(directed))
    apart = with_flow(
        ("Charge A", lambda g, i: split(g, i, 1)), ("Discharge A", lambda g, i: split(g, i, -1))
    )
    keep("written on change, two currents", _on_change(apart))
    for page, heads in {
        "cp1250": ("Prąd baterii", "Napięcie", "Ogniwo {}", "Stan naładowania"),
        "cp1252": ("Intensité", "Tension", "Cellule {}", "État de charge"),
    }.items():
        current, pack, cell, soc = heads
        one = zoned().amps(current).pack(pack).cells(cell).soc(soc)
        keep(f"few accents, {page}", one.text().encode(page), check=("cells", "current", "soc"))
    stamp = utc("%Y-%m-%dT%H:%M:%SZ")
    rows = [[r[0], r[1], r[2].replace(".", ",")] for r in long_rows(LOG)]
    keep("a row a reading, commas and semicolons", lines("Fecha;sensor;value", rows, ";"))
    rows = [[r[0], r[1], f"{r[2]} {r[3]}"] for r in long_rows(LOG)]
    keep("a row a reading, units behind", lines("recorded_at;sensor;value", rows, ";"))
    rows = [[stamp(LOG.time_s[i]), f"U{c + 1} [mV]", f"{1e3 * LOG.cell_v[i, c]:.0f}"]
            for i in range(LOG.rows) for c in range(8)]  # fmt: skip
    keep(
        "a row a reading, cells as U1",
        lines("Zeit\tname\tvalue", rows, "\t"),
        check=("cells",),
        doubt="no current",
    )
    first = [[stamp(LOG.time_s[0]), "Alarms", "0x0000"], *long_rows(LOG)]
    keep("a row a reading, an alarm first", lines("time;key;value", [r[:3] for r in first], ";"))
    remark = "Exported on 2026-11-02\nDevice: shed\n" + "\n".join(
        ";".join(r[:3]) for r in [["time", "key", "value"], *long_rows(LOG)]
    )
    keep("a row a reading below a dated remark", remark)
    for zone, form in (("America/New_York", "%m/%d/%Y %H:%M"), ("Europe/Vienna", "%d/%m/%Y %H:%M")):
        at = ZoneInfo(zone)
        text = timed(
            "Date", lambda t, at=at, form=form: f"{datetime.fromtimestamp(t, at):{form}}", FOURTH
        )
        keep(f"03/04 as in {zone}", text, FOURTH, options={"zone": zone}, doubt="first")


def at_the_last_read() -> None:
    """Inputs made when the reader of tables by chance was done."""
    charger = ("Charger state", lambda g, i: ("Bulk", "Absorption")[i % 2] if g.current_a[i] > 0
               else "Off")  # fmt: skip
    ALL.append(
        Stranger(
            "last read: a charger's state knows nothing of discharge",
            with_flow(("Battery current A", unsigned), charger).text().encode(),
            LOG,
            check=("time", "cells", "pack"),
            doubt="it is not used",
        )
    )
    german = zoned().amps("Strom").pack("Spannung").cells("Zelle {}").soc("Ladestatus")
    check = ("cells", "current", "soc")
    ALL.append(Stranger("last read: Ladestatus", german.text().encode(), LOG, check=check))
    for marker in ("NaN", "-", "null"):
        rows = zoned().amps("Current A").pack("Pack V").cells("Cell {} V").rows()
        for i, row in enumerate(rows):
            row[3:] = [v if i % 4 == c % 4 else marker for c, v in enumerate(row[3:])]
        data = lines("time,Current A,Pack V," + ",".join(f"Cell {c} V" for c in range(1, 9)), rows)
        name = f"last read: written on change, {marker!r} between"
        ALL.append(Stranger(name, data, LOG, check=("cells_mean",)))


by_chance()
at_the_last_read()


FURTHER = {  # time, current, pack, cell, percentage, temperature; and the code page
    "chinese": ("时间", "电流(A)", "总电压(V)", "单体电压{}(V)", "SOC(%)", "温度{}(℃)", "utf-8"),
    "chinese, gbk": ("记录时间", "电流", "总电压", "电芯{}", "荷电状态", "温度{}", "gbk"),
    "russian": ("Время", "Ток (А)", "Напряжение (В)", "Ячейка {} (В)", "Заряд (%)",
                "Температура {}", "utf-8"),
    "russian, cp1251": ("Время", "Ток", "Напряжение", "Ячейка {}", "Уровень заряда",
                        "Температура {}", "cp1251"),
    "ukrainian": ("Час", "Струм (А)", "Напруга (В)", "Комірка {} (В)", "Рівень заряду (%)",
                  "Температура {}", "utf-8"),
    "japanese": ("日時", "電流[A]", "総電圧[V]", "セル{}電圧[V]", "充電率[%]", "温度{}", "cp932"),
    "korean": ("시간", "전류(A)", "전압(V)", "셀{} 전압(V)", "충전율(%)", "온도{}", "utf-8"),
    "czech": ("Čas", "Proud (A)", "Napětí (V)", "Článek {} (V)", "Stav nabití (%)", "Teplota {}",
              "cp1250"),
    "turkish": ("Zaman", "Akım (A)", "Toplam gerilim (V)", "Hücre {} (V)", "Şarj durumu (%)",
                "Sıcaklık {}", "utf-8"),
    "swedish": ("Tid", "Ström (A)", "Spänning (V)", "Cell {} (V)", "Laddnivå (%)",
                "Temperatur {}", "latin-1"),
    "danish": ("Tidspunkt", "Strøm (A)", "Spænding (V)", "Celle {} (V)", "Ladetilstand (%)",
               "Temperatur {}", "utf-8"),
    "hungarian": ("Időpont", "Áram (A)", "Feszültség (V)", "Cella {} (V)", "Töltöttség (%)",
                  "Hőmérséklet {}", "utf-8"),
    "finnish": ("Aika", "Virta (A)", "Jännite (V)", "Kenno {} (V)", "Varaustila (%)",
                "Lämpötila {}", "utf-8"),
    "greek": ("Ώρα", "Ρεύμα (A)", "Τάση (V)", "Στοιχείο {} (V)", "Φόρτιση (%)",
              "Θερμοκρασία {}", "utf-8"),
}  # fmt: skip


def further_languages() -> None:
    whole = ("time", "cells", "current", "pack", "soc", "temps")
    for name, (when, amps, pack, cell, soc, temp, page) in FURTHER.items():
        sheet = Sheet(LOG).time(when, utc("%Y-%m-%d %H:%M:%SZ")).amps(amps).pack(pack)
        text = sheet.cells(cell).soc(soc).temps(temp).text(";")
        ALL.append(Stranger(f"headings in {name}", text.encode(page), LOG, check=whole))


further_languages()


def pairs(i: int) -> dict[str, str]:
    cells = {f"c{k + 1}": f"{v:.3f}" for k, v in enumerate(LOG.cell_v[i])}
    return {"current": f"{LOG.current_a[i]:.1f}", "voltage": f"{LOG.pack_v[i]:.2f}", **cells}


def joined_database() -> bytes:
    """Readings that carry the number of a sensor, whose name stands in a table of its own."""
    base = sqlite3.connect(":memory:")
    base.execute("CREATE TABLE sensors (id INTEGER PRIMARY KEY, name TEXT)")
    base.execute("CREATE TABLE readings (sensor_id INT, ts INT, value REAL)")
    base.executemany("INSERT INTO sensors VALUES (?, ?)", enumerate(pairs(0)))
    for i in range(LOG.rows):
        row = ((k, int(LOG.time_s[i]), v) for k, v in enumerate(pairs(i).values()))
        base.executemany("INSERT INTO readings VALUES (?, ?, ?)", row)
    base.commit()
    return base.serialize()


def numbered_cells() -> bytes:
    """A row a cell by its number, and a list of what serial number stands where."""
    base = sqlite3.connect(":memory:")
    base.execute("CREATE TABLE cells (id INTEGER PRIMARY KEY, serial TEXT)")
    base.execute("CREATE TABLE readings (ts INT, cell_id INT, voltage REAL)")
    places = range(LOG.cells)
    base.executemany(
        "INSERT INTO cells VALUES (?, ?)", ((k + 1, f"LX-{37 * k % 11:03d}B") for k in places)
    )
    for moment, volts in zip(LOG.time_s, LOG.cell_v, strict=True):
        rows = ((int(moment), k + 1, float(volts[k])) for k in places)
        base.executemany("INSERT INTO readings VALUES (?, ?, ?)", rows)
    base.commit()
    return base.serialize()


def by_machines() -> None:
    """As scripts, clocks of operating systems and brokers of messages write."""

    def keep(name: str, data: str | bytes, **how: Any) -> None:
        data = data.encode() if isinstance(data, str) else data
        ALL.append(Stranger(f"by machines: {name}", data, LOG, **how))

    moment = utc("%Y-%m-%dT%H:%M:%SZ")
    told = [", ".join(f"{k}={v}" for k, v in pairs(i).items()) for i in range(LOG.rows)]
    when = [moment(t) for t in LOG.time_s]
    keep("names and values", "\n".join(map(" ".join, zip(when, told, strict=True))))
    coloned = [line.replace("=", ": ").replace(", ", " ") for line in told]
    marked = [f"[{t}] INFO bms {line}" for t, line in zip(when, coloned, strict=True)]
    keep("names and values behind a word", "\n".join(marked))
    keep("lines of a database of measurements", "\n".join(
        f"bms,site=house {told[i].replace(' ', '')} {int(LOG.time_s[i])}000000000"
        for i in range(LOG.rows)
    ), file="log.txt")  # fmt: skip
    message = [
        {"topic": "bank/state", "at": t, "payload": json.dumps(pairs(i))}
        for i, t in enumerate(when)
    ]
    keep("a document within each message", "\n".join(map(json.dumps, message)), file="log.jsonl")
    keep("names in a table beside", joined_database(), file="log.sqlite")
    numbered, check = numbered_cells(), ("time", "cells")
    keep("cells by number, serial numbers beside", numbered, file="log.sqlite", check=check,
         doubt="no current")  # fmt: skip
    forms = {
        "the clock of a system": lambda t: f"{datetime.fromtimestamp(t, UTC):%a %b %e %T UTC %Y}",
        "a mail's time": lambda t: f"{datetime.fromtimestamp(t, UTC):%d %b %Y %T +0000}",
        "Uhr behind it": lambda t: f"{datetime.fromtimestamp(t, UTC):%-d. März %Y %H:%M Uhr}",
        "nanoseconds": lambda t: f"{int(t)}000000000",
    }
    for name, form in forms.items():
        keep(name, timed("Time", form), options={"zone": "UTC"})
    ways = {
        "days and a clock": lambda t: f"{int(t - START) // 86400}d {utc('%H:%M:%S')(t - START)}",
        "days in words": lambda t: f'"{int(t - START) // 86400} day, {utc("%T")(t - START)}"',
    }
    for name, form in ways.items():
        keep(f"uptime, {name}", timed("Uptime", form), shift=True, doubt="no dates")
    halves = timed("Elapsed time", lambda t: f"{(t - START) / 3600:.5f}")
    keep("hours without a word of it", halves, shift=True, check=("cells",), doubt="hours or days")
    lines_ = usual(LOG).text().split("\n")
    broken = ",".join(f'"{head.replace(" (", chr(10) + "(")}"' for head in usual(LOG).heads)
    keep("each heading over two lines", "\n".join([broken, *lines_[1:]]))
    web = "<html><table><tr><td>Time</td></tr></table></html>"
    keep("a web page called a workbook", web, file="log.xls", refused="a web page")


by_machines()


def parted(heads: Sequence[str], forms: Sequence[str], sep: str = ",", mark: str = ".") -> str:
    """The usual table with its moments in columns of their own, each in a form of strftime."""
    sheet = Sheet(LOG)
    for head, form in zip(heads, forms, strict=True):
        sheet.time(head, utc(form))
    sheet.amps("Current (A)", mark=mark).pack("Pack voltage (V)", mark=mark)
    return sheet.cells("Cell {} (V)", mark=mark).text(sep)


def a_file_a_cell() -> bytes:
    moments = [utc("%Y-%m-%d %H:%M:%S")(t) for t in LOG.time_s]
    columns = {f"cell_{k + 1}": LOG.cell_v[:, k] for k in range(LOG.cells)}
    columns |= {"current": LOG.current_a, "pack voltage": LOG.pack_v}
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w") as archive:
        archive.writestr("read me.txt", "Written by a script of ours.\n")
        for name, values in columns.items():
            rows = (f"{t},{v:.3f}" for t, v in zip(moments, values, strict=True))
            archive.writestr(f"{name}.csv", "\n".join(["time,value", *rows]))
    return memory.getvalue()


def by_parts() -> None:
    """Moments in parts, by the day of the year, or as headings of a table on its side."""

    def keep(name: str, data: str | bytes, **how: Any) -> None:
        data = data.encode() if isinstance(data, str) else data
        how = {"options": {"zone": "UTC"}} | how
        ALL.append(Stranger(f"in parts: {name}", data, LOG, **how))

    six = ["%Y", "%m", "%d", "%H", "%M", "%S"]
    keep("six columns", parted(["Year", "Month", "Day", "Hour", "Minute", "Second"], six))
    german = ["Jahr", "Monat", "Tag", "Stunde", "Minute", "Sekunde"]
    keep("six columns, German", parted(german, six, ";", ","))
    keep(
        "codes, two-digit years",
        parted(["YY", "MM", "DD", "hh", "mm", "ss"], ["%y", *six[1:]], "\t"),
    )
    short = ["YEAR", "MO", "DY", "HR", "MN"]
    keep("two letters each, floats", parted(short, [f"{form}.0" for form in six[:5]]))
    keep("no seconds, out of order", parted(["day", "month", "year", "hour", "min"],
                                            ["%-d", "%-m", "%Y", "%-H", "%-M"]))  # fmt: skip
    keep("day of the year and 24 hours in one",
         parted(["Year", "DOY", "HHMM"], ["%Y", "%-j", "%-H%M"]))  # fmt: skip
    keep("day of the year, 1430 as the time",
         parted(["Year", "Day of year", "Time"], ["%Y", "%j", "%H%M"]))  # fmt: skip
    keep("a date in parts, a clock beside",
         parted(["Year", "Month", "Day", "Time"], ["%Y", "%m", "%d", "%H:%M:%S"]))  # fmt: skip
    split = ["%d.%m.%Y", *six[3:5]]
    keep("a date, hour and minute", parted(["Datum", "Stunde", "Minute"], split, ";", ","))
    keep("hour and minute before a date of words",
         parted(["hr", "min", "sec", "Date"], [*six[3:], "%-d %B %Y"]))  # fmt: skip
    keep("hour and minute beside a whole time",
         parted(["Time", "Date", "Hour", "Minute"],
                ["%Y-%m-%dT%H:%M:%SZ", "%Y-%m-%d", "05", "05"]))  # fmt: skip
    keep("zone in a heading", parted(["Year", "Month", "Day", "Hour (UTC+2)", "Minute"],
         six[:5]), options={}, check=("cells",), shift=True)  # fmt: skip
    keep("parts beside a whole time",
         parted(["Time", "Year", "Month", "Day"], ["%Y-%m-%dT%H:%M:%SZ", *six[:3]]))  # fmt: skip
    fraction = (
        Sheet(LOG)
        .time("Year", utc("%Y"))
        .add("Julian day", lambda log, i: f"{62 + (log.time_s[i] - START) / 86400 + 0.25:.6f}")
    )
    keep("a fraction of the day of the year", fraction.amps("Current (A)").cells("Cell {}").text(),
         check=("time", "cells", "current"), time_atol=60.0)  # fmt: skip
    keep("the day of the year in a clock", timed("Time", utc("%Y-%j %H:%M:%S")))
    keep("the day of the year, close", timed("Time", utc("%Y%j %H:%M")))
    sheet = usual(LOG)
    sides = [[head, *column] for head, column in zip(sheet.heads, zip(*sheet.rows(), strict=True),
                                                     strict=True)]  # fmt: skip
    keep("a table on its side", "\n".join(",".join(row) for row in sides))
    keep("a table on its side, semicolons",
         "\n".join(";".join(row).replace(".", ",") for row in sides))  # fmt: skip
    keep("a file a reading", a_file_a_cell(), file="log.zip")
    # decoys: a day that is none, minutes since
    decoy = usual(LOG).const("Day", "3").const("Month", "7").const("Year", "2031")
    keep("a date of something else behind", decoy.text())
    broken = parted(["Year", "Month", "Day", "Hour", "Minute"], six[:5])
    keep("a row with an hour that is none", broken + "\n2026,3,3,1e300,5" + ",3.3" * 10, rows=360)
    no_such_day = parted(["Year", "Month", "Day", "Hour", "Minute"], ["%Y", "02", "30", "%H", "%M"])
    keep("a day that is none", no_such_day, refused="time")


by_parts()


def cells_of(sheet: str, row: str, cell: str) -> str:
    """The rows of a text table between tags."""
    lines = [line.split(",") for line in sheet.splitlines()]
    return "".join(
        f"<{row}>" + "".join(cell.format(html.escape(field)) for field in line) + f"</{row}>"
        for line in lines
    )


def by_habits() -> None:
    """What came last: pages under a spreadsheet's name, digits without marks, a date a day."""

    def keep(name: str, data: str | bytes, **how: Any) -> None:
        data = data.encode() if isinstance(data, str) else data
        how = {"options": {"zone": "UTC"}} | how
        ALL.append(Stranger(f"habits: {name}", data, LOG, **how))

    text = usual(LOG).text()
    days = Sheet(LOG).add(
        "Date",
        lambda log, i: (
            utc("%d.%m.%Y")(log.time_s[i])
            if not i or log.time_s[i] // 86400 > log.time_s[i - 1] // 86400
            else ""
        ),
    )
    days.time("Time", utc("%H:%M:%S")).amps("I").pack("U").cells("U{}")
    keep("a date in the first row of its day", days.text(";"))
    digits = Sheet(LOG).time("date", utc("%d%m%y")).time("time", utc("%H%M%S"))
    digits.amps("Amps").pack("Volts").cells("cell{}")
    keep("six digits for the day and for the time", digits.text())
    lost = digits.text().replace("\n0303", "\n303").replace(",0", ",").replace(",.", ",0.")
    keep("the same without the first nought", lost)
    whole = zoned().amps("current", 100.0, 0).pack("volt", 100.0, 0).cells("cell{}", 1000.0, 0)
    keep("hundredths of an ampere without a word", whole.text(), doubt="parts", check=("cells",))
    pairs = "\n".join(
        f"[{utc('%Y-%m-%d %H:%M:%S')(LOG.time_s[i])}] INFO bms: I={LOG.current_a[i]:.1f}A "
        f"U={LOG.pack_v[i]:.2f}V " + " ".join(f"C{c + 1}={v:.3f}V" for c, v in enumerate(row))
        for i, row in enumerate(LOG.cell_v)
    )
    keep("pairs behind a name", pairs, file="bms.log")
    tenth = Sheet(LOG).add(
        "time", lambda g, i: "" if i % 10 else utc("%Y-%m-%d %H:%M:%S")(g.time_s[i])
    )
    tenth.amps("Amps").pack("Volts").cells("cell{}")
    last = LOG.rows - (LOG.rows - 1) % 10  # what follows the last time has none
    tenth_text = "\n".join(tenth.text().splitlines()[: last + 1])
    keep("a time in every tenth row", tenth_text, doubt="evenly between", rows=last)
    twice = (
        Sheet(LOG)
        .time("Date", utc("%d.%m.%Y"))
        .add("Time", lambda g, i: "" if i % 10 else utc("%H:%M:%S")(g.time_s[i]))
    )
    twice.amps("I").pack("U").cells("U{}")
    twice_text = "\n".join(twice.text(";").splitlines()[: last + 1])
    keep("a time of day in every tenth row", twice_text, doubt="evenly between", rows=last)
    keyed = zoned().amps("Amps").pack("Volts")
    order = sorted(range(8), key=lambda c: f"{c + 5}")
    keyed.add(
        "cells",
        lambda g, i: '"{' + ",".join(f'""{c + 5}"":{g.cell_v[i, c]:.3f}' for c in order) + '}"',
    )
    keep("cells by name in one field, in the order of letters", keyed.text())
    boot = timed("millis", lambda t: f"{1000 * (t - START) + 1234:.0f}")
    keep("milliseconds since it was switched on", boot, shift=True, doubt="no dates")
    pointed = Sheet(LOG).time("Data", utc("%d/%m/%Y")).time("Ora", utc("%H.%M.%S"))
    keep("a time of day with points", pointed.amps("I").pack("U").cells("U{}").text())
    keep("the clock first, with parts", timed("when", utc("%H:%M:%S.000 %d/%m/%Y")))
    names = ["amps", "volts", *(f"cell{c + 1}" for c in range(8))]
    series = [LOG.current_a, LOG.pack_v, *LOG.cell_v.T]
    database = [",result,table,_time,_value,_field"]
    for number, (name, values) in enumerate(zip(names, series, strict=True)):
        database += [
            f",,{number},{utc('%Y-%m-%dT%H:%M:%SZ')(t)},{v:.3f},{name}"
            for t, v in zip(LOG.time_s, values, strict=True)
        ]
    keep("series one after the other, numbered and named", "\n".join(database))
    keep("a clock with points behind a hyphen", timed("ts", utc("%Y-%m-%d-%H.%M.%S")))
    rows = cells_of(text, "tr", "<td>{}&nbsp;</td>")
    page = f"<html><!-- <td> --><h1>Log</h1><table><tr><td>BMS<td>7</table><table>{rows}</table>"
    keep("a page called a workbook", page, file="log.xls")
    sorted_ = page.replace("<td>", '<td data-colspan="3">')
    keep("a page of a table that can be sorted", sorted_, file="log.htm")
    title = f"<table><tr><th colspan=11>Readings of March</th></tr>{rows}</table>"
    keep("a title over all columns of a page", title, file="log.html")
    book = cells_of(text, "Row", '<Cell><Data ss:Type="String">{}</Data></Cell>')
    book = f'<?xml version="1.0"?><Workbook><Worksheet><Table>{book}</Table></Worksheet></Workbook>'
    keep("a workbook as one XML", book, file="log.xls")
    over = f"<table>{rows.replace('<td>', '<td rowspan=2>', 1)}</table>"
    keep("a cell over two rows of a page", over, file="log.html", refused="one row")
    keep("XML of its own", "<log><r i='3'/></log>", file="log.xml", refused="without")
    keep("a page that never ends", "<table>" + "<tr><td " * 9000, file="a.html", refused="table")
    keep("a page as wide as none", "<table><tr><td colspan=9999>", file="a.html", refused="columns")


by_habits()
