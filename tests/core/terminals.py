"""Tables as terminals, databases and scripts show them, with clocks of other epochs or no date.

Added to the strangers' tables after a look at sixty habits nobody had in mind; the first eight were
read wrongly without a word.
"""

import io
import json
import zipfile
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import numpy as np
import openpyxl
import polars as pl

from tests.core.strangers import ALL, LOG, Sheet, Stranger, timed, utc, zoned

MOMENT = utc("%Y-%m-%d %H:%M:%S")
CLOCK = utc("%H:%M:%S")
CELLS = range(LOG.cells)


def keep(name: str, data: str | bytes, **how: Any) -> None:
    data = data.encode() if isinstance(data, str) else data
    how = {"options": {"zone": "UTC"}, "log": LOG} | how
    ALL.append(Stranger(f"shown: {name}", data, **how))


def volts(i: int, mark: str = ".") -> list[str]:
    return [f"{v:.3f}".replace(".", mark) for v in LOG.cell_v[i]]


def amps(i: int, mark: str = ".") -> str:
    return f"{LOG.current_a[i]:.1f}".replace(".", mark)


def by_line(form: Callable[[int], str]) -> str:
    return "\n".join(form(i) for i in range(LOG.rows))


def headed(first: Sheet) -> Sheet:
    return first.amps("current").pack("pack V").cells("cell{}")


def once_wrong_in_silence() -> None:
    since = timed("time", lambda t: f"{t + 2082844800:.3f}")
    keep("seconds since 1904", since, doubt="since 1900 they are four years earlier")
    counts = zoned().amps("current").add("adc0", lambda g, i: f"{g.cell_v[i, 0] / 5 * 4095:.0f}")
    for cell in range(1, 8):
        counts.add(f"adc{cell}", lambda g, i, c=cell: f"{g.cell_v[i, c] / 5 * 4095:.0f}")
    keep("counts of a converter", counts.text(), doubt="not the cells", check=("rows",))
    parts = zoned().amps("shunt1 A", 0.6, 2).amps("shunt2 A", 0.4, 2).cells("cell{}")
    keep("two parts of one current", parts.text(), doubt="shunt2 A", check=("cells",))
    zone = Sheet(LOG).time("time", utc("%Y-%m-%d %H:%M:%S")).const("tz", "+00:00")
    two = headed(zone).text().replace("+00:00", "+02:00")
    keep("a zone in a column of its own", two, shift=True, options={})
    same = Sheet(LOG).time("t", utc("%Y-%m-%dT%H:%M:%SZ")).cells("V{}").amps("A").text()
    _, rows = same.split("\n", 1)
    keep(
        "cells that are all called V",
        f"t,{','.join(['V'] * 8)},A\n{rows}",
        check=("cells", "current"),
    )
    text = zoned().amps("Amps").pack("Volts").cells("cell{}").text()
    doubled = "\n".join(f"{line}\n{line}" for line in text.splitlines())
    keep("each row twice", doubled)
    comma = by_line(
        lambda i: (
            f"{MOMENT(LOG.time_s[i])} I={amps(i, ',')}A "
            + " ".join(f"C{c + 1}={v}V" for c, v in enumerate(volts(i, ",")))
        )
    )
    keep("pairs with decimal commas", comma, file="bms.log", check=("time", "cells", "current"))
    shown = zoned().amps("current").cells("cell{}").text().replace("cell8", "upper one")
    keep("a cell of another name", shown, doubt="upper one: runs with", check=("rows",))


def clocks() -> None:
    keep("days since the year 0", timed("time", lambda t: f"{t / 86400 + 719529:.8f}"))
    keep("Julian days", timed("time", lambda t: f"{t / 86400 + 2440587.5:.8f}"))
    ticks = timed("time", lambda t: str(int(t * 10_000_000) + 621355968000000000))
    keep("tenths of microseconds since the year 1", ticks)
    keep("a zone twice", timed("time", utc("%Y-%m-%d %H:%M:%S.000000001 +0000 UTC")))
    clock = timed("time", CLOCK)
    says = "they begin with 2026-03-03"
    keep("the day above a clock", "Date: 2026-03-03\n" + clock, doubt=says)
    keep("the day in the name of the file", clock, file="log_2026-03-03.csv", doubt=says)
    keep("an export's day is none", "Exported: 2026-05-04\n" + clock, doubt="1970", shift=True)
    late = timed("time", utc("2092-%m-%dT%H:%M:%SZ"))
    keep("the year 2092", late, doubt="beyond 2060", shift=True)
    numbered = Sheet(LOG).add("No.", lambda _, i: str(i + 1))
    above = "Start: 2026-03-03 06:00:00\nInterval: 60 s\n"
    keep("rows by their number", above + headed(numbered).text(), doubt="2026-03-03 06:00")
    keep("rows by their number alone", headed(numbered).text(), refused="time column")


