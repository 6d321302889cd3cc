"""Tables as journals, statistics programs and machines that lose power leave them.

Added after a look at 120 more habits nobody had in mind; the first were read wrongly in silence.
"""

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import openpyxl

from nipper.core.logs.model import Log
from tests.core.strangers import LOG, Field, Sheet, a_log, timed, utc, zoned
from tests.core.terminals import ALL, CELLS, amps, archive, by_line, headed, keep, volts

__all__ = ["ALL"]
MOMENTS = [datetime.fromtimestamp(t, UTC) for t in LOG.time_s]
ISO = [f"{t:%Y-%m-%dT%H:%M:%SZ}" for t in MOMENTS]
HALF = LOG.rows // 2


def lines(text: str) -> list[str]:
    return text.splitlines()


def once_wrong_in_silence() -> None:
    keep(
        "seconds since 1900 by a heading",
        timed("NTP time", lambda t: f"{t + 2208988800:.0f}"),
    )
    ahead = timed("time", lambda t: f"{datetime.fromtimestamp(t + 4e8, UTC):%Y-%m-%dT%H:%M:%SZ}")
    keep("a clock years ahead", ahead, doubt="beyond today", shift=True)
    noon = by_line(
        lambda i: (
            f"{MOMENTS[i] + timedelta(hours=6):%b %e %H:%M:%S} shed pack[41]: I={amps(i)} "
            + " ".join(f"c{c + 1}={v}" for c, v in enumerate(volts(i)))
        )
    )
    keep("a journal at noon", noon, file="a.log", doubt="no year", shift=True)
    milli = timed("time", lambda t: f"{1_700_000_000 + 1000 * (t - LOG.time_s[0]):.0f}")
    keep("milliseconds like Unix seconds", milli, doubt="a row every", check=("cells", "current"))
    deltas = zoned().amps("current").const("base mV", "3000")
    for cell in CELLS:
        part = lambda g, i, c=cell: f"{1000 * g.cell_v[i, c] - 3000:.0f}"  # noqa: E731
        deltas.add(f"cell{cell + 1} +mV", part)
    keep("millivolts above a base", deltas.text(), refused="cell voltage columns")
    ended = headed(zoned()).text(end="\r\r\n")
    keep("two carriage returns a line", ended)
    cut = lines(headed(zoned()).text())
    cut[50], cut[200] = cut[50][:37], cut[200][:44]
    keep("rows cut short", "\n".join(cut), rows=LOG.rows - 2, check=("rows",))
    more = lines(headed(zoned()).text().replace("time,", "no.,time,", 1))
    keep("a heading too many", "\n".join(more), doubt="headings shifted", check=("rows",))


def ruined(volts: Any, slots: int = 8) -> tuple[str, Log]:
    """The usual table with another voltage in its fifth cell, and slots of more."""
    cell_v = LOG.cell_v.copy()
    cell_v[:, 4] = volts
    spoilt = replace(LOG, cell_v=cell_v, pack_v=cell_v.sum(axis=1, dtype=float))
    sheet = headed(zoned(spoilt))
    for slot in range(LOG.cells, slots):
        sheet.const(f"cell{slot + 1}", "0.000")
    return sheet.text(), spoilt


def cells_that_may_be_ruined() -> None:
    """The worst a pack can have: once refused, or left out."""
    load = np.where(LOG.current_a < -1.0, -0.31, LOG.cell_v[:, 4])
    for name, shown_v, slots, doubt in (
        ("far below", 0.312, 8, "no sound cell"),
        ("turned round", -0.427, 8, "no sound cell"),
        ("turned round under load", load, 8, ""),
        ("beside unused slots", 1.203, 16, ""),
        ("a cell far above", 4.873, 8, ""),
    ):
        table, log = ruined(shown_v, slots)
        keep(f"a ruined cell, {name}", table, log=log, doubt=doubt)
    nothing, _ = ruined(0.0)
    how = {"options": {"zone": "UTC", "cells": 8}, "check": ("rows",)}
    keep("a ruined cell, shorted", nothing, doubt="of which nothing is read", **how)
    air = headed(zoned())
    for slot, volts_ in enumerate(("0.312", "0.118", "-0.214"), LOG.cells + 1):
        air.const(f"cell{slot}", volts_)
    keep("slots that hang in the air", air.text(), options={"zone": "UTC", "cells": 8})
    unsaid = {"doubt": "no sound cell", "rows": LOG.rows, "check": ("rows",)}
    keep("slots that hang in the air, cells not said", air.text(), **unsaid)


