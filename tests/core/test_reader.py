"""Reading logs: the plain form, strangers' tables, and files that are spoilt."""

import gzip
import json
import zipfile
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import ChoiceError, InputError
from nipper.core.logs import reader, sensors
from nipper.core.logs.clocktext import guess_time_form
from nipper.core.logs.guess import guess_capacity, guess_chemistry
from nipper.core.logs.mapping import ColumnMapping, plain_mapping, shape_key
from nipper.core.logs.model import Log, join
from nipper.core.logs.oddities import oddities
from nipper.core.logs.propose import Options, propose
from nipper.core.logs.reader import read_file, read_log
from nipper.core.logs.signs import current_sign
from nipper.core.logs.values import read_values
from nipper.core.logs.writer import plain_csv, write_plain
from nipper.core.presets import new_setup
from nipper.core.tables.read import read_table, read_tables, table_of
from tests.bench.others import other
from tests.builders import charge_log
from tests.conftest import FILES


@pytest.fixture(scope="module")
def log() -> Log:
    return charge_log(
        new_setup("lfp", 8, 100.0), np.linspace(-1, 1, 8), charges=2, interval_s=60.0
    ).select(slice(0, 400))


def dialect(log: Log, **how: object) -> str:
    """The log as a stranger's table: other names, units, signs and times."""
    separator, decimal = str(how.get("separator", ",")), str(how.get("decimal", "."))
    times = how.get("times", lambda t: f"{t:.0f}")
    milli, sign = bool(how.get("milli")), float(how.get("sign", 1.0))
    names = how.get("names", ("Time", "Current", "Voltage", "Cell {}"))
    heads = [
        *str(names[0]).split("|"),
        names[1],
        names[2],
        *(str(names[3]).format(i + 1) for i in range(log.cells)),
        "Temp 1",
    ]
    lines = [separator.join(heads)]
    for i in range(log.rows):
        cells = [
            f"{v * 1e3:.0f}" if milli else f"{v:.3f}".replace(".", decimal) for v in log.cell_v[i]
        ]
        pack = (
            f"{log.pack_v[i] * 1e3:.0f}" if milli else f"{log.pack_v[i]:.2f}".replace(".", decimal)
        )
        lines.append(
            separator.join(
                [
                    *times(log.time_s[i]).split("|"),
                    f"{sign * log.current_a[i]:.1f}".replace(".", decimal),
                    pack,
                    *cells,
                    "20",
                ]
            )
        )
    return "\n".join(lines) + "\n"


def local(form: str):
    from datetime import datetime
    from zoneinfo import ZoneInfo

    return lambda t: datetime.fromtimestamp(t, ZoneInfo("Europe/Vienna")).strftime(form)


STRANGERS = {
    "unix seconds, commas": {},
    "semicolons, decimal commas": {
        "separator": ";",
        "decimal": ",",
        "times": local("%d.%m.%Y %H:%M:%S"),
    },
    "tabs, millivolts, milliseconds": {
        "separator": "\t",
        "milli": True,
        "times": lambda t: f"{t * 1000:.0f}",
    },
    "discharge positive": {"sign": -1.0, "times": local("%Y-%m-%d %H:%M:%S")},
    "month first": {"times": local("%m/%d/%Y %H:%M")},
    "date and time apart": {
        "names": ("Date|Clock time", "I(A)", "Pack V", "C{:02d}[V]"),
        "times": local("%Y/%m/%d|%H:%M:%S"),
        "separator": ";",
    },
    "german names": {
        "names": ("Zeitstempel", "Strom A", "Spannung", "Zelle_{}"),
        "separator": ";",
        "decimal": ",",
        "times": local("%Y-%m-%dT%H:%M:%S%z"),
    },
}


@pytest.mark.parametrize("how", STRANGERS.values(), ids=STRANGERS)
def test_a_strangers_table_is_understood_by_itself(log, tmp_path, how):
    path = tmp_path / "log.csv"
    path.write_text(dialect(log, **how))
    read = read_log(path, "Europe/Vienna")
    assert read.rows == log.rows
    np.testing.assert_allclose(
        read.time_s, log.time_s, atol=60.0 if "%H:%M'" in repr(how) else 59.0
    )
    np.testing.assert_allclose(read.cell_v, log.cell_v, atol=6e-4)
    np.testing.assert_allclose(read.current_a, log.current_a, atol=0.06)
    np.testing.assert_allclose(read.pack_v, log.pack_v, atol=0.01)
    assert read.temp_c.shape == (log.rows, 1)