def shown() -> None:
    table = [row.split(",") for row in headed(zoned()).text().splitlines()]
    bar = "+" + "+".join("-" * 26 for _ in table[0]) + "+\n"
    lines = [f"| {' | '.join(f.rjust(24) for f in row)} |\n" for row in table]
    boxed = bar + lines[0] + bar + "".join(lines[1:]) + bar + f"{LOG.rows} rows in set (0.01 s)\n"
    keep("a box drawn by a terminal", boxed, file="out.txt")
    rule = "-" + "-+-".join("-" * 24 for _ in table[0]) + "\n"
    plain = [f" {' | '.join(f.rjust(24) for f in row)}\n" for row in table]
    keep("a rule under the headings", plain[0] + rule + "".join(plain[1:]), file="out.txt")
    blocks = by_line(
        lambda i: (
            f"Time: {MOMENT(LOG.time_s[i])}\nCurrent: {amps(i)} A\n"
            + "\n".join(f"Cell {c + 1}: {v} V" for c, v in enumerate(volts(i)))
            + "\n"
        )
    )
    keep("a line for each quantity", blocks, file="out.txt", check=("time", "cells", "current"))
    logged = by_line(
        lambda i: (
            f"INFO:bms.reader:{MOMENT(LOG.time_s[i])} current={amps(i)}A "
            f"cells={','.join(f'{1000 * v:.0f}' for v in LOG.cell_v[i])}"
        )
    )
    keep("a level and a name first", logged, file="a.log", check=("time", "cells", "current"))
    said = by_line(
        lambda i: (
            f"$BMS,{int(LOG.time_s[i])},{amps(i)},"
            + ",".join(f"{1000 * v:.0f}" for v in LOG.cell_v[i])
            + f"*{i % 256:02X}"
        )
    )
    keep("sentences with a sum behind", said, file="a.log", doubt="no heading",
         check=("time", "cells", "current"))  # fmt: skip
    bare = headed(zoned()).text().split("\n", 1)[1]
    keep("no headings at all", bare, doubt="taken for the current")
    words = {1: "charging", -1: "discharging", 0: "idle"}
    ways = zoned().add(
        "current",
        lambda g, i: f"{abs(g.current_a[i]):.1f} A ({words[int(np.sign(g.current_a[i]))]})",
    )
    keep("a current with its way behind it", ways.pack("pack V").cells("cell{}").text())
    kinds = ["type,time,v1,v2,v3,v4,v5,v6,v7,v8,pack,amps"]
    for i in range(LOG.rows):
        stamp = utc("%Y-%m-%dT%H:%M:%SZ")(LOG.time_s[i])
        kinds += [f"status,{stamp},{',' * 8}{LOG.pack_v[i]:.2f},{amps(i)}"]
        kinds += [f"cells,{stamp},{','.join(volts(i))},,"]
    keep("two kinds of rows", "\n".join(kinds))
    thrice = zoned().amps("current")
    for cell in CELLS:
        for way, by in (("min", -0.004), ("max", 0.004), ("avg", 0.0)):
            thrice.add(
                f"Cell {cell + 1} ({way})", lambda g, i, c=cell, b=by: f"{g.cell_v[i, c] + b:.3f}"
            )
    keep("lowest, highest and mean of each cell", thrice.text(), doubt="not the cells as read",
         check=("time", "cells", "current"))  # fmt: skip


