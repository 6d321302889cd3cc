"""Files and devices that mean harm, or are only badly broken: one line, and nothing else."""

import contextlib
import gzip
import io
import os
import socket
import sqlite3
import struct
import threading
import zipfile
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import polars as pl
import pytest
import xlsxwriter

from nipper.core.errors import LONGEST_LINE, InputError, NipperError, RangeError
from nipper.core.link.modbus import ModbusDevice
from nipper.core.link.profile import bundled, read_dbc
from nipper.core.link.registers import LinkError
from nipper.core.logs.mapping import load_mapping
from nipper.core.logs.propose import Options
from nipper.core.logs.reader import read_file
from nipper.core.logs.typed import parse_cells
from nipper.core.logs.words import unit_of
from nipper.core.presets import new_setup
from nipper.core.quiet import quiet
from nipper.core.report.readback import values_of_csv
from nipper.core.report.typingsheet import Menu
from nipper.core.setup import loads
from nipper.core.shown import USUAL, as_shown
from nipper.core.tables.layout import unique
from nipper.core.tables.table import text_frame
from nipper.store import chunks
from tests.bench.fuzz import try_one
from tests.bench.readers import READERS
from tests.builders import charge_log

LONG = 30_000  # letters: no pattern of ours may take their square, or their cube
UTC = Options(zone="UTC", cells=4)
HEAD = "time,current,cell 1,cell 2,cell 3,cell 4"


def row(minute: int, more: str = "1.5,3.30,3.31,3.32,3.33") -> str:
    return f"2026-03-01T00:{minute:02d}:00Z,{more}"


def table(*rows: str, head: str = HEAD) -> str:
    usual = [row(i, f"{10 - i},3.30,3.31,3.32,3.33") for i in range(30)]
    return "\n".join([head, *usual, *rows, ""])


@pytest.mark.parametrize("reader", list(READERS))
def test_spoilt_inputs_are_understood_or_refused(reader, tmp_path):
    # a short run of `make fuzz`; slow readers get fewer
    count = 12 if reader in ("table", "sheet", "parquet", "bench", "dbc") else 60
    found = [w for number in range(count) if (w := try_one(reader, number, tmp_path))]
    assert found == []


@pytest.mark.parametrize(
    ("reader", "number"),
    [
        *[("table", n) for n in (20274, 27039, 30214, 47273, 54719, 58046, 58195)],
        ("mapping", 19244),
    ],
)
def test_what_a_million_inputs_found(reader, number, tmp_path):
    """Currents of 1e308 A and without end, of which a multiple is no number; headings of 5,000
    digits; a zone of null.
    """
    assert try_one(reader, number, tmp_path) == ""


def test_a_fuzz_can_fail(monkeypatch, tmp_path):
    broken = READERS["typed"].feed
    monkeypatch.setitem(READERS, "typed", type(READERS["typed"])(broken, lambda _: 1 / 0, 1))
    assert "ZeroDivisionError" in try_one("typed", 0, tmp_path)


@pytest.mark.parametrize("cell", [(1048575, 16383), (1048575, 701), (3, 1600)])
def test_a_value_far_out_in_a_workbook_is_told_before_memory_is_gone(cell, tmp_path):
    path = tmp_path / "far.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet()
        sheet.write(0, 0, "time")
        sheet.write(*cell, 1)
    with pytest.raises(InputError, match=f"row {cell[0] + 1:,} and column {cell[1] + 1:,}"):
        read_file(path, UTC)


FOREIGN = (
    b'<x:worksheet xmlns:x="http://schemas.openxmlformats.org/spreadsheetml/2006/main">'
    b"<x:sheetData><x:row r='1'><x:c r='A1'><x:v>1</x:v></x:c></x:row>"
    b"<x:row r='1048576'><x:c s='0' r='xfd1048576'><x:v>1</x:v></x:c></x:row>"
    b"</x:sheetData></x:worksheet>"
)


