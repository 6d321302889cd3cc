"""The headless contract, as a process: good files, spoilt files, exit status, one line and no
traceback.
"""

import json
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from nipper.cli import main
from nipper.core.imbalance.compare import Recorded
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.writer import write_plain
from nipper.core.presets import new_setup
from nipper.core.setup import dumps
from tests.builders import charge_log
from tests.conftest import FILES

ROOT = Path(__file__).parents[1]


def nipper(*arguments: object) -> subprocess.CompletedProcess[str]:
    env = {
        k: v
        for k, v in os.environ.items()
        if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    return subprocess.run(
        [sys.executable, "-m", "nipper", *map(str, arguments)],
        capture_output=True,
        text=True,
        check=False,
        cwd=ROOT,
        env=env,
    )


@pytest.fixture
def setup_file(tmp_path):
    path = tmp_path / "pack.json"
    path.write_text(dumps(new_setup("lfp", 16, 280.0)))
    return path


def test_check_prints_one_document(setup_file):
    done = nipper("check", setup_file, "--json")
    document = json.loads(done.stdout)
    assert (done.returncode, done.stderr) == (0, "")
    assert (document["format"], document["version"], document["verdict"]) == (
        "nipper-check",
        1,
        "ok",
    )


def test_check_finds_what_is_wrong_and_still_ends_well(tmp_path):
    document = json.loads(dumps(new_setup("lfp", 16, 280.0)))
    document["protection"]["cell_over_voltage"]["release_v"] = 3.70
    path = tmp_path / "bad.json"
    path.write_text(json.dumps(document))
    done = nipper("check", path, "--json")
    first = json.loads(done.stdout)["findings"][0]
    assert done.returncode == 0
    assert first["code"] == "over-voltage-release-above-trip"
    assert first["severity"] == "error"
    assert first["suggestion"]["protection.cell_over_voltage.release_v"] < 3.65
    assert "verdict: fix" in nipper("check", path).stdout


def test_diagnose_prints_the_contracts_document():
    done = nipper(
        "diagnose",
        FILES / "synthetic_06.csv.gz",
        "--setup",
        FILES / "synthetic_06.setup.json",
        "--json",
    )
    document = json.loads(done.stdout)
    assert done.returncode == 0
    assert document["findings"][0]["cause"] == "soc_offset"
    assert document["findings"][0]["cells"] == [7]
    assert document["verdict"] == "act"


def test_several_logs_of_one_pack_are_read_together(tmp_path):
    from nipper.core.logs.reader import read_log
    from nipper.core.logs.writer import write_plain

    log = read_log(FILES / "synthetic_07.csv.gz")
    parts = [tmp_path / "b.csv", tmp_path / "a.csv.gz"]
    write_plain(log.select(slice(700, log.rows)), parts[0])
    write_plain(log.select(slice(0, 720)), parts[1])
    whole, split = (
        json.loads(
            nipper(
                "diagnose", *files, "--setup", FILES / "synthetic_07.setup.json", "--json"
            ).stdout
        )
        for files in ([FILES / "synthetic_07.csv.gz"], parts)
    )
    assert len(split["charges"]) == len(whole["charges"])
    assert split["charges"][0]["deviation_top_mv"] == whole["charges"][0]["deviation_top_mv"]


def test_trial_writes_a_log_that_diagnose_reads(setup_file, tmp_path):
    scenario, out = tmp_path / "s.json", tmp_path / "out.csv"
    scenario.write_text(json.dumps({"days": 2, "weather": "clear"}))
    done = nipper("trial", setup_file, "--scenario", scenario, "--log", out, "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["format"] == "nipper-trial"
    again = nipper("diagnose", out, "--setup", setup_file, "--json")
    assert json.loads(again.stdout)["verdict"] in ("healthy", "not_enough_data")


def test_the_schema_can_be_had():
    assert json.loads(nipper("schema").stdout) == json.loads(
        (ROOT / "docs" / "setup.schema.json").read_text()
    )


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["check", "missing.json", "--json"], ["missing.json", "the file", "expected"]),
        (["check", "{bad}", "--json"], ["bad.json", "line 1 column 2", "expected JSON"]),
        (
            ["diagnose", "{log}", "--setup", "{other}", "--json"],
            ["synthetic_06.csv.gz", "expected 20 cells", "found 16"],
        ),
        (["diagnose", "{bad}", "--setup", "{other}", "--json"], ["bad.json", "expected"]),
        (
            ["diagnose", "{log}", "--setup", "{other}", "--zone", "Mars/Base"],
            ["Mars/Base", "expected"],
        ),
        (["trial", "{other}", "--scenario", "{bad}"], ["bad.json", "line 1"]),
        (["diagnose", "{log}"], ["--setup"]),
        (["check"], ["SETUP.json"]),
    ],
)
def test_unusable_input_ends_with_2_and_one_line(tmp_path, arguments, words):
    bad = tmp_path / "bad.json"
    bad.write_text("{nonsense")
    places = {
        "{bad}": bad,
        "{log}": FILES / "synthetic_06.csv.gz",
        "{other}": FILES / "synthetic_15.setup.json",
    }
    done = nipper(*[places.get(a, a) for a in arguments])
    assert done.returncode == 2
    assert done.stdout == ""
    assert len(done.stderr.strip().splitlines()) == 1
    assert "Traceback" not in done.stderr
    for word in words:
        assert word in done.stderr