def written_by_programs() -> None:
    names = ["time", "amps", "volts", *(f"cell{c + 1}" for c in CELLS)]

    def reading(i: int) -> list[Any]:
        return [int(LOG.time_s[i]), float(amps(i)), round(float(LOG.pack_v[i]), 2),
                *map(float, volts(i))]  # fmt: skip

    printed = by_line(lambda i: repr(dict(zip(names, reading(i), strict=True))))
    keep("dictionaries as a script prints them", printed, file="a.log")
    keep("cut in a dictionary", printed[:-9], file="a.log", refused="Python")
    columns = ", ".join(f"`{name}` float" for name in names[1:])
    made = f"CREATE TABLE `log` (`time` int(11) NOT NULL, {columns}, PRIMARY KEY (`time`));\n"
    rows = ",\n".join(f"({', '.join(map(str, reading(i)))})" for i in range(LOG.rows))
    keep(
        "statements that fill a database",
        f"{made}INSERT INTO `log` VALUES\n{rows};\n",
        file="a.sql",
    )
    each = by_line(
        lambda i: (
            f"INSERT INTO log ({', '.join(names)}) VALUES "
            f"('{MOMENT(LOG.time_s[i])}',{','.join(map(str, reading(i)[1:]))});"
        )
    )
    keep("a statement a row", each, file="a.sql")
    frame = pl.DataFrame([reading(i) for i in range(LOG.rows)], schema=names, orient="row")
    arrow = io.BytesIO()
    frame.write_ipc(arrow)
    keep("an Arrow file", arrow.getvalue(), file="a.feather")
    keep("half an Arrow file", arrow.getvalue()[:900], file="a.feather", refused="Arrow")

    def cell(value: Any) -> str:
        if isinstance(value, str):
            return f"<table:table-cell><text:p>{value}</text:p></table:table-cell>"
        known = f'office:value-type="float" office:value="{value}"'
        return f"<table:table-cell {known}><text:p>{value:.1f}</text:p></table:table-cell>"

    blank = '<table:table-cell table:number-columns-repeated="1013"/>'
    sheet = "".join(
        f"<table:table-row>{''.join(map(cell, row))}{blank}</table:table-row>"
        for row in [names, *map(reading, range(LOG.rows))]
    )
    flat = f"<office:document><table:table>{sheet}</table:table></office:document>"
    flat = f'<?xml version="1.0"?>{flat}'
    keep("a spreadsheet as one open XML", flat, file="log.fods")


def by_people() -> None:
    """As people keep them: in a spreadsheet, with marks at values, put together from two halves."""
    text = headed(zoned()).text()
    lines = text.splitlines()
    clocks_two = Sheet(LOG).time("received", utc("%Y-%m-%dT%H:%M:%SZ"))
    clocks_two.time("device_time", lambda t: f"{t - 400 * 86400:.0f}")
    keep(
        "a clock that is 400 days off", headed(clocks_two).text(), doubt="400 days away", shift=True
    )
    ways = zoned()
    for mark, sign in ("+", 1.0), ("-", -1.0):
        ways.add(f"A{mark}", lambda g, i, s=sign: f"{max(0.0, s * g.current_a[i]):.1f}")
    keep("plus and minus", ways.pack("pack V").cells("cell{}").text())
    head, half = lines[0].split(","), len(lines) // 2
    turned = [",".join([row[0], *row[:0:-1]]) for row in (x.split(",") for x in lines[half:])]
    again = ",".join([head[0], *head[:0:-1]])
    keep("headings in another order half way", "\n".join([*lines[:half], again, *turned]))
    milli, later = headed_milli(half + 40), lines[: half + 40]
    keep("another unit half way", "\n".join([*later, lines[0], *milli]),
         doubt="another unit", rows=half + 39)  # fmt: skip
    other = ",".join([*head[:2], "SOC", *head[3:]])
    keep(
        "other headings half way", "\n".join([*lines[:half], other, *lines[half:]]), refused="above"
    )
    keep("a blank line after each", "\n".join(f"{line}\n{',' * 10}" for line in lines))
    starred = zoned().amps("current").pack("pack V")
    for cell in CELLS:
        starred.add(
            f"cell{cell + 1}", lambda g, i, c=cell: f"{g.cell_v[i, c]:.3f}{'*' * (i % 3 == 0)}"
        )
    keep("a star at values", starred.text())
    dated = zoned().amps("Strom").pack("Spannung", mark=",").cells("Zelle{}", mark=",").text(";")
    keep("a cell turned into a day", dated.replace(";3,36", ";36. Mrz "), refused="a number, found")
    quoted = "\n".join(",".join(f"'{f}'" for f in line.split(",")) for line in lines)
    keep("single quotes", quoted)
    kept = "\n".join(",".join(f'="{f}"' for f in line.split(",")) for line in lines)
    keep("as a spreadsheet keeps texts", kept)
    letters = zoned().amps("current").pack("pack V")
    for cell in CELLS:
        letters.add(f"Cell {'ABCDEFGH'[cell]}", lambda g, i, c=cell: f"{g.cell_v[i, c]:.3f}")
    keep("cells by letters", letters.text())
    own = zoned().amps("current").pack("pack V")
    for cell in CELLS:
        own.add(f"Cell {cell + 1} V", lambda g, i, c=cell: f"{g.cell_v[i, c]:.3f}")
        own.add(f"Cell {cell + 1} SOC", lambda g, i, c=cell: f"{60 + c:.1f}")
        own.add(f"Cell {cell + 1} T", lambda g, i, c=cell: f"{2.9 + 0.1 * c:.1f}")
    keep("volts, percentage and degrees of each cell", own.text())
    flags = headed(zoned())
    for cell in CELLS:
        on = lambda g, i, c=cell: "WAHR" if g.balancing[i, c] else "FALSCH"  # noqa: E731
        flags.add(f"Ausgleich {cell + 1}", on)
    keep("true and false in words", flags.text(), check=("cells", "current", "balancing"))
    named = headed(zoned()).add(
        "balancing",
        lambda g, i: " + ".join(f"cell {c + 1}" for c in CELLS if g.balancing[i, c]) or "none",
    )
    keep("balanced cells by name", named.text(), check=("cells", "current", "balancing"))
    share = Sheet(LOG).add("Date", lambda g, i: f"{g.time_s[i] // 86400 + 25569:.0f}")
    share.add("Time", lambda g, i: f"{g.time_s[i] % 86400 / 86400:.8f}")
    keep("the number of the day and a share of it", headed(share).text())