def test_a_far_cell_is_seen_however_the_sheet_is_written_and_wherever_it_lies(tmp_path):
    plain, path = tmp_path / "plain.xlsx", tmp_path / "foreign.xlsx"
    with xlsxwriter.Workbook(str(plain)) as book:
        book.add_worksheet().write(0, 0, 1)
    with zipfile.ZipFile(plain) as old, zipfile.ZipFile(path, "w") as new:
        for name in old.namelist():
            data = FOREIGN if "sheet1.xml" in name else old.read(name)
            data = data.replace(b"worksheets/sheet1.xml", b"elsewhere/sheet1.xml")
            new.writestr(name.replace("worksheets/sheet1", "elsewhere/sheet1"), data)
    with pytest.raises(InputError, match="row 1,048,576 and column 16,384"):
        read_file(path, UTC)


def test_a_sheet_that_unpacks_beyond_measure_is_refused(tmp_path, monkeypatch):
    monkeypatch.setattr("nipper.core.tables.sheets.MOST_UNPACKED", 2_000)
    path = tmp_path / "large.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet()
        for row in range(300):
            sheet.write(row, 0, "time")
    with pytest.raises(InputError, match="at most 2000 bytes"):
        read_file(path, UTC)


ODS = (
    '<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body>'
    '<office:spreadsheet><table:table table:name="S">{}</table:table></office:spreadsheet>'
    "</office:body></office:document-content>"
)
REPEATED = (
    '<table:table-row table:number-rows-repeated="1048576"><table:table-cell '
    'office:value-type="float" office:value="3.3" table:number-columns-repeated="16384">'
    "<text:p>3.3</text:p></table:table-cell></table:table-row>"
)


def test_a_cell_repeated_over_the_whole_sheet_is_told_before_memory_is_gone(tmp_path):
    path = tmp_path / "repeated.ods"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", ODS.format(REPEATED))
    with pytest.raises(InputError, match="1,048,576 and column 16,384"):
        read_file(path, UTC)


def test_text_of_too_many_values_is_told_before_memory_is_gone(tmp_path):
    path = tmp_path / "bomb.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.csv", "1,2,3,4\n" * 21_000_000)
    with pytest.raises(InputError, match="at most 80,000,000 values, found about 84,000,000"):
        read_file(path, UTC)


def test_an_archive_with_a_torn_directory_is_one_line(tmp_path):
    whole = io.BytesIO()
    with zipfile.ZipFile(whole, "w") as archive:
        archive.writestr("a.csv", table())
    data = bytearray(whole.getvalue())
    at = data.index(b"PK\x01\x02")
    data[at + 42 : at + 46] = struct.pack("<I", 2**32 - 100)  # where the member begins
    (tmp_path / "a.zip").write_bytes(bytes(data))
    with pytest.raises(InputError, match="a complete archive"):
        read_file(tmp_path / "a.zip", UTC)


def database(tmp_path, *spoilt: tuple[bytes, bytes]) -> Path:
    """An SQLite file of thirty rows, some of its bytes others."""
    file = tmp_path / "log.sqlite"
    cells = [f"cell{i}" for i in range(1, 5)]
    with closing(sqlite3.connect(file)) as base, base:
        base.execute(f"CREATE TABLE readings (time, current, {', '.join(cells)}, note TEXT)")
        for line in table().splitlines()[1:]:
            base.execute("INSERT INTO readings VALUES (?,?,?,?,?,?,'21 degrees')", line.split(","))
    data = file.read_bytes()
    for old, new in spoilt:
        assert old in data
        data = data.replace(old, new)
    file.write_bytes(data)
    return file


NO_TABLE = (b"TABLE readings", b"TABLF readings"), (b"readings", b"read\xbangs")


@pytest.mark.parametrize("spoilt", [NO_TABLE, [(b"cell3", b"cel\xb3 ")]])
def test_a_damaged_base_that_cannot_even_be_told_of_is_one_line(spoilt, tmp_path):
    """SQLite quotes the bytes it stumbles over, which need not be text (found by the fuzz)."""
    with pytest.raises(InputError, match="an undamaged SQLite file"):
        read_file(database(tmp_path, *spoilt), UTC)