def test_a_spreadsheet_is_understood_by_itself(log, tmp_path):
    book = openpyxl.Workbook()
    sheet = book.active
    for line in dialect(log.select(slice(0, 100)), times=local("%Y-%m-%d %H:%M:%S")).splitlines():
        sheet.append([_cell(v) for v in line.split(",")])
    book.save(tmp_path / "log.xlsx")
    read = read_log(tmp_path / "log.xlsx", "Europe/Vienna")
    np.testing.assert_allclose(read.cell_v, log.cell_v[:100], atol=6e-4)
    np.testing.assert_allclose(read.time_s, log.time_s[:100], atol=1.0)


def _cell(text: str) -> object:
    try:
        return float(text)
    except ValueError:
        return text


def test_lines_above_the_header_are_passed_over(log):
    text = "Exported by a BMS\nserial 12\n\n" + dialect(log)
    table = table_of(text.encode(), "log.csv")
    assert read_values(table, propose(table).mapping)[0].rows == log.rows


def test_the_mapping_can_be_kept_as_json(log):
    table = table_of(dialect(log).encode(), "log.csv")
    mapping = propose(table).mapping
    assert ColumnMapping.from_json(mapping.to_json()) == mapping
    assert (
        shape_key(table.columns) == shape_key(list(table.columns)) != shape_key(table.columns[::-1])
    )


@given(
    rows=st.integers(12, 60),
    cells=st.integers(1, 24),
    seed=st.integers(0, 2**31),
    fraction=st.booleans(),
)
def test_a_plain_log_reads_back_what_was_written(tmp_path_factory, rows, cells, seed, fraction):
    rng = np.random.default_rng(seed)
    cell_v = np.round(rng.uniform(2.5, 3.65, (rows, cells)), 3).astype(np.float32)
    cell_v[:, 1:][rng.random((rows, cells - 1)) < 0.02] = np.nan  # a row without any is left out
    log = Log(
        time_s=1.7e9 + np.cumsum(rng.integers(1, 90, rows)) + (0.25 if fraction else 0.0),
        current_a=np.round(rng.normal(0, 30, rows), 1),
        pack_v=np.round(np.nansum(cell_v, axis=1).astype(float), 2),
        cell_v=cell_v,
        temp_c=np.round(rng.uniform(-10, 40, (rows, 2))).astype(np.float32),
        soc_pct=np.round(rng.uniform(0, 100, rows)).astype(np.float32),
        balancing=rng.random((rows, cells)) < 0.1,
    )
    path = tmp_path_factory.mktemp("logs") / ("log.csv.gz" if fraction else "log.csv")
    write_plain(log, path)
    read = read_log(path)
    np.testing.assert_allclose(read.time_s, log.time_s)
    for name in ("current_a", "pack_v", "cell_v", "temp_c", "soc_pct"):
        np.testing.assert_allclose(getattr(read, name), getattr(log, name), atol=1e-6, err_msg=name)
    assert np.array_equal(read.balancing, log.balancing)


def test_rows_without_a_readable_cell_are_left_out_and_told(tmp_path):
    rows = [
        f"{1700000000 + 60 * i},1.0,13.2," + ("3.300,3.301" if i % 4 else "99,0") for i in range(40)
    ]
    path = tmp_path / "log.csv"
    path.write_text("\n".join(["time,current_a,pack_v,cell_01_v,cell_02_v", *rows, ""]))
    log = read_log(path)
    assert (log.rows, log.unreadable) == (30, 10)
    assert np.isfinite(log.cell_v).all()
    assert "10 rows without a readable cell were left out." in [o.text for o in oddities(log)]


PLAIN = (
    b"time,current_a,pack_v,cell_01_v,cell_02_v,cell_03_v,cell_04_v\n"
    b"1700000000,1.0,13.2,3.300,3.301,3.302,3.303\n"
    b"1700000060,1.0,13.2,3.300,3.301,3.302,3.303\n"
)