def headed_milli(half: int) -> list[str]:
    """The second half of the usual rows in millivolts."""
    sheet = zoned().amps("current").pack("pack V").cells("cell{}", 1000.0, 0)
    return sheet.text().splitlines()[half:]


def in_workbooks() -> None:
    """Days and times of day as a spreadsheet has them."""
    names = [*(f"cell{c + 1}" for c in CELLS), "A"]
    moments = [datetime.fromtimestamp(t, UTC).replace(tzinfo=None) for t in LOG.time_s]
    values = [[*map(float, volts(i)), float(amps(i))] for i in range(LOG.rows)]
    days = [[m.date(), m.time(), *row] for m, row in zip(moments, values, strict=True)]
    since = [[m - moments[0], *row] for m, row in zip(moments, values, strict=True)]
    long = [[5 * (m - moments[0]), *row] for m, row in zip(moments, values, strict=True)]
    how = {"file": "log.xlsx", "check": ("time", "cells", "current")}
    keep("a day and a time of day in a workbook", book([["Date", "Time", *names], *days]), **how)
    since_start = book([["Elapsed", *names], *since])
    keep("durations in a workbook", since_start, doubt="no dates", shift=True, **how)
    keep("durations beyond a day", book([["Elapsed", *names], *long]), doubt="no dates",
         file="log.xlsx", check=("rows",))  # fmt: skip