def taken_for_what_they_are_not() -> None:
    """Numbers that look like a current or like cells, and are something else."""
    peak = zoned().add("peak current", lambda g, i: f"{1.6 * g.current_a[i]:.1f}").cells("cell{}")
    keep("the peak of a current", peak.text(), doubt="not the current as it flows", check=("rows",))
    said = zoned().amps("current").cells("cell{} OCV")
    keep("cells without load", said.text(), doubt="not the cells as read")
    both = zoned().amps("current").cells("cell{}").cells("cell{} OCV")
    keep("cells, and the same without load", both.text())
    ranks, same = zoned().amps("current"), zoned().amps("current")
    for cell in CELLS:
        ranks.add(f"v{cell}", lambda g, i, c=cell: f"{sorted(g.cell_v[i])[c]:.3f}")
        same.add(f"v{cell}", lambda g, i: f"{g.cell_v[i, 0]:.3f}")
    keep("cells sorted by their voltages", ranks.text(), doubt="sorted", check=("rows",))
    keep("one value for all cells", same.text(), doubt="one value for all", check=("rows",))

    tens = zoned().amps("i", 10, 0).cells("c{}").text()
    size = {"zone": "UTC", "capacity_ah": 100.0}
    keep("tenths of amperes, for the pack", tens, options=size, doubt="in one go",
         check=("time", "cells"))  # fmt: skip
    large = {"zone": "UTC", "capacity_ah": 300.0}  # not above three times of it
    keep("tenths of amperes, for a large pack", tens, options=large, doubt="in one go",
         check=("time", "cells"))  # fmt: skip
    whole = zoned().amps("current (A)").cells("c{}").text()
    small = {"zone": "UTC", "capacity_ah": 25.0}
    keep("amperes of a bank beside one of its packs", whole, options=small, doubt="in one go",
         check=("time", "cells"))  # fmt: skip


def _flows(way: int) -> Field:
    return lambda g, i: f"{max(0.0, way * g.current_a[i]):.1f}"


def in_short() -> None:
    two = zoned().add("A in", _flows(1)).add("A out", _flows(-1)).cells("cell{}")
    keep("amperes in and out", two.text())
    short = zoned().add("ChgCur", _flows(1)).add("DsgCur", _flows(-1)).cells("cell{}")
    keep("shorthand of the currents", short.text())
    keep("an apostrophe before the time", timed("time", utc("'%Y-%m-%d %H:%M:%S")))


def without_power() -> None:
    """What stands in a file when the machine that wrote it went off."""
    rows = lines(headed(zoned()).text())
    glued = [*rows[:90], rows[90][:40] + rows[91], *rows[92:]]
    keep("two rows run together", "\n".join(glued), rows=LOG.rows - 2, check=("rows",))
    whole = headed(zoned()).text()
    keep("a block of nothing at the end", whole.encode() + bytes(4096))
    mixed = "".join(f"{row}\r\n" if i % 3 else f"{row}\n" for i, row in enumerate(rows))
    keep("line ends of two kinds", mixed)
    again = b"".join(
        b"\xef\xbb\xbf" + "\n".join([rows[0], *rows[i : i + 100], ""]).encode()
        for i in range(1, len(rows), 100)
    )
    keep("files run together with their marks", again)
    short = lines(headed(zoned()).add("note", lambda g, i: "x" if i % 9 == 4 else "").text())
    keep("notes that few rows have", "\n".join(row.rstrip(",") for row in short))


def counted() -> None:
    """Rows with numbers of their own, and a heading less than they have values."""
    head, *body = lines(headed(zoned()).text())
    numbered = [head, *(f"{i},{row}" for i, row in enumerate(body, 1))]
    keep("row numbers without a heading", "\n".join(numbered))
    names = " ".join(f'"{name}"' for name in head.split(","))
    stats = [f'"{i}" "{" ".join(row.split(",", 1)).replace(",", " ")}' for i, row in
             enumerate(body, 1)]  # fmt: skip
    spaced = [names, *(row.replace("Z ", 'Z" ', 1) for row in stats)]
    keep("a statistics program's table", "\n".join(spaced), file="a.txt")
    parted = [head, *(row.replace("Z,", ",000,", 1) for row in body)]
    keep("a comma before the thousandths", "\n".join(parted))
    keep("the same, with carriage returns alone", "\r".join(parted))
    spaces = "\n".join([head, *(row.replace("Z,", " ,000,", 1) for row in body)])
    keep("a space before that comma", spaces, refused="as many fields as the header has")
    lost = "\n".join([head.split(",", 1)[1], *body])
    keep("the first heading lost", lost, refused="as many fields as the header has")