@pytest.mark.parametrize(
    ("name", "data", "place", "expected"),
    [
        ("no.csv", None, "the file", "readable"),
        ("empty.csv", b"", "the whole file", "this file is empty"),
        ("header.csv", PLAIN.split(b"\n")[0] + b"\n", "line 2", "rows"),
        (
            "word.csv",
            PLAIN.replace(b"3.302", b"abc", 1),
            "line 2 column cell_03_v",
            "a number, found 'abc'",
        ),
        (
            "time.csv",
            PLAIN.replace(b"1700000060", b"yesterday"),
            "line 3 column time",
            "a time, found 'yesterday'",
        ),
        (
            "ragged.csv",
            PLAIN + b"1700000120,1.0,13.2,3.3,3.3,3.3,3.3,9,9\n",
            "line 4",
            "as many fields",
        ),
        ("binary.csv", b"\x00\x01\x02" * 400, "byte 0", "binary"),
        ("cut.csv.gz", gzip.compress(PLAIN * 50)[:-30], "the whole file", "complete gzip"),
        ("not.csv.gz", PLAIN, "the whole file", "gzip"),
        (
            "other.csv",
            b"a,b,c,d\n1,2,3,4\n5,6,7,8\n",
            "the header",
            "a time column and at least three",
        ),
        ("fake.xlsx", b"PK not really", "the whole file", "spreadsheet"),
    ],
)
def test_a_spoilt_file_is_refused_in_one_line_with_its_place(tmp_path, name, data, place, expected):
    path = tmp_path / name
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(InputError) as caught:
        read_log(path)
    text = str(caught.value)
    assert place in text
    assert expected in text
    assert str(path) in text
    assert "\n" not in text


def test_impossible_and_empty_readings_are_not_voltages(tmp_path):
    path = tmp_path / "log.csv"
    path.write_bytes(PLAIN.replace(b"3.302", b"", 1).replace(b"3.303", b"65.535", 1))
    read = read_log(path)
    assert np.isnan(read.cell_v[0, 2:]).all()
    assert np.isfinite(read.cell_v[1]).all()


def test_rows_out_of_order_and_twice_come_right_and_are_told(log):
    shuffled = log.select(np.r_[200:400, 0:210])
    read = table_of(plain_csv(shuffled), "log.csv")
    mapping = plain_mapping(read.columns)
    assert mapping
    back = read_values(read, mapping)[0]
    np.testing.assert_allclose(back.time_s, log.time_s)
    told = {o.kind: o for o in oddities(back, raw_time_s=shuffled.time_s)}
    assert {"backwards", "repeated"} <= set(told)
    assert "10 rows" in told["repeated"].text


def test_what_looks_odd_is_said(log):
    turned = Log(log.time_s, -log.current_a, log.pack_v * 2, log.cell_v + 0.9, log.temp_c)
    kinds = {o.kind for o in oddities(turned, new_setup("lfp", 16, 100.0))}
    assert kinds - {"gaps"} == {"sign", "pack", "cells", "range"}
    setup = new_setup("lfp", 8, 100.0)
    gap = log.select(np.r_[0:100, 200:400])
    assert "gaps" in {o.kind for o in oddities(gap)}
    assert oddities(log.select(slice(0, 150)), setup) == []


def test_a_log_of_another_chemistry_is_told_before_it_is_imported():
    pack = other("", 962)
    assert oddities(pack.log, pack.setup) == []
    (odd,) = oddities(pack.log, new_setup("nmc", pack.setup.cells, pack.setup.capacity_ah))
    assert (odd.kind, odd.weight) == ("range", "doubt")
    assert "as LFP (3.2 V) cells do, not lithium-ion (4.2 V)" in odd.text


@pytest.mark.parametrize("case", ["06", "07", "15", "01"])
def test_the_sign_of_current_shows_in_the_voltage(case):
    log = read_log(FILES / f"synthetic_{case}.csv.gz")
    assert current_sign(log.current_a, log.mean_cell_v) >= 0
    assert current_sign(-log.current_a, log.mean_cell_v) <= 0


@pytest.mark.parametrize(
    ("case", "chemistry"), [("06", "lfp"), ("07", "lfp"), ("15", "nmc"), ("01", "lfp")]
)
def test_a_log_alone_tells_the_chemistry(case, chemistry):
    assert guess_chemistry(read_log(FILES / f"synthetic_{case}.csv.gz")) == chemistry