def test_words_of_a_base_in_another_alphabet_keep_no_reading_out(tmp_path):
    file = database(tmp_path, (b"21 degrees", b"21 \xb0egrees"))
    assert read_file(file, UTC).log.rows == 30


def test_a_gzip_in_an_archive_is_unpacked_within_bounds(tmp_path, monkeypatch):
    monkeypatch.setattr("nipper.core.tables.packed.MAX_BYTES", 1_000_000)
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as archive:
        archive.writestr("a.csv.gz", gzip.compress(b"0" * 2_000_000))
    with pytest.raises(InputError, match="at most 1000000 bytes"):
        read_file(tmp_path / "a.zip", UTC)


def test_a_heading_of_digits_without_end_takes_no_minutes():
    """A pattern of numbers looked at each of two million digits once for each other."""
    assert unit_of("9" * 2_000_000) is None


def test_row_numbers_without_end_count_nothing(tmp_path):
    """One field more than names, as of numbered rows: Python turns no 4,301 digits into one."""
    head, *lines = table().splitlines()
    (tmp_path / "a.csv").write_text("\n".join([head, *("9" * 5000 + "," + x for x in lines), ""]))
    with pytest.raises(InputError, match="as many fields as the header has"):
        read_file(tmp_path / "a.csv", UTC)


@pytest.mark.parametrize(
    ("head", "words"),
    [
        (HEAD + "," + "9" * 5000, "headings of at most 400 characters"),
        (HEAD + "".join(f",x{i}" for i in range(1600)), "at most 1500 columns"),
    ],
)
def test_headings_beyond_all_measure_are_refused(head, words, tmp_path):
    extra = "," * (head.count(",") - HEAD.count(","))
    lines = table().splitlines()[1:]
    (tmp_path / "a.csv").write_text("\n".join([head, *(line + extra for line in lines), ""]))
    with pytest.raises(InputError, match=words):
        read_file(tmp_path / "a.csv", UTC)


@pytest.mark.parametrize(
    "text",
    ["a" * 3_000_000, "a=" * 1_000_000, 'a="b ' * 400_000, ("a" + " " * 5000) * 500 + "=",
     "a=1 a=2 a=3\n" * 50, " ".join(f"k{i}=1" for i in range(9000)) + "\n"],
    ids=["a word", "no values", "quotes", "spaces", "a name thrice", "names"],
)  # fmt: skip
def test_lines_that_only_look_like_names_and_values_are_refused(text, tmp_path):
    path = tmp_path / "log.txt"
    path.write_text(text * (1 + (len(text) < 100_000)))
    with pytest.raises(InputError):
        read_file(path, UTC)


def test_identifiers_of_eight_digits_are_no_cells_with_millions_missing_between(tmp_path):
    head = "time,current,cell 1,cell 2,cell 3,cell 99999999"
    (tmp_path / "a.csv").write_text(table(head=head))
    with pytest.raises(InputError, match="numbered cell voltage columns"):
        read_file(tmp_path / "a.csv", UTC)


@pytest.mark.parametrize(
    ("odd", "lost"),
    [("1e6", "currents"), ("-inf", "currents"), ("1e39", "currents")],
)
def test_an_impossible_current_is_left_out_and_told(odd, lost, tmp_path):
    path = tmp_path / "a.csv"
    path.write_text(table(row(40, f"{odd},3.30,3.31,3.32,3.33")))
    found = read_file(path, UTC)
    assert np.isnan(found.log.current_a[-1])
    assert (1, f"{lost} out of range") in found.reading.dropped


def test_impossible_volts_degrees_and_percentages_of_the_plain_log_are_told_too(tmp_path):
    head = "time,current_a,pack_v,cell_1_v,cell_2_v,temp_1_c,soc_pct"
    rows = [f"2026-03-01T00:{i:02d}:00Z,1.0,6.6,3.3,3.3,20.0,50.0" for i in range(9)]
    rows.append("2026-03-01T00:09:00Z,1e9,1e30,3.3,3.3,-400,2000")
    (tmp_path / "a.csv").write_text("\n".join([head, *rows, ""]))
    found = read_file(tmp_path / "a.csv", UTC)
    assert {why for _, why in found.reading.dropped} == {
        f"{what} out of range" for what in ("currents", "pack voltages", "temperatures")
    } | {"percentages out of range"}
    assert np.isnan(found.log.pack_v[-1])
    assert np.nanmax(found.log.temp_c) == 20.0