def clocks() -> None:
    east = [("年", "月", "日", "时", "分", "秒"), ("년", "월", "일", "시", "분", "초")]
    for name, (year, month, day, hour, minute, second) in zip(("Chinese", "Korean"), east,
                                                              strict=True):  # fmt: skip
        form = f"%Y{year}%m{month}%d{day} %H{hour}%M{minute}%S{second}"
        keep(f"a {name} clock", timed("time", utc(form)))
    keep("a month and its prepositions", timed("Data", utc("%d de março de %Y %H:%M:%S")))
    keep("letters for hours", timed("date", utc("%d/%m/%Y %Hh%Mm%Ss")))
    keep("a month without marks", timed("time", lambda t: utc("%d%b%Y:%H:%M:%S")(t).upper()))
    keep("a zone in brackets", timed("time", utc("%Y-%m-%dT%H:%M:%S.000+00:00[Europe/London]")))
    keep("a space that does not break", timed("time", utc("%Y-%m-%d\u00a0%H:%M:%S")))
    keep("a modified Julian day", timed("MJD", lambda t: f"{40587 + t / 86400:.6f}"), time_atol=1.0)
    keep("ticks since 1601", timed("time", lambda t: f"{int((t + 11644473600) * 10**7)}"))
    wide = str.maketrans("0123456789:.-", "０１２３４５６７８９：．－")
    keep("digits of full width", timed("time", utc("%Y-%m-%d %H:%M:%S")).translate(wide))
    none = {"doubt": "no dates", "shift": True}
    start = LOG.time_s[0]
    micro = timed("time us", lambda t: f"{1_700_000_000 + 1e6 * (t - start):.0f}")
    keep("microseconds of running", micro, **none)
    wraps = timed("millis", lambda t: f"{(2**32 - 6_000_000 + 1000 * (t - start)) % 2**32:.0f}")
    keep("a count that begins anew", wraps, **none)
    kernel = by_line(
        lambda i: (
            f"[{1234 + LOG.time_s[i] - start:6.0f}.567890] pack: I={amps(i)} "
            + " ".join(f"c{c + 1}={v}" for c, v in enumerate(volts(i)))
        )
    )
    keep("seconds of running in brackets", kernel, file="a.log", **none)


def days_and_halves() -> None:
    """Clocks over midnight: of twelve hours, the newest first, and a row a day."""
    night = a_log(rows=576, every=300.0, start=LOG.time_s[0])
    split = Sheet(night).time("date", utc("%m/%d/%Y")).time("time", utc("%I:%M"))
    split = split.time("half", utc("%p")).amps("current").cells("cell{}").text()
    keep("the half of the day by itself", split, log=night, check=("time", "cells", "current"))
    twelve = Sheet(night).time("time", utc("%Y-%m-%d %I:%M:%S")).amps("I").cells("cell{}").text()
    keep("a clock of twelve hours", twelve, log=night, doubt="before or after noon", rows=360,
         check=("rows",))  # fmt: skip
    newest = Sheet(night).time("time", utc("%H:%M")).amps("I").cells("cell{}").text(newest=True)
    keep("times of day, the newest first", newest, log=night, doubt="no dates", shift=True,
         check=("time", "cells", "current"))  # fmt: skip
    gone = timed("days", lambda t: f"{(t - LOG.time_s[0]) / 86400:.6f}")
    keep("days since the start", gone, doubt="no dates", shift=True)
    daily = a_log(rows=10, every=86400.0, start=datetime(2026, 5, 1, 12, tzinfo=UTC).timestamp())
    for name, form in (("day", "%d/%m/%Y"), ("month", "%m/%d/%Y")):
        by_hand = Sheet(daily).time("date", utc(form)).amps("I").cells("cell{}").text()
        keep(f"a row a day, {name} first", by_hand, log=daily, doubt=f"read as {name} first",
             check=("time", "cells"))  # fmt: skip