@pytest.mark.parametrize(("case", "known_ah"), [("06", 280.0), ("15", 50.0)])
def test_a_log_alone_tells_the_capacity_by_its_percentage(case, known_ah):
    """On 72 practice logs: told in 61, off by 1 % in the middle and by 8 % at worst."""
    log = read_log(FILES / f"synthetic_{case}.csv.gz")
    found = guess_capacity(log, guess_chemistry(log))
    assert found is not None
    assert found[0] == pytest.approx(known_ah, rel=0.05)
    assert "percentage" in found[1]


def test_without_a_percentage_the_ends_tell_the_least_it_holds():
    log = replace(read_log(FILES / "synthetic_06.csv.gz"), soc_pct=None)
    found = guess_capacity(log, "lfp")
    assert found is not None
    assert 0.8 * 280.0 < found[0] <= 280.0
    assert found[1].startswith("at least")
    assert guess_capacity(log, None) is None


@pytest.mark.parametrize(
    "spoil",
    [
        lambda log: log.select(slice(0, 0)),
        lambda log: replace(log, current_a=np.zeros(log.rows), soc_pct=None),
        lambda log: replace(log, current_a=np.full(log.rows, np.nan)),
        # a percentage that has nothing to do with the charge counted
        lambda log: replace(
            log, soc_pct=50 + 40 * np.sin(np.arange(log.rows) / 37), cell_v=log.cell_v * 0 + 3.3
        ),
    ],
)
def test_a_log_that_does_not_tell_the_capacity_is_not_guessed_at(spoil):
    log = read_log(FILES / "synthetic_06.csv.gz")
    assert guess_capacity(spoil(log), "lfp") is None


def test_joined_logs_are_in_order_and_each_moment_once(log):
    both = join([log.select(slice(150, 400)), log.select(slice(0, 200))])
    np.testing.assert_allclose(both.time_s, log.time_s)


def test_nothing_is_counted_across_a_gap():
    steady = Log(
        np.r_[0:600:60.0, 90000:90600:60.0],
        np.full(20, 10.0),
        np.full(20, 13.2),
        np.full((20, 4), 3.3, np.float32),
        np.empty((20, 0), np.float32),
    )
    assert steady.charge_ah[-1] == pytest.approx(10.0 * 2 * 540 / 3600.0)


@pytest.mark.parametrize(
    ("texts", "form"),
    [
        (["1700000000", "1700000060"], "unix_s"),
        (["1700000000123"], "unix_ms"),
        (["45000.5", "45000.6"], "excel"),
        (["31.03.2026 09:10"], "dmy"),
        (["03/31/2026 09:10"], "mdy"),
        (["2026/03/31 09:10"], "ymd"),
        (["2026-03-01 09:10:00"], "iso"),
        (["3.65", "3.66"], None),
        (["", None], None),
        (["abc"], None),
    ],
)
def test_clocks_are_told_apart(texts, form):
    assert guess_time_form(texts) == form


def test_every_reader_file_named_here_exists():
    assert Path(FILES / "truth.json").exists()
    assert (
        read_table(FILES / "synthetic_07.csv.gz").frame.height
        == read_log(FILES / "synthetic_07.csv.gz").rows
    )


@pytest.mark.parametrize(
    ("column", "role"),
    [
        ("temp_1_c", "cell"),
        ("Cell temp 3 (°C)", "cell"),
        ("T2", "cell"),
        ("NTC 4", "cell"),
        ("Temperatur Zelle 1", "cell"),
        ("MOS temperature", "switches"),
        ("mosfet_temp_c", "switches"),
        ("Heatsink °C", "switches"),
        ("ambient_temp", "air"),
        ("Umgebungstemperatur", "air"),
        ("Lufttemperatur", "air"),
        ("env temp", "air"),
        ("Temp. exterior", "air"),
        ("PCB temp", "board"),
        ("BMS board temperature", "board"),
        ("BMS Temp 1", "cell"),
        ("T_amb", "air"),
        ("Tmos1", "switches"),
        ("hairpin temp", "cell"),
    ],
)
def test_a_temperature_says_by_its_name_what_it_is_of(column, role):
    assert sensors.role(column) == role