def of_programs() -> None:
    """Registers without a sign, objects of libraries and brokers, tables beside each other."""
    kilo = zoned().amps("current [kA]", 1e-3, 4).pack("pack V").cells("cell{}")
    keep("kiloamperes", kilo.text())
    wrapped = zoned().add("current mA", lambda g, i: f"{round(1000 * g.current_a[i]) % (1 << 32)}")
    charger = zoned().add("current mA", lambda g, i: "60000" if i % 100 < 70 else "0")
    keep(
        "a charger of 60,000 mA", charger.cells("cell{}").text(), doubt="no sign", check=("cells",)
    )
    quoted = by_line(
        lambda i: (
            f'ts="{utc("%Y-%m-%dT%H:%M:%SZ")(LOG.time_s[i])}" current="{amps(i)}" '
            + " ".join(f'cell{c + 1}="{v}"' for c, v in enumerate(volts(i)))
        )
    )
    keep("pairs in double quotes", quoted, file="a.log", check=("time", "cells", "current"))
    keep("below nought in a register without a sign", wrapped.pack("pack V").cells("cell{}").text())
    middle = zoned().add("current_raw", lambda g, i: f"{30000 + 10 * g.current_a[i]:.0f}")
    keep("nought in the middle of a register", middle.cells("cell{}").text(), doubt="never rests",
         check=("rows",))  # fmt: skip
    above = zoned().amps("current").add("t", lambda g, i: "")
    for cell in CELLS:
        above.add(
            f"cell{cell + 1} mV above 3 V",
            lambda g, i, c=cell: f"{1000 * g.cell_v[i, c] - 3000:.0f}",
        )
    keep("millivolts above three volts", above.text(), doubt="not the cells", check=("rows",))
    times = [utc("%Y-%m-%dT%H:%M:%SZ")(t) for t in LOG.time_s]
    cells = [list(map(float, volts(i))) for i in range(LOG.rows)]
    rows = [{"current": float(amps(i)), "cells": cells[i]} for i in range(LOG.rows)]
    how = {"check": ("time", "cells", "current")}
    keep("objects by their moments", json.dumps(dict(zip(times, rows, strict=True))), **how)
    columns = {"time": times, "current": [row["current"] for row in rows]}
    columns |= {f"cell{c + 1}": [v[c] for v in cells] for c in CELLS}
    by_number = {n: {str(i): v for i, v in enumerate(column)} for n, column in columns.items()}
    keep("columns by the number of the row", json.dumps(by_number), **how)
    split = {"columns": list(columns), "data": list(zip(*columns.values(), strict=True))}
    keep("names beside rows", json.dumps(split), **how)
    whole = [{"time": time} | row for time, row in zip(times, rows, strict=True)]
    keep("objects after each other", "".join(map(json.dumps, whole)), **how)
    keep("objects over several lines", "\n".join(json.dumps(o, indent=1) for o in whole), **how)
    said = by_line(lambda i: f"{times[i]} home/bms {json.dumps(rows[i])}")
    keep("a moment and a name before an object", said, file="a.log", **how)
    current = zoned().amps("current").text()
    alone = zoned().cells("cell{}").text()
    keep(
        "cells and current in two files",
        archive({"a.csv": current, "b.csv": alone}),
        file="a.zip",
        **how,
    )
    days = timed("time", CLOCK).splitlines()
    half = len(days) // 2
    first, second = "\n".join(days[:half]), "\n".join([days[0], *days[half:]])
    files = {"2026-03-03.csv": first, "2026-03-04.csv": second}
    keep("a file of clocks a day", archive(files), file="a.zip", shift=True, time_atol=86401.0)


def said_by_a_value() -> None:
    """Values that stand for none, and columns that are none."""
    nines = zoned().add("current", lambda g, i: "999.9" if i % 40 == 2 else amps(i))
    keep("999.9 A for no reading", nines.cells("cell{}").text(), check=("time", "cells"))
    fives = zoned().amps("current")
    for cell in CELLS:
        here = lambda g, i, c=cell: "5.000" if i % 40 == 2 else f"{g.cell_v[i, c]:.3f}"  # noqa: E731
        fives.add(f"cell{cell + 1}", here)
    keep("five volts for no reading", fives.text(), rows=351, check=("rows",))
    real = zoned().add(
        "current", lambda g, i: "99.9" if i % 40 == 2 else f"{g.current_a[i] / 9:.1f}"
    )
    keep("99.9 A that flow", real.cells("cell{}").text(), check=("time", "cells"))
    mean = zoned().amps("current").add("V0", lambda g, i: f"{g.cell_v[i].mean():.3f}").cells("V{}")
    keep("the mean as a cell", mean.text(), doubt="mean of the others", check=("rows",))
    four = Sheet(LOG).time("date", utc("%Y%m%d")).time("time", utc("%H%M"))
    keep("four digits for the time of day", headed(four).text())


def archive(files: dict[str, str]) -> bytes:
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as packed:
        for name, text in files.items():
            packed.writestr(name, text)
    return data.getvalue()


def book(rows: list[list[Any]]) -> bytes:
    made = openpyxl.Workbook()
    sheet = made.active
    assert sheet is not None
    for row in rows:
        sheet.append(row)
    data = io.BytesIO()
    made.save(data)
    return data.getvalue()


once_wrong_in_silence()
clocks()
shown()
written_by_programs()
by_people()
in_workbooks()
of_programs()
said_by_a_value()