def without_end() -> None:
    days = Sheet(LOG).const("date", "1e999").const("time", "0.25").amps("I").cells("cell{}").text()
    keep("days beyond all numbers", days, refused="time column")


def of_another_kind() -> None:
    """What beginners drop on the window; the first bytes are from the formats' descriptions."""
    noise = bytes(range(256)) * 4
    for file, data, said in (
        ("a.pdf", b"%PDF-1.7\n" + noise, "this is a PDF document: save the table as CSV"),
        ("a.png", b"\x89PNG\r\n\x1a\n" + noise, "this is a picture: .* type them in"),
        ("a.jpg", b"\xff\xd8\xff\xe0" + noise, "this is a picture: .* type them in"),
        ("a.7z", b"7z\xbc\xaf\x27\x1c" + noise, "another kind: unpack it first"),
        ("a.docx", archive({"word/document.xml": "<w/>"}), "a text document"),
        ("a.xlsx", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + noise, "without a password"),
        ("a.csv", b" \n\n", "this file is empty"),
    ):
        keep(f"of another kind: {said}: {file}", data, file=file, refused=said)
    one = headed(zoned()).text().splitlines()[:2]
    keep("a single row", "\n".join(one), rows=1, doubt="the sign of current", check=("rows",))


def of_plants() -> None:
    """Names and fields of plants, and lists in them."""
    plant = zoned().cells("PLANT\\STORE\\CELL{:02d}.PV").amps("PLANT\\STORE\\AMPS.PV")
    keep("a suffix that all names have", plant.text())
    quality = zoned()
    for cell in CELLS:
        quality.add(f"CELL{cell + 1}.Value", lambda g, i, c=cell: f"{g.cell_v[i, c]:.3f}")
        quality.const(f"CELL{cell + 1}.Quality", "192")
    keep("a quality beside each value", quality.amps("CURR.Value").text())
    for name, bad in (("a number", "0"), ("a word", "Bad"), ("nothing", "")):
        keep(f"a quality that changes once, to {name}", _judged(bad).text())
    keep("a word beside each cell", zoned().cells("validated cell {}").amps("current").text())
    listed = zoned().amps("current").add("cells", lambda g, i: ":".join(volts(i)))
    keep("a list parted by colons", listed.text())
    quoted = zoned().add("cells", lambda g, i: f'"{", ".join(volts(i))}"').amps("current")
    keep("a list in quotes, parted by commas, between semicolons", quoted.text(";"))
    units = zoned().amps("current").add("pack", lambda g, i: f"{g.pack_v[i]:.2f}V")
    for cell in CELLS:
        units.add(f"cell{cell + 1}", lambda g, i, c=cell: f"{g.cell_v[i, c]:.3f}V")
    keep("a unit behind each value, of a pack's voltage too", units.text())
    said = zoned().add("current", lambda g, i: _said(float(amps(i)))).cells("cell{}")
    keep("the way in words behind the number", said.text())


def _judged(bad: str) -> Any:
    """A quality before each value, which is bad once."""
    sheet = zoned()
    for cell in CELLS:
        sheet.add(f"Zelle {cell + 1} Qualität", lambda g, i, c=cell: bad if i == 9 + c else "192")
        sheet.add(f"Zelle {cell + 1} Wert", lambda g, i, c=cell: f"{g.cell_v[i, c]:.3f}")
    return sheet.amps("Strom A")


def _said(amps_: float) -> str:
    way = "charging" if amps_ > 0 else "discharging"
    return f"{abs(amps_):.1f} A {way}" if amps_ else "idle"


def of_the_ends() -> None:
    high, low = LOG.cell_v.argmax(axis=1), LOG.cell_v.argmin(axis=1)
    ends = zoned().pack("pack V").amps("current")
    for name, at in (("max", high), ("min", low)):
        ends.add(f"{name} cell V", lambda g, i, at=at: f"{g.cell_v[i, at[i]]:.3f}")
        ends.add(f"{name} cell no", lambda g, i, at=at: f"{at[i] + 1}")
    keep("the highest and the lowest cell", ends.text(), cell_atol=0.02)