def test_switches_and_air_are_not_taken_for_cells(tmp_path):
    rows = ["time;current;pack;c1;c2;c3;c4;Temp 1;MOS temp;Ambient temp"]
    for i in range(60):
        cells = ";".join(f"{3.30 + 0.001 * ((i + c) % 5):.3f}" for c in range(4))
        rows.append(f"{1_700_000_000 + 60 * i};{i % 7 - 3};13.2;{cells};18;{40 + i % 9};-{i % 6}")
    path = tmp_path / "roles.csv"
    path.write_text("\n".join(rows))
    table = read_table(path)
    mapping = propose(table).mapping
    assert mapping is not None
    assert mapping.temps == ("Temp 1",)
    assert mapping.other_temps == ("MOS temp", "Ambient temp")
    assert ColumnMapping.from_json(json.loads(json.dumps(mapping.to_json()))) == mapping
    assert read_values(table, mapping)[0].temp_c.shape == (60, 1)


def test_a_name_that_is_only_said_later_is_a_column_and_a_line_without_a_value_is_told(tmp_path):
    lines = [
        f"2026-03-03T{6 + i // 60:02d}:{i % 60:02d}:00Z current={i % 7}.5 "
        + " ".join(f"c{k}=3.3{(i + k) % 9}" for k in range(1, 5))
        + (f" soc={50 + i // 20}" if i > 250 else "")
        for i in range(400)
    ]
    lines.insert(100, "--- restarted")
    (tmp_path / "log.txt").write_text("\n".join(lines))
    table = read_tables(tmp_path / "log.txt")[0]
    assert table.rows == 400
    assert "soc" in table.columns
    assert table.dropped == ((1, "without a value"),)


@pytest.mark.parametrize(
    ("name", "begins"),
    [
        ("log_2026-11-05", "2026-11-05T00:00:00"),
        ("log_2026-10-24", "2026-10-24T00:00:00"),
        ("2026-1-12", "2026-01-12T00:00:00"),
        ("bms 20261231", "2026-12-31T00:00:00"),
        ("bms_20261105_0930", "2026-11-05T09:30:00"),
        ("20260303120501", "2026-03-03T12:05:01"),
        ("pack 05.11.2026", "2026-11-05T00:00:00"),
        ("2026-02-30", None),
        ("pack 20 of 2026", None),
        ("serial 202611055", None),
    ],
)
def test_the_day_in_the_name_of_a_file(tmp_path, name, begins):
    cells = ",".join(f"cell{c + 1}" for c in range(4))
    rows = (f"06:{i:02d}:00,{i % 7},3.30,3.31,3.32,3.{i + 10}" for i in range(40))
    path = tmp_path / f"{name}.csv"
    path.write_text(f"time,current,{cells}\n" + "\n".join(rows))
    assert read_file(path).reading.mapping.begins == begins


def test_a_clock_goes_on_through_the_night_it_is_put_back(tmp_path):
    zone = ZoneInfo("Europe/Vienna")
    begin_s = datetime(2026, 10, 24, 22, 30, tzinfo=zone).timestamp()
    times = begin_s + 60.0 * np.arange(360)
    rows = (
        f"{datetime.fromtimestamp(t, zone):%H:%M:%S},{i % 7},3.30,3.31,3.32,3.{i % 50 + 10}"
        for i, t in enumerate(times)
    )
    path = tmp_path / "log_2026-10-24.csv"
    path.write_text("time,current,cell1,cell2,cell3,cell4\n" + "\n".join(rows))
    log = read_file(path, Options(zone="Europe/Vienna")).log
    np.testing.assert_array_equal(log.time_s, times)


def test_of_very_many_logs_in_one_file_one_is_chosen_without_looking_at_all(tmp_path, monkeypatch):
    path, looked_at = tmp_path / "many.zip", []
    with zipfile.ZipFile(path, "w") as archive:
        for i in range(20):  # unlike each other: nothing goes together
            rows = "".join(
                f"{1_750_000_000 + 60 * k},1,13.2,{','.join(['3.3'] * (4 + i))}\n" for k in range(9)
            )
            cells = ",".join(f"cell {n + 1} V" for n in range(4 + i))
            archive.writestr(f"log {i:02}.csv", f"time,current A,pack V,{cells}\n{rows}")
    monkeypatch.setattr(
        reader, "propose", lambda table, options: looked_at.append(table) or propose(table, options)
    )
    with pytest.raises(ChoiceError) as told:
        read_file(path)
    assert len(looked_at) == 8
    assert len(told.value.choices) == 20