def test_without_a_screen_the_window_says_so():
    done = nipper("some.nipper")
    assert done.returncode == 2
    assert "expected a display" in done.stderr


def test_check_starts_without_tables_numerics_or_qt():
    code = (
        "import sys; from nipper import cli; cli.main(['check', sys.argv[1], '--json'])\n"
        "print({'PySide6', 'polars', 'scipy', 'numba', 'pyqtgraph'} & set(sys.modules), "
        "file=sys.stderr)"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(FILES / "synthetic_06.setup.json")],
        capture_output=True,
        text=True,
        check=True,
        cwd=ROOT,
    )
    assert done.stderr.strip() == "set()"


def test_compare_tells_changes_and_shares(tmp_path):
    from nipper.core.logs.writer import write_plain
    from nipper.core.simulate.scenario import CellFault, Event, Scenario
    from nipper.core.simulate.trial import run

    setup = new_setup("lfp", 8, 100.0, 2)
    (tmp_path / "setup.json").write_text(dumps(setup))
    events = [Event(day=6.0, cells=[CellFault(pack=1, cell=3, joint_mohm=0.0)])]
    plan = Scenario(
        days=12,
        step_s=20.0,
        weather="clear",
        cells=[CellFault(pack=1, cell=3, joint_mohm=1.5)],
        events=events,
        leads_mohm=[0.0, 3.0],
        pv_w=4000.0,
    )
    logs = [str(tmp_path / f"{p}.csv") for p in "ab"]
    for log, path in zip(run(setup, plan).logs, logs, strict=True):
        write_plain(log, Path(path))
    answer = nipper(
        "compare",
        *logs,
        "--setup",
        str(tmp_path / "setup.json"),
        "--at",
        "2026-06-07T00:00:00+00:00",
        "--json",
    )
    assert answer.returncode == 0, answer.stderr
    document = json.loads(answer.stdout)
    first = document["changes"][0]
    assert (first["pack"], first["quantity"], first["cell"], first["helped"]) == (
        1,
        "resistance",
        3,
        True,
    )
    assert document["sharing"]["guilty_pack"] == 2
    for wrong, words in (
        (["--at", "soon"], "a time such as"),
        (["--swap"], "two logs and --at"),
        (["--at", "2026-06-07T00:00:00"], "with its offset"),
    ):
        answer = nipper("compare", *logs, "--setup", str(tmp_path / "setup.json"), *wrong)
        assert answer.returncode == 2
        assert words in answer.stderr
        assert len(answer.stderr.strip().splitlines()) == 1