def in_parts() -> None:
    """Files and sheets that only together are a log."""
    head, *body = lines(headed(zoned()).text())
    parts = {"a1.csv": "\n".join([head, *body[:HALF]]), "a2.csv": "\n".join(body[HALF:])}
    keep("headings in the first file only", archive(parts), file="a.zip")
    sheets: dict[str, list[list[Any]]] = {
        f"Cell {cell + 1}": [["time", "V"], *([t, float(volts(i)[cell])] for i, t in
                                              enumerate(ISO))]
        for cell in CELLS
    }  # fmt: skip
    sheets["Pack"] = [["time", "current"], *([t, float(amps(i))] for i, t in enumerate(ISO))]
    keep("a sheet a cell", sheets_of(sheets), file="a.xlsx", check=("time", "cells", "current"))
    packs = [
        {
            "time": t,
            "packs": [{"id": k, "cells": [float(v) + 0.01 * k for v in volts(i)]} for k in (1, 2)],
        }
        for i, t in enumerate(ISO)
    ]
    keep("two packs in one document", json.dumps(packs), file="a.json", refused="2 sets")


def in_messages() -> None:
    """Documents and messages that stand in a field of a table."""
    said = [
        f"I={amps(i)} " + " ".join(f"c{c + 1}={v}" for c, v in enumerate(volts(i)))
        for i in range(LOG.rows)
    ]
    rows = [{"@timestamp": t, "level": "info", "msg": m} for t, m in zip(ISO, said, strict=True)]
    keep("messages in documents", "\n".join(map(json.dumps, rows)), file="a.jsonl")
    names = ["current", *(f"cell{cell + 1}" for cell in CELLS)]
    data = [[float(amps(i)), *map(float, volts(i))] for i in range(LOG.rows)]
    split = json.dumps({"columns": names, "index": ISO, "data": data})
    keep("rows called by their moments", split, file="a.json")
    head, *body = lines(headed(zoned()).text())
    later = [f"{head},temp", *(f"{row},18.5" for row in body[HALF:])]
    parts = {"a.csv": "\n".join([head, *body[:HALF]]), "b.csv": "\n".join(later)}
    keep("a column more from half way on", archive(parts), file="a.zip")


def a_quantity_at_a_time() -> None:
    """Documents with the readings of each quantity together, as monitors answer a question."""
    stamps = [int(t) for t in LOG.time_s]
    series = {"current": [float(amps(i)) for i in range(LOG.rows)]}
    series |= {f"cell{c + 1}": [float(volts(i)[c]) for i in range(LOG.rows)] for c in CELLS}
    matrix = [
        {
            "metric": {"job": "pack"} | ({"__name__": "cell_volts", "cell": name[4:]} if cell else
                                         {"__name__": "current_amperes"}),
            "values": [[t, str(v)] for t, v in zip(stamps, values, strict=True)],
        }
        for name, values in series.items()
        for cell in [name.startswith("cell")]
    ]  # fmt: skip
    said = {"status": "success", "data": {"resultType": "matrix", "result": matrix}}
    plain = ("time", "cells", "current")
    keep("ranges of samples by labels", json.dumps(said), file="a.json", check=plain)
    targets = [
        {
            "target": f"pack.{name}",
            "datapoints": [[v, t] for t, v in zip(stamps, values, strict=True)],
        }
        for name, values in series.items()
    ]
    keep("points with the value first", json.dumps(targets), file="a.json", check=plain)
    by_cell = [series[f"cell{c + 1}"] for c in CELLS]
    columns: dict[str, Any] = {"pack": "A", "time": ISO, "current": series["current"]}
    columns["cells"] = by_cell
    keep("a list of readings for each cell", json.dumps(columns), file="a.json", check=plain)
    columns["cells"] = list(zip(*by_cell, strict=True))
    keep("a list of cells for each row", json.dumps(columns), file="a.json", check=plain)