def test_dates_of_a_clock_that_was_never_set_are_told(tmp_path):
    (tmp_path / "a.csv").write_text(table().replace("2026-", "1970-"))
    found = read_file(tmp_path / "a.csv", UTC)
    assert "was the clock never set" in " ".join(map(str, found.reading.doubts))


def test_a_date_before_all_batteries_is_no_time(tmp_path):
    (tmp_path / "a.csv").write_text(table(row(40).replace("2026-", "0001-")))
    found = read_file(tmp_path / "a.csv", UTC)
    assert found.log.rows == 30
    assert (1, "no time in them") in found.reading.dropped


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ('{"time": "t", "time_form": "iso", "cells": ["a"], "directions": [[]]}', "directions"),
        ('{"time": "t", "time_form": "iso", "cells": ["a"], "temps": [{}]}', "temps"),
        ('{"time": "t", "time_form": "iso", "cells": ["a"], "hold_s": 1e308}', "hold_s"),
        ('{"time": "t", "time_form": "iso", "cells": []}', "cells"),
        ('{"time": "t", "time_form": "clock", "cells": ["a"], "begins": "2026-02-30"}', "begins"),
        ('{"time": "t", "time_form": "clock", "cells": ["a"], "begins": "soon"}', "begins"),
    ],
)
def test_a_mapping_that_says_nothing_readable_names_its_place(text, place, tmp_path):
    path = tmp_path / "map.json"
    path.write_text(text.replace("{", '{"format": "nipper-columns", ', 1))
    with pytest.raises(InputError, match=place):
        load_mapping(path)


def test_a_table_of_settings_with_bare_returns_is_read_or_refused():
    with pytest.raises(InputError, match="a header with value"):
        values_of_csv("a\rb\r", Menu(name="None", items=[]))


def test_a_dbc_in_which_a_message_comes_twice_is_refused():
    whole = bundled("limits-can").database.as_dbc_string()
    first = whole[whole.index("BO_ ") :].split("\n\n")[0]
    with pytest.raises(InputError, match="comes twice"):
        read_dbc(whole.replace(first, f"{first}\n\n{first}", 1), "twice.dbc")


def test_a_stretch_whose_times_run_backwards_is_damaged():
    log = charge_log(new_setup("lfp", 4, 100.0), np.zeros(4)).select(slice(0, 30))
    log.time_s[10] = 0.0
    with pytest.raises(InputError, match="times that run"):
        chunks.unpack(chunks.pack(log))


@pytest.mark.parametrize("odd", [1e23, np.inf, -np.inf])
def test_what_no_pack_can_have_counts_as_not_read_and_the_rest_of_a_bench_is_kept(odd):
    log = charge_log(new_setup("lfp", 4, 100.0), np.zeros(4)).select(slice(0, 30))
    log.pack_v[10] = log.current_a[11] = odd
    found = chunks.unpack(chunks.pack(log))
    assert np.flatnonzero(np.isnan(found.pack_v)).tolist() == [10]
    assert np.flatnonzero(np.isnan(found.current_a)).tolist() == [11]
    assert found.rows == 30


@pytest.mark.parametrize("data", [None, 7, "text", b""])
def test_what_is_no_bytes_at_all_is_a_damaged_stretch(data):
    with pytest.raises(InputError, match="undamaged data"):
        chunks.unpack(data)


def test_an_error_is_one_line_that_can_be_read_whatever_a_stranger_wrote():
    line = str(InputError("a\nb" * 400, "x\0y", "z" * 5000))
    assert len(line) <= LONGEST_LINE
    assert "\n" not in line
    assert "\0" not in line