def test_check_gives_the_open_loop_sheet_the_schools_and_the_strings(tmp_path):
    from nipper.core.presets import new_setup
    from nipper.core.setup import dumps, put
    from tests.core.test_rules import pv

    file = tmp_path / "setup.json"
    file.write_text(dumps(put(new_setup("lfp", 16, 280.0), pv(6, 3))))
    told = json.loads(nipper("check", str(file), "--json").stdout)
    assert told["verdict"] == "fix"
    assert {v["name"] for v in told["open_loop"]} >= {
        "absorption",
        "low-voltage cut",
        "charge current",
    }
    assert [s["id"] for s in told["limit_schools"]] == ["now", "gentle", "balanced", "full"]
    assert told["pv_arrangements"][0]["in_series"] == 2
    assert next(f for f in told["findings"] if f["code"] == "pv-string")["suggestion"] == {
        "solar.in_series": 2
    }


@pytest.mark.parametrize(
    ("cells", "rows"),
    [(["99.0"] * 4, 200), (["0"] * 4, 200), ([""] * 4, 200), (["3.3"] * 3 + ["99"], 50)],
)
def test_voltages_that_cannot_be_are_told_in_a_line_and_never_a_traceback(tmp_path, cells, rows):
    head = "time,current_a,pack_v,cell_01_v,cell_02_v,cell_03_v,cell_04_v"
    lines = [f"{1.75e9 + 60 * i:.0f},1.0,13.2,{','.join(cells)}" for i in range(rows)]
    log, setup = tmp_path / "log.csv", tmp_path / "four.json"
    log.write_text("\n".join([head, *lines, ""]))
    setup.write_text(dumps(new_setup("lfp", 4, 100.0)))
    done = nipper("diagnose", log, "--setup", setup, "--json")
    assert "Traceback" not in done.stderr
    assert "Warning" not in done.stderr
    if "3.3" in cells:
        assert (done.returncode, done.stderr) == (0, "")
        assert json.loads(done.stdout)["verdict"] == "not_enough_data"
    else:
        assert done.returncode == 2
        assert len(done.stderr.splitlines()) == 1
        assert "none of 200 rows has any" in done.stderr


def test_compare_judges_unlike_packs_by_their_own(tmp_path, capsys):
    import json

    from nipper.cli import main

    base = json.loads((FILES / "contract.setup.json").read_text())
    base.pop("packs_in_parallel")
    base["packs"] = [{"name": "Fore"}, {"name": "Aft", "capacity_ah": 140.0}]
    setup, log = tmp_path / "s.json", tmp_path / "l.csv"
    setup.write_text(json.dumps(base))
    assert main(["trial", str(setup), "--log", str(log), "--pack", "Aft"]) == 0
    capsys.readouterr()
    assert main(["compare", str(log), "--setup", str(setup), "--json"]) == 2
    assert "Fore, Aft" in capsys.readouterr().err
    assert main(["compare", str(log), "--setup", str(setup), "--pack", "Aft", "--json"]) == 0
    capsys.readouterr()
    assert main(["compare", str(log), str(log), "--setup", str(setup), "--json"]) == 0


def test_compare_refuses_what_diagnose_does_not_judge(tmp_path, capsys):
    """Numbers that cannot be right were compared all the same, and spikes with them."""
    setup = new_setup("lfp", 8, 100.0)
    log = charge_log(setup, np.zeros(8), charges=6)
    write_plain(replace(log, current_a=4.0 * log.current_a), tmp_path / "wrong.csv")
    (tmp_path / "setup.json").write_text(dumps(setup))
    settings = ["--setup", str(tmp_path / "setup.json"), "--json"]
    assert main(["compare", str(tmp_path / "wrong.csv"), *settings]) == 2
    told = capsys.readouterr().err
    assert "wrong.csv" in told
    assert "Nothing is judged until that is put right" in told


def test_compare_passes_over_what_is_no_reading():
    setup = new_setup("lfp", 8, 100.0)
    log = charge_log(setup, np.zeros(8), charges=6)
    cell_v = log.cell_v.copy()
    cell_v[100:3000:100, 3] = 5.0
    spoilt = replace(log, cell_v=cell_v)
    together = Recorded(spoilt, diagnose(spoilt, setup).estimate, setup).together
    assert np.nanmax(together.cell_v) < 4.0