def days_without_a_year() -> None:
    short = timed("Zeit", lambda t: f"{datetime.fromtimestamp(t, UTC):%d.%m. %H:%M:%S}", sep=";")
    keep("day and month with points, no year", short, doubt="no year", shift=True)
    named = timed("wann", lambda t: f"Di, {datetime.fromtimestamp(t, UTC):%d.%m. %H:%M}", sep=";")
    keep("a weekday, day and month, no year", named, doubt="no year", shift=True, time_atol=60.0)
    keep("moments in brackets", timed("time", utc("[%Y-%m-%d %H:%M:%S]")))
    day = lambda t: f"{datetime.fromtimestamp(t + 43200, UTC):%Y-%m-%d}"  # noqa: E731
    counted_ = Sheet(LOG).time("date", day).time("second", lambda t: f"{(t + 43200) % 86400:.0f}")
    keep("a date and the seconds of its day", counted_.amps("I").cells("U{}").text(), shift=True,
         check=("time", "cells", "current"))  # fmt: skip
    since = Sheet(LOG).time("date", day).time("elapsed s", lambda t: f"{t - LOG.time_s[0]:.0f}")
    keep("a date and the seconds since a start", since.amps("I").cells("U{}").text(), shift=True,
         doubt="by its column of dates", check=("time", "cells", "current"))  # fmt: skip


def of_frames() -> None:
    """As a library of tables writes its frames: a row for the name of the index."""
    names = ["current_A", *(f"cell_{c + 1}_V" for c in CELLS)]
    rows = [(t, [amps(i), *volts(i)]) for i, t in enumerate(ISO)]
    heads = [f"<tr><th></th>{''.join(f'<th>{n}</th>' for n in names)}</tr>",
             f"<tr><th>time</th>{'<th></th>' * len(names)}</tr>"]  # fmt: skip
    body = [f"<tr><th>{t}</th>{''.join(f'<td>{v}</td>' for v in vs)}</tr>" for t, vs in rows]
    keep(
        "a page with the name of its index",
        f"<table>{''.join(heads + body)}</table>",
        file="a.html",
    )
    upper = ["", "pack", *["voltage" for _ in CELLS]]
    lower_numbers = [str(c + 1) for c in CELLS]
    lower = ["", "current", *lower_numbers]
    named = ["time", *[""] * len(names)]
    whole = [*map(",".join, (upper, lower, named)), *(",".join([t, *vs]) for t, vs in rows)]
    keep("two rows of headings and the name of the index", "\n".join(whole))
    ways = ("min", "mean", "max")
    upper = ["", *(n for n in names for _ in ways)]
    lower = ["", *(way for _ in names for way in ways)]
    named = ["time", *[""] * len(ways) * len(names)]
    apart = (-0.02, 0.0, 0.02)
    each = (",".join([t, *(f"{float(v) + d:.3f}" for v in vs for d in apart)]) for t, vs in rows)
    every = "\n".join([*map(",".join, (upper, lower, named)), *each])
    keep("the least, the mean and the most of each", every, doubt="not the cells as read")
    rule = "|:---|" + "---:|" * len(names)
    drawn = ["| time | " + " | ".join(names) + " |", rule]
    drawn += [f"| {t} | {' | '.join(vs)} |" for t, vs in rows]
    keep("a table drawn with colons for its sides", "\n".join(drawn), file="a.md")
    stamps = [f"{1000 * t:.0f}" for t in LOG.time_s]
    columns = {n: {s: float(vs[k]) for s, (_, vs) in zip(stamps, rows, strict=True)}
               for k, n in enumerate(names)}  # fmt: skip
    keep("values by their moments", json.dumps(columns), file="a.json")
    by_iso = {n: dict(zip(ISO, column.values(), strict=True)) for n, column in columns.items()}
    keep("values by their moments in words", json.dumps(by_iso), file="a.json")
    marked = [n.replace("_", ":") for n in names]
    for moments, called in ((ISO, marked), (stamps, ["current", *lower_numbers])):
        each_ = zip(moments, rows, strict=True)
        by_row = {m: dict(zip(called, map(float, vs), strict=True)) for m, (_, vs) in each_}
        keep(f"rows by their moments, {called[1]}", json.dumps(by_row), file="a.json")


def sheets_of(rows: dict[str, list[list[Any]]]) -> bytes:
    import io

    made = openpyxl.Workbook()
    made.remove(made.worksheets[0])
    for name, lines_ in rows.items():
        sheet = made.create_sheet(name)
        for line in lines_:
            sheet.append(line)
    data = io.BytesIO()
    made.save(data)
    return data.getvalue()


once_wrong_in_silence()
cells_that_may_be_ruined()
taken_for_what_they_are_not()
in_short()
without_power()
counted()
clocks()
days_and_halves()
without_end()
of_another_kind()
of_plants()
of_the_ends()
in_parts()
in_messages()
a_quantity_at_a_time()
of_frames()
days_without_a_year()