def test_an_unknown_key_names_those_that_may_have_been_meant():
    text = '{"format": "nipper-setup", "version": 1, "cell_in_series": 16}'
    with pytest.raises(InputError, match=r"cell_in_series: .*\(cells_in_series"):
        loads(text)


# devices ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "place",
    ["", "..", "a..b:502", "x" * 3000, "127.0.0.1:²", "127.0.0.1:99999", "\0:1", "/dev/null", "::"],
)
def test_no_address_however_odd_raises_anything_else(place):
    with pytest.raises(LinkError):
        ModbusDevice(place)


def answering(how: str) -> str:
    """A device that answers in its own manner, at the address given back."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            peer, _ = server.accept()
            with closing(peer):
                request = peer.recv(300)
                count = request[11]
                body = bytes([request[6], request[7], 2 * count]) + b"\0\1" * count
                answer = request[:4] + struct.pack(">H", len(body)) + body
                if how == "reset":
                    linger = struct.pack("ii", 1, 0)
                    peer.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, linger)
                    continue
                for byte in answer:
                    peer.send(bytes([byte]))
                peer.recv(1)

    threading.Thread(target=serve, daemon=True).start()
    return f"127.0.0.1:{server.getsockname()[1]}"


def test_a_device_that_resets_the_line_is_one_line():
    device = ModbusDevice(answering("reset"))
    with pytest.raises(LinkError, match="expected an answer from device 1"):
        device.read(0, 10)
    device.close()


def test_an_answer_that_comes_in_single_bytes_is_read():
    device = ModbusDevice(answering("single bytes"))
    assert device.read(0, 10) == [1] * 10
    device.close()


def test_what_the_user_can_cause_is_a_nipper_error():
    assert issubclass(LinkError, NipperError)


def test_a_compiled_librarys_panic_is_not_written_on_standard_error(capfd):
    """Each damaged stretch printed four lines of Rust beside the one sentence that says it."""
    log = charge_log(new_setup("lfp", 4, 100.0), np.zeros(4))
    whole = chunks.pack(log)
    refused = 0
    for at in range(40, len(whole), max(1, len(whole) // 300)):
        damaged = bytearray(whole)
        damaged[at] ^= 0xFF
        with contextlib.suppress(InputError):
            chunks.unpack(bytes(damaged))
            continue
        refused += 1
    os.write(2, b"still there")
    assert refused > 10
    assert capfd.readouterr().err == "still there"


def test_standard_error_comes_back_after_the_last_of_several_readers(capfd):
    second = threading.Event()

    def read():
        with quiet():
            second.wait(5)

    reader = threading.Thread(target=read)
    with quiet():
        reader.start()
        os.write(2, b"nowhere")
    os.write(2, b"nor now: the other one still reads")
    second.set()
    reader.join()
    os.write(2, b"here")
    assert capfd.readouterr().err == "here"


def test_thousands_of_columns_of_one_name_are_counted_on_not_anew():
    names = unique(["V", "V (2)", *["V"] * 20_000])  # tried from two on each time: minutes
    assert names[:4] == ["V", "V (2)", "V (3)", "V (4)"]
    assert len(set(names)) == len(names)
    assert names[-1] == "V (20002)"


def test_a_table_without_a_column_is_refused_and_no_error_of_the_table_library(tmp_path):
    path = tmp_path / "none.parquet"
    pl.DataFrame().write_parquet(path)
    with pytest.raises(InputError):
        read_file(path, UTC)


@pytest.mark.parametrize(
    ("kind", "texts"),
    [
        (pl.Datetime("us"), ["1970-01-01T00:00:00", None, None]),
        (pl.Datetime("ms", "Europe/Berlin"), ["1970-01-01T01:00:00+01:00", None, None]),
        (pl.Datetime("ns"), ["1970-01-01T00:00:00", "2262", "1677"]),
        (pl.Date, ["1970-01-01", None, None]),
        (pl.Duration("ms"), ["0.0", "9", "-9"]),
        (pl.List(pl.Datetime("us")), [None, None, None]),
    ],
)
def test_moments_that_no_calendar_has_are_not_read(kind, texts):
    """The table library panics where it is to write one down: past every ``except Exception``."""
    most = 2**31 - 1 if kind == pl.Date else 2**63 - 1
    numbers = [[0], [most], [-most]] if isinstance(kind, pl.List) else [0, most, -most]
    whole = pl.Int32 if kind == pl.Date else pl.Int64
    column = pl.Series("t", numbers).cast(pl.List(whole) if isinstance(kind, pl.List) else whole)
    found = text_frame(pl.DataFrame([column.cast(kind)]))["t"].to_list()
    assert [f is None for f in found] == [t is None for t in texts]
    assert all(f.startswith(t) for f, t in zip(found, texts, strict=True) if t)


def test_a_typed_table_tells_elapsed_time_by_durations(tmp_path):
    rows = 120
    log = {"t": pl.Series(np.arange(rows) * 60_000_000).cast(pl.Duration("us"))}
    cells = {f"cell {i + 1} (V)": np.full(rows, 3.30 + i / 1000) for i in range(4)}
    path = tmp_path / "elapsed.parquet"
    pl.DataFrame(log | {"current (A)": np.linspace(-5, 5, rows)} | cells).write_parquet(path)
    read = read_file(path, UTC)
    assert read.log.interval_s == pytest.approx(60.0)


@pytest.mark.parametrize(
    "odd",
    [
        pl.Series([b"\xff"] * 40),
        pl.Series([[2**31 - 1]] * 40, dtype=pl.Array(pl.Int32, 1)).cast(pl.Array(pl.Date, 1)),
        pl.Series([[{"a": 2**63 - 1}]] * 40).cast(pl.List(pl.Struct({"a": pl.Datetime("us")}))),
        pl.Series([[[1.0, 2.0]]] * 40, dtype=pl.List(pl.Array(pl.Float64, 2))),
        pl.Series(["a"] * 40).cast(pl.Categorical),
    ],
)
@pytest.mark.parametrize("cells", [pl.List(pl.Float32), pl.Array(pl.Float32, 4)])
def test_a_typed_column_that_is_no_reading_hurts_no_other(odd, cells, tmp_path):
    """The cells in one column, as lists and as arrays of one length."""
    volts = np.tile(3.3 + np.arange(4) / 1000, (40, 1)).astype(np.float32)
    table = {
        "time": pl.Series(1.7e15 + np.arange(40) * 6e7).cast(pl.Int64).cast(pl.Datetime("us")),
        "current (A)": np.linspace(-5, 5, 40),
        "cell voltages (V)": pl.Series(volts.tolist(), dtype=cells),
        "odd": odd,
    }
    path = tmp_path / "odd.parquet"
    pl.DataFrame(table).write_parquet(path)
    read = read_file(path, UTC)
    assert read.log.cell_v[0] == pytest.approx(volts[0])
    assert read.log.interval_s == pytest.approx(60.0)


@pytest.mark.parametrize("mark", ["-", " ", "1", "[", "1:", "a ", "="])
def test_a_long_run_of_one_mark_ends_no_reading(tmp_path, mark):
    """400 dashes with a letter behind them took 0.2 s, twice as many eight times as long."""
    run = (mark * LONG)[:LONG] + "x"
    rows = [f"2026-01-01 00:{m:02d},{m}.5,3.301,3.302,3.303,3.304" for m in range(40)]
    rows[5] = rows[5].removesuffix("3.304") + run
    rows[9] = rows[9].replace("00:09", "00:09:00" + run)  # no moment: this row is left out
    file = tmp_path / "a.csv"
    file.write_text("\n".join([HEAD, *rows]))
    assert read_file(file, UTC).log.rows == 39


def test_a_long_run_is_shown_and_typed_as_any_text():
    fahrenheit = replace(USUAL, fahrenheit=True, language="de")
    for mark in ("1", " ", "\t", "1 to ", "-"):
        text = (mark * LONG)[:3000] + "x"
        assert len(as_shown(text, fahrenheit)) > 2000
    with pytest.raises(RangeError, match="expected a voltage"):
        parse_cells("1" * 3000 + "!", 4)
